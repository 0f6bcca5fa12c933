// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "scene/matrix.h"

#include <Eigen/SVD>

namespace wakuzume {

Eigen::Matrix3d make_rotation(const Eigen::Matrix3d& linear) {
  const Eigen::JacobiSVD<Eigen::Matrix3d> svd(linear, Eigen::ComputeFullU | Eigen::ComputeFullV);
  return svd.matrixU() * svd.matrixV().transpose();
}

Eigen::Matrix3d make_similarity(const Eigen::Matrix3d& linear) {
  return make_rotation(linear) * std::cbrt(std::abs(linear.determinant()));
}

Eigen::Matrix3d make_scaled_rotation(const Eigen::Matrix3d& linear) {
  constexpr int rounds = 8;
  Eigen::Matrix3d unit = linear;
  Eigen::Matrix3d out = linear;
  for (int round = 0; round < rounds; ++round) {
    const Eigen::Matrix3d rotation = make_rotation(unit);
    const Eigen::Vector3d scale = (rotation.transpose() * linear).diagonal();
    if (!((scale.array().abs() > 1e-12).all())) {
      return linear;
    }
    unit = linear * scale.cwiseInverse().asDiagonal();
    out = rotation * scale.asDiagonal();
  }
  return out;
}

}  // namespace wakuzume
