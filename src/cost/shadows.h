// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "wakuzume/cost.h"

/// From where shadow passes look.
namespace wakuzume {

/// Where the sunlight goes, one metre long: by the scene's first directional light, else by the
/// profile.
Vec3d find_sun(const Scene& scene, const CostProfile& profile);

/// A box along the sun's direction around the corners of a slice of the view, drawn out towards
/// the sun by the distance that casters are looked for.
Frustum make_cascade(const Viewpoint& view, const PassSpec& pass, const Vec3d& sun);

/// Six views around a point light, one along a spot light. \param reach_m  0: without end
std::vector<Viewpoint> make_light_faces(const Light& light, const Mat4d& world, double reach_m);

/// A point or spot light that is shown, and the faces its shadow map is drawn from.
struct ShadowLight {
  Vec3d position{0, 0, 0};
  double reach_m = 0;  ///< infinite where the light has no range
  std::vector<Viewpoint> faces;
};
/// In node order. \cost O(nodes)
std::vector<ShadowLight> list_shadow_lights(const Scene& scene, const CostProfile& profile);
/// Positions of the `most` lights nearest to the eye among those whose reach enters the view,
/// nearest first.
std::vector<std::size_t> choose_shadow_lights(std::span<const ShadowLight> lights,
                                              const Viewpoint& view,
                                              std::size_t most);

/// A frustum that is looked through `weight` times.
struct WeighedFrustum {
  Frustum frustum;
  std::uint32_t weight = 1;
};
/// Everything that the frames of these views look through: passes of views, and faces of lights as
/// often as they are drawn. Depth passes look through the frustum of their view once more.
/// \cost O(views x passes + lights x views)
std::vector<WeighedFrustum> list_frusta(const Scene& scene,
                                        std::span<const Viewpoint> views,
                                        const CostProfile& profile);

}  // namespace wakuzume
