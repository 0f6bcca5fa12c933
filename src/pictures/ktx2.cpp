// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/ktx2.h"

#include <astcenc.h>
#include <fmt/format.h>
#include <zstd.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <memory>
#include <optional>
#include <string_view>

#include "pictures/ktx2_format.h"
#include "scene/running.h"
#include "texture/cut_share.h"
#include "texture/resample.h"
#include "wakuzume/packing.h"

namespace wakuzume {
namespace {

using ktx2::FormatFacts;

/// Little-endian numbers, one after the other.
class ByteWriter {
 public:
  template <class T>
  void add(T number) {
    for (std::size_t i = 0; i < sizeof(T); ++i) {
      bytes_.push_back(static_cast<std::byte>((number >> (8 * i)) & 0xFFU));
    }
  }
  void add(std::string_view text) {
    for (const char c : text) {
      bytes_.push_back(static_cast<std::byte>(c));
    }
  }
  void add(const std::vector<std::byte>& bytes) {
    bytes_.insert(bytes_.end(), bytes.begin(), bytes.end());
  }
  void pad_to(std::size_t multiple) {
    bytes_.resize((bytes_.size() + multiple - 1) / multiple * multiple);
  }
  [[nodiscard]] std::size_t size() const { return bytes_.size(); }
  std::vector<std::byte> take() { return std::move(bytes_); }

 private:
  std::vector<std::byte> bytes_;
};

struct FreeAstc {
  void operator()(astcenc_context* context) const { astcenc_context_free(context); }
};

/// One layer's levels as the file has them.
class LevelEncoder {
 public:
  LevelEncoder(TexelKind kind, const CutShare& cut, const ArraySettings& settings)
      : kind_(kind), cut_(cut), settings_(settings), facts_(ktx2::find_facts(settings.format)) {}

  Result<std::vector<std::vector<std::byte>>> run(Pixels level, std::size_t levels) {
    std::optional<CutShares> shares;
    if (cut_.cutoff > 0) {
      shares.emplace(level, cut_);
    }
    if (facts_.block_side > 1) {
      if (auto made = make_context(); !made) {
        return Failure(made.error());
      }
    }
    std::vector<std::vector<std::byte>> out;
    for (std::size_t l = 0; l < levels; ++l) {
      if (l > 0) {
        level = make_halved(level, kind_);
      }
      auto bytes = l > 0 && shares ? encode(shares->keep(level, static_cast<std::uint32_t>(l)))
                                   : encode(level);
      if (!bytes) {
        return Failure(bytes.error());
      }
      out.push_back(std::move(*bytes));
    }
    return out;
  }

 private:
  static Failure refuse(astcenc_error code) {
    return Failure(
        Error{ErrorCode::bad_image, fmt::format("ASTC: {}", astcenc_get_error_string(code)), {}});
  }

  Result<void> make_context() {
    astcenc_config config{};
    const astcenc_profile profile =
        kind_ == TexelKind::colors ? ASTCENC_PRF_LDR_SRGB : ASTCENC_PRF_LDR;
    if (const auto code = astcenc_config_init(profile, facts_.block_side, facts_.block_side, 1,
                                              settings_.astc_quality, 0, &config);
        code != ASTCENC_SUCCESS) {
      return refuse(code);
    }
    astcenc_context* context = nullptr;
    if (const auto code = astcenc_context_alloc(&config, 1, &context); code != ASTCENC_SUCCESS) {
      return refuse(code);
    }
    context_.reset(context);
    return {};
  }

  Result<std::vector<std::byte>> encode(const Pixels& level) {
    if (facts_.block_side == 1) {
      const auto bytes = std::as_bytes(std::span(level.rgba));
      return std::vector<std::byte>(bytes.begin(), bytes.end());
    }
    std::vector<std::byte> out(facts_.count_bytes(level.width_px, level.height_px));
    std::vector<std::uint8_t> texels = level.rgba;  // the library asks for what it may write to
    void* slice = texels.data();
    astcenc_image image{level.width_px, level.height_px, 1, ASTCENC_TYPE_U8, &slice};
    const astcenc_swizzle swizzle{ASTCENC_SWZ_R, ASTCENC_SWZ_G, ASTCENC_SWZ_B, ASTCENC_SWZ_A};
    const auto code =
        astcenc_compress_image(context_.get(), &image, &swizzle,
                               reinterpret_cast<std::uint8_t*>(out.data()), out.size(), 0);
    if (code != ASTCENC_SUCCESS) {
      return refuse(code);
    }
    astcenc_compress_reset(context_.get());
    return out;
  }

  TexelKind kind_;
  const CutShare& cut_;
  const ArraySettings& settings_;
  FormatFacts facts_;
  std::unique_ptr<astcenc_context, FreeAstc> context_;
};

/// A basic data format descriptor with its length before it.
std::vector<std::byte> make_descriptor(const FormatFacts& facts, bool srgb) {
  constexpr std::uint8_t bt709 = 1;
  constexpr std::uint8_t linear_transfer = 1;
  constexpr std::uint8_t srgb_transfer = 2;
  constexpr std::uint8_t alpha_channel = 15;
  constexpr std::uint8_t is_linear = 0x10;
  const bool blocks = facts.block_side > 1;
  const std::uint32_t samples = blocks ? 1 : 4;
  const std::uint32_t block_size = 24 + 16 * samples;
  ByteWriter out;
  out.add<std::uint32_t>(4 + block_size);
  out.add<std::uint32_t>(0);  // Khronos, basic format
  out.add<std::uint16_t>(2);
  out.add<std::uint16_t>(static_cast<std::uint16_t>(block_size));
  out.add<std::uint8_t>(facts.color_model);
  out.add<std::uint8_t>(bt709);
  out.add<std::uint8_t>(srgb ? srgb_transfer : linear_transfer);
  out.add<std::uint8_t>(0);  // alpha is straight
  const auto side = static_cast<std::uint8_t>(facts.block_side - 1);
  for (const std::uint8_t dimension : {side, side, std::uint8_t{0}, std::uint8_t{0}}) {
    out.add<std::uint8_t>(dimension);
  }
  out.add<std::uint64_t>(facts.block_bytes);  // of the first plane; there are no others
  for (std::uint32_t s = 0; s < samples; ++s) {
    const bool alpha = !blocks && s == 3;
    const auto channel = static_cast<std::uint8_t>(alpha ? alpha_channel : s);
    out.add<std::uint16_t>(static_cast<std::uint16_t>(8 * s));
    out.add<std::uint8_t>(blocks ? 127 : 7);
    out.add<std::uint8_t>(
        static_cast<std::uint8_t>(channel | (alpha && srgb ? is_linear : std::uint8_t{0})));
    out.add<std::uint32_t>(0);
    out.add<std::uint32_t>(0);
    out.add<std::uint32_t>(blocks ? 0xFFFF'FFFFU : 255U);
  }
  return out.take();
}

std::vector<std::byte> make_key_values() {
  using std::string_view_literals::operator""sv;
  ByteWriter out;
  for (const std::string_view entry : {"KTXorientation\0rd\0"sv, "KTXwriter\0wakuzume\0"sv}) {
    out.add<std::uint32_t>(static_cast<std::uint32_t>(entry.size()));
    out.add(entry);
    out.pad_to(4);
  }
  return out.take();
}

Result<void> check(const TextureArray& array, const ArraySettings& settings) {
  const auto bad = [](ErrorCode code, std::string message) {
    return Failure(Error{code, std::move(message), {}});
  };
  if (array.layers.empty()) {
    return bad(ErrorCode::bad_image, "a texture array without layers");
  }
  const Pixels& first = array.layers.front();
  for (const Pixels& layer : array.layers) {
    if (layer.width_px == 0 || layer.height_px == 0 || layer.width_px != first.width_px ||
        layer.height_px != first.height_px ||
        layer.rgba.size() != std::size_t{4} * layer.width_px * layer.height_px) {
      return bad(ErrorCode::bad_image,
                 fmt::format("layers of one array have one size; there are {} x {} and {} x {}",
                             first.width_px, first.height_px, layer.width_px, layer.height_px));
    }
  }
  if (std::max(first.width_px, first.height_px) > ktx2::most_px) {
    return bad(ErrorCode::bad_image, fmt::format("layers of {} x {} pixels; {} a side is the most",
                                                 first.width_px, first.height_px, ktx2::most_px));
  }
  if (settings.shape == ArrayShape::single && array.layers.size() != 1) {
    return bad(ErrorCode::bad_image,
               fmt::format("a single texture of {} layers", array.layers.size()));
  }
  if (settings.zstd_level < 1 || settings.zstd_level > 22) {
    return bad(ErrorCode::bad_setting, "zstd_level must be from 1 to 22");
  }
  if (!(settings.astc_quality >= 0 && settings.astc_quality <= 100)) {
    return bad(ErrorCode::bad_setting, "astc_quality must be from 0 to 100");
  }
  return {};
}

std::size_t count_levels(const RectSize& layer, MipChain mips) {
  std::size_t levels = 1;
  for (std::uint32_t side = std::max(layer.width_px, layer.height_px);
       side > 1 && mips == MipChain::full; side /= 2) {
    ++levels;
  }
  return levels;
}

Result<std::vector<std::byte>> squeeze(const std::vector<std::byte>& level, int zstd_level) {
  std::vector<std::byte> out(ZSTD_compressBound(level.size()));
  const std::size_t size =
      ZSTD_compress(out.data(), out.size(), level.data(), level.size(), zstd_level);
  if (ZSTD_isError(size) != 0) {
    return Failure(
        Error{ErrorCode::bad_image, fmt::format("zstd: {}", ZSTD_getErrorName(size)), {}});
  }
  out.resize(size);
  return out;
}

/// Header, level index, descriptor, keys, and the levels from the smallest on.
std::vector<std::byte> put_together(TexelKind kind,
                                    const RectSize& size,
                                    std::size_t layers,
                                    const ArraySettings& settings,
                                    const std::vector<std::vector<std::byte>>& levels,
                                    const std::vector<std::size_t>& plain_sizes) {
  const FormatFacts facts = ktx2::find_facts(settings.format);
  const bool srgb = kind == TexelKind::colors;
  const bool squeezed = settings.supercompression == Supercompression::zstd;
  const std::vector<std::byte> descriptor = make_descriptor(facts, srgb);
  const std::vector<std::byte> keys = make_key_values();
  const std::size_t descriptor_at = ktx2::header_bytes + ktx2::index_bytes * levels.size();
  const std::size_t keys_at = descriptor_at + descriptor.size();
  // Levels as they are begin at multiples of a block; those that are squeezed anywhere.
  const std::size_t alignment = squeezed ? 1 : std::max<std::size_t>(4, facts.block_bytes);
  std::vector<std::size_t> offsets(levels.size());
  std::size_t end = keys_at + keys.size();
  for (std::size_t l = levels.size(); l-- > 0;) {
    offsets[l] = (end + alignment - 1) / alignment * alignment;
    end = offsets[l] + levels[l].size();
  }
  ByteWriter out;
  out.add(ktx2::identifier);
  const std::uint32_t numbers[] = {
      srgb ? facts.vulkan_srgb : facts.vulkan_linear,
      1,
      size.width_px,
      size.height_px,
      0,
      settings.shape == ArrayShape::single ? 0U : static_cast<std::uint32_t>(layers),
      1,
      static_cast<std::uint32_t>(levels.size()),
      squeezed ? ktx2::zstd_scheme : 0U,
      static_cast<std::uint32_t>(descriptor_at),
      static_cast<std::uint32_t>(descriptor.size()),
      static_cast<std::uint32_t>(keys_at),
      static_cast<std::uint32_t>(keys.size())};
  for (const std::uint32_t number : numbers) {
    out.add(number);
  }
  out.add<std::uint64_t>(0);  // no data that all levels share
  out.add<std::uint64_t>(0);
  for (std::size_t l = 0; l < levels.size(); ++l) {
    out.add<std::uint64_t>(offsets[l]);
    out.add<std::uint64_t>(levels[l].size());
    out.add<std::uint64_t>(plain_sizes[l]);
  }
  out.add(descriptor);
  out.add(keys);
  for (std::size_t l = levels.size(); l-- > 0;) {
    out.pad_to(alignment);
    out.add(levels[l]);
  }
  return out.take();
}

}  // namespace

Result<std::vector<std::byte>> encode_ktx2(TextureArray array,
                                           const ArraySettings& settings,
                                           const RunControl& run) {
  if (auto good = check(array, settings); !good) {
    return Failure(good.error());
  }
  const RectSize size{array.layers.front().width_px, array.layers.front().height_px};
  const std::size_t count = count_levels(size, settings.mips);
  using Levels = std::vector<std::vector<std::byte>>;
  std::vector<Result<Levels>> layers(array.layers.size());
  if (!for_each_index(layers.size(), run, "making mip levels", [&](std::size_t i) {
        layers[i] =
            LevelEncoder(array.kind, array.cut, settings).run(std::move(array.layers[i]), count);
      })) {
    return Failure(make_cancelled());
  }
  Levels levels(count);
  std::vector<std::size_t> plain_sizes(count);
  for (auto& layer : layers) {
    if (!layer) {
      return Failure(layer.error());
    }
    for (std::size_t l = 0; l < count; ++l) {
      levels[l].insert(levels[l].end(), (*layer)[l].begin(), (*layer)[l].end());
    }
    layer->clear();
  }
  for (std::size_t l = 0; l < count; ++l) {
    plain_sizes[l] = levels[l].size();
    if (settings.supercompression == Supercompression::zstd) {
      auto squeezed = squeeze(levels[l], settings.zstd_level);
      if (!squeezed) {
        return Failure(squeezed.error());
      }
      levels[l] = std::move(*squeezed);
    }
  }
  return put_together(array.kind, size, layers.size(), settings, levels, plain_sizes);
}

}  // namespace wakuzume
