// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "wakuzume/result.h"
#include "wakuzume/routes.h"

/// Charts: a surface cut into pieces that lie flat, so that each place of it has texels of its own.
namespace wakuzume {

/// No triangle of a chart leans further from the chart's plane: lengths shrink to no less than the
/// cosine of it, 0.77.
inline constexpr double most_chart_lean = 0.7;  // radians

struct Chart {
  std::vector<std::uint32_t> triangles;  ///< numbers, ascending
  Vec2d size{0, 0};                      ///< in units of the primitive's space
};

struct ChartSet {
  std::vector<Chart> charts;
  std::vector<std::uint32_t> chart_of;  ///< by triangle
  std::vector<Vec2d>
      corners;  ///< three a triangle: places on their chart, from its corner at (0, 0)
};

/// 1. Every triangle is on one chart; no two of a chart overlap.
/// 2. As seen from the side that triangles face, no chart is mirrored.
/// 3. Same triangles: same charts.
/// \param positions  three floats a corner, three corners a triangle
/// \cost O(triangles log triangles) where charts are few
ChartSet make_charts(const std::vector<float>& positions);

/// Corners of a primitive's triangles, as make_charts takes them.
std::vector<float> make_corner_positions(const Scene& scene, const Primitive& primitive);

/// Charts side by side in one rectangle.
struct ChartLayout {
  RectSize size;
  std::vector<Vec2d> corners;  ///< three a triangle, in pixels
};

/// Pixels that stay free around each chart, which then take on what is nearest.
inline constexpr std::uint32_t chart_margin_px = 4;

/// \error too_large  above `most_px` a side
Result<ChartLayout> place_charts(const ChartSet& set,
                                 double texels_per_unit,
                                 std::uint32_t most_px);

}  // namespace wakuzume
