// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "survey/textures.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/routes.h"

/// Where a material looks up its textures, and where on them its draws do.
namespace wakuzume {

/// What the textured slots of a material have in common.
struct UvSource {
  bool textured = false;
  std::uint32_t set = 0;
  UvTransform transform;
  /// Coordinates may be shifted by multiples of this, by axis, and no sampler tells; 0: not at all.
  Vec2d periods{0, 0};
  std::string problem;  ///< why the slots can't share one layout; empty: they can
};
UvSource find_uv_source(const Scene& scene, const Material& material);
/// The same of one slot alone, and nothing is shifted.
UvSource find_slot_source(const TextureSlot& slot);

const Sampler& find_sampler(const Scene& scene, TextureId texture);
/// The picture of a slot that has a texture.
/// \error bad_image, too_large  with the image's place
Result<Pixels> decode_slot(const Scene& scene, const TextureSlot& slot, const PictureCodec& codec);

/// The coordinates of a primitive's vertices on a material's textures, transformed, and each piece
/// of its surface shifted by whole tiles to where it begins in the first. Empty where the primitive
/// has no such UVs.
/// \cost O(vertices + indices)
std::vector<Vec2d> make_texture_coordinates(const Scene& scene,
                                            const Primitive& primitive,
                                            const UvSource& source);

/// What one shape touches of its material's textures.
struct UvExtent {
  bool missing = false;  ///< it has no such UVs
  bool finite = true;
  Vec2d min{0, 0};  ///< in tiles
  Vec2d max{0, 0};
  double uv_area = 0;  ///< of its triangles, tiles
  double area = 0;     ///< of them in its own space, square metres
  /// Metres along a tile's u and v, summed over the area that has some: times square metres.
  Vec2d lengths{0, 0};
};
UvExtent find_uv_extent(const Scene& scene, const Primitive& primitive, const UvSource& source);

}  // namespace wakuzume
