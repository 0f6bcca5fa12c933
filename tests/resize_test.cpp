// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "support/pictures.h"
#include "wakuzume/picture.h"

/// Pictures of another size, against the plain sum over all that lies below a pixel.
namespace wakuzume {
namespace {

double to_light(std::uint8_t value) {
  const double v = value / 255.0;
  return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
}
double to_shown(double light) {
  const double v = light <= 0.0031308 ? 12.92 * light : 1.055 * std::pow(light, 1 / 2.4) - 0.055;
  return 255 * v;
}

/// How much of [low, high) the texel covers.
double cover(double low, double high, std::uint32_t texel) {
  return std::max(0.0, std::min(high, texel + 1.0) - std::max<double>(low, texel));
}

/// The mean in linear light over the area below a pixel.
double find_mean(const Pixels& from, const Pixels& to, std::uint32_t x, std::uint32_t y, int c) {
  const double across = static_cast<double>(from.width_px) / to.width_px;
  const double down = static_cast<double>(from.height_px) / to.height_px;
  double sum = 0;
  double area = 0;
  for (std::uint32_t v = 0; v < from.height_px; ++v) {
    for (std::uint32_t u = 0; u < from.width_px; ++u) {
      const double share =
          cover(x * across, (x + 1) * across, u) * cover(y * down, (y + 1) * down, v);
      sum += share *
             to_light(
                 from.rgba[4 * (std::size_t{v} * from.width_px + u) + static_cast<std::size_t>(c)]);
      area += share;
    }
  }
  return to_shown(sum / area);
}

class Smaller : public testing::TestWithParam<std::array<std::uint32_t, 4>> {};

TEST_P(Smaller, PicturesAreTheMeanOfWhatLiesBelow) {
  const auto [width, height, to_width, to_height] = GetParam();
  const Pixels from = test::make_picture(width, height, width + height);
  const Pixels to = make_resized(from, to_width, to_height);
  ASSERT_EQ(to.width_px, to_width);
  ASSERT_EQ(to.height_px, to_height);
  ASSERT_EQ(to.rgba.size(), std::size_t{4} * to_width * to_height);
  for (std::uint32_t y = 0; y < to_height; ++y) {
    for (std::uint32_t x = 0; x < to_width; ++x) {
      const std::uint8_t* pixel = &to.rgba[4 * (std::size_t{y} * to_width + x)];
      EXPECT_EQ(pixel[3], 255);
      for (int c = 0; c < 3; ++c) {
        EXPECT_NEAR(pixel[c], find_mean(from, to, x, y, c), 0.6) << x << ", " << y;
      }
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Sizes,
                         Smaller,
                         testing::Values(std::array{64U, 64U, 32U, 32U},
                                         std::array{64U, 32U, 7U, 5U},
                                         std::array{33U, 17U, 32U, 16U},
                                         std::array{50U, 50U, 1U, 1U},
                                         std::array{20U, 60U, 20U, 20U},
                                         std::array{9U, 9U, 9U, 9U}));

TEST(Resized, PictureOfItsOwnSizeIsItselfButForItsAlpha) {
  Pixels from = test::make_picture(31, 12, 5);
  const Pixels to = make_resized(from, 31, 12);
  for (std::size_t i = 3; i < from.rgba.size(); i += 4) {
    from.rgba[i] = 255;
  }
  EXPECT_EQ(to.rgba, from.rgba);
}

TEST(Resized, PlainPictureStaysPlainWhateverItsSize) {
  for (const std::uint8_t value : std::vector<std::uint8_t>{0, 1, 7, 100, 254, 255}) {
    const Pixels from = test::make_flat_picture(13, 29, {value, 40, 200, 255});
    for (const std::uint32_t size : {1U, 5U, 13U, 64U}) {
      const Pixels to = make_resized(from, size, size);
      for (std::size_t i = 0; i < to.rgba.size(); i += 4) {
        ASSERT_EQ(to.rgba[i], value);
        ASSERT_EQ(to.rgba[i + 1], 40);
        ASSERT_EQ(to.rgba[i + 2], 200);
      }
    }
  }
}

TEST(Resized, LargerPictureLiesBetweenItsTexels) {
  Pixels from{2, 1, {0, 0, 0, 255, 255, 255, 255, 255}};
  const Pixels to = make_resized(from, 64, 3);
  for (std::size_t row = 0; row < 3; ++row) {
    int last = 0;
    for (std::size_t x = 0; x < 64; ++x) {
      const std::uint8_t value = to.rgba[4 * (row * 64 + x)];
      EXPECT_GE(value, last) << "from dark to bright";
      last = value;
      const double share = std::clamp((static_cast<double>(x) + 0.5) / 32 - 0.5, 0.0, 1.0);
      EXPECT_NEAR(value, to_shown(share), 0.6) << x;
    }
    EXPECT_EQ(to.rgba[4 * row * 64], 0);
    EXPECT_EQ(last, 255);
  }
}

}  // namespace
}  // namespace wakuzume
