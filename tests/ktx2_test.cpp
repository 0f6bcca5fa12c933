// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/ktx2.h"

#include <astcenc.h>
#include <gtest/gtest.h>
#include <simdjson.h>

#include <array>
#include <cmath>

#include "support/pictures.h"
#include "support/process.h"

namespace wakuzume {
namespace {

using test::make_picture;
using Bytes8 = std::vector<std::uint8_t>;

/// What somebody else's parser found in a file.
struct Found {
  std::uint64_t format = 0;
  std::array<std::uint64_t, 3> size{};
  std::uint64_t layers = 0;
  std::uint64_t model = 0;
  std::uint64_t transfer = 0;
  std::uint64_t samples = 0;
  std::vector<Bytes8> levels;
};

Bytes8 decode_base64(std::string_view text) {
  const std::string_view alphabet =
      "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  Bytes8 out;
  std::uint32_t bits = 0;
  int count = 0;
  for (const char c : text) {
    const std::size_t value = alphabet.find(c);
    if (value == std::string_view::npos) {
      break;
    }
    bits = bits << 6U | static_cast<std::uint32_t>(value);
    count += 6;
    if (count >= 8) {
      count -= 8;
      out.push_back(static_cast<std::uint8_t>(bits >> static_cast<unsigned>(count)));
    }
  }
  return out;
}

Found ask_parser(const std::vector<std::byte>& file) {
  const auto path = test::make_scratch() / "array.ktx2";
  test::write_all(path, {reinterpret_cast<const char*>(file.data()), file.size()});
  const test::Outcome outcome =
      test::run_program({WAKUZUME_NODE, WAKUZUME_JUDGES "/ktx2.mjs", path.string()});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  simdjson::dom::parser parser;
  simdjson::dom::element root;
  Found found;
  if (parser.parse(outcome.out).get(root) != simdjson::SUCCESS) {
    ADD_FAILURE() << outcome.out;
    return found;
  }
  const auto number = [&](const char* key) {
    std::uint64_t value = 0;
    EXPECT_EQ(root[key].get(value), simdjson::SUCCESS) << key;
    return value;
  };
  found.format = number("format");
  found.layers = number("layers");
  found.model = number("model");
  found.transfer = number("transfer");
  found.samples = number("samples");
  EXPECT_EQ(number("faces"), 1U);
  for (std::size_t i = 0; i < 3; ++i) {
    EXPECT_EQ(root["size"].at(i).get(found.size[i]), simdjson::SUCCESS);
  }
  simdjson::dom::array levels;
  EXPECT_EQ(root["levels"].get(levels), simdjson::SUCCESS);
  for (const simdjson::dom::element level : levels) {
    std::string_view text;
    EXPECT_EQ(level.get(text), simdjson::SUCCESS);
    found.levels.push_back(decode_base64(text));
  }
  return found;
}

TextureArray make_array(std::size_t layers, std::uint32_t width, std::uint32_t height) {
  TextureArray array;
  for (std::size_t l = 0; l < layers; ++l) {
    array.layers.push_back(make_picture(width, height, static_cast<std::uint32_t>(l)));
  }
  return array;
}

TEST(EncodeKtx2, HoldsEveryLayerOfTheFirstLevelAsItWas) {
  for (const Supercompression scheme : {Supercompression::none, Supercompression::zstd}) {
    const TextureArray array = make_array(5, 40, 24);
    const auto file = encode_ktx2(array, {.supercompression = scheme});
    ASSERT_TRUE(file);
    const Found found = ask_parser(*file);
    EXPECT_EQ(found.format, 43U) << "R8G8B8A8_SRGB";
    EXPECT_EQ(found.size, (std::array<std::uint64_t, 3>{40, 24, 0}));
    EXPECT_EQ(found.layers, 5U);
    EXPECT_EQ(found.model, 1U);
    EXPECT_EQ(found.transfer, 2U);
    EXPECT_EQ(found.samples, 4U);
    ASSERT_EQ(found.levels.size(), 6U) << "40, 20, 10, 5, 2, 1";
    ASSERT_EQ(found.levels[0].size(), 5U * 40 * 24 * 4);
    for (std::size_t l = 0; l < 5; ++l) {
      EXPECT_TRUE(
          std::equal(array.layers[l].rgba.begin(), array.layers[l].rgba.end(),
                     found.levels[0].begin() + static_cast<std::ptrdiff_t>(l * 40 * 24 * 4)));
    }
    std::size_t width = 40;
    std::size_t height = 24;
    for (const Bytes8& level : found.levels) {
      EXPECT_EQ(level.size(), 5 * width * height * 4);
      width = std::max<std::size_t>(1, width / 2);
      height = std::max<std::size_t>(1, height / 2);
    }
  }
}

TEST(EncodeKtx2, AveragesEachKindOfTexelsInItsOwnWay) {
  TextureArray array;
  array.layers.push_back(test::make_flat_picture(2, 1, {0, 0, 0, 255}));
  std::fill_n(array.layers[0].rgba.begin(), 3, std::uint8_t{255});
  const auto last = [&](TexelKind kind) {
    array.kind = kind;
    const auto file = encode_ktx2(array);
    return ask_parser(*file).levels.at(1);
  };
  EXPECT_EQ(last(TexelKind::colors), (Bytes8{188, 188, 188, 255})) << "half the light";
  EXPECT_EQ(last(TexelKind::values), (Bytes8{128, 128, 128, 255})) << "half the value";
  array.layers[0].rgba[7] = 0;
  EXPECT_EQ(last(TexelKind::colors), (Bytes8{188, 188, 188, 128}))
      << "what shows through counts, too, as where engines make the levels";
  array.layers[0].rgba[7] = 255;
  // Leaning right and leaning left is straight up.
  array.layers[0].rgba = {218, 128, 218, 255, 37, 128, 218, 255};
  const Bytes8 up = last(TexelKind::normals);
  EXPECT_NEAR(up[0], 128, 1);
  EXPECT_NEAR(up[2], 255, 1);
  EXPECT_EQ(ask_parser(*encode_ktx2(array)).format, 37U) << "R8G8B8A8_UNORM";
}

/// Soft waves: blocks hold two colours and what lies between, which blotches are not.
Pixels make_waves(std::uint32_t width, std::uint32_t height, double phase) {
  Pixels out{width, height, {}};
  for (std::uint32_t y = 0; y < height; ++y) {
    for (std::uint32_t x = 0; x < width; ++x) {
      for (const double speed : {0.11, 0.17, 0.23}) {
        const double wave = std::sin(speed * x + phase) + std::cos(0.13 * y + 5 * speed);
        out.rgba.push_back(static_cast<std::uint8_t>(128 + 50 * wave));
      }
      out.rgba.push_back(255);
    }
  }
  return out;
}

TEST(EncodeKtx2, WritesOneTextureThatIsNoArray) {
  const TextureArray array = make_array(1, 12, 20);
  const auto file = encode_ktx2(array, {.shape = ArrayShape::single});
  ASSERT_TRUE(file);
  const Found found = ask_parser(*file);
  EXPECT_EQ(found.layers, 0U) << "an array of one layer is another thing";
  EXPECT_EQ(found.levels.size(), 5U);
  EXPECT_EQ(found.levels[0], array.layers[0].rgba);
  EXPECT_EQ(decode_ktx2(make_bytes(*file))->layers[0].rgba, array.layers[0].rgba);
  const auto refused = encode_ktx2(make_array(2, 12, 20), {.shape = ArrayShape::single});
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, ErrorCode::bad_image);
}

TEST(EncodeKtx2, CompressesBlocksThatDecodeToNearlyTheSame) {
  for (const auto& [format, side, number] :
       {std::tuple(TexelFormat::astc_4x4, 4U, 158U), std::tuple(TexelFormat::astc_6x6, 6U, 166U)}) {
    const TextureArray array{.layers = {make_waves(50, 34, 0), make_waves(50, 34, 2)}};
    const auto file = encode_ktx2(array, {.format = format, .mips = MipChain::none});
    ASSERT_TRUE(file);
    const auto back = decode_ktx2(make_bytes(*file));
    ASSERT_TRUE(back) << to_string(back.error());
    ASSERT_EQ(back->layers.size(), 2U);
    const Found found = ask_parser(*file);
    EXPECT_EQ(found.format, number);
    EXPECT_EQ(found.model, 162U);
    EXPECT_EQ(found.samples, 1U);
    ASSERT_EQ(found.levels.size(), 1U);
    const std::size_t blocks = ((50 + side - 1) / side) * ((34 + side - 1) / side);
    ASSERT_EQ(found.levels[0].size(), 2 * blocks * 16);
    astcenc_config config{};
    ASSERT_EQ(astcenc_config_init(ASTCENC_PRF_LDR_SRGB, side, side, 1, 60,
                                  ASTCENC_FLG_DECOMPRESS_ONLY, &config),
              ASTCENC_SUCCESS);
    astcenc_context* context = nullptr;
    ASSERT_EQ(astcenc_context_alloc(&config, 1, &context), ASTCENC_SUCCESS);
    for (std::size_t l = 0; l < 2; ++l) {
      Pixels decoded{50, 34, {}};
      decoded.rgba.resize(50 * 34 * 4);
      void* slice = decoded.rgba.data();
      astcenc_image image{50, 34, 1, ASTCENC_TYPE_U8, &slice};
      const astcenc_swizzle swizzle{ASTCENC_SWZ_R, ASTCENC_SWZ_G, ASTCENC_SWZ_B, ASTCENC_SWZ_A};
      ASSERT_EQ(astcenc_decompress_image(context, &found.levels[0][l * blocks * 16], blocks * 16,
                                         &image, &swizzle, 0),
                ASTCENC_SUCCESS);
      astcenc_decompress_reset(context);
      EXPECT_GT(test::find_psnr(decoded, array.layers[l]), side == 4 ? 42 : 36);
      EXPECT_TRUE(back->layers[l].rgba == decoded.rgba) << "our own reading says the same";
    }
    astcenc_context_free(context);
  }
}

TEST(EncodeKtx2, GivesTheSameBytesForAnyNumberOfThreads) {
  const TextureArray array = make_array(9, 64, 64);
  const auto one = encode_ktx2(array, {}, {.threads = 1});
  const auto four = encode_ktx2(array, {}, {.threads = 4});
  ASSERT_TRUE(one && four);
  EXPECT_TRUE(*one == *four);
}

TEST(EncodeKtx2, RefusesWhatIsNoArray) {
  const auto code = [](const TextureArray& array, const ArraySettings& settings = {}) {
    const auto out = encode_ktx2(array, settings);
    return out ? ErrorCode::cancelled : out.error().code;
  };
  EXPECT_EQ(code({}), ErrorCode::bad_image);
  TextureArray uneven = make_array(2, 8, 8);
  uneven.layers[1] = make_picture(8, 4, 1);
  EXPECT_EQ(code(uneven), ErrorCode::bad_image);
  TextureArray short_of_bytes = make_array(1, 8, 8);
  short_of_bytes.layers[0].rgba.pop_back();
  EXPECT_EQ(code(short_of_bytes), ErrorCode::bad_image);
  EXPECT_EQ(code(make_array(1, 4, 4), {.zstd_level = 40}), ErrorCode::bad_setting);
  EXPECT_EQ(code(make_array(1, 4, 4), {.astc_quality = -1}), ErrorCode::bad_setting);
  EXPECT_EQ(code(make_array(1, 20'000, 1)), ErrorCode::bad_image);
}

}  // namespace
}  // namespace wakuzume
