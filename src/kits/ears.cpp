// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "kits/ears.h"

#include <cmath>

namespace wakuzume {
namespace {

constexpr std::size_t most_ear_corners = 1000;

using Point = std::array<double, 2>;

double cross(const Point& a, const Point& b, const Point& c) {
  return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
}

/// On the edge counts as inside: such an ear would cut the polygon apart.
bool holds(const Point& a, const Point& b, const Point& c, const Point& p) {
  return cross(a, b, p) >= 0 && cross(b, c, p) >= 0 && cross(c, a, p) >= 0;
}

/// Cuts polygons into triangles.
class EarCutter {
 public:
  explicit EarCutter(std::span<const std::array<double, 3>> corners) {
    project(corners);
    for (std::uint32_t i = 0; i < corners.size(); ++i) {
      left_.push_back(i);
    }
  }

  void cut(std::vector<std::uint32_t>& out) {
    while (left_.size() > 3) {
      const std::size_t ear = find_ear();
      add(ear, out);
      left_.erase(left_.begin() + static_cast<std::ptrdiff_t>(ear));
    }
    add(1, out);
  }

 private:
  /// Onto the plane of the largest component of the polygon's normal (M. Newell's), turned so that
  /// the polygon goes counter-clockwise.
  void project(std::span<const std::array<double, 3>> corners) {
    std::array<double, 3> normal{};
    const auto at = [&](std::size_t i, std::size_t axis) {
      return corners[i % corners.size()][axis];
    };
    for (std::size_t i = 0; i < corners.size(); ++i) {
      for (std::size_t axis = 0; axis < 3; ++axis) {
        const std::size_t u = (axis + 1) % 3;
        const std::size_t v = (axis + 2) % 3;
        normal[axis] += (at(i, u) - at(i + 1, u)) * (at(i, v) + at(i + 1, v));
      }
    }
    std::size_t axis = 0;
    for (std::size_t other = 1; other < 3; ++other) {
      axis = std::abs(normal[other]) > std::abs(normal[axis]) ? other : axis;
    }
    const double turn = normal[axis] < 0 ? -1 : 1;
    for (std::size_t i = 0; i < corners.size(); ++i) {
      points_.push_back({turn * at(i, (axis + 1) % 3), at(i, (axis + 2) % 3)});
    }
  }

  [[nodiscard]] std::size_t before(std::size_t i) const {
    return (i + left_.size() - 1) % left_.size();
  }
  [[nodiscard]] std::size_t after(std::size_t i) const { return (i + 1) % left_.size(); }

  /// A corner that juts out and has no other corner in its triangle; any where there is none,
  /// which only polygons that cross themselves lack.
  [[nodiscard]] std::size_t find_ear() const {
    for (std::size_t i = 1; i < left_.size() + 1; ++i) {
      const std::size_t ear = i % left_.size();
      if (is_ear(ear)) {
        return ear;
      }
    }
    return 1;
  }

  [[nodiscard]] bool is_ear(std::size_t i) const {
    const Point& a = points_[left_[before(i)]];
    const Point& b = points_[left_[i]];
    const Point& c = points_[left_[after(i)]];
    if (!(cross(a, b, c) > 0)) {
      return false;
    }
    for (const std::uint32_t other : left_) {
      const Point& p = points_[other];
      if (p != a && p != b && p != c && holds(a, b, c, p)) {
        return false;
      }
    }
    return true;
  }

  void add(std::size_t i, std::vector<std::uint32_t>& out) const {
    out.insert(out.end(), {left_[before(i)], left_[i], left_[after(i)]});
  }

  std::vector<Point> points_;
  std::vector<std::uint32_t> left_;
};

}  // namespace

std::vector<std::uint32_t> cut_polygon(std::span<const std::array<double, 3>> corners) {
  std::vector<std::uint32_t> out;
  if (corners.size() > 3 && corners.size() <= most_ear_corners) {
    EarCutter(corners).cut(out);
    return out;
  }
  for (std::uint32_t i = 1; i + 1 < corners.size(); ++i) {
    out.insert(out.end(), {0, i, i + 1});
  }
  return out;
}

}  // namespace wakuzume
