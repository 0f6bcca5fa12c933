// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/image.h"

#include <gtest/gtest.h>
#include <turbojpeg.h>
#include <webp/encode.h>

#include <array>
#include <random>

namespace wakuzume {
namespace {

Pixels make_pixels(std::uint32_t width, std::uint32_t height, bool opaque) {
  std::mt19937 engine(4);
  Pixels pixels;
  pixels.width_px = width;
  pixels.height_px = height;
  pixels.rgba.resize(std::size_t{4} * width * height);
  for (std::size_t i = 0; i < pixels.rgba.size(); ++i) {
    pixels.rgba[i] = opaque && i % 4 == 3 ? 255 : static_cast<std::uint8_t>(engine());
  }
  return pixels;
}

/// Slowly changing colours, which lossy formats keep well.
Pixels make_ramp() {
  Pixels pixels = make_pixels(64, 48, true);
  for (std::size_t i = 0; i < pixels.rgba.size(); i += 4) {
    pixels.rgba[i] = static_cast<std::uint8_t>(i / 4 % 64 * 4);
    pixels.rgba[i + 1] = static_cast<std::uint8_t>(i / 256 * 5);
    pixels.rgba[i + 2] = 90;
  }
  return pixels;
}

double mean_difference(const Pixels& a, const Pixels& b) {
  double sum = 0;
  for (std::size_t i = 0; i < a.rgba.size(); ++i) {
    sum += std::abs(a.rgba[i] - b.rgba[i]);
  }
  return sum / static_cast<double>(a.rgba.size());
}

TEST(Png, ComesBackByteForByte) {
  for (const bool opaque : {true, false}) {
    const Pixels pixels = make_pixels(37, 11, opaque);
    const auto encoded = encode_png(pixels);
    ASSERT_TRUE(encoded);
    const auto decoded = decode_image(make_bytes(*encoded));
    ASSERT_TRUE(decoded) << to_string(decoded.error());
    EXPECT_EQ(decoded->width_px, 37U);
    EXPECT_EQ(decoded->height_px, 11U);
    EXPECT_EQ(decoded->rgba, pixels.rgba);
  }
}

TEST(Png, LeavesOutAnAlphaThatSaysNothing) {
  const auto opaque = encode_png(make_pixels(64, 64, true));
  const auto clear = encode_png(make_pixels(64, 64, false));
  ASSERT_TRUE(opaque && clear);
  EXPECT_EQ(static_cast<int>((*opaque)[25]), 2);  // colour type: truecolour
  EXPECT_EQ(static_cast<int>((*clear)[25]), 6);   // truecolour with alpha
}

TEST(Png, RefusesPixelsThatDoNotFitTheirSize) {
  Pixels pixels = make_pixels(4, 4, true);
  pixels.rgba.pop_back();
  EXPECT_EQ(encode_png(pixels).error().code, ErrorCode::bad_image);
  EXPECT_EQ(encode_png({}).error().code, ErrorCode::bad_image);
}

TEST(Jpeg, IsDecodedToWithinItsLoss) {
  const Pixels ramp = make_ramp();
  const std::unique_ptr<void, decltype(&tjDestroy)> encoder(tjInitCompress(), &tjDestroy);
  unsigned char* data = nullptr;
  unsigned long size = 0;
  ASSERT_EQ(tjCompress2(encoder.get(), ramp.rgba.data(), 64, 0, 48, TJPF_RGBA, &data, &size,
                        TJSAMP_444, 95, 0),
            0);
  const auto* bytes = reinterpret_cast<const std::byte*>(data);
  const auto decoded = decode_image(make_bytes(std::vector<std::byte>(bytes, bytes + size)));
  const auto cut = decode_image(make_bytes(std::vector<std::byte>(bytes, bytes + size / 2)));
  tjFree(data);
  ASSERT_TRUE(decoded) << to_string(decoded.error());
  EXPECT_LT(mean_difference(*decoded, ramp), 2);
  ASSERT_FALSE(cut);
  EXPECT_EQ(cut.error().code, ErrorCode::bad_image);
}

TEST(WebP, IsDecodedExactlyWhenLossless) {
  const Pixels pixels = make_pixels(20, 30, true);
  std::uint8_t* data = nullptr;
  const std::size_t size = WebPEncodeLosslessRGBA(pixels.rgba.data(), 20, 30, 80, &data);
  const auto* bytes = reinterpret_cast<const std::byte*>(data);
  const auto decoded = decode_image(make_bytes(std::vector<std::byte>(bytes, bytes + size)));
  const auto cut = decode_image(make_bytes(std::vector<std::byte>(bytes, bytes + size / 2)));
  WebPFree(data);
  ASSERT_TRUE(decoded) << to_string(decoded.error());
  EXPECT_EQ(decoded->rgba, pixels.rgba);
  EXPECT_FALSE(cut);
}

TEST(DecodeImage, RefusesBombsBeforeItAllocates) {
  const auto encoded = encode_png(make_pixels(100, 100, true));
  ASSERT_TRUE(encoded);
  const auto refused = decode_image(make_bytes(*encoded), {.max_pixels = 9'999});
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, ErrorCode::too_large);
  EXPECT_TRUE(decode_image(make_bytes(*encoded), {.max_pixels = 10'000}));
}

TEST(DecodeImage, ErrorsOnEveryCutPngAndOnOtherFiles) {
  const auto encoded = encode_png(make_pixels(16, 16, false));
  ASSERT_TRUE(encoded);
  for (std::size_t size = 0; size + 40 < encoded->size(); size += 5) {
    EXPECT_FALSE(decode_image(make_bytes(std::vector<std::byte>(
        encoded->begin(), encoded->begin() + static_cast<std::ptrdiff_t>(size)))))
        << size;
  }
  const std::vector<char> text{'n', 'o', ' ', 'i', 'm', 'a', 'g', 'e'};
  EXPECT_EQ(decode_image(make_bytes(text)).error().code, ErrorCode::bad_image);
}

/// A scene of nothing but images.
Scene make_gallery(const std::vector<Pixels>& pictures) {
  Scene scene;
  for (const Pixels& pixels : pictures) {
    Image image;
    image.bytes = make_bytes(*encode_png(pixels));
    scene.images.push_back(std::move(image));
  }
  return scene;
}

TEST(ImageFacts, TellSizesAloneOrPixelsToo) {
  const Scene scene = make_gallery({make_pixels(20, 30, true), make_pixels(8, 4, false)});
  const auto sizes = read_image_facts(scene, ImageDepth::sizes);
  ASSERT_TRUE(sizes);
  EXPECT_EQ((*sizes)[0].width_px, 20U);
  EXPECT_EQ((*sizes)[0].height_px, 30U);
  EXPECT_FALSE((*sizes)[0].decoded);
  const auto pixels = read_image_facts(scene, ImageDepth::pixels, {}, {.threads = 2});
  ASSERT_TRUE(pixels);
  EXPECT_EQ((*pixels)[1].width_px, 8U);
  EXPECT_TRUE((*pixels)[1].decoded);
  EXPECT_FALSE((*pixels)[1].one_color);
  EXPECT_NE((*pixels)[0].pixels, (*pixels)[1].pixels);
}

TEST(ImageFacts, CountAlphaBetweenAndBelowAHalf) {
  Pixels leaf = make_pixels(4, 4, true);
  constexpr std::array<std::uint8_t, 4> alphas{0, 255, 250, 100};
  for (std::size_t p = 0; p < 16; ++p) {
    leaf.rgba[4 * p + 3] = alphas[p % 4];
  }
  const auto facts = *read_image_facts(make_gallery({leaf}), ImageDepth::pixels);
  EXPECT_DOUBLE_EQ(facts[0].alpha_between, 0.25);
  EXPECT_DOUBLE_EQ(facts[0].alpha_low, 0.5);
}

TEST(ImageFacts, KnowOneColorAndEqualPicturesOfOtherShapes) {
  Pixels plain = make_pixels(4, 4, true);
  for (std::size_t i = 0; i < plain.rgba.size(); ++i) {
    plain.rgba[i] = std::array<std::uint8_t, 4>{10, 20, 30, 255}[i % 4];
  }
  Pixels wide = plain;
  wide.width_px = 8;
  wide.height_px = 2;
  Pixels spotted = plain;
  spotted.rgba[63] = 254;
  const auto facts =
      *read_image_facts(make_gallery({plain, plain, wide, spotted}), ImageDepth::pixels);
  EXPECT_TRUE(facts[0].one_color);
  EXPECT_EQ(facts[0].color, (std::array<std::uint8_t, 4>{10, 20, 30, 255}));
  EXPECT_EQ(facts[0].pixels, facts[1].pixels);
  EXPECT_NE(facts[0].pixels, facts[2].pixels) << "the same bytes, another shape";
  EXPECT_FALSE(facts[3].one_color) << "the last byte differs";
}

TEST(ImageFacts, NameTheProblemOfWhatCanNotBeRead) {
  Scene scene = make_gallery({make_pixels(4, 4, true), make_pixels(50, 50, true)});
  scene.images[0].bytes = make_bytes(std::vector<char>{'T', 'G', 'A'});
  scene.images.emplace_back().uri = "gone.png";
  const auto facts = *read_image_facts(scene, ImageDepth::pixels, {.max_pixels = 100});
  EXPECT_NE(facts[0].problem.find("neither PNG"), std::string::npos);
  EXPECT_NE(facts[1].problem.find("limit"), std::string::npos);
  EXPECT_EQ(facts[1].width_px, 50U) << "its size is known all the same";
  EXPECT_TRUE(facts[2].problem.empty()) << "a file that is missing is told elsewhere";
}

}  // namespace
}  // namespace wakuzume
