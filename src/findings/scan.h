// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "wakuzume/survey.h"

/// A close look at the triangles of each shape.
namespace wakuzume {

struct ShapeScan {
  std::uint64_t degenerate_triangles = 0;
  std::uint64_t repeated_triangles = 0;  ///< beyond the first of each
  std::uint64_t separate_parts = 0;      ///< joined by equal positions; 0: not counted
  double area_m2 = 0;                    ///< in the shape's own space
  std::vector<double> uv_areas;          ///< in tiles, by position in Shape::uvs
};

enum class CountParts : std::uint8_t { no, yes };

/// \cost O(vertices + triangles)
ShapeScan scan_shape(const Scene& scene, const Shape& shape, CountParts parts);

/// Triangles of a mesh that more than one of its primitives draws.
std::uint64_t count_shared_triangles(const Scene& scene, const Mesh& mesh);

}  // namespace wakuzume
