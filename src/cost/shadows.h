// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

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

}  // namespace wakuzume
