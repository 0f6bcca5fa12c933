// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>

#include "wakuzume/scene.h"

namespace wakuzume {

/// A made-up town of `draws` draws: 1,000 small meshes under 200 materials on a square of ground, in
/// groups of a hundred nodes, as a level of several kits has them.
Scene make_large_scene(std::size_t draws);

}  // namespace wakuzume
