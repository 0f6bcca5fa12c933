// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/blend_sorting.h"

#include "scene/matrix.h"

namespace wakuzume {

float find_sorting_distance(const BlendSorting& sorting, const Vec3d& point, const Mat4d& view) {
  const auto matrix = as_eigen(view);
  const Eigen::Vector3d from = as_eigen(point) - matrix.col(3).head<3>();
  const Eigen::Vector3d axis = -matrix.col(2).head<3>();
  return static_cast<float>(sorting.by == SortBy::depth ? from.dot(axis.normalized())
                                                        : from.norm());
}

}  // namespace wakuzume
