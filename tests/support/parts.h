// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>

#include "support/scene_builder.h"
#include "wakuzume/geometry.h"

/// Made-up furniture: parts with normals and UVs, and the ways in which files hold copies of them.
namespace wakuzume::test {

/// A lumpy closed body without symmetry, 40 to 120 vertices; another for each seed.
MeshData make_part(std::uint32_t seed);
/// A prism with a regular base, flat sides and no UVs: as symmetric as can be.
MeshData make_prism(std::size_t sides);
/// A flat fan of unequal triangles.
MeshData make_fan(std::size_t triangles);

enum class Scaling : std::uint8_t { none, uniform, each_axis };
Trs make_random_trs(std::uint32_t seed, Scaling scaling);

/// The points moved; mirroring turns the triangles round, as exporters do.
MeshData transform_part(const MeshData& part, const Trs& trs);
/// Vertices and triangles in another order, triangles begun at another corner.
MeshData shuffle_part(const MeshData& part, std::uint32_t seed);

double find_diagonal(const MeshData& part);

}  // namespace wakuzume::test
