// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "pictures/texels.h"

#include <fmt/format.h>
#include <spng.h>

#include <cstdlib>
#include <cstring>
#include <memory>
#include <span>
#include <string_view>

#include "pictures/image_type.h"
#include "scene/srgb.h"

namespace wakuzume {
namespace {

using PngContext = std::unique_ptr<spng_ctx, decltype(&spng_ctx_free)>;

Failure bad_png(int code) {
  return Failure(Error{ErrorCode::bad_image, fmt::format("PNG: {}", spng_strerror(code)), {}});
}

/// A layout of PNG that texels are kept in.
struct PngLayout {
  const char* format;
  std::uint8_t color_type;
  std::uint8_t bits;
  std::uint32_t texel_bytes;
};
constexpr PngLayout png_layouts[] = {
    {"image/png gray 8", SPNG_COLOR_TYPE_GRAYSCALE, 8, 1},
    {"image/png gray 16", SPNG_COLOR_TYPE_GRAYSCALE, 16, 2},
    {"image/png gray_alpha 8", SPNG_COLOR_TYPE_GRAYSCALE_ALPHA, 8, 2},
    {"image/png gray_alpha 16", SPNG_COLOR_TYPE_GRAYSCALE_ALPHA, 16, 4},
    {"image/png rgb 8", SPNG_COLOR_TYPE_TRUECOLOR, 8, 3},
    {"image/png rgb 16", SPNG_COLOR_TYPE_TRUECOLOR, 16, 6},
    {"image/png rgba 8", SPNG_COLOR_TYPE_TRUECOLOR_ALPHA, 8, 4},
    {"image/png rgba 16", SPNG_COLOR_TYPE_TRUECOLOR_ALPHA, 16, 8},
};
constexpr const PngLayout& rgb8 = png_layouts[4];
constexpr const PngLayout& rgba8 = png_layouts[6];

template <class Fits>
const PngLayout* find_layout(const Fits& fits) {
  for (const PngLayout& layout : png_layouts) {
    if (fits(layout)) {
      return &layout;
    }
  }
  return nullptr;
}

Result<TexelGrid> unpack_png(const Bytes& encoded, ImageDepth depth, const ImageLimits& limits) {
  const PngContext context(spng_ctx_new(0), &spng_ctx_free);
  spng_set_png_buffer(context.get(), encoded.data().data(), encoded.size());
  spng_ihdr header{};
  if (const int code = spng_get_ihdr(context.get(), &header); code != 0) {
    return bad_png(code);
  }
  spng_trns transparent{};
  const bool keyed = spng_get_trns(context.get(), &transparent) == 0;
  const PngLayout* layout = keyed ? nullptr : find_layout([&](const PngLayout& one) {
    return one.color_type == header.color_type && one.bits == header.bit_depth;
  });
  int format = SPNG_FMT_PNG;
  if (layout == nullptr) {
    const bool gray = header.color_type == SPNG_COLOR_TYPE_GRAYSCALE && !keyed;
    layout = gray ? &png_layouts[0] : keyed ? &rgba8 : &rgb8;
    format = gray ? SPNG_FMT_G8 : keyed ? SPNG_FMT_RGBA8 : SPNG_FMT_RGB8;
  }
  auto grid =
      make_grid(header.width, header.height, layout->format, layout->texel_bytes, depth, limits);
  if (!grid || depth == ImageDepth::sizes) {
    return grid;
  }
  const int code = spng_decode_image(context.get(), grid->texels.data(), grid->texels.size(),
                                     format, keyed ? SPNG_DECODE_TRNS : 0);
  return code == 0 ? std::move(grid) : bad_png(code);
}

Result<std::vector<std::byte>> pack_png(const TexelGrid& grid) {
  const PngLayout* const layout =
      find_layout([&](const PngLayout& one) { return one.format == grid.format; });
  const PngContext context(spng_ctx_new(SPNG_CTX_ENCODER), &spng_ctx_free);
  spng_set_option(context.get(), SPNG_ENCODE_TO_BUFFER, 1);
  spng_ihdr header{};
  header.width = grid.size.width_px;
  header.height = grid.size.height_px;
  header.bit_depth = layout->bits;
  header.color_type = layout->color_type;
  spng_set_ihdr(context.get(), &header);
  int code = spng_encode_image(context.get(), grid.texels.data(), grid.texels.size(), SPNG_FMT_PNG,
                               SPNG_ENCODE_FINALIZE);
  std::size_t size = 0;
  const std::unique_ptr<void, decltype(&std::free)> buffer(
      code == 0 ? spng_get_png_buffer(context.get(), &size, &code) : nullptr, &std::free);
  if (buffer == nullptr) {
    return bad_png(code);
  }
  const auto* const bytes = static_cast<const std::byte*>(buffer.get());
  return std::vector<std::byte>(bytes, bytes + size);
}

LightPixels make_png_light(const TexelGrid& grid) {
  const PngLayout& layout =
      *find_layout([&](const PngLayout& one) { return one.format == grid.format; });
  const bool gray = layout.color_type == SPNG_COLOR_TYPE_GRAYSCALE ||
                    layout.color_type == SPNG_COLOR_TYPE_GRAYSCALE_ALPHA;
  const std::size_t bytes = layout.bits / 8;
  LightPixels out{grid.size.width_px, grid.size.height_px, {}};
  out.rgb.reserve(3 * (grid.texels.size() / grid.texel_bytes));
  for (std::size_t at = 0; at < grid.texels.size(); at += grid.texel_bytes) {
    for (std::size_t c = 0; c < 3; ++c) {
      const std::byte* const from = &grid.texels[at + (gray ? 0 : c * bytes)];
      std::uint16_t wide = 0;
      std::memcpy(&wide, from, bytes);
      out.rgb.push_back(bytes == 1 ? srgb_to_linear()[wide]
                                   : static_cast<float>(to_linear(wide / 65535.0)));
    }
  }
  return out;
}

bool begins(const Bytes& bytes, std::string_view magic) {
  return bytes.size() >= magic.size() &&
         std::memcmp(bytes.data().data(), magic.data(), magic.size()) == 0;
}

/// What lost something when it was written keeps what is left as 8 bits that lose nothing.
Result<TexelGrid> unpack_pixels(const Bytes& encoded, ImageDepth depth, const ImageLimits& limits) {
  if (depth == ImageDepth::sizes) {
    const auto size = find_image_size(encoded);
    return size ? make_grid(size->width, size->height, rgba8.format, rgba8.texel_bytes, depth,
                            limits)
                : Failure(size.error());
  }
  auto pixels = decode_image(encoded, limits);
  if (!pixels) {
    return Failure(pixels.error());
  }
  TexelGrid grid;
  grid.size = {pixels->width_px, pixels->height_px};
  grid.format = rgba8.format;
  grid.texel_bytes = rgba8.texel_bytes;
  const auto bytes = std::as_bytes(std::span(pixels->rgba));
  grid.texels.assign(bytes.begin(), bytes.end());
  return grid;
}

}  // namespace

Result<TexelGrid> make_grid(std::uint64_t width,
                            std::uint64_t height,
                            std::string format,
                            std::uint32_t texel_bytes,
                            ImageDepth depth,
                            const ImageLimits& limits) {
  constexpr std::uint64_t widest = 0xFFFF'FFFFU;
  if (width == 0 || height == 0 || width > widest || height > widest) {
    return Failure(
        Error{ErrorCode::bad_image, fmt::format("a picture of {} x {} texels", width, height), {}});
  }
  if (width > limits.max_pixels / height) {
    return Failure(Error{ErrorCode::too_large,
                         fmt::format("a picture of {} x {} texels; the limit is {}", width, height,
                                     limits.max_pixels),
                         {}});
  }
  TexelGrid grid;
  grid.size = {static_cast<std::uint32_t>(width), static_cast<std::uint32_t>(height)};
  grid.format = std::move(format);
  grid.texel_bytes = texel_bytes;
  if (depth != ImageDepth::sizes) {
    grid.texels.resize(width * height * texel_bytes);
  }
  return grid;
}

Result<TexelGrid> unpack_texels(const Bytes& encoded, ImageDepth depth, const ImageLimits& limits) {
  const std::string type = find_image_type(encoded);
  auto grid = begins(encoded, "#?RADIANCE") || begins(encoded, "#?RGBE")
                  ? unpack_radiance(encoded, depth, limits)
              : begins(encoded, "\x76\x2f\x31\x01") ? unpack_openexr(encoded, depth, limits)
              : type == "image/png"                 ? unpack_png(encoded, depth, limits)
              : type == "image/jpeg" || type == "image/webp"
                  ? unpack_pixels(encoded, depth, limits)
                  : Failure(Error{ErrorCode::bad_image,
                                  "neither PNG, Radiance HDR, OpenEXR, JPEG nor WebP by its first "
                                  "bytes",
                                  {}});
  encoded.let_go();
  return grid;
}

Result<std::vector<std::byte>> pack_texels(const TexelGrid& grid) {
  const std::uint64_t wanted =
      std::uint64_t{grid.size.width_px} * grid.size.height_px * grid.texel_bytes;
  if (wanted == 0 || grid.texels.size() != wanted) {
    return Failure(
        Error{ErrorCode::bad_image,
              fmt::format("{} x {} texels of {} bytes can't have {} bytes", grid.size.width_px,
                          grid.size.height_px, grid.texel_bytes, grid.texels.size()),
              {}});
  }
  if (grid.format == radiance_format && grid.texel_bytes == 4) {
    return pack_radiance(grid);
  }
  if (grid.format.starts_with("image/x-exr ")) {
    return pack_openexr(grid);
  }
  const bool known = find_layout([&](const PngLayout& one) {
                       return one.format == grid.format && one.texel_bytes == grid.texel_bytes;
                     }) != nullptr;
  return known ? pack_png(grid)
               : Failure(Error{ErrorCode::bad_image,
                               fmt::format("no writer knows texels of {}", grid.format),
                               {}});
}

Result<LightPixels> decode_light(const Bytes& encoded, const ImageLimits& limits) {
  const auto grid = unpack_texels(encoded, ImageDepth::pixels, limits);
  if (!grid) {
    return Failure(grid.error());
  }
  if (grid->format == radiance_format) {
    return make_radiance_light(*grid);
  }
  return grid->format.starts_with("image/x-exr ") ? make_openexr_light(*grid)
                                                  : make_png_light(*grid);
}

}  // namespace wakuzume
