// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>

#include "wakuzume/geometry.h"

namespace wakuzume {

/// How far off a blended draw counts as.
enum class SortBy : std::uint8_t {
  depth,    ///< along the view's axis
  distance  ///< from the eye
};
/// Which point of a blended draw is asked.
enum class SortAt : std::uint8_t {
  box_centre,  ///< of its box in the world
  origin       ///< of its node
};

/// How an engine sorts blended draws: those that are farthest off come first, equal ones as they
/// stand in the scene. Within a draw triangles come in the order of their indices, in a set
/// instances in theirs.
struct BlendSorting {
  SortBy by = SortBy::depth;
  SortAt at = SortAt::box_centre;
  bool operator==(const BlendSorting&) const = default;
};

/// How far off a point counts as, as finely as floats tell. \param view  the matrix of the view,
/// which looks along its -z
float find_sorting_distance(const BlendSorting& sorting, const Vec3d& point, const Mat4d& view);
/// \param at  of the eye \param axis  along which it looks
float find_sorting_distance(const BlendSorting& sorting,
                            const Vec3d& point,
                            const Vec3d& at,
                            const Vec3d& axis);

}  // namespace wakuzume
