// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <utility>
#include <vector>

#include "wakuzume/bytes.h"
#include "wakuzume/image_facts.h"
#include "wakuzume/pixels.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/texel_grid.h"
#include "wakuzume/texture_array.h"

namespace wakuzume {

/// How the core gets at pixels: it knows no file formats. StandardCodec of wakuzume/image.h, or
/// your own. \threads all are called from several at a time
class PictureCodec {
 public:
  PictureCodec() = default;
  PictureCodec(const PictureCodec&) = delete;
  PictureCodec& operator=(const PictureCodec&) = delete;
  virtual ~PictureCodec() = default;

  [[nodiscard]] virtual Result<Pixels> decode(const Bytes& encoded) const = 0;
  /// \param quality  as encode_image of wakuzume/image.h has it
  [[nodiscard]] virtual Result<std::vector<std::byte>> encode(const Pixels& pixels,
                                                              PictureType type,
                                                              int quality) const = 0;
  /// One entry an image of the scene, as read_image_facts of wakuzume/image.h makes them.
  [[nodiscard]] virtual Result<std::vector<ImageFacts>> measure(const Scene& scene,
                                                                ImageDepth depth,
                                                                const RunControl& run) const = 0;
  /// Texture arrays, as encode_ktx2 and decode_ktx2 of wakuzume/ktx2.h have them.
  /// \param level  0 is the largest
  [[nodiscard]] virtual Result<TextureArray> decode_array(const Bytes& encoded,
                                                          std::uint32_t level) const = 0;
  [[nodiscard]] virtual Result<std::vector<std::byte>> encode_array(
      TextureArray array, const ArraySettings& settings, const RunControl& run) const = 0;
  /// Pictures whose texels only go from place to place, as unpack_texels and pack_texels of
  /// wakuzume/image.h have them. \default no format is known
  [[nodiscard]] virtual Result<TexelGrid> unpack([[maybe_unused]] const Bytes& encoded,
                                                 [[maybe_unused]] ImageDepth depth) const {
    return Failure(Error{ErrorCode::bad_image, "this codec moves no texels", {}});
  }
  [[nodiscard]] virtual Result<std::vector<std::byte>> pack(
      [[maybe_unused]] const TexelGrid& grid) const {
    return Failure(Error{ErrorCode::bad_image, "this codec moves no texels", {}});
  }
  /// Pictures of baked light. \default as `decode`, by the curve of sRGB
  [[nodiscard]] virtual Result<LightPixels> decode_light(const Bytes& encoded) const;
  /// Where encoded pictures stay until they are written. \default in memory
  [[nodiscard]] virtual Bytes keep(std::vector<std::byte> encoded) const {
    return make_bytes(std::move(encoded));
  }
};

}  // namespace wakuzume
