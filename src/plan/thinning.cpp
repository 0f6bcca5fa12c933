// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/thinning.h"

#include <algorithm>
#include <bit>

#include "scene/morton.h"

namespace wakuzume {

std::vector<std::uint32_t> make_thinning(const std::vector<Vec3d>& places) {
  Box3d bounds;
  for (const Vec3d& place : places) {
    bounds.include(place);
  }
  const PlaceNumbers numbers(bounds);
  std::vector<std::pair<std::uint64_t, std::uint32_t>> along(places.size());
  for (std::size_t i = 0; i < places.size(); ++i) {
    along[i] = {numbers.find(places[i]), static_cast<std::uint32_t>(i)};
  }
  std::sort(along.begin(), along.end());
  const auto bits = static_cast<unsigned>(std::bit_width(places.size()));
  std::vector<std::uint32_t> order;
  order.reserve(places.size());
  for (std::uint64_t n = 0; n < std::uint64_t{1} << bits; ++n) {
    std::uint64_t rank = 0;
    for (unsigned b = 0; b < bits; ++b) {
      rank |= (n >> b & 1U) << (bits - 1 - b);
    }
    if (rank < along.size()) {
      order.push_back(along[rank].second);
    }
  }
  return order;
}

}  // namespace wakuzume
