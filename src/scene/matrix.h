// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <cmath>

#include "wakuzume/geometry.h"

/// Eigen views of the public matrix and vector types, for the inside only.
namespace wakuzume {

inline Eigen::Map<const Eigen::Matrix4d> as_eigen(const Mat4d& matrix) {
  return Eigen::Map<const Eigen::Matrix4d>(matrix.data());
}
inline Eigen::Map<const Eigen::Vector3d> as_eigen(const Vec3d& vector) {
  return Eigen::Map<const Eigen::Vector3d>(vector.data());
}
inline Mat4d from_eigen(const Eigen::Matrix4d& matrix) {
  Mat4d out;
  Eigen::Map<Eigen::Matrix4d>(out.data()) = matrix;
  return out;
}

/// The matrix that takes normals along: the inverse transpose up to a positive factor, written as
/// the cofactors so that a flattened axis still gives the right direction.
inline Eigen::Matrix3d make_normal_matrix(const Eigen::Matrix3d& linear) {
  Eigen::Matrix3d cofactors;
  cofactors.col(0) = linear.col(1).cross(linear.col(2));
  cofactors.col(1) = linear.col(2).cross(linear.col(0));
  cofactors.col(2) = linear.col(0).cross(linear.col(1));
  return linear.determinant() < 0 ? Eigen::Matrix3d(-cofactors) : cofactors;
}

/// The nearest rotation, mirrored where the matrix mirrors.
Eigen::Matrix3d make_rotation(const Eigen::Matrix3d& linear);

/// The nearest rotation times one scale.
Eigen::Matrix3d make_similarity(const Eigen::Matrix3d& linear);

/// A near matrix that scales along the axes and then rotates: rotation and scales in turn.
Eigen::Matrix3d make_scaled_rotation(const Eigen::Matrix3d& linear);

/// Has the matrix an inverse that is worth computing with?
inline bool is_invertible(const Mat4d& matrix) {
  const double scale = as_eigen(matrix).topLeftCorner<3, 3>().norm();
  return std::abs(linear_determinant(matrix)) > 1e-12 * scale * scale * scale;
}

/// Diagonal of a box; 0 where it is empty.
/// The largest of n * w over a box of w. \return times -1 the smallest for -n
inline double find_reach(const Box3d& box, const Vec3d& n) {
  double sum = 0;
  for (std::size_t c = 0; c < 3; ++c) {
    sum += n[c] * (n[c] > 0 ? box.max[c] : box.min[c]);
  }
  return sum;
}

inline double find_diagonal(const Box3d& box) {
  return box.empty() ? 0 : (as_eigen(box.max) - as_eigen(box.min)).norm();
}

/// How far apart two transforms, given by their difference, put any point of a box at most.
inline double find_largest_move(const Eigen::Matrix4d& difference, const Box3d& box) {
  return (difference * as_eigen(box.centre()).homogeneous()).head<3>().norm() +
         difference.topLeftCorner<3, 3>().norm() * find_diagonal(box) / 2;
}

}  // namespace wakuzume
