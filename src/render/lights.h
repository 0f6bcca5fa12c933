// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <vector>

#include "wakuzume/scene.h"
#include "wakuzume/views.h"

namespace wakuzume {

inline constexpr std::size_t max_gpu_lights = 16;

/// As `Light` in view.frag, std140.
struct GpuLight {
  std::array<float, 4> place;
  std::array<float, 4> direction;
  std::array<float, 4> color;
  std::array<float, 4> cone;
};

/// A light of the scene where it stands.
struct PlacedLight {
  Vec3d position{0, 0, 0};
  Vec3d direction{0, 0, -1};  ///< it shines along
  Light light;
};

/// Lights of shown nodes, dimmed where the scene counts in daylight: the strongest sun has at most
/// 3 lux, the strongest lamp at most 100 candela. A scene without any gets a sun.
std::vector<PlacedLight> list_lights(const Scene& scene);

/// The strongest at the eye of those that reach into the view; suns first. The same whatever the
/// order of the list.
std::vector<GpuLight> choose_lights(const std::vector<PlacedLight>& lights,
                                    const Vec3d& eye,
                                    const Frustum& frustum);

/// There is a lamp that shines no farther than its range.
bool any_ends(const std::vector<GpuLight>& lights);

/// Which of them shed any light into a box, a bit each; none is left out that does.
/// \param low, high  corners of the box, seen from the eye along the world's axes, metres
std::uint32_t find_reaching(const std::vector<GpuLight>& lights,
                            const std::array<float, 3>& low,
                            const std::array<float, 3>& high);

}  // namespace wakuzume
