// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

/// Vertices whose corners differ, taken apart.
namespace wakuzume {

/// What corners of triangles have: `width` numbers each, or nothing.
struct CornerValues {
  std::span<const float> values;
  std::size_t width = 1;
};

struct CornerSplit {
  std::vector<std::uint32_t> vertices;  ///< by new vertex, the one that it was; ascending
  std::vector<std::uint32_t> indices;   ///< list indices into `vertices`, in the order of the list
  std::vector<std::uint32_t> corners;   ///< by new vertex, the first corner that shows it
};

/// Corners share a vertex where they did and all their values are equal, bit for bit.
/// \param list  list indices, one a corner \cost O(corners log corners)
CornerSplit split_corners(std::span<const std::uint32_t> list, std::span<const CornerValues> parts);

/// The values of some corners, one after the other; nothing of nothing.
std::vector<float> gather_corners(const CornerValues& values,
                                  std::span<const std::uint32_t> corners);

}  // namespace wakuzume
