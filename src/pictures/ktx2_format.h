// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <string_view>

#include "wakuzume/texture_array.h"

/// What writing and reading KTX 2.0 files have in common.
namespace wakuzume::ktx2 {

inline constexpr std::string_view identifier{"\xABKTX 20\xBB\r\n\x1A\n", 12};
inline constexpr std::size_t header_bytes = 80;
inline constexpr std::size_t index_bytes = 24;  ///< of a level
inline constexpr std::uint32_t most_px = 16384;
inline constexpr std::uint32_t zstd_scheme = 2;

/// What a file says of a format; numbers are those of Vulkan and of the data format standard.
struct FormatFacts {
  std::uint32_t vulkan_linear = 0;
  std::uint32_t vulkan_srgb = 0;
  std::uint32_t block_side = 1;
  std::uint32_t block_bytes = 4;
  std::uint8_t color_model = 1;

  /// Bytes of an image of so many pixels.
  [[nodiscard]] std::size_t count_bytes(std::uint32_t width_px, std::uint32_t height_px) const {
    const auto blocks = [&](std::uint32_t px) {
      return (std::size_t{px} + block_side - 1) / block_side;
    };
    return blocks(width_px) * blocks(height_px) * block_bytes;
  }
};

constexpr FormatFacts find_facts(TexelFormat format) {
  constexpr std::uint8_t rgbsda = 1;
  constexpr std::uint8_t astc = 162;
  switch (format) {
    case TexelFormat::astc_4x4:
      return {157, 158, 4, 16, astc};
    case TexelFormat::astc_6x6:
      return {165, 166, 6, 16, astc};
    case TexelFormat::rgba8:
      break;
  }
  return {37, 43, 1, 4, rgbsda};
}

}  // namespace wakuzume::ktx2
