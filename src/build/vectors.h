// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstddef>
#include <span>

#include "wakuzume/geometry.h"
#include "wakuzume/survey.h"

/// Many vectors through one matrix: the inner loops of merging.
///
/// Lists of numbers, three a vector. The same bits come out whatever the instruction set: every
/// result is the same few operations in the same order, in double until it is stored.
namespace wakuzume {

/// Smallest and largest of what was stored, by component; +inf and -inf where nothing was.
struct FloatBounds {
  std::array<float, 3> low;
  std::array<float, 3> high;
};

/// Points by the whole matrix. \pre `to` has room for as many \return bounds; NaN is left out
FloatBounds transform_points(const Mat4d& matrix, std::span<const float> from, float* to);
FloatBounds transform_points(const Mat4d& matrix, std::span<const double> from, float* to);

/// Directions by three columns, made unit length; zero, infinite and NaN become {0, 0, 1}.
/// \param columns  of a 3x3 matrix
void transform_normals(const std::array<Vec3d, 3>& columns, std::span<const float> from, float* to);
void transform_normals(const std::array<Vec3d, 3>& columns,
                       std::span<const double> from,
                       float* to);

/// UVs to where they are on a lightmap page. \pre two numbers each; `to` has room for as many
template <class Number>
void move_uvs(const LightmapPlace& place, std::span<const Number> from, float* to) {
  for (std::size_t i = 0; i + 1 < from.size(); i += 2) {
    const Vec2d uv = place.apply({static_cast<double>(from[i]), static_cast<double>(from[i + 1])});
    to[i] = static_cast<float>(uv[0]);
    to[i + 1] = static_cast<float>(uv[1]);
  }
}

}  // namespace wakuzume
