// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "wakuzume/scene.h"

/// pose: a scene as it stands at a moment of an animation.
///
/// In: a checked scene and a moment. Out: the same scene with the translations, rotations, scales
/// and weights that its nodes have then.
/// 1. An animation plays by itself, and holds its first and last values outside of its time.
/// 2. What extensions animate stays at rest.
namespace wakuzume {

struct Moment {
  std::uint32_t animation = 0;  ///< its number
  double time_s = 0;
};

/// Moments of every animation: its end, and others evenly before it.
/// \param of_each  of one animation \param most  of all, spread evenly over them
std::vector<Moment> list_moments(const Scene& scene, std::uint32_t of_each, std::size_t most);

/// \pre the moment's animation exists
/// \cost a copy of the scene's tables, and the animation's keys
/// \source glTF 2.0, appendix C: interpolation
Scene make_posed(const Scene& scene, const Moment& moment);

}  // namespace wakuzume
