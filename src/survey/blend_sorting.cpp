// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/blend_sorting.h"

#include "scene/matrix.h"

namespace wakuzume {

float find_sorting_distance(const BlendSorting& sorting, const Vec3d& point, const Mat4d& view) {
  const Vec3d at{view[12], view[13], view[14]};
  return find_sorting_distance(sorting, point, at, {-view[8], -view[9], -view[10]});
}

float find_sorting_distance(const BlendSorting& sorting,
                            const Vec3d& point,
                            const Vec3d& at,
                            const Vec3d& axis) {
  const Eigen::Vector3d from = as_eigen(point) - as_eigen(at);
  return static_cast<float>(sorting.by == SortBy::depth ? from.dot(as_eigen(axis).normalized())
                                                        : from.norm());
}

}  // namespace wakuzume
