// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "scene/places.h"

#include <array>
#include <unordered_map>

#include "scene/hasher.h"

namespace wakuzume {
namespace {

using Point = std::array<float, 3>;

struct HashPoint {
  std::size_t operator()(const Point& point) const {
    return static_cast<std::size_t>(XXH3_64bits(point.data(), sizeof point));
  }
};

}  // namespace

std::vector<std::uint32_t> weld_places(const std::vector<float>& positions) {
  std::unordered_map<Point, std::uint32_t, HashPoint> known;  // looked up only, never walked
  known.reserve(positions.size() / 3);
  std::vector<std::uint32_t> places(positions.size() / 3);
  for (std::size_t v = 0; v < places.size(); ++v) {
    const Point point{positions[3 * v] + 0.0F, positions[3 * v + 1] + 0.0F,
                      positions[3 * v + 2] + 0.0F};  // -0 becomes 0
    places[v] = known.try_emplace(point, static_cast<std::uint32_t>(known.size())).first->second;
  }
  return places;
}

}  // namespace wakuzume
