// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "cost/shadows.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "scene/matrix.h"
#include "scene/tree.h"

namespace wakuzume {
namespace {

Vec3d from_vector(const Eigen::Vector3d& v) { return {v.x(), v.y(), v.z()}; }

/// The corners of the part of a view between two distances.
std::array<Eigen::Vector3d, 8> make_slice(const Viewpoint& view, const PassSpec& pass) {
  std::array<Eigen::Vector3d, 8> corners;
  const double near = std::max(pass.from_m, view.znear_m);
  const double wanted = std::max(pass.to_m, near);
  const double far = view.zfar_m > 0 ? std::max(near, std::min(wanted, view.zfar_m)) : wanted;
  for (std::size_t i = 0; i < 8; ++i) {
    const double z = (i & 4U) != 0 ? far : near;
    const double y = view.perspective ? z * std::tan(view.yfov / 2) : view.ymag;
    const double x = view.perspective ? y * view.aspect : view.xmag;
    const Eigen::Vector3d local((i & 1U) != 0 ? x : -x, (i & 2U) != 0 ? y : -y, -z);
    corners[i] = (as_eigen(view.world) * local.homogeneous()).head<3>();
  }
  return corners;
}

}  // namespace

Vec3d find_sun(const Scene& scene, const CostProfile& profile) {
  for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
    const LightId light = scene.nodes[i].light;
    if (light != no_light && scene.lights[to_index(light)].type == "directional") {
      const Mat4d world = make_world_matrix(scene, make_id<NodeId>(i));
      const Eigen::Vector3d away = -as_eigen(world).block<3, 1>(0, 2);
      if (away.norm() > 0) {
        return from_vector(away.normalized());
      }
    }
  }
  return from_vector(as_eigen(profile.sun_direction).normalized());
}

Frustum make_cascade(const Viewpoint& view, const PassSpec& pass, const Vec3d& sun) {
  const Eigen::Vector3d back = -as_eigen(sun);
  Eigen::Vector3d right = Eigen::Vector3d::UnitY().cross(back);
  right = right.norm() < 1e-6 ? Eigen::Vector3d(1, 0, 0) : right.normalized();
  const std::array<Eigen::Vector3d, 3> axes{right, back.cross(right), back};
  Vec3d low{};
  Vec3d high{};
  low.fill(std::numeric_limits<double>::infinity());
  high.fill(-std::numeric_limits<double>::infinity());
  for (const Eigen::Vector3d& corner : make_slice(view, pass)) {
    for (std::size_t a = 0; a < 3; ++a) {
      low[a] = std::min(low[a], axes[a].dot(corner));
      high[a] = std::max(high[a], axes[a].dot(corner));
    }
  }
  high[2] += pass.casters_m;
  Frustum frustum;
  for (std::size_t a = 0; a < 3; ++a) {
    const Eigen::Vector3d& n = axes[a];
    frustum.planes[2 * a] = {{n.x(), n.y(), n.z()}, -low[a]};
    frustum.planes[2 * a + 1] = {{-n.x(), -n.y(), -n.z()}, high[a]};
  }
  return frustum;
}

std::vector<Viewpoint> make_light_faces(const Light& light, const Mat4d& world, double reach_m) {
  const Vec3d eye{world[12], world[13], world[14]};
  std::vector<Vec3d> directions{{1, 0, 0},  {-1, 0, 0}, {0, 1, 0},
                                {0, -1, 0}, {0, 0, 1},  {0, 0, -1}};
  double opening = 1.5707963267948966;
  if (light.type == "spot") {
    directions = {{-world[8], -world[9], -world[10]}};
    opening = std::min(2 * light.outer_cone, 3.1);
  }
  std::vector<Viewpoint> faces;
  for (const Vec3d& d : directions) {
    Viewpoint face = make_viewpoint("", eye, {eye[0] + d[0], eye[1] + d[1], eye[2] + d[2]});
    face.aspect = 1;
    face.yfov = opening;
    face.znear_m = 0.01;
    face.zfar_m = reach_m;
    faces.push_back(face);
  }
  return faces;
}

}  // namespace wakuzume
