// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/build.h"
#include "wakuzume/scene.h"

/// Figures with skeletons for tests, and a second way to pose them: by the formulas of glTF 2.0,
/// vertex by vertex, sharing no code with the library.
namespace wakuzume::test {

struct RigWishes {
  std::size_t joints = 20;
  std::size_t parts = 8;
  std::size_t targets = 6;  ///< names that parts take some of
  std::size_t sets = 2;     ///< most sets of four influences
  std::size_t rigid = 4;    ///< parts hung on joints
  std::uint32_t side = 0;   ///< of the balls that parts are, see make_ball; 0: small ones
  bool shifted = true;      ///< some skins are bound turned, scaled and shifted
  bool mirrored = true;     ///< some nodes mirror
  bool nested_scales = true;
  std::size_t figures = 1;       ///< equal ones beside each other, on skeletons of their own
  bool weights_of_nodes = true;  ///< beside those of meshes
};

/// A figure below "/avatar": its skins, some shared, some of their own with other joints and other
/// bind poses; parts of several materials; animations of joints and weights with all three
/// interpolations.
Scene make_random_rig(std::uint32_t seed, const RigWishes& wishes = {});

/// Animated parts below "/machine", one below the other or side by side, of one material.
Scene make_random_machine(std::uint32_t seed);

using Place = std::array<double, 3>;

/// Corners of a draw in the world, in the order of its list, at a moment of an animation.
/// \param animation  its number; -1: at rest
std::vector<Place> pose_corners(const Scene& scene,
                                const DrawRef& draw,
                                int animation,
                                double time);

/// The largest distance of corners that should be the same, over all rows of a ledger, as a share
/// of the extent of the source's corners.
double find_motion_error(
    const Scene& before, const Scene& after, const Ledger& ledger, int animation, double time);

}  // namespace wakuzume::test
