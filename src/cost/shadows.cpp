// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "cost/shadows.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "scene/matrix.h"
#include "scene/tree.h"
#include "survey/draws.h"

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

std::vector<ShadowLight> list_shadow_lights(const Scene& scene, const CostProfile& profile) {
  std::vector<ShadowLight> out;
  for_each_shown_node(scene, [&](NodeId node) {
    const LightId id = scene[node].light;
    if (id == no_light || scene.lights[to_index(id)].type == "directional") {
      return;
    }
    const Light& light = scene.lights[to_index(id)];
    const Mat4d world = make_world_matrix(scene, node);
    const double reach = light.range > 0 ? light.range : profile.light_reach_m;
    ShadowLight source;
    source.position = {world[12], world[13], world[14]};
    source.reach_m = reach > 0 ? reach : std::numeric_limits<double>::infinity();
    source.faces = make_light_faces(light, world, reach);
    out.push_back(std::move(source));
  });
  return out;
}

std::vector<std::size_t> choose_shadow_lights(std::span<const ShadowLight> lights,
                                              const Viewpoint& view,
                                              std::size_t most) {
  const Frustum frustum = make_frustum(view);
  const Eigen::Vector3d eye(view.world[12], view.world[13], view.world[14]);
  std::vector<std::pair<double, std::size_t>> near;
  for (std::size_t i = 0; i < lights.size(); ++i) {
    const Eigen::Vector3d at = as_eigen(lights[i].position);
    const bool reaches =
        std::all_of(frustum.planes.begin(), frustum.planes.end(), [&](const Plane& plane) {
          return as_eigen(plane.normal).dot(at) + plane.distance >= -lights[i].reach_m;
        });
    if (reaches) {
      near.emplace_back((at - eye).squaredNorm(), i);
    }
  }
  std::sort(near.begin(), near.end());
  near.resize(std::min(near.size(), most));
  std::vector<std::size_t> chosen(near.size());
  std::transform(near.begin(), near.end(), chosen.begin(),
                 [](const auto& entry) { return entry.second; });
  return chosen;
}

std::vector<WeighedFrustum> list_frusta(const Scene& scene,
                                        std::span<const Viewpoint> views,
                                        const CostProfile& profile) {
  std::vector<WeighedFrustum> out;
  const Vec3d sun = find_sun(scene, profile);
  const std::vector<ShadowLight> lights = list_shadow_lights(scene, profile);
  std::vector<std::uint32_t> drawn(lights.size(), 0);
  for (const Viewpoint& view : views) {
    std::uint32_t whole = 0;
    for (const PassSpec& pass : profile.passes) {
      if (pass.kind == PassKind::main || pass.kind == PassKind::depth) {
        ++whole;
      } else if (pass.kind == PassKind::sun_shadow) {
        out.push_back({make_cascade(view, pass, sun), 1});
      } else {
        for (const std::size_t light : choose_shadow_lights(lights, view, pass.lights)) {
          ++drawn[light];
        }
      }
    }
    if (whole > 0) {
      out.push_back({make_frustum(view), whole});
    }
  }
  for (std::size_t i = 0; i < lights.size(); ++i) {
    for (const Viewpoint& face : lights[i].faces) {
      if (drawn[i] > 0) {
        out.push_back({make_frustum(face), drawn[i]});
      }
    }
  }
  return out;
}

}  // namespace wakuzume
