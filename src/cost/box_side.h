// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cmath>
#include <cstdint>

#include "wakuzume/views.h"

/// Boxes, as centre and half sizes, against the planes of a frustum. Sums are made in one order
/// everywhere, so that every test gives the same answer to the last bit.
namespace wakuzume {

/// How far the centre is inside a plane.
inline double find_depth(const Plane& plane, const Vec3d& centre) {
  const Vec3d& n = plane.normal;
  return (n[0] * centre[0] + n[1] * centre[1] + n[2] * centre[2]) + plane.distance;
}
/// How far the box reaches from its centre towards a plane.
inline double find_reach(const Plane& plane, const Vec3d& half) {
  const Vec3d& n = plane.normal;
  return std::abs(n[0]) * half[0] + std::abs(n[1]) * half[1] + std::abs(n[2]) * half[2];
}

/// No plane has the whole box behind it.
inline bool sees(const Frustum& frustum, const Vec3d& centre, const Vec3d& half) {
  for (const Plane& plane : frustum.planes) {
    if (!(find_depth(plane, centre) + find_reach(plane, half) >= 0)) {
      return false;
    }
  }
  return true;
}

enum class Side : std::uint8_t { outside, cut, inside };
/// Rounding in either sum is far below the slack; what is nearer counts as cut and is left to
/// tests of what the box holds.
inline Side find_side(const Frustum& frustum, const Vec3d& centre, const Vec3d& half) {
  Side side = Side::inside;
  for (const Plane& plane : frustum.planes) {
    const double depth = find_depth(plane, centre);
    const double reach = find_reach(plane, half);
    const double slack = 1e-9 * (std::abs(depth) + reach + std::abs(plane.distance));
    if (depth + reach < -slack) {
      return Side::outside;
    }
    side = depth - reach > slack ? side : Side::cut;
  }
  return side;
}

}  // namespace wakuzume
