// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/image.h"

#include <fmt/format.h>
#include <spng.h>
#include <turbojpeg.h>
#include <webp/decode.h>

#include <memory>

#include "io/image_type.h"

namespace wakuzume {
namespace {

Failure bad_image(std::string message) {
  return Failure(Error{ErrorCode::bad_image, std::move(message), {}});
}

/// Sizes the pixels, or refuses: checked before anything is allocated.
Result<Pixels> make_pixels(std::uint64_t width, std::uint64_t height, const ImageLimits& limits) {
  if (width == 0 || height == 0 || width > 0xFFFF'FFFFU || height > 0xFFFF'FFFFU) {
    return bad_image(fmt::format("an image of {} x {} pixels", width, height));
  }
  if (width > limits.max_pixels / height) {
    return Failure(Error{ErrorCode::too_large,
                         fmt::format("an image of {} x {} pixels; the limit is {} pixels", width,
                                     height, limits.max_pixels),
                         {}});
  }
  Pixels pixels;
  pixels.width_px = static_cast<std::uint32_t>(width);
  pixels.height_px = static_cast<std::uint32_t>(height);
  pixels.rgba.resize(width * height * 4);
  return pixels;
}

using PngContext = std::unique_ptr<spng_ctx, decltype(&spng_ctx_free)>;

Result<Pixels> decode_png(const Bytes& encoded, const ImageLimits& limits) {
  const PngContext context(spng_ctx_new(0), &spng_ctx_free);
  spng_set_png_buffer(context.get(), encoded.data().data(), encoded.size());
  spng_ihdr header{};
  if (const int code = spng_get_ihdr(context.get(), &header); code != 0) {
    return bad_image(fmt::format("PNG: {}", spng_strerror(code)));
  }
  Result<Pixels> pixels = make_pixels(header.width, header.height, limits);
  if (!pixels) {
    return pixels;
  }
  const int code = spng_decode_image(context.get(), pixels->rgba.data(), pixels->rgba.size(),
                                     SPNG_FMT_RGBA8, SPNG_DECODE_TRNS);
  return code == 0 ? pixels : bad_image(fmt::format("PNG: {}", spng_strerror(code)));
}

Result<Pixels> decode_jpeg(const Bytes& encoded, const ImageLimits& limits) {
  const std::unique_ptr<void, decltype(&tjDestroy)> decoder(tjInitDecompress(), &tjDestroy);
  const auto* data = reinterpret_cast<const unsigned char*>(encoded.data().data());
  int width = 0;
  int height = 0;
  int sampling = 0;
  int space = 0;
  if (tjDecompressHeader3(decoder.get(), data, encoded.size(), &width, &height, &sampling,
                          &space) != 0) {
    return bad_image(fmt::format("JPEG: {}", tjGetErrorStr2(decoder.get())));
  }
  Result<Pixels> pixels =
      make_pixels(static_cast<std::uint64_t>(width), static_cast<std::uint64_t>(height), limits);
  if (!pixels) {
    return pixels;
  }
  const int code = tjDecompress2(decoder.get(), data, encoded.size(), pixels->rgba.data(), width, 0,
                                 height, TJPF_RGBA, TJFLAG_STOPONWARNING);
  return code == 0 ? pixels : bad_image(fmt::format("JPEG: {}", tjGetErrorStr2(decoder.get())));
}

Result<Pixels> decode_webp(const Bytes& encoded, const ImageLimits& limits) {
  const auto* data = reinterpret_cast<const std::uint8_t*>(encoded.data().data());
  int width = 0;
  int height = 0;
  if (WebPGetInfo(data, encoded.size(), &width, &height) == 0) {
    return bad_image("WebP: the header can't be read");
  }
  Result<Pixels> pixels =
      make_pixels(static_cast<std::uint64_t>(width), static_cast<std::uint64_t>(height), limits);
  if (pixels && WebPDecodeRGBAInto(data, encoded.size(), pixels->rgba.data(), pixels->rgba.size(),
                                   width * 4) == nullptr) {
    return bad_image("WebP: the data is damaged or cut short");
  }
  return pixels;
}

bool starts_with(const Bytes& bytes, std::string_view magic, std::size_t at = 0) {
  return bytes.size() >= at + magic.size() &&
         std::equal(magic.begin(), magic.end(),
                    bytes.data().begin() + static_cast<std::ptrdiff_t>(at),
                    [](char a, std::byte b) { return static_cast<std::byte>(a) == b; });
}

}  // namespace

std::string find_image_type(const Bytes& encoded) {
  if (starts_with(encoded, "\x89PNG\r\n\x1a\n")) {
    return "image/png";
  }
  if (starts_with(encoded, "\xff\xd8\xff")) {
    return "image/jpeg";
  }
  if (starts_with(encoded, "RIFF") && starts_with(encoded, "WEBP", 8)) {
    return "image/webp";
  }
  return starts_with(encoded, "\xabKTX 20\xbb") ? "image/ktx2" : "";
}

Bytes encoded_bytes(const Scene& scene, const Image& image) {
  if (image.view == no_view) {
    return image.bytes;
  }
  const BlockView& view = scene[image.view];
  return scene[view.block].bytes.part(view.offset, view.length);
}

Result<Pixels> decode_image(const Bytes& encoded, const ImageLimits& limits) {
  const std::string type = find_image_type(encoded);
  if (type == "image/png") {
    return decode_png(encoded, limits);
  }
  if (type == "image/jpeg") {
    return decode_jpeg(encoded, limits);
  }
  if (type == "image/webp") {
    return decode_webp(encoded, limits);
  }
  return bad_image("neither PNG nor JPEG nor WebP by its first bytes");
}

Result<std::vector<std::byte>> encode_png(const Pixels& pixels) {
  const std::uint64_t count = std::uint64_t{pixels.width_px} * pixels.height_px;
  if (count == 0 || pixels.rgba.size() != count * 4) {
    return bad_image(fmt::format("{} x {} pixels can't have {} bytes", pixels.width_px,
                                 pixels.height_px, pixels.rgba.size()));
  }
  bool opaque = true;
  for (std::size_t i = 3; i < pixels.rgba.size() && opaque; i += 4) {
    opaque = pixels.rgba[i] == 255;
  }
  std::vector<std::uint8_t> rows;
  if (opaque) {
    rows.reserve(count * 3);
    for (std::size_t i = 0; i < pixels.rgba.size(); i += 4) {
      rows.insert(rows.end(), {pixels.rgba[i], pixels.rgba[i + 1], pixels.rgba[i + 2]});
    }
  }
  const std::vector<std::uint8_t>& data = opaque ? rows : pixels.rgba;
  const PngContext context(spng_ctx_new(SPNG_CTX_ENCODER), &spng_ctx_free);
  spng_set_option(context.get(), SPNG_ENCODE_TO_BUFFER, 1);
  spng_ihdr header{};
  header.width = pixels.width_px;
  header.height = pixels.height_px;
  header.bit_depth = 8;
  header.color_type = opaque ? SPNG_COLOR_TYPE_TRUECOLOR : SPNG_COLOR_TYPE_TRUECOLOR_ALPHA;
  spng_set_ihdr(context.get(), &header);
  int code = spng_encode_image(context.get(), data.data(), data.size(), SPNG_FMT_PNG,
                               SPNG_ENCODE_FINALIZE);
  std::size_t size = 0;
  const std::unique_ptr<void, decltype(&std::free)> buffer(
      code == 0 ? spng_get_png_buffer(context.get(), &size, &code) : nullptr, &std::free);
  if (buffer == nullptr) {
    return bad_image(fmt::format("PNG: {}", spng_strerror(code)));
  }
  const auto* bytes = static_cast<const std::byte*>(buffer.get());
  return std::vector<std::byte>(bytes, bytes + size);
}

}  // namespace wakuzume
