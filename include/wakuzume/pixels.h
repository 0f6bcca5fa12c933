// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string_view>
#include <vector>

namespace wakuzume {

/// Pixels of an image: rows from the top, RGBA, 8 bits a channel, no padding.
struct Pixels {
  std::uint32_t width_px = 0;
  std::uint32_t height_px = 0;
  std::vector<std::uint8_t> rgba;  ///< 4 x width x height
};

/// Light without an upper end: rows from the top, linear RGB, no padding.
struct LightPixels {
  std::uint32_t width_px = 0;
  std::uint32_t height_px = 0;
  std::vector<float> rgb;  ///< 3 x width x height
};

enum class PictureType : std::uint8_t { png, jpeg, webp };
inline constexpr std::size_t picture_type_count = 3;
std::string_view to_string(PictureType type);     ///< "png", "jpeg", "webp"
std::string_view to_mime_type(PictureType type);  ///< "image/png" ...

}  // namespace wakuzume
