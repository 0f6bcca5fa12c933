// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/coverage.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>
#include <tuple>

namespace wakuzume {

using Eigen::Vector2d;
using Eigen::Vector3d;

std::optional<Vector3d> find_weights(const FlatCorners& t, const Vector2d& at) {
  const Vector2d u = t[1] - t[0];
  const Vector2d v = t[2] - t[0];
  const double area = u.x() * v.y() - u.y() * v.x();
  if (area == 0 || !std::isfinite(area)) {
    return std::nullopt;
  }
  const Vector2d p = at - t[0];
  const double b = (p.x() * v.y() - p.y() * v.x()) / area;
  const double c = (u.x() * p.y() - u.y() * p.x()) / area;
  return Vector3d(1 - b - c, b, c);
}

namespace {

/// The place on a triangle's rim that is nearest.
std::pair<Vector3d, double> find_rim(const FlatCorners& t, const Vector2d& at) {
  Vector3d best(1, 0, 0);
  double best_distance = 1e300;
  for (int k = 0; k < 3; ++k) {
    const int next = (k + 1) % 3;
    const Vector2d side = t[static_cast<std::size_t>(next)] - t[static_cast<std::size_t>(k)];
    const double length = side.squaredNorm();
    const Vector2d from = at - t[static_cast<std::size_t>(k)];
    const double along = length > 0 ? std::clamp(from.dot(side) / length, 0.0, 1.0) : 0;
    const double distance = (from - along * side).norm();
    if (distance < best_distance) {
      best_distance = distance;
      best = Vector3d::Zero();
      best[k] = 1 - along;
      best[next] = along;
    }
  }
  return {best, best_distance};
}

std::pair<std::uint32_t, std::uint32_t> find_texel_span(
    const FlatCorners& corners, int axis, double margin, std::uint32_t first, std::uint32_t end) {
  const double low = std::min({corners[0][axis], corners[1][axis], corners[2][axis]}) - margin;
  const double high = std::max({corners[0][axis], corners[1][axis], corners[2][axis]}) + margin;
  const auto limit = [&](double at) {
    return static_cast<std::uint32_t>(
        std::clamp(at, static_cast<double>(first), static_cast<double>(end)));
  };
  return {limit(std::floor(low)), limit(std::ceil(high))};
}

}  // namespace

TexelCoverage::TexelCoverage(std::span<const double> places, const PixelRect& rect, double margin)
    : rect_(rect),
      width_(rect.right - rect.left),
      hits_(std::size_t{width_} * (rect.bottom - rect.top)) {
  for (std::uint32_t t = 0; 6 * std::size_t{t} + 5 < places.size(); ++t) {
    FlatCorners corners;
    for (std::size_t k = 0; k < 3; ++k) {
      corners[k] = {places[6 * std::size_t{t} + 2 * k], places[6 * std::size_t{t} + 2 * k + 1]};
    }
    add(t, corners, margin);
  }
}

std::vector<std::uint32_t> TexelCoverage::find_nearest() const {
  std::vector<std::uint32_t> from(hits_.size(), no_index);
  for (std::uint32_t i = 0; i < hits_.size(); ++i) {
    from[i] = hits_[i].triangle != no_index ? i : no_index;
  }
  spread_texels(from, width_);
  return from;
}

std::vector<float> make_page_uvs(std::span<const double> places, const RectSize& page) {
  std::vector<float> uvs;
  for (std::size_t i = 0; i + 1 < places.size(); i += 2) {
    uvs.push_back(static_cast<float>(places[i] / page.width_px));
    uvs.push_back(static_cast<float>(places[i + 1] / page.height_px));
  }
  return uvs;
}

void spread_texels(std::vector<std::uint32_t>& from, std::uint32_t width) {
  std::vector<std::uint32_t> queue;
  for (std::uint32_t i = 0; i < from.size(); ++i) {
    if (from[i] != no_index) {
      queue.push_back(i);
    }
  }
  for (std::size_t next = 0; next < queue.size(); ++next) {
    const std::uint32_t i = queue[next];
    const auto spread = [&](bool inside, std::uint32_t to) {
      if (inside && from[to] == no_index) {
        from[to] = from[i];
        queue.push_back(to);
      }
    };
    spread(i % width > 0, i - 1);
    spread(i % width + 1 < width, i + 1);
    spread(i >= width, i - width);
    spread(i + width < from.size(), i + width);
  }
}

void TexelCoverage::add(std::uint32_t t, const FlatCorners& corners, double margin) {
  const auto [begin_x, end_x] = find_texel_span(corners, 0, margin, rect_.left, rect_.right);
  const auto [begin_y, end_y] = find_texel_span(corners, 1, margin, rect_.top, rect_.bottom);
  for (std::uint32_t y = begin_y; y < end_y; ++y) {
    for (std::uint32_t x = begin_x; x < end_x; ++x) {
      const Vector2d at(x + 0.5, y + 0.5);
      std::optional<Vector3d> weights = find_weights(corners, at);
      double distance = 0;
      if (!weights || weights->minCoeff() < 0) {
        std::tie(weights, distance) = find_rim(corners, at);
      }
      TexelHit& hit = hits_[std::size_t{y - rect_.top} * width_ + (x - rect_.left)];
      if (distance <= margin && static_cast<float>(distance) < hit.distance) {
        hit.triangle = t;
        hit.distance = static_cast<float>(distance);
        for (int k = 0; k < 3; ++k) {
          hit.weights[static_cast<std::size_t>(k)] = static_cast<float>((*weights)[k]);
        }
      }
    }
  }
}

Eigen::Matrix3d find_frame(std::span<const float> normals,
                           std::span<const float> tangents,
                           const TexelHit& hit) {
  Vector3d normal = Vector3d::Zero();
  Vector3d tangent = Vector3d::Zero();
  double sign = 0;
  for (std::size_t k = 0; k < 3; ++k) {
    const std::size_t corner = 3 * std::size_t{hit.triangle} + k;
    const auto weight = static_cast<double>(hit.weights[k]);
    normal += weight * Eigen::Map<const Eigen::Vector3f>(&normals[3 * corner]).cast<double>();
    tangent += weight * Eigen::Map<const Eigen::Vector3f>(&tangents[4 * corner]).cast<double>();
    sign += weight * static_cast<double>(tangents[4 * corner + 3]);
  }
  normal.normalize();
  tangent.normalize();
  Eigen::Matrix3d frame;
  frame << tangent, normal.cross(tangent) * (sign < 0 ? -1 : 1), normal;
  return frame;
}

}  // namespace wakuzume
