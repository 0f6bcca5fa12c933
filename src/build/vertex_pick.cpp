// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/vertex_pick.h"

#include "wakuzume/shading_order.h"

namespace wakuzume {

VertexPick pick_used(std::vector<std::uint32_t> indices) {
  VertexPick pick;
  const auto [low, high] = std::minmax_element(indices.begin(), indices.end());
  const std::size_t first = *low;
  const std::size_t range = *high - first + std::size_t{1};
  if (range <= 8 * indices.size() + 64) {
    std::vector<std::uint32_t> number(range, 0);
    for (const std::uint32_t i : indices) {
      number[i - first] = 1;
    }
    for (std::size_t v = 0; v < range; ++v) {
      if (number[v] != 0) {
        number[v] = static_cast<std::uint32_t>(pick.vertices.size());
        pick.vertices.push_back(static_cast<std::uint32_t>(first + v));
      }
    }
    for (std::uint32_t& i : indices) {
      i = number[i - first];
    }
  } else {
    pick.vertices = indices;
    std::sort(pick.vertices.begin(), pick.vertices.end());
    pick.vertices.erase(std::unique(pick.vertices.begin(), pick.vertices.end()),
                        pick.vertices.end());
    for (std::uint32_t& i : indices) {
      i = static_cast<std::uint32_t>(
          std::lower_bound(pick.vertices.begin(), pick.vertices.end(), i) - pick.vertices.begin());
    }
  }
  pick.indices = std::move(indices);
  pick.count = pick.vertices.size();
  return pick;
}

VertexPick pick_corners(std::vector<std::uint32_t> indices) {
  VertexPick pick;
  pick.indices.resize(indices.size());
  for (std::size_t i = 0; i < indices.size(); ++i) {
    pick.indices[i] = static_cast<std::uint32_t>(i);
  }
  pick.vertices = std::move(indices);
  pick.count = pick.vertices.size();
  return pick;
}

VertexPick pick_made(const TangentVertices& made, std::vector<std::uint32_t> indices) {
  return {made.vertices, std::move(indices), made.vertices.size(), made.tangents};
}

void put_in_order_of_use(VertexPick& pick) {
  const std::vector<std::uint32_t> number =
      number_by_use(pick.indices, static_cast<std::uint32_t>(pick.count));
  const std::vector<std::uint32_t> vertices = pick.vertices;
  const std::vector<float> tangents = pick.tangents;
  for (std::size_t v = 0; v < pick.count; ++v) {
    pick.vertices[number[v]] = vertices[v];
    if (!tangents.empty()) {
      std::copy_n(&tangents[4 * v], 4, &pick.tangents[4 * std::size_t{number[v]}]);
    }
  }
  for (std::uint32_t& index : pick.indices) {
    index = number[index];
  }
}

}  // namespace wakuzume
