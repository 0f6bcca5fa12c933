// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "reduce/quadric.h"
#include "wakuzume/ids.h"

namespace wakuzume {

/// Boxes in boxes around triangles, halved along their longest side, to find what is near.
class TriangleTree {
 public:
  /// Both borrowed.
  TriangleTree(std::span<const float> positions, std::span<const std::uint32_t> indices);

  struct Hit {
    std::uint32_t triangle = no_index;
    double distance2 = 0;
    Vec3d shares{};  ///< of the corners in the nearest point
  };
  /// The nearest triangle, of those that are equally near the first; no_index where none has a
  /// place that can be told. \pre there is one
  /// \param guess  one that is likely to be near, which saves time; or no_index
  [[nodiscard]] Hit find_nearest(const Vec3d& point, std::uint32_t guess = no_index) const;

  /// Calls `body(hit)` for each triangle within a distance.
  template <class Body>
  void for_each_within(const Vec3d& point, double distance2, const Body& body) const {
    std::array<std::uint32_t, most_levels> open{};
    std::size_t count = 1;
    while (count > 0) {
      const Box& box = boxes_[open[--count]];
      if (to_box2(point, box) > distance2) {
        continue;
      }
      if (box.count == 0) {
        open[count++] = box.first;
        open[count++] = box.first + 1;
        continue;
      }
      for (std::uint32_t i = box.first; i < box.first + box.count; ++i) {
        if (const Hit hit = measure(point, i); hit.distance2 <= distance2) {
          body(hit);
        }
      }
    }
  }

 private:
  static constexpr std::size_t most_levels = 96;

  struct Box {
    std::array<float, 3> least{};
    std::array<float, 3> most{};
    std::uint32_t first = 0;  ///< triangle, or the first of two boxes
    std::uint32_t count = 0;  ///< triangles; 0: two boxes
  };

  static double to_box2(const Vec3d& point, const Box& box);
  /// \param at  position in triangles_
  [[nodiscard]] Hit measure(const Vec3d& point, std::uint32_t at) const;
  [[nodiscard]] Vec3d corner(std::uint32_t triangle, std::size_t c) const;
  void enclose(Box& box) const;

  std::span<const float> positions_;
  std::span<const std::uint32_t> indices_;
  std::vector<std::uint32_t> triangles_;
  std::vector<std::uint32_t> places_;  ///< of triangles in triangles_
  std::vector<std::array<float, 9>>
      corners_;  ///< of triangles_, side by side as they are asked for
  std::vector<Box> boxes_;
};

}  // namespace wakuzume
