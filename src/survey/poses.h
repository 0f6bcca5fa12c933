// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "wakuzume/scene.h"

/// Where nodes are while animations play.
namespace wakuzume {

/// World matrices of all nodes at moments of the scene's animations, each played by itself: the
/// end, and others evenly before it. Weights and what extensions move stay at rest.
/// \param moments  of each animation, until there are `most`
/// \cost a copy of the node tree a pose
/// \source glTF 2.0, appendix C: interpolation
std::vector<std::vector<Mat4d>> list_poses(const Scene& scene,
                                           std::uint32_t moments,
                                           std::size_t most);

}  // namespace wakuzume
