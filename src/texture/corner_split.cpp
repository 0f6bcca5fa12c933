// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/corner_split.h"

#include <algorithm>
#include <cstring>
#include <numeric>

namespace wakuzume {

CornerSplit split_corners(std::span<const std::uint32_t> list,
                          std::span<const CornerValues> parts) {
  const auto compare = [&](std::uint32_t a, std::uint32_t b) {
    if (list[a] != list[b]) {
      return list[a] < list[b] ? -1 : 1;
    }
    for (const CornerValues& part : parts) {
      if (part.values.empty()) {
        continue;
      }
      const int order = std::memcmp(&part.values[part.width * a], &part.values[part.width * b],
                                    part.width * sizeof(float));
      if (order != 0) {
        return order;
      }
    }
    return 0;
  };
  std::vector<std::uint32_t> order(list.size());
  std::iota(order.begin(), order.end(), 0U);
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    const int difference = compare(a, b);
    return difference != 0 ? difference < 0 : a < b;
  });
  CornerSplit out;
  out.indices.resize(list.size());
  for (std::size_t i = 0; i < order.size(); ++i) {
    const std::uint32_t corner = order[i];
    if (i == 0 || compare(corner, order[i - 1]) != 0) {
      out.vertices.push_back(list[corner]);
      out.corners.push_back(corner);
    }
    out.indices[corner] = static_cast<std::uint32_t>(out.vertices.size() - 1);
  }
  return out;
}

std::vector<float> gather_corners(const CornerValues& values,
                                  std::span<const std::uint32_t> corners) {
  std::vector<float> out;
  for (std::size_t i = 0; i < corners.size() && !values.values.empty(); ++i) {
    const auto from = values.values.subspan(values.width * corners[i], values.width);
    out.insert(out.end(), from.begin(), from.end());
  }
  return out;
}

}  // namespace wakuzume
