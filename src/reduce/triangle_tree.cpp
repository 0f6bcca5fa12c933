// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/triangle_tree.h"

#include <algorithm>
#include <limits>
#include <numeric>

namespace wakuzume {
namespace {

constexpr std::uint32_t most_in_a_box = 4;

Vec3d mix(const std::array<Vec3d, 3>& corners, const Vec3d& shares) {
  return shares[0] * corners[0] + shares[1] * corners[1] + shares[2] * corners[2];
}

/// Shares of the corners in the point of a triangle that is nearest to another.
/// \source C. Ericson, "Real-Time Collision Detection", 2005, section 5.1.5: by the region of the
///         plane that the point is in
Vec3d find_shares(const std::array<Vec3d, 3>& t, const Vec3d& p) {
  const Vec3d ab = t[1] - t[0];
  const Vec3d ac = t[2] - t[0];
  const double d1 = dot(ab, p - t[0]);
  const double d2 = dot(ac, p - t[0]);
  if (d1 <= 0 && d2 <= 0) {
    return {1, 0, 0};
  }
  const double d3 = dot(ab, p - t[1]);
  const double d4 = dot(ac, p - t[1]);
  if (d3 >= 0 && d4 <= d3) {
    return {0, 1, 0};
  }
  const double d5 = dot(ab, p - t[2]);
  const double d6 = dot(ac, p - t[2]);
  if (d6 >= 0 && d5 <= d6) {
    return {0, 0, 1};
  }
  const double vc = d1 * d4 - d3 * d2;
  if (vc <= 0 && d1 >= 0 && d3 <= 0) {
    const double s = d1 / (d1 - d3);
    return {1 - s, s, 0};
  }
  const double vb = d5 * d2 - d1 * d6;
  if (vb <= 0 && d2 >= 0 && d6 <= 0) {
    const double s = d2 / (d2 - d6);
    return {1 - s, 0, s};
  }
  const double va = d3 * d6 - d5 * d4;
  if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
    const double s = (d4 - d3) / ((d4 - d3) + (d5 - d6));
    return {0, 1 - s, s};
  }
  const double sum = va + vb + vc;
  return {va / sum, vb / sum, vc / sum};
}

}  // namespace

Vec3d TriangleTree::corner(std::uint32_t triangle, std::size_t c) const {
  return load_point(positions_, indices_[3 * std::size_t{triangle} + c]);
}

void TriangleTree::enclose(Box& box) const {
  box.least.fill(std::numeric_limits<float>::infinity());
  box.most.fill(-std::numeric_limits<float>::infinity());
  for (std::uint32_t i = box.first; i < box.first + box.count; ++i) {
    for (std::size_t c = 0; c < 3; ++c) {
      const Vec3d at = corner(triangles_[i], c);
      for (std::size_t k = 0; k < 3; ++k) {
        box.least[k] = std::min(box.least[k], static_cast<float>(at[k]));
        box.most[k] = std::max(box.most[k], static_cast<float>(at[k]));
      }
    }
  }
}

TriangleTree::TriangleTree(std::span<const float> positions, std::span<const std::uint32_t> indices)
    : positions_(positions), indices_(indices), triangles_(indices.size() / 3) {
  std::iota(triangles_.begin(), triangles_.end(), 0U);
  Box all;
  all.count = static_cast<std::uint32_t>(triangles_.size());
  enclose(all);
  boxes_.push_back(all);
  for (std::size_t b = 0; b < boxes_.size(); ++b) {
    Box box = boxes_[b];
    if (box.count <= most_in_a_box) {
      continue;
    }
    std::size_t axis = 0;
    for (std::size_t k = 1; k < 3; ++k) {
      axis = box.most[k] - box.least[k] > box.most[axis] - box.least[axis] ? k : axis;
    }
    const auto middle = [&](std::uint32_t t) {
      return corner(t, 0)[axis] + corner(t, 1)[axis] + corner(t, 2)[axis];
    };
    const auto first = triangles_.begin() + box.first;
    std::nth_element(first, first + box.count / 2, first + box.count,
                     [&](std::uint32_t a, std::uint32_t c) {
                       const double at_a = middle(a);
                       const double at_c = middle(c);
                       return at_a != at_c ? at_a < at_c : a < c;
                     });
    Box low;
    low.first = box.first;
    low.count = box.count / 2;
    Box high;
    high.first = box.first + low.count;
    high.count = box.count - low.count;
    enclose(low);
    enclose(high);
    boxes_[b].first = static_cast<std::uint32_t>(boxes_.size());
    boxes_[b].count = 0;
    boxes_.push_back(low);
    boxes_.push_back(high);
  }
  places_.resize(triangles_.size());
  for (std::uint32_t i = 0; i < triangles_.size(); ++i) {
    places_[triangles_[i]] = i;
    std::array<float, 9>& to = corners_.emplace_back();
    for (std::size_t c = 0; c < 3; ++c) {
      const std::size_t vertex = indices_[3 * std::size_t{triangles_[i]} + c];
      std::copy_n(&positions_[3 * vertex], 3, &to[3 * c]);
    }
  }
}

double TriangleTree::to_box2(const Vec3d& point, const Box& box) {
  double sum = 0;
  for (std::size_t k = 0; k < 3; ++k) {
    const double off = std::max({box.least[k] - point[k], point[k] - box.most[k], 0.0});
    sum += off * off;
  }
  return sum;
}

TriangleTree::Hit TriangleTree::measure(const Vec3d& point, std::uint32_t at) const {
  const std::array<float, 9>& of = corners_[at];
  const std::array<Vec3d, 3> corners{load_point(of, 0), load_point(of, 1), load_point(of, 2)};
  Hit hit{triangles_[at], 0, find_shares(corners, point)};
  const Vec3d off = mix(corners, hit.shares) - point;
  hit.distance2 = dot(off, off);
  return hit;
}

TriangleTree::Hit TriangleTree::find_nearest(const Vec3d& point, std::uint32_t guess) const {
  Hit best;
  best.distance2 = std::numeric_limits<double>::infinity();
  if (guess != no_index) {
    // What has no area has no nearest place from everywhere.
    const Hit near = measure(point, places_[guess]);
    best = near.distance2 < best.distance2 ? near : best;
  }
  struct Open {
    std::uint32_t box = 0;
    double distance2 = 0;
  };
  std::array<Open, most_levels> open{};
  std::size_t count = 1;
  while (count > 0) {
    const Open next = open[--count];
    if (next.distance2 > best.distance2) {
      continue;
    }
    const Box& box = boxes_[next.box];
    if (box.count == 0) {
      const Open low{box.first, to_box2(point, boxes_[box.first])};
      const Open high{box.first + 1, to_box2(point, boxes_[box.first + 1])};
      const bool low_first = low.distance2 <= high.distance2;
      for (const Open& half : {low_first ? high : low, low_first ? low : high}) {
        if (half.distance2 <= best.distance2) {
          open[count++] = half;
        }
      }
      continue;
    }
    for (std::uint32_t i = box.first; i < box.first + box.count; ++i) {
      const Hit hit = measure(point, i);
      if (hit.distance2 < best.distance2 ||
          (hit.distance2 == best.distance2 && hit.triangle < best.triangle)) {
        best = hit;
      }
    }
  }
  return best;
}

}  // namespace wakuzume
