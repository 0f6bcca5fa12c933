// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "wakuzume/packing.h"
#include "wakuzume/pixels.h"

/// Texture arrays: pictures of one size under one binding.
namespace wakuzume {

/// What texels mean: how they are averaged into mip levels, and what the file says of them.
enum class TexelKind : std::uint8_t {
  colors,  ///< sRGB; averaged in linear light, each texel alike, as engines make mip levels
  values,  ///< linear
  normals  ///< linear, directions from -1 to 1; averaged and made unit length again
};

enum class TexelFormat : std::uint8_t { rgba8, astc_4x4, astc_6x6 };

/// What is seen of a picture that is cut out by its alpha.
struct CutShare {
  double cutoff = 0;  ///< least alpha that is seen, from 0 to 1; 0: nothing is cut out
  /// Where the share of texels that are seen stays the same at all mip levels; none: on the whole.
  std::vector<TexelRect> areas{};
};

struct TextureArray {
  TexelKind kind = TexelKind::colors;
  CutShare cut{};              ///< for making mip levels
  std::vector<Pixels> layers;  ///< at least one, all of one size, up to 16,384 pixels a side
  // Of the file that it was read from; encoding goes by its settings.
  TexelFormat format = TexelFormat::rgba8;
  std::uint32_t mip_levels = 1;
};

enum class MipChain : std::uint8_t { none, full };
enum class Supercompression : std::uint8_t { none, zstd };

/// What a file of one layer is.
enum class ArrayShape : std::uint8_t {
  layers,  ///< a texture array
  single   ///< a texture
};

struct ArraySettings {
  TexelFormat format = TexelFormat::rgba8;
  ArrayShape shape = ArrayShape::layers;
  MipChain mips = MipChain::full;
  Supercompression supercompression = Supercompression::zstd;
  int zstd_level = 9;       ///< \range [1, 22]
  float astc_quality = 60;  ///< from fast to thorough \range [0, 100]
};

}  // namespace wakuzume
