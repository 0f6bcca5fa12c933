// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/layers.h"

#include <algorithm>
#include <cmath>

namespace wakuzume::test {

Vec3d add(const Vec3d& a, const Vec3d& b) { return {a[0] + b[0], a[1] + b[1], a[2] + b[2]}; }
Vec3d subtract(const Vec3d& a, const Vec3d& b) { return {a[0] - b[0], a[1] - b[1], a[2] - b[2]}; }
Vec3d scale(const Vec3d& a, double by) { return {a[0] * by, a[1] * by, a[2] * by}; }
Vec3d cross(const Vec3d& a, const Vec3d& b) {
  return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}
double dot(const Vec3d& a, const Vec3d& b) { return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]; }

std::vector<Layer> find_layers(std::span<const FacingTriangle> triangles,
                               const Vec3d& eye,
                               const Vec3d& direction,
                               double apart) {
  std::vector<Layer> out;
  for (std::uint32_t t = 0; t < triangles.size(); ++t) {
    const auto& [a, b, c] = triangles[t].corners;
    const Vec3d normal = cross(subtract(b, a), subtract(c, a));
    const double facing = -dot(normal, direction);
    if (!(facing > 1e-9 * std::sqrt(dot(normal, normal)))) {
      continue;
    }
    const double distance = dot(normal, subtract(eye, a)) / facing;
    const Vec3d point = add(eye, scale(direction, distance));
    const auto inside = [&](const Vec3d& from, const Vec3d& to) {
      return dot(cross(subtract(to, from), subtract(point, from)), normal) >= 0;
    };
    if (distance > 0 && inside(a, b) && inside(b, c) && inside(c, a)) {
      out.push_back({distance, t});
    }
  }
  std::sort(out.begin(), out.end(),
            [](const Layer& x, const Layer& y) { return x.distance < y.distance; });
  for (std::size_t i = 1; i < out.size(); ++i) {
    if (out[i].distance - out[i - 1].distance < apart) {
      return {};
    }
  }
  return out;
}

EyeRays::EyeRays(std::span<const FacingTriangle> triangles, std::uint32_t seed)
    : triangles_(triangles), random_(seed) {}

Vec3d EyeRays::pick_point() {
  std::uniform_real_distribution<double> unit(0, 1);
  const auto& [a, b, c] = triangles_[random_() % triangles_.size()].corners;
  double u = unit(random_);
  double v = unit(random_);
  if (u + v > 1) {
    u = 1 - u;
    v = 1 - v;
  }
  return add(a, add(scale(subtract(b, a), u), scale(subtract(c, a), v)));
}

std::vector<Layer> EyeRays::next() {
  std::uniform_real_distribution<double> unit(0, 1);
  const Vec3d near = pick_point();
  const Vec3d through = subtract(pick_point(), near);
  const double length = std::sqrt(dot(through, through));
  if (!(length > 1e-6)) {
    return {};
  }
  // Half of the eyes stand right before the first, the others up to four times as far.
  const double back = unit(random_) * (random_() % 2 == 0 ? 0.2 : 4);
  const Vec3d direction = scale(through, 1 / length);
  return find_layers(triangles_, subtract(near, scale(through, back)), direction);
}

std::uint32_t find_wrong_layer(const std::vector<Layer>& layers,
                               std::span<const std::uint32_t> sequence) {
  const auto place = [&](std::uint32_t triangle) {
    return std::find(sequence.begin(), sequence.end(), triangle) - sequence.begin();
  };
  for (std::size_t near = 0; near < layers.size(); ++near) {
    for (std::size_t far = near + 1; far < layers.size(); ++far) {
      if (place(layers[near].triangle) < place(layers[far].triangle)) {
        return layers[far].triangle;
      }
    }
  }
  return no_index;
}

}  // namespace wakuzume::test
