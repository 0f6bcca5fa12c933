// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cmath>
#include <cstdint>
#include <span>

#include "scene/matrix.h"
#include "wakuzume/geometry.h"

/// Points of surfaces as doubles, and what their triangles measure.
namespace wakuzume {

inline double dot(const Vec3d& a, const Vec3d& b) {
  return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}
inline Vec3d cross(const Vec3d& a, const Vec3d& b) {
  return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}
inline Vec3d operator-(const Vec3d& a, const Vec3d& b) {
  return {a[0] - b[0], a[1] - b[1], a[2] - b[2]};
}
inline Vec3d operator+(const Vec3d& a, const Vec3d& b) {
  return {a[0] + b[0], a[1] + b[1], a[2] + b[2]};
}
inline Vec3d operator*(double s, const Vec3d& a) { return {s * a[0], s * a[1], s * a[2]}; }
inline double length2(const Vec3d& v) { return dot(v, v); }

/// Most times that a transform makes a length along an axis.
inline double find_scale(const Mat4d& transform) {
  const Eigen::Matrix3d linear = as_eigen(transform).topLeftCorner<3, 3>();
  return linear.colwise().norm().maxCoeff();
}

/// \param positions  3 a point
inline Vec3d load_point(std::span<const float> positions, std::size_t point) {
  return {positions[3 * point], positions[3 * point + 1], positions[3 * point + 2]};
}

/// Of triangle `t` of a list.
inline double find_area(std::span<const float> positions,
                        std::span<const std::uint32_t> indices,
                        std::size_t t) {
  const Vec3d a = load_point(positions, indices[3 * t]);
  return std::sqrt(length2(cross(load_point(positions, indices[3 * t + 1]) - a,
                                 load_point(positions, indices[3 * t + 2]) - a))) /
         2;
}

/// Edge of so many equilateral triangles that cover an area.
inline double find_edge_length(double area, double triangles) {
  return std::sqrt(area / (0.433 * triangles));
}

}  // namespace wakuzume
