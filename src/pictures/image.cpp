// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/image.h"

#include <fmt/format.h>
#include <spng.h>
#include <turbojpeg.h>
#include <webp/decode.h>
#include <webp/encode.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <memory>

#include "files/file.h"
#include "pictures/image_type.h"
#include "scene/hasher.h"
#include "scene/running.h"
#include "survey/textures.h"
#include "texture/detail.h"

namespace wakuzume {
namespace {

Failure bad_image(std::string message) {
  return Failure(Error{ErrorCode::bad_image, std::move(message), {}});
}

/// Sizes the pixels, or refuses: checked before anything is allocated.
Result<Pixels> make_pixels(const ImageSize& size, const ImageLimits& limits) {
  const auto [width, height] = size;
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

Result<ImageSize> read_png_size(spng_ctx* context, const Bytes& encoded) {
  spng_set_png_buffer(context, encoded.data().data(), encoded.size());
  spng_ihdr header{};
  if (const int code = spng_get_ihdr(context, &header); code != 0) {
    return bad_image(fmt::format("PNG: {}", spng_strerror(code)));
  }
  return ImageSize{header.width, header.height};
}

Result<Pixels> decode_png(const Bytes& encoded, const ImageLimits& limits) {
  const PngContext context(spng_ctx_new(0), &spng_ctx_free);
  const auto size = read_png_size(context.get(), encoded);
  if (!size) {
    return Failure(size.error());
  }
  Result<Pixels> pixels = make_pixels(*size, limits);
  if (!pixels) {
    return pixels;
  }
  const int code = spng_decode_image(context.get(), pixels->rgba.data(), pixels->rgba.size(),
                                     SPNG_FMT_RGBA8, SPNG_DECODE_TRNS);
  return code == 0 ? pixels : bad_image(fmt::format("PNG: {}", spng_strerror(code)));
}

using JpegDecoder = std::unique_ptr<void, decltype(&tjDestroy)>;

const unsigned char* as_jpeg(const Bytes& encoded) {
  return reinterpret_cast<const unsigned char*>(encoded.data().data());
}

Result<ImageSize> read_jpeg_size(const JpegDecoder& decoder, const Bytes& encoded) {
  int width = 0;
  int height = 0;
  int sampling = 0;
  int space = 0;
  if (tjDecompressHeader3(decoder.get(), as_jpeg(encoded), encoded.size(), &width, &height,
                          &sampling, &space) != 0) {
    return bad_image(fmt::format("JPEG: {}", tjGetErrorStr2(decoder.get())));
  }
  return ImageSize{static_cast<std::uint64_t>(width), static_cast<std::uint64_t>(height)};
}

Result<Pixels> decode_jpeg(const Bytes& encoded, const ImageLimits& limits) {
  const JpegDecoder decoder(tjInitDecompress(), &tjDestroy);
  const auto size = read_jpeg_size(decoder, encoded);
  if (!size) {
    return Failure(size.error());
  }
  Result<Pixels> pixels = make_pixels(*size, limits);
  if (!pixels) {
    return pixels;
  }
  const int code = tjDecompress2(decoder.get(), as_jpeg(encoded), encoded.size(),
                                 pixels->rgba.data(), static_cast<int>(size->width), 0,
                                 static_cast<int>(size->height), TJPF_RGBA, TJFLAG_STOPONWARNING);
  return code == 0 ? pixels : bad_image(fmt::format("JPEG: {}", tjGetErrorStr2(decoder.get())));
}

const std::uint8_t* as_webp(const Bytes& encoded) {
  return reinterpret_cast<const std::uint8_t*>(encoded.data().data());
}

Result<ImageSize> read_webp_size(const Bytes& encoded) {
  int width = 0;
  int height = 0;
  if (WebPGetInfo(as_webp(encoded), encoded.size(), &width, &height) == 0) {
    return bad_image("WebP: the header can't be read");
  }
  return ImageSize{static_cast<std::uint64_t>(width), static_cast<std::uint64_t>(height)};
}

Result<Pixels> decode_webp(const Bytes& encoded, const ImageLimits& limits) {
  const auto size = read_webp_size(encoded);
  if (!size) {
    return Failure(size.error());
  }
  Result<Pixels> pixels = make_pixels(*size, limits);
  if (pixels &&
      WebPDecodeRGBAInto(as_webp(encoded), encoded.size(), pixels->rgba.data(), pixels->rgba.size(),
                         static_cast<int>(size->width) * 4) == nullptr) {
    return bad_image("WebP: the data is damaged or cut short");
  }
  return pixels;
}

/// KTX 2.0 header: pixelWidth and pixelHeight stand at 20 and 24; 0 high is a row.
Result<ImageSize> read_ktx2_size(const Bytes& encoded) {
  if (encoded.size() < 28) {
    return bad_image("KTX2: cut short");
  }
  std::array<std::uint32_t, 2> size{};
  std::memcpy(size.data(), encoded.data().data() + 20, sizeof size);
  return ImageSize{size[0], std::max(1U, size[1])};
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

Bytes encoded_bytes(const Scene& scene, ImageId image) { return find_encoded(scene, image); }

Result<ImageSize> find_image_size(const Bytes& encoded) {
  const std::string type = find_image_type(encoded);
  if (type == "image/png") {
    const PngContext context(spng_ctx_new(0), &spng_ctx_free);
    return read_png_size(context.get(), encoded);
  }
  if (type == "image/jpeg") {
    return read_jpeg_size(JpegDecoder(tjInitDecompress(), &tjDestroy), encoded);
  }
  if (type == "image/webp") {
    return read_webp_size(encoded);
  }
  return type == "image/ktx2" ? read_ktx2_size(encoded)
                              : bad_image("neither PNG, JPEG, WebP nor KTX2 by its first bytes");
}

namespace {

void take_pixels(const Pixels& pixels, ImageFacts& facts) {
  ValueHasher hasher;
  hasher.add(pixels.width_px);
  hasher.add(pixels.height_px);
  hasher.add(hash_bytes(std::as_bytes(std::span(pixels.rgba))));
  facts.pixels = hasher.finish();
  facts.decoded = true;
  std::copy_n(pixels.rgba.begin(), 4, facts.color.begin());
  // Each byte equals the one four before it: all pixels equal the first.
  facts.one_color = std::equal(pixels.rgba.begin() + 4, pixels.rgba.end(), pixels.rgba.begin());
  constexpr std::uint8_t nearly = 8;
  std::size_t between = 0;
  std::size_t low = 0;
  std::uint64_t off = 0;
  for (std::size_t a = 3; a < pixels.rgba.size(); a += 4) {
    between += pixels.rgba[a] > nearly && pixels.rgba[a] < 255 - nearly ? 1U : 0U;
    low += pixels.rgba[a] < 128 ? 1U : 0U;
    off += std::min<std::uint8_t>(pixels.rgba[a], 255 - pixels.rgba[a]);
  }
  const double count = static_cast<double>(pixels.rgba.size() / 4);
  facts.alpha_between = static_cast<double>(between) / count;
  facts.alpha_low = static_cast<double>(low) / count;
  facts.alpha_off_steps = static_cast<double>(off) / count;
}

ImageFacts make_facts(const Bytes& encoded, ImageDepth depth, const ImageLimits& limits) {
  ImageFacts facts;
  const std::string type = find_image_type(encoded);
  const auto size = find_image_size(encoded);
  if (!size) {
    facts.problem = size.error().message;
    return facts;
  }
  facts.width_px = static_cast<std::uint32_t>(std::min<std::uint64_t>(size->width, 0xFFFF'FFFFU));
  facts.height_px = static_cast<std::uint32_t>(std::min<std::uint64_t>(size->height, 0xFFFF'FFFFU));
  if (depth != ImageDepth::sizes && type != "image/ktx2") {
    const auto pixels = decode_image(encoded, limits);
    if (pixels) {
      take_pixels(*pixels, facts);
      if (depth == ImageDepth::detail && !facts.one_color) {
        measure_detail(*pixels, facts);
      }
    } else {
      facts.problem = pixels.error().message;
    }
  }
  return facts;
}

}  // namespace

Result<std::vector<ImageFacts>> read_image_facts(const Scene& scene,
                                                 ImageDepth depth,
                                                 const ImageLimits& limits,
                                                 const RunControl& run) {
  std::vector<ImageFacts> facts(scene.images.size());
  const bool finished = for_each_index(facts.size(), run, "reading images", [&](std::size_t i) {
    const Bytes encoded = find_encoded(scene, make_id<ImageId>(i));
    if (encoded.size() > 0) {  // else the file is missing, which is told elsewhere
      facts[i] = make_facts(encoded, depth, limits);
    }
  });
  return finished ? Result<std::vector<ImageFacts>>(std::move(facts)) : Failure(make_cancelled());
}

namespace {

Result<Pixels> decode_by_type(const Bytes& encoded, const ImageLimits& limits) {
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

}  // namespace

Result<Pixels> decode_image(const Bytes& encoded, const ImageLimits& limits) {
  auto pixels = decode_by_type(encoded, limits);
  // Of many large files only those at hand should take memory.
  encoded.let_go();
  return pixels;
}

Bytes StandardCodec::keep(std::vector<std::byte> encoded) const {
  constexpr std::size_t worth_a_file = 1U << 20U;
  if (!spill_folder_.empty() && encoded.size() >= worth_a_file) {
    if (auto spilled = spill(encoded, spill_folder_)) {
      return std::move(*spilled);
    }
  }
  return make_bytes(std::move(encoded));
}

namespace {

Result<void> check_pixels(const Pixels& pixels) {
  const std::uint64_t count = std::uint64_t{pixels.width_px} * pixels.height_px;
  if (count == 0 || pixels.rgba.size() != count * 4) {
    return bad_image(fmt::format("{} x {} pixels can't have {} bytes", pixels.width_px,
                                 pixels.height_px, pixels.rgba.size()));
  }
  return {};
}

std::vector<std::byte> copy_bytes(const void* data, std::size_t size) {
  const auto* bytes = static_cast<const std::byte*>(data);
  return {bytes, bytes + size};
}

constexpr int usual_jpeg_quality = 92;

Result<std::vector<std::byte>> encode_jpeg(const Pixels& pixels, int quality) {
  const JpegDecoder encoder(tjInitCompress(), &tjDestroy);
  unsigned char* data = nullptr;
  unsigned long size = 0;  // NOLINT(google-runtime-int): the type of libjpeg-turbo
  const int code = tjCompress2(encoder.get(), pixels.rgba.data(), static_cast<int>(pixels.width_px),
                               0, static_cast<int>(pixels.height_px), TJPF_RGBA, &data, &size,
                               TJSAMP_444, quality, TJFLAG_ACCURATEDCT);
  const std::unique_ptr<unsigned char, decltype(&tjFree)> keeper(data, &tjFree);
  if (code != 0) {
    return bad_image(fmt::format("JPEG: {}", tjGetErrorStr2(encoder.get())));
  }
  return copy_bytes(data, size);
}

/// \param quality  0: without loss
Result<std::vector<std::byte>> encode_webp(const Pixels& pixels, int quality) {
  constexpr int effort = 4;  // of 0 to 9; more is slow and gains little
  WebPConfig config;
  WebPPicture picture;
  WebPMemoryWriter writer;
  const bool started =
      quality == 0
          ? WebPConfigInit(&config) != 0 && WebPConfigLosslessPreset(&config, effort) != 0
          : WebPConfigPreset(&config, WEBP_PRESET_DEFAULT, static_cast<float>(quality)) != 0;
  if (!started || WebPPictureInit(&picture) == 0) {
    return bad_image("WebP: the library is of another version");
  }
  config.exact = 1;  // colours under transparent pixels count: filters reach them
  picture.use_argb = 1;
  picture.width = static_cast<int>(pixels.width_px);
  picture.height = static_cast<int>(pixels.height_px);
  WebPMemoryWriterInit(&writer);
  picture.writer = WebPMemoryWrite;
  picture.custom_ptr = &writer;
  const bool good = WebPPictureImportRGBA(&picture, pixels.rgba.data(), picture.width * 4) != 0 &&
                    WebPEncode(&config, &picture) != 0;
  const int code = picture.error_code;
  WebPPictureFree(&picture);
  const std::unique_ptr<WebPMemoryWriter, decltype(&WebPMemoryWriterClear)> keeper(
      &writer, &WebPMemoryWriterClear);
  return good ? Result<std::vector<std::byte>>(copy_bytes(writer.mem, writer.size))
              : bad_image(fmt::format("WebP: error {} of {} x {} pixels", code, pixels.width_px,
                                      pixels.height_px));
}

}  // namespace

Result<std::vector<std::byte>> encode_png(const Pixels& pixels) {
  if (auto good = check_pixels(pixels); !good) {
    return Failure(good.error());
  }
  bool opaque = true;
  for (std::size_t i = 3; i < pixels.rgba.size() && opaque; i += 4) {
    opaque = pixels.rgba[i] == 255;
  }
  std::vector<std::uint8_t> rows;
  if (opaque) {
    rows.reserve(pixels.rgba.size() / 4 * 3);
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
  return copy_bytes(buffer.get(), size);
}

Result<std::vector<std::byte>> encode_image(const Pixels& pixels, PictureType type, int quality) {
  if (auto good = check_pixels(pixels); !good) {
    return Failure(good.error());
  }
  switch (type) {
    case PictureType::jpeg:
      return encode_jpeg(pixels, quality == 0 ? usual_jpeg_quality : quality);
    case PictureType::webp:
      return encode_webp(pixels, quality);
    case PictureType::png:
      break;
  }
  return encode_png(pixels);
}

}  // namespace wakuzume
