// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/scene.h"

/// Which textures and images a material touches.
namespace wakuzume {

/// Textures of the slots and of extensions, which name theirs in members that end in "Texture".
std::vector<TextureId> list_textures(const Scene& scene, const Material& material);

/// Image of a texture, by its own source or by one of an extension (WebP, KTX2); else no_image.
ImageId find_image(const Scene& scene, TextureId texture);

/// Where a slot looks its texture up for a place in its UV set (KHR_texture_transform).
Vec2d transform_uv(const TextureSlot& slot, const Vec2d& uv);

/// With the filters that engines take where it leaves them open: linear, and mip levels.
Sampler make_effective(Sampler sampler);

/// The bytes of an image as they are stored, wherever that is; empty where its file is missing.
Bytes find_encoded(const Scene& scene, ImageId image);

/// Distinct images of a material, ascending.
std::vector<ImageId> list_images(const Scene& scene, const Material& material);

}  // namespace wakuzume
