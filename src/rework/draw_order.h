// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "wakuzume/scene.h"

/// The order in which a primitive of a scene is drawn quickest.
namespace wakuzume {

/// order_for_shading of its list of triangles. \pre its topology is triangles
std::vector<std::uint32_t> find_draw_order(const Scene& scene, const Primitive& primitive);

}  // namespace wakuzume
