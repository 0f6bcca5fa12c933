// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <cmath>
#include <cstring>
#include <random>

#define STB_IMAGE_STATIC
#define STB_IMAGE_IMPLEMENTATION
#define STBI_ONLY_HDR
#define STBI_ONLY_PNG
#include <stb/stb_image.h>

#include "wakuzume/image.h"

// Stored texels come back as they are, and another reader sees the same.
namespace wakuzume {
namespace {

TexelGrid make_grid(const std::string& format,
                    std::uint32_t texel_bytes,
                    RectSize size,
                    std::uint32_t seed) {
  TexelGrid grid{size, format, texel_bytes, {}};
  grid.texels.resize(std::size_t{size.width_px} * size.height_px * texel_bytes);
  std::mt19937 random(seed);
  std::byte last{};
  for (std::byte& value : grid.texels) {
    // Runs as well as noise.
    last = random() % 3 == 0 ? last : static_cast<std::byte>(random());
    value = last;
  }
  return grid;
}

const stbi_uc* as_stb(const std::vector<std::byte>& bytes) {
  return reinterpret_cast<const stbi_uc*>(bytes.data());
}

struct Kind {
  const char* format;
  std::uint32_t texel_bytes;
};
void PrintTo(const Kind& kind, std::ostream* out) { *out << kind.format; }

class Texels : public testing::TestWithParam<Kind> {};

TEST_P(Texels, ComeBackAsTheyWere) {
  for (const RectSize size :
       {RectSize{1, 1}, RectSize{7, 3}, RectSize{8, 8}, RectSize{300, 5}, RectSize{129, 64}}) {
    const TexelGrid grid = make_grid(GetParam().format, GetParam().texel_bytes, size, 5);
    const auto packed = pack_texels(grid);
    ASSERT_TRUE(packed) << to_string(packed.error());
    const Bytes bytes = make_bytes(*packed);
    const auto again = unpack_texels(bytes);
    ASSERT_TRUE(again) << to_string(again.error());
    EXPECT_EQ(again->format, grid.format);
    EXPECT_EQ(again->size, grid.size);
    EXPECT_EQ(again->texel_bytes, grid.texel_bytes);
    EXPECT_EQ(again->texels, grid.texels);
    const auto head = unpack_texels(bytes, ImageDepth::sizes);
    ASSERT_TRUE(head);
    EXPECT_EQ(head->size, grid.size);
    EXPECT_EQ(head->format, grid.format);
    EXPECT_TRUE(head->texels.empty());
    // Cut anywhere it is an error, and never a crash.
    for (std::size_t cut = 0; cut + 1 < packed->size(); cut += 1 + packed->size() / 97) {
      const auto broken = unpack_texels(bytes.part(0, cut));
      EXPECT_TRUE(!broken || broken->texels.size() == grid.texels.size());
    }
  }
}

TEST_P(Texels, AreNoCrashWhateverBytesAreDamaged) {
  const TexelGrid grid = make_grid(GetParam().format, GetParam().texel_bytes, {40, 9}, 7);
  const auto packed = pack_texels(grid);
  ASSERT_TRUE(packed);
  std::mt19937 random(3);
  std::size_t errors = 0;
  for (int round = 0; round < 400; ++round) {
    std::vector<std::byte> bytes = *packed;
    for (int hit = 0; hit < 1 + round % 5; ++hit) {
      bytes[random() % bytes.size()] = static_cast<std::byte>(random());
    }
    const auto read =
        unpack_texels(make_bytes(bytes), ImageDepth::pixels, ImageLimits{.max_pixels = 100000});
    errors += read ? 0U : 1U;
  }
  EXPECT_GT(errors, 10U);
}

const Kind texel_kinds[] = {
    {"image/png gray 8", 1},
    {"image/png gray 16", 2},
    {"image/png gray_alpha 8", 2},
    {"image/png gray_alpha 16", 4},
    {"image/png rgb 8", 3},
    {"image/png rgb 16", 6},
    {"image/png rgba 8", 4},
    {"image/png rgba 16", 8},
    {"image/vnd.radiance rgbe", 4},
    {"image/x-exr B:half G:half R:half", 6},
    {"image/x-exr A:float B:half G:uint", 10},
};
INSTANTIATE_TEST_SUITE_P(Kinds, Texels, testing::ValuesIn(texel_kinds));

TEST(TexelFiles, AreReadTheSameByAnotherReader) {
  TexelGrid grid = make_grid("image/vnd.radiance rgbe", 4, {50, 20}, 11);
  const std::vector<std::byte> hdr = *pack_texels(grid);
  int width = 0;
  int height = 0;
  int channels = 0;
  float* const floats = stbi_loadf_from_memory(as_stb(hdr), static_cast<int>(hdr.size()), &width,
                                               &height, &channels, 3);
  ASSERT_NE(floats, nullptr) << stbi_failure_reason();
  EXPECT_EQ(width, 50);
  const LightPixels light = *decode_light(make_bytes(hdr));
  EXPECT_EQ(std::memcmp(light.rgb.data(), floats, std::size_t{3000} * sizeof(float)), 0);
  for (std::size_t i = 0; i < 1000; ++i) {
    const auto byte = [&](std::size_t c) { return static_cast<int>(grid.texels[4 * i + c]); };
    for (std::size_t c = 0; c < 3; ++c) {
      const float wanted =
          byte(3) == 0 ? 0.0F : std::ldexp(static_cast<float>(byte(c)), byte(3) - 136);
      ASSERT_EQ(floats[3 * i + c], wanted) << "texel " << i;
    }
  }
  stbi_image_free(floats);

  grid = make_grid("image/png rgb 16", 6, {33, 9}, 12);
  const std::vector<std::byte> png = *pack_texels(grid);
  stbi_us* const shorts = stbi_load_16_from_memory(as_stb(png), static_cast<int>(png.size()),
                                                   &width, &height, &channels, 3);
  ASSERT_NE(shorts, nullptr) << stbi_failure_reason();
  EXPECT_EQ(std::memcmp(shorts, grid.texels.data(), grid.texels.size()), 0);
  stbi_image_free(shorts);
}

TEST(TexelFiles, ReadTheOlderRunsOfRadiance) {
  const std::string head = "#?RADIANCE\n# made by hand\nFORMAT=32-bit_rle_rgbe\n\n-Y 1 +X 6\n";
  std::vector<std::byte> bytes;
  for (const char c : head) {
    bytes.push_back(static_cast<std::byte>(c));
  }
  for (const int value : {9, 8, 7, 130, 1, 1, 1, 4, 3, 2, 1, 129}) {
    bytes.push_back(static_cast<std::byte>(value));
  }
  const auto grid = unpack_texels(make_bytes(bytes));
  ASSERT_TRUE(grid) << to_string(grid.error());
  for (std::size_t x = 0; x < 6; ++x) {
    EXPECT_EQ(grid->texels[4 * x], static_cast<std::byte>(x < 5 ? 9 : 3));
  }
}

TEST(TexelFiles, RefuseWhatNobodyCanWrite) {
  const auto code = [](const TexelGrid& grid) { return pack_texels(grid).error().code; };
  EXPECT_EQ(code(make_grid("image/png rgb 12", 5, {4, 4}, 1)), ErrorCode::bad_image);
  EXPECT_EQ(code(make_grid("image/x-exr R:double", 8, {4, 4}, 1)), ErrorCode::bad_image);
  TexelGrid short_one = make_grid("image/png rgb 8", 3, {4, 4}, 1);
  short_one.texels.pop_back();
  EXPECT_EQ(code(short_one), ErrorCode::bad_image);
  const auto huge =
      unpack_texels(make_bytes(*pack_texels(make_grid("image/png rgb 8", 3, {64, 64}, 1))),
                    ImageDepth::pixels, ImageLimits{.max_pixels = 100});
  EXPECT_EQ(huge.error().code, ErrorCode::too_large);
  EXPECT_EQ(unpack_texels(make_bytes(std::vector<char>{'n', 'o', 'n', 'e'})).error().code,
            ErrorCode::bad_image);
}

TEST(TexelFiles, TellLightWhereTheyHaveIt) {
  TexelGrid grid = make_grid("image/x-exr A:half B:uint Y:float", 10, {1, 1}, 1);
  const float bright = 7.5F;
  std::memcpy(&grid.texels[6], &bright, sizeof bright);
  EXPECT_EQ(decode_light(make_bytes(*pack_texels(grid)))->rgb,
            (std::vector<float>{7.5F, 7.5F, 7.5F}));
  grid = make_grid("image/x-exr A:half G:half", 4, {2, 2}, 1);
  EXPECT_EQ(decode_light(make_bytes(*pack_texels(grid))).error().code, ErrorCode::bad_image);
  grid = make_grid("image/png gray_alpha 8", 2, {1, 1}, 1);
  grid.texels[0] = std::byte{255};
  EXPECT_EQ(decode_light(make_bytes(*pack_texels(grid)))->rgb, (std::vector<float>{1, 1, 1}));
}

TEST(TexelFiles, KeepWhatLossyPicturesHoldAsEightBits) {
  Pixels pixels;
  pixels.width_px = pixels.height_px = 16;
  pixels.rgba.assign(std::size_t{4} * 256, 200);
  const auto jpeg = make_bytes(*encode_image(pixels, PictureType::jpeg));
  const auto grid = unpack_texels(jpeg);
  ASSERT_TRUE(grid);
  EXPECT_EQ(grid->format, "image/png rgba 8");
  const auto decoded = *decode_image(jpeg);
  EXPECT_EQ(std::memcmp(grid->texels.data(), decoded.rgba.data(), decoded.rgba.size()), 0);
}

}  // namespace
}  // namespace wakuzume
