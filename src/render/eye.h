// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <array>
#include <vector>

#include "render/lights.h"
#include "wakuzume/views.h"

namespace wakuzume {

/// A view as it is drawn.
struct Eye {
  Vec3d at{0, 0, 0};
  Eigen::Vector3d axis{0, 0, -1};
  /// From places seen from the eye along the world's axes to the clip space, depth from 1 near to 0
  /// far: floats are as fine far off as they are near.
  Eigen::Matrix4d projection = Eigen::Matrix4d::Identity();
  std::vector<GpuLight> lights;
};

Eye make_eye(const Viewpoint& view, const std::vector<PlacedLight>& lights);

}  // namespace wakuzume
