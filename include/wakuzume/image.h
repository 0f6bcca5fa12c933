// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "wakuzume/bytes.h"
#include "wakuzume/image_facts.h"
#include "wakuzume/ktx2.h"
#include "wakuzume/material.h"
#include "wakuzume/picture_codec.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

namespace wakuzume {

struct ImageLimits {
  /// Refuse to decode more pixels than this. \range [1, 2^32]
  std::uint64_t max_pixels = 1ULL << 28U;
};

/// The encoded bytes of an image of the scene, wherever they are.
Bytes encoded_bytes(const Scene& scene, ImageId image);

/// Decodes PNG, JPEG and WebP, told apart by their first bytes and not by their name.
/// \error bad_image  not one of the three, or damaged
/// \error too_large  above the limit
Result<Pixels> decode_image(const Bytes& encoded, const ImageLimits& limits = {});

/// One entry an image of the scene. What can't be read has a problem in its entry.
/// \error cancelled
/// \cost the decoding of every image, in parallel; with sizes, its first bytes
Result<std::vector<ImageFacts>> read_image_facts(const Scene& scene,
                                                 ImageDepth depth,
                                                 const ImageLimits& limits = {},
                                                 const RunControl& run = {});

/// Encodes as PNG; an alpha channel is written only where some pixel is not opaque.
/// \error bad_image  the size and the number of bytes disagree
Result<std::vector<std::byte>> encode_png(const Pixels& pixels);

/// JPEG with colours as fine as brightness.
/// \param quality  of JPEG from 1 to 100, of WebP from 1 to 99; 0: JPEG at 92, WebP without loss
/// \error bad_image  the size and the number of bytes disagree, or the type can't hold so much
Result<std::vector<std::byte>> encode_image(const Pixels& pixels,
                                            PictureType type,
                                            int quality = 0);

/// Texels as PNG, Radiance HDR or OpenEXR store them: 8 or 16 bits, floats, halves. What has a
/// palette, fewer bits or losses (JPEG, WebP) comes as 8 bits that PNG holds.
/// \param depth  with ImageDepth::sizes no texels
/// \error bad_image  none of these, or damaged; of OpenEXR also tiles, several parts and
/// subsampling \error too_large  above the limit
Result<TexelGrid> unpack_texels(const Bytes& encoded,
                                ImageDepth depth = ImageDepth::pixels,
                                const ImageLimits& limits = {});
/// The way back: unpacked again it is the same, texel by texel.
/// \error bad_image  a format that unpack_texels does not make, or a size that is not its texels'
Result<std::vector<std::byte>> pack_texels(const TexelGrid& grid);

/// Baked light of any of the formats above: whole numbers are from 0 to 1 by the curve of sRGB,
/// shared exponents, halves and floats are light as they are. Alpha is left out, and of OpenEXR all
/// channels but R, G and B, or Y.
/// \error as unpack_texels; bad_image  OpenEXR without these channels
Result<LightPixels> decode_light(const Bytes& encoded, const ImageLimits& limits = {});

/// The formats of this header for the core.
class StandardCodec final : public PictureCodec {
 public:
  /// \param spill_folder  where encoded pictures wait to be written, in nameless files; empty: in
  ///                      memory
  explicit StandardCodec(const ImageLimits& limits = {}, std::string spill_folder = {})
      : limits_(limits), spill_folder_(std::move(spill_folder)) {}
  [[nodiscard]] Result<Pixels> decode(const Bytes& encoded) const override {
    return decode_image(encoded, limits_);
  }
  [[nodiscard]] Bytes keep(std::vector<std::byte> encoded) const override;
  [[nodiscard]] Result<std::vector<std::byte>> encode(const Pixels& pixels,
                                                      PictureType type,
                                                      int quality) const override {
    return encode_image(pixels, type, quality);
  }
  [[nodiscard]] Result<std::vector<ImageFacts>> measure(const Scene& scene,
                                                        ImageDepth depth,
                                                        const RunControl& run) const override {
    return read_image_facts(scene, depth, limits_, run);
  }
  [[nodiscard]] Result<TextureArray> decode_array(const Bytes& encoded,
                                                  std::uint32_t level) const override {
    return decode_ktx2(encoded, {.max_pixels = limits_.max_pixels}, level);
  }
  [[nodiscard]] Result<std::vector<std::byte>> encode_array(TextureArray array,
                                                            const ArraySettings& settings,
                                                            const RunControl& run) const override {
    return encode_ktx2(std::move(array), settings, run);
  }

  [[nodiscard]] Result<TexelGrid> unpack(const Bytes& encoded, ImageDepth depth) const override {
    return unpack_texels(encoded, depth, limits_);
  }
  [[nodiscard]] Result<std::vector<std::byte>> pack(const TexelGrid& grid) const override {
    return pack_texels(grid);
  }
  [[nodiscard]] Result<LightPixels> decode_light(const Bytes& encoded) const override {
    return wakuzume::decode_light(encoded, limits_);
  }

 private:
  ImageLimits limits_;
  std::string spill_folder_;
};

}  // namespace wakuzume
