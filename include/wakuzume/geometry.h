// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <limits>

/// Plain values that cross the public interface. All lengths are metres, as in glTF.
namespace wakuzume {

using Vec2d = std::array<double, 2>;
using Vec3d = std::array<double, 3>;
using Vec4d = std::array<double, 4>;

/// Column-major 4x4, as glTF stores it: element (row, column) is values[4 * column + row].
using Mat4d = std::array<double, 16>;

inline constexpr Mat4d identity_matrix{1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1};

/// Axis-aligned box; empty while min > max.
struct Box3d {
  Vec3d min{std::numeric_limits<double>::infinity(), std::numeric_limits<double>::infinity(),
            std::numeric_limits<double>::infinity()};
  Vec3d max{-std::numeric_limits<double>::infinity(), -std::numeric_limits<double>::infinity(),
            -std::numeric_limits<double>::infinity()};

  [[nodiscard]] bool empty() const { return min[0] > max[0]; }
  void include(const Vec3d& point) {
    for (std::size_t i = 0; i < 3; ++i) {
      min[i] = std::min(min[i], point[i]);
      max[i] = std::max(max[i], point[i]);
    }
  }
  void include(const Box3d& box) {
    // An empty box has its infinities the wrong way around and changes nothing.
    for (std::size_t i = 0; i < 3; ++i) {
      min[i] = std::min(min[i], box.min[i]);
      max[i] = std::max(max[i], box.max[i]);
    }
  }
  [[nodiscard]] Vec3d centre() const;
  [[nodiscard]] double largest_extent() const;  ///< 0 for an empty box
  bool operator==(const Box3d&) const = default;
};

/// The box around a transformed box (all eight corners).
Box3d make_transformed_box(const Mat4d& matrix, const Box3d& box);
Mat4d make_product(const Mat4d& a, const Mat4d& b);

/// Translation, rotation (unit quaternion x, y, z, w) and scale, applied in the order scale,
/// rotation, translation.
struct Trs {
  Vec3d translation{0, 0, 0};
  Vec4d rotation{0, 0, 0, 1};
  Vec3d scale{1, 1, 1};
};

Mat4d make_matrix(const Trs& trs);

/// Determinant of the upper-left 3x3: negative where the transform mirrors.
double linear_determinant(const Mat4d& matrix);

enum class Decomposed : std::uint8_t { exact, sheared, degenerate };

/// Splits an affine matrix. Mirrors come out as a negative x scale.
/// `sheared` when no translation-rotation-scale triple gives the matrix back within 1e-6 of its
/// largest linear entry; `degenerate` when an axis has no length. `out` is set only for `exact`.
Decomposed decompose(const Mat4d& matrix, Trs& out);

}  // namespace wakuzume
