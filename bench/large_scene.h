// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>

#include "wakuzume/scene.h"

namespace wakuzume {

/// A made-up town of `draws` draws: 1,000 small meshes under 200 materials on a square of ground,
/// in groups of a hundred nodes, as a level of several kits has them. \param families  different
/// meshes; each has UVs of its own, so none is another's repeat
Scene make_large_scene(std::size_t draws, std::size_t families = 1000);

/// `nodes` turned nodes in a row, each with a mesh of its own of some `vertices` vertices: a bumpy
/// square with normals and UVs, and 32-bit indices. One material.
Scene make_dense_scene(std::size_t nodes, std::size_t vertices);

/// A made-up district: streets of houses with floors, rooms and furniture of several materials, a
/// third of the models stored as many copies, a third of the materials under several names.
/// \param pieces  of furniture, with some three draws each
Scene make_district(std::size_t pieces);

enum class UnlikeShape : std::uint8_t { triangle, quad, strip };

/// `count` pieces of a level, each with a mesh of its own, all of one kind and, but for one in a
/// hundred, none like another: what comes of brushes, where places are baked into the vertices.
Scene make_unlike_scene(std::size_t count, UnlikeShape shape);

}  // namespace wakuzume
