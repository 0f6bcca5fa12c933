// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>

#include "wakuzume/geometry.h"

/// Numbers for places, so that what is near in number is near in space.
namespace wakuzume {

/// Spreads the low 21 bits so that two zeros follow each.
inline std::uint64_t spread(std::uint64_t bits) {
  bits &= 0x1F'FFFFU;
  bits = (bits | bits << 32U) & 0x001F'0000'0000'FFFFULL;
  bits = (bits | bits << 16U) & 0x001F'0000'FF00'00FFULL;
  bits = (bits | bits << 8U) & 0x100F'00F0'0F00'F00FULL;
  bits = (bits | bits << 4U) & 0x10C3'0C30'C30C'30C3ULL;
  return (bits | bits << 2U) & 0x1249'2492'4924'9249ULL;
}

/// Z order: near in number is near in space (G. M. Morton, 1966).
inline std::uint64_t interleave(const std::array<std::uint64_t, 3>& cell) {
  return spread(cell[0]) | spread(cell[1]) << 1U | spread(cell[2]) << 2U;
}

/// Numbers places within bounds, in 21 bits an axis.
class PlaceNumbers {
 public:
  explicit PlaceNumbers(const Box3d& bounds)
      : bounds_(bounds),
        scale_(bounds.largest_extent() > 0 ? 2'097'151 / bounds.largest_extent() : 0) {}

  /// \pre the place is within the bounds
  [[nodiscard]] std::uint64_t find(const Vec3d& place) const {
    std::array<std::uint64_t, 3> cell{};
    for (std::size_t c = 0; c < 3; ++c) {
      cell[c] = static_cast<std::uint64_t>((place[c] - bounds_.min[c]) * scale_);
    }
    return interleave(cell);
  }

 private:
  Box3d bounds_;
  double scale_;
};

}  // namespace wakuzume
