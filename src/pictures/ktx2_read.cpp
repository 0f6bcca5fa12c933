// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <astcenc.h>
#include <fmt/format.h>
#include <zstd.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <memory>
#include <optional>

#include "pictures/ktx2_format.h"
#include "wakuzume/ktx2.h"

namespace wakuzume {
namespace {

using ktx2::FormatFacts;

Failure refuse(std::string message, ErrorCode code = ErrorCode::bad_image) {
  return Failure(Error{code, "KTX2: " + std::move(message), {}});
}

std::uint64_t read_number(std::span<const std::byte> data, std::size_t at, std::size_t size) {
  std::uint64_t number = 0;
  for (std::size_t i = size; i-- > 0;) {
    number = number << 8U | std::to_integer<std::uint64_t>(data[at + i]);
  }
  return number;
}

struct Header {
  TexelFormat format = TexelFormat::rgba8;
  bool srgb = false;
  std::uint32_t width_px = 0;
  std::uint32_t height_px = 0;
  std::uint32_t layers = 0;
  std::uint32_t scheme = 0;
  std::uint32_t levels = 1;
  std::span<const std::byte> packed;  ///< the level that was asked for
  std::uint64_t plain_bytes = 0;      ///< of it
};

/// \return the size of the level, with what it holds
Result<Header> read_header(std::span<const std::byte> data,
                           const ArrayLimits& limits,
                           std::uint32_t level) {
  constexpr std::size_t least = ktx2::header_bytes + ktx2::index_bytes;
  if (data.size() < least ||
      std::memcmp(data.data(), ktx2::identifier.data(), ktx2::identifier.size()) != 0) {
    return refuse(fmt::format("no file of this kind in {} B", data.size()));
  }
  const auto number = [&](std::size_t field) {
    return static_cast<std::uint32_t>(read_number(data, 12 + 4 * field, 4));
  };
  Header header;
  bool known = false;
  for (const TexelFormat format :
       {TexelFormat::rgba8, TexelFormat::astc_4x4, TexelFormat::astc_6x6}) {
    const FormatFacts facts = ktx2::find_facts(format);
    if (number(0) == facts.vulkan_linear || number(0) == facts.vulkan_srgb) {
      header.format = format;
      header.srgb = number(0) == facts.vulkan_srgb;
      known = true;
    }
  }
  if (!known) {
    return refuse(fmt::format("format {} is none that is written here", number(0)));
  }
  header.width_px = number(2);
  header.height_px = number(3);
  header.layers = std::max(1U, number(5));
  header.scheme = number(8);
  const bool flat = number(4) == 0 && number(6) == 1;
  if (!flat || std::min(header.width_px, header.height_px) == 0 ||
      std::max(header.width_px, header.height_px) > ktx2::most_px ||
      (header.scheme != 0 && header.scheme != ktx2::zstd_scheme)) {
    return refuse(
        fmt::format("{} x {} pixels, depth {}, {} faces, supercompression {} is nothing "
                    "that is written here",
                    header.width_px, header.height_px, number(4), number(6), number(8)));
  }
  const std::uint64_t pixels = std::uint64_t{header.width_px} * header.height_px * header.layers;
  if (header.layers > limits.max_layers || pixels > limits.max_pixels) {
    return refuse(fmt::format("{} layers of {} x {} pixels; up to {} layers and {} pixels are read",
                              header.layers, header.width_px, header.height_px, limits.max_layers,
                              limits.max_pixels),
                  ErrorCode::too_large);
  }
  header.levels = std::max(1U, number(7));
  const std::size_t index = ktx2::header_bytes + std::size_t{ktx2::index_bytes} * level;
  if (level >= header.levels || index + ktx2::index_bytes > data.size()) {
    return refuse(fmt::format("there is no level {}, it has {}", level, header.levels));
  }
  const std::uint64_t offset = read_number(data, index, 8);
  const std::uint64_t length = read_number(data, index + 8, 8);
  if (offset > data.size() || length > data.size() - offset) {
    return refuse(fmt::format("its level {} is {} B from {} on, the file has {} B", level, length,
                              offset, data.size()));
  }
  header.packed = data.subspan(offset, length);
  header.width_px = level < 32 ? std::max(1U, header.width_px >> level) : 1;
  header.height_px = level < 32 ? std::max(1U, header.height_px >> level) : 1;
  header.plain_bytes =
      header.layers *
      ktx2::find_facts(header.format).count_bytes(header.width_px, header.height_px);
  return header;
}

Result<std::vector<std::byte>> unpack_level(const Header& header) {
  if (header.scheme == 0) {
    if (header.packed.size() != header.plain_bytes) {
      return refuse(fmt::format("a level has {} B instead of {} B", header.packed.size(),
                                header.plain_bytes));
    }
    return std::vector<std::byte>(header.packed.begin(), header.packed.end());
  }
  std::vector<std::byte> out(header.plain_bytes);
  const std::size_t size =
      ZSTD_decompress(out.data(), out.size(), header.packed.data(), header.packed.size());
  if (ZSTD_isError(size) != 0 || size != out.size()) {
    return refuse(fmt::format("a level does not unpack to {} B", header.plain_bytes));
  }
  return out;
}

Result<void> decode_blocks(const Header& header,
                           std::vector<std::byte>& blocks,
                           TextureArray& out) {
  const FormatFacts facts = ktx2::find_facts(header.format);
  astcenc_config config{};
  astcenc_context* made = nullptr;
  if (astcenc_config_init(header.srgb ? ASTCENC_PRF_LDR_SRGB : ASTCENC_PRF_LDR, facts.block_side,
                          facts.block_side, 1, ASTCENC_PRE_FASTEST, ASTCENC_FLG_DECOMPRESS_ONLY,
                          &config) != ASTCENC_SUCCESS ||
      astcenc_context_alloc(&config, 1, &made) != ASTCENC_SUCCESS) {
    return refuse("ASTC can't be decoded");
  }
  const std::unique_ptr<astcenc_context, decltype(&astcenc_context_free)> context(
      made, &astcenc_context_free);
  const std::size_t bytes = facts.count_bytes(header.width_px, header.height_px);
  for (std::size_t l = 0; l < out.layers.size(); ++l) {
    void* slice = out.layers[l].rgba.data();
    astcenc_image image{header.width_px, header.height_px, 1, ASTCENC_TYPE_U8, &slice};
    const astcenc_swizzle swizzle{ASTCENC_SWZ_R, ASTCENC_SWZ_G, ASTCENC_SWZ_B, ASTCENC_SWZ_A};
    if (astcenc_decompress_image(made, reinterpret_cast<const std::uint8_t*>(&blocks[l * bytes]),
                                 bytes, &image, &swizzle, 0) != ASTCENC_SUCCESS) {
      return refuse(fmt::format("layer {} is no ASTC", l));
    }
    astcenc_decompress_reset(made);
  }
  return {};
}

}  // namespace

Result<TextureArray> decode_ktx2(const Bytes& encoded,
                                 const ArrayLimits& limits,
                                 std::uint32_t level_number) {
  const auto header = read_header(encoded.data(), limits, level_number);
  if (!header) {
    return Failure(header.error());
  }
  auto level = unpack_level(*header);
  if (!level) {
    return Failure(level.error());
  }
  TextureArray out;
  out.format = header->format;
  out.mip_levels = header->levels;
  out.kind = header->srgb ? TexelKind::colors : TexelKind::values;
  const std::size_t layer_bytes = std::size_t{4} * header->width_px * header->height_px;
  for (std::uint32_t l = 0; l < header->layers; ++l) {
    Pixels& layer = out.layers.emplace_back();
    layer.width_px = header->width_px;
    layer.height_px = header->height_px;
    layer.rgba.resize(layer_bytes);
    if (header->format == TexelFormat::rgba8) {
      std::memcpy(layer.rgba.data(), &(*level)[l * layer_bytes], layer_bytes);
    }
  }
  if (header->format != TexelFormat::rgba8) {
    if (auto done = decode_blocks(*header, *level, out); !done) {
      return Failure(done.error());
    }
  }
  return out;
}

}  // namespace wakuzume
