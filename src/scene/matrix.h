// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <Eigen/Dense>

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

}  // namespace wakuzume
