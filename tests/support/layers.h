// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <random>
#include <span>
#include <vector>

#include "wakuzume/order.h"

/// What an eye sees through blended triangles, by rays: the second way to the same answer.
namespace wakuzume::test {

Vec3d add(const Vec3d& a, const Vec3d& b);
Vec3d subtract(const Vec3d& a, const Vec3d& b);
Vec3d scale(const Vec3d& a, double by);
Vec3d cross(const Vec3d& a, const Vec3d& b);
double dot(const Vec3d& a, const Vec3d& b);

struct Layer {
  double distance = 0;
  std::uint32_t triangle = 0;
};

/// Triangles that a ray meets and that face its eye, the nearest first. Meets within `apart` of
/// each other are left out: there is no order to be seen.
std::vector<Layer> find_layers(std::span<const FacingTriangle> triangles,
                               const Vec3d& eye,
                               const Vec3d& direction,
                               double apart = 1e-4);

/// Rays from random eyes, near and far, through random points of two triangles.
class EyeRays {
 public:
  EyeRays(std::span<const FacingTriangle> triangles, std::uint32_t seed);
  std::vector<Layer> next();

 private:
  Vec3d pick_point();

  std::span<const FacingTriangle> triangles_;
  std::mt19937 random_;
};

/// A triangle that is drawn after one that it lies behind; no_index: the sequence is right here.
std::uint32_t find_wrong_layer(const std::vector<Layer>& layers,
                               std::span<const std::uint32_t> sequence);

}  // namespace wakuzume::test
