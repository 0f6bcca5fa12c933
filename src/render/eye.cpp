// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/eye.h"

#include <cmath>

#include "scene/matrix.h"

namespace wakuzume {
namespace {

Eigen::Matrix4d make_projection(const Viewpoint& view) {
  Eigen::Matrix4d lens = Eigen::Matrix4d::Zero();
  const double n = view.znear_m;
  const double f = view.zfar_m;
  if (view.perspective) {
    const double y = 1 / std::tan(view.yfov / 2);
    lens(0, 0) = y / view.aspect;
    lens(1, 1) = y;
    lens(2, 2) = f > 0 ? n / (f - n) : 0;
    lens(2, 3) = f > 0 ? f * n / (f - n) : n;
    lens(3, 2) = -1;
  } else {
    lens(0, 0) = 1 / view.xmag;
    lens(1, 1) = 1 / view.ymag;
    lens(2, 2) = 1 / (f - n);
    lens(2, 3) = f / (f - n);
    lens(3, 3) = 1;
  }
  Eigen::Matrix4d turn = Eigen::Matrix4d::Identity();
  turn.topLeftCorner<3, 3>() = as_eigen(view.world).topLeftCorner<3, 3>().inverse();
  return lens * turn;
}

}  // namespace

Eye make_eye(const Viewpoint& view, const std::vector<PlacedLight>& lights) {
  Eye eye;
  eye.at = {view.world[12], view.world[13], view.world[14]};
  eye.axis = -Eigen::Vector3d(view.world[8], view.world[9], view.world[10]).normalized();
  eye.projection = make_projection(view);
  eye.lights = choose_lights(lights, eye.at, make_frustum(view));
  return eye;
}

}  // namespace wakuzume
