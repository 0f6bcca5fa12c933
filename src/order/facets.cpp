// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "order/facets.h"

#include <algorithm>
#include <utility>

#include "scene/matrix.h"

namespace wakuzume {
namespace {

/// Slopes by which planes may be off. What is hidden only where it is seen from so near its own
/// plane is less than a pixel wide.
constexpr double least_tilt = 2e-5;
/// Times the precision by which triangles of one plane may lap over each other and only touch.
constexpr double least_cover = 8;
/// Triangles lower than so many times the precision have no plane.
constexpr double least_height = 4;

}  // namespace

Facets::Facets(std::vector<FacingTriangle> triangles, double precision_m)
    : triangles_(std::move(triangles)), precision_m_(precision_m) {
  for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
    add(t);
  }
}

void Facets::add(std::uint32_t t) {
  const FacingTriangle& triangle = triangles_[t];
  const auto a = as_eigen(triangle.corners[0]);
  const auto b = as_eigen(triangle.corners[1]);
  const auto c = as_eigen(triangle.corners[2]);
  const Eigen::Vector3d across = (b - a).cross(c - a);
  const double doubled = across.norm();
  const double longest = std::max({(b - a).norm(), (c - a).norm(), (c - b).norm()});
  const double height = doubled / longest;
  // Not a number, too: what is nowhere hides nothing.
  if (!(longest > 0) || !(height > least_height * precision_m_)) {
    unseen_.push_back(t);
    return;
  }
  const Eigen::Vector3d normal = across / doubled;
  Facet made;
  made.normal = {normal.x(), normal.y(), normal.z()};
  made.point = triangle.corners[0];
  made.tilt = std::max(least_tilt, precision_m_ / height);
  made.first = t;
  made.count = 1;
  made.owner = triangle.owner;
  made.rank = triangle.rank;
  made.anchor = triangle.anchor;
  for (const Vec3d& corner : triangle.corners) {
    made.box.include(corner);
  }
  if (!list_.empty()) {
    Facet& last = list_.back();
    const std::uint32_t end = last.first + last.count;
    const bool follows = end == t && last.owner == made.owner &&
                         triangles_[end - 1].rank + 1 == made.rank &&
                         as_eigen(last.normal).dot(normal) > 0 && lies_in(triangle, last);
    if (follows) {
      ++last.count;
      last.box.include(made.box);
      return;
    }
  }
  list_.push_back(made);
}

bool Facets::cover_each_other(const Facet& a, const Facet& b) const {
  if (!do_meet(a.box, b.box, precision_m_) || as_eigen(a.normal).dot(as_eigen(b.normal)) <= 0 ||
      leaves(b, a)) {
    return false;
  }
  for (std::uint32_t s = a.first; s < a.first + a.count; ++s) {
    for (std::uint32_t t = b.first; t < b.first + b.count; ++t) {
      if (!are_apart(triangles_[s], triangles_[t], a.normal)) {
        return true;
      }
    }
  }
  return false;
}

/// A line along a side of either, in their plane, has the one on this and the other on that side.
bool Facets::are_apart(const FacingTriangle& a,
                       const FacingTriangle& b,
                       const Vec3d& normal) const {
  const auto is_beyond = [&](const FacingTriangle& one, const FacingTriangle& other) {
    for (std::size_t side = 0; side < 3; ++side) {
      const auto from = as_eigen(one.corners[side]);
      const Eigen::Vector3d along = as_eigen(one.corners[(side + 1) % 3]) - from;
      const Eigen::Vector3d inwards = as_eigen(normal).cross(along).normalized();
      const bool all =
          std::all_of(other.corners.begin(), other.corners.end(), [&](const Vec3d& corner) {
            return inwards.dot(as_eigen(corner) - from) <= least_cover * precision_m_;
          });
      if (all) {
        return true;
      }
    }
    return false;
  };
  return is_beyond(a, b) || is_beyond(b, a);
}

bool Facets::lies_in(const FacingTriangle& triangle, const Facet& plane) const {
  return std::all_of(triangle.corners.begin(), triangle.corners.end(), [&](const Vec3d& corner) {
    const double off = as_eigen(plane.normal).dot(as_eigen(corner) - as_eigen(plane.point));
    return std::abs(off) <= precision_m_;
  });
}

bool Facets::reaches(const Facet& what, const Facet& plane, double side) const {
  const double nx = plane.normal[0];
  const double ny = plane.normal[1];
  const double nz = plane.normal[2];
  for (std::uint32_t t = what.first; t < what.first + what.count; ++t) {
    for (const Vec3d& corner : triangles_[t].corners) {
      const double x = corner[0] - plane.point[0];
      const double y = corner[1] - plane.point[1];
      const double z = corner[2] - plane.point[2];
      const double off = side * (nx * x + ny * y + nz * z) - precision_m_;
      if (off > 0 && off * off > plane.tilt * plane.tilt * (x * x + y * y + z * z)) {
        return true;
      }
    }
  }
  return false;
}

}  // namespace wakuzume
