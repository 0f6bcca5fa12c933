// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <numeric>
#include <span>
#include <vector>

#include "rework/tangents.h"

/// Which vertices of a primitive a list of its indices uses.
namespace wakuzume {

/// The vertices of one member in the order they are written, and its indices into that order.
struct VertexPick {
  std::vector<std::uint32_t> vertices;  ///< numbers in the source primitive; empty: all of them
  std::vector<std::uint32_t> indices;   ///< list indices into `vertices`
  std::size_t count = 0;                ///< of vertices
  std::vector<float> tangents{};        ///< made ones, 4 a vertex, in the member's own space
};

/// How many vertices the indices use.
template <class Index>
std::uint64_t count_used(std::span<const Index> indices, std::uint64_t vertices) {
  // A byte a vertex; a few corners of a large shared buffer are sorted instead.
  if (indices.size() < vertices / 64) {
    std::vector<Index> used(indices.begin(), indices.end());
    std::sort(used.begin(), used.end());
    return static_cast<std::uint64_t>(std::unique(used.begin(), used.end()) - used.begin());
  }
  std::vector<std::uint8_t> used(vertices, 0);
  for (const Index i : indices) {
    used[i] = 1;
  }
  return std::accumulate(used.begin(), used.end(), std::uint64_t{0});
}

/// Keeps only vertices that some index uses, in their source order. A part of a large shared buffer
/// costs no more than its own range or n log n of its indices, whichever suits.
VertexPick pick_used(std::vector<std::uint32_t> indices);
/// Every corner becomes a vertex of its own, as flat normals need it.
VertexPick pick_corners(std::vector<std::uint32_t> indices);
/// As the making of tangents took the vertices apart.
VertexPick pick_made(const TangentVertices& made, std::vector<std::uint32_t> indices);
/// Vertices in the order in which the indices come to them. \pre pick.vertices lists them
void put_in_order_of_use(VertexPick& pick);

}  // namespace wakuzume
