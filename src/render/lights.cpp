// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/lights.h"

#include <algorithm>
#include <cmath>
#include <tuple>

#include "scene/matrix.h"
#include "survey/draws.h"
#include "survey/rules.h"

namespace wakuzume {
namespace {

constexpr double most_lux = 20;
constexpr double dimmed_lux = 3;
constexpr double most_candela = 1000;
constexpr double dimmed_candela = 100;
/// For what a device rounds otherwise.
constexpr float range_slack = 1e-4F;

/// A range of 0 has no end, and a sun's stands for nothing.
bool ends(const GpuLight& light) { return light.direction[3] != 0 && light.place[3] > 0; }

bool is_sun(const PlacedLight& light) { return light.light.type == "directional"; }

void dim(std::vector<PlacedLight>& lights, bool suns, double most, double dimmed) {
  double strongest = 0;
  for (const PlacedLight& light : lights) {
    strongest = is_sun(light) == suns ? std::max(strongest, light.light.intensity) : strongest;
  }
  for (PlacedLight& light : lights) {
    if (is_sun(light) == suns && strongest > most) {
      light.light.intensity *= dimmed / strongest;
    }
  }
}

bool reaches(const PlacedLight& light, const Frustum& frustum) {
  const double range = light.light.range;
  return is_sun(light) || range <= 0 ||
         std::all_of(frustum.planes.begin(), frustum.planes.end(), [&](const Plane& plane) {
           return as_eigen(plane.normal).dot(as_eigen(light.position)) + plane.distance >
                  -range * as_eigen(plane.normal).norm();
         });
}

double find_strength(const PlacedLight& light, const Vec3d& eye) {
  if (is_sun(light)) {
    return light.light.intensity;
  }
  const double distance = (as_eigen(light.position) - as_eigen(eye)).squaredNorm();
  return light.light.intensity / std::max(distance, 0.01);
}

}  // namespace

std::vector<PlacedLight> list_lights(const Scene& scene) {
  std::vector<PlacedLight> out;
  const std::vector<Mat4d> world = make_world_matrices(scene);
  for_each_shown_node(scene, [&](NodeId id) {
    const Node& node = scene[id];
    if (node.light == no_light || to_index(node.light) >= scene.lights.size()) {
      return;
    }
    const Mat4d& matrix = world[to_index(id)];
    PlacedLight placed;
    placed.light = scene.lights[to_index(node.light)];
    placed.position = {matrix[12], matrix[13], matrix[14]};
    const Eigen::Vector3d ahead(-matrix[8], -matrix[9], -matrix[10]);
    if (ahead.norm() > 0) {
      Eigen::Map<Eigen::Vector3d>(placed.direction.data()) = ahead.normalized();
    }
    out.push_back(std::move(placed));
  });
  if (out.empty()) {
    PlacedLight sun;
    sun.light.type = "directional";
    sun.light.intensity = 2;
    Eigen::Map<Eigen::Vector3d>(sun.direction.data()) =
        Eigen::Vector3d(-0.4, -1, -0.3).normalized();
    out.push_back(std::move(sun));
  }
  dim(out, true, most_lux, dimmed_lux);
  dim(out, false, most_candela, dimmed_candela);
  return out;
}

std::vector<GpuLight> choose_lights(const std::vector<PlacedLight>& lights,
                                    const Vec3d& eye,
                                    const Frustum& frustum) {
  std::vector<const PlacedLight*> order;
  for (const PlacedLight& light : lights) {
    if (reaches(light, frustum)) {
      order.push_back(&light);
    }
  }
  std::sort(order.begin(), order.end(), [&](const PlacedLight* a, const PlacedLight* b) {
    const auto rank = [&](const PlacedLight* l) {
      return std::tuple(!is_sun(*l), -find_strength(*l, eye), l->position, l->direction,
                        l->light.color);
    };
    return rank(a) < rank(b);
  });
  order.resize(std::min(order.size(), max_gpu_lights));
  std::vector<GpuLight> out;
  for (const PlacedLight* placed : order) {
    const Light& light = placed->light;
    GpuLight gpu{};
    for (std::size_t i = 0; i < 3; ++i) {
      gpu.place[i] = static_cast<float>(placed->position[i] - eye[i]);
      gpu.direction[i] = static_cast<float>(placed->direction[i]);
      gpu.color[i] = static_cast<float>(light.color[i] * light.intensity);
    }
    gpu.place[3] = static_cast<float>(light.range);
    gpu.direction[3] = is_sun(*placed) ? 0.0F : light.type == "spot" ? 2.0F : 1.0F;
    // KHR_lights_punctual: how the cone fades between its angles.
    const double scale =
        1.0 / std::max(0.001, std::cos(light.inner_cone) - std::cos(light.outer_cone));
    gpu.cone = {static_cast<float>(scale), static_cast<float>(-std::cos(light.outer_cone) * scale),
                0, 0};
    out.push_back(gpu);
  }
  return out;
}

bool any_ends(const std::vector<GpuLight>& lights) {
  return std::any_of(lights.begin(), lights.end(), ends);
}

std::uint32_t find_reaching(const std::vector<GpuLight>& lights,
                            const std::array<float, 3>& low,
                            const std::array<float, 3>& high) {
  std::uint32_t out = 0;
  for (std::size_t i = 0; i < lights.size(); ++i) {
    const std::array<float, 4>& place = lights[i].place;
    float squared = 0;
    for (std::size_t c = 0; c < 3; ++c) {
      const float beside = std::max({0.0F, low[c] - place[c], place[c] - high[c]});
      squared += beside * beside;
    }
    const float range = place[3] * (1 + range_slack);
    const bool reaches = !ends(lights[i]) || squared <= range * range;
    out |= reaches ? 1U << i : 0U;
  }
  return out;
}

}  // namespace wakuzume
