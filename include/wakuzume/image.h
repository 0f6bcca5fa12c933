// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <string_view>
#include <vector>

#include "wakuzume/bytes.h"
#include "wakuzume/image_facts.h"
#include "wakuzume/material.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

namespace wakuzume {

/// Pixels of an image: rows from the top, RGBA, 8 bits a channel, no padding.
struct Pixels {
  std::uint32_t width_px = 0;
  std::uint32_t height_px = 0;
  std::vector<std::uint8_t> rgba;  ///< 4 x width x height
};

struct ImageLimits {
  /// Refuse to decode more pixels than this. \range [1, 2^32]
  std::uint64_t max_pixels = 1ULL << 28U;
};

/// The encoded bytes of an image of the scene, wherever they are.
Bytes encoded_bytes(const Scene& scene, const Image& image);

/// Decodes PNG, JPEG and WebP, told apart by their first bytes and not by their name.
/// \error bad_image  not one of the three, or damaged
/// \error too_large  above the limit
Result<Pixels> decode_image(const Bytes& encoded, const ImageLimits& limits = {});

/// How much of the images is looked at.
enum class ImageDepth : std::uint8_t {
  sizes,   ///< headers alone
  pixels,  ///< all is decoded, one image a thread at a time
};

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

}  // namespace wakuzume
