// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>

#include "support/scene_builder.h"
#include "wakuzume/image.h"
#include "wakuzume/repaint.h"

/// Made-up textures, and scenes whose materials show them.
namespace wakuzume::test {

using Rgba = std::array<std::uint8_t, 4>;

Pixels make_flat_picture(std::uint32_t width, std::uint32_t height, const Rgba& color);
/// Blotches of a few pixels each; another picture for each seed.
Pixels make_picture(std::uint32_t width, std::uint32_t height, std::uint32_t seed);
/// Bumps as a tangent-space normal map.
Pixels make_normal_picture(std::uint32_t width, std::uint32_t height, std::uint32_t seed);
/// A disc that is opaque, on a colour that is not.
Pixels make_mask_picture(std::uint32_t size, std::uint32_t seed);

/// Adds it as a PNG with a sampler of the wrap modes.
TextureId add_picture(SceneBuilder& builder,
                      const Pixels& pixels,
                      std::uint32_t wrap_s = 10497,
                      std::uint32_t wrap_t = 10497);

/// A square from one UV to another, subdivided so that nothing is linear by chance.
MeshData make_patch(double u0, double v0, double u1, double v1);

/// Squares in a row, one a material, each with a picture of its own and its own UVs.
Scene make_gallery(std::uint32_t seed, std::size_t materials);

double find_psnr(const Pixels& a, const Pixels& b);

/// Routes of a scene by its own survey and pictures.
RoutePlan route(const Scene& scene, const MaterialSettings& settings);

/// A scene with its pages and layers painted, and what routes led there.
struct Painted {
  RoutePlan routes;
  Repainted repainted;
};
Painted paint(const Scene& scene, const MaterialSettings& settings);

}  // namespace wakuzume::test
