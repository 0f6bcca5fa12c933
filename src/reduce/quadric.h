// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstddef>

#include "reduce/points.h"

/// Sums of squared distances to planes (Garland and Heckbert 1997), seen from a point.
namespace wakuzume {

/// y -> y'Ay + 2b'y + c, for y from the point that it belongs to.
struct Quadric {
  std::array<double, 6> a{};  ///< xx xy xz yy yz zz
  Vec3d b{};
  double c = 0;
  double area = 0;  ///< that it stands for

  [[nodiscard]] Vec3d times(const Vec3d& y) const {
    return {a[0] * y[0] + a[1] * y[1] + a[2] * y[2], a[1] * y[0] + a[3] * y[1] + a[4] * y[2],
            a[2] * y[0] + a[4] * y[1] + a[5] * y[2]};
  }
  [[nodiscard]] double at(const Vec3d& y) const { return dot(y, times(y)) + 2 * dot(b, y) + c; }
  /// Adds w (g'y + d)^2.
  void add_square(const Vec3d& g, double d, double w) {
    const Vec3d wg = w * g;
    a[0] += wg[0] * g[0];
    a[1] += wg[0] * g[1];
    a[2] += wg[0] * g[2];
    a[3] += wg[1] * g[1];
    a[4] += wg[1] * g[2];
    a[5] += wg[2] * g[2];
    b = b + d * wg;
    c += w * d * d;
  }
  /// Seen from the point that lies at `by` from its own.
  void shift(const Vec3d& by) {
    const Vec3d moved = times(by);
    c += 2 * dot(b, by) + dot(by, moved);
    b = b + moved;
  }
  void add(const Quadric& other) {
    for (std::size_t i = 0; i < a.size(); ++i) {
      a[i] += other.a[i];
    }
    b = b + other.b;
    c += other.c;
    area += other.area;
  }
};

/// Where it is least; with a pull of `pull` times its trace towards `near`, for directions in
/// which it says nothing.
inline Vec3d find_least(const Quadric& q, const Vec3d& near, double pull) {
  const double bias = pull * (q.a[0] + q.a[3] + q.a[5]) + 1e-300;
  const double xx = q.a[0] + bias;
  const double yy = q.a[3] + bias;
  const double zz = q.a[5] + bias;
  const Vec3d right = bias * near - q.b;
  const Vec3d first{yy * zz - q.a[4] * q.a[4], q.a[4] * q.a[2] - q.a[1] * zz,
                    q.a[1] * q.a[4] - yy * q.a[2]};
  const double determinant = xx * first[0] + q.a[1] * first[1] + q.a[2] * first[2];
  if (!(determinant > 0)) {
    return near;
  }
  const double second_y = xx * zz - q.a[2] * q.a[2];
  const double second_z = q.a[1] * q.a[2] - xx * q.a[4];
  const double third_z = xx * yy - q.a[1] * q.a[1];
  const double scale = 1 / determinant;
  return {scale * dot(first, right), scale * dot({first[1], second_y, second_z}, right),
          scale * dot({first[2], second_z, third_z}, right)};
}

}  // namespace wakuzume
