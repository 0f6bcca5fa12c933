// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/vectors.h"

#include <gtest/gtest.h>

#include <bit>
#include <cmath>
#include <limits>
#include <random>

/// The wide loops of merging against plain ones, bit for bit.
namespace wakuzume {
namespace {

constexpr float infinity = std::numeric_limits<float>::infinity();

std::uint32_t bits(float value) { return std::bit_cast<std::uint32_t>(value); }

Mat4d make_matrix(std::uint32_t seed) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> number(-3, 3);
  Mat4d out = identity_matrix;
  for (std::size_t column = 0; column < 4; ++column) {
    for (std::size_t row = 0; row < 3; ++row) {
      out[4 * column + row] = number(random) * (column == 3 ? 1000 : 1);
    }
  }
  return out;
}

/// Numbers of all sizes, and those that are none.
std::vector<float> make_values(std::size_t vectors, std::uint32_t seed) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<float> number(-100, 100);
  std::vector<float> out;
  for (std::size_t i = 0; i < 3 * vectors; ++i) {
    const auto kind = random() % 40;
    out.push_back(kind == 0   ? 0.0F
                  : kind == 1 ? -0.0F
                  : kind == 2 ? std::nanf("")
                  : kind == 3 ? infinity
                  : kind == 4 ? 1e-30F
                  : kind == 5 ? 3e38F
                              : number(random));
  }
  return out;
}

class VectorLoops : public testing::TestWithParam<std::size_t> {};

TEST_P(VectorLoops, PutPointsWhereThePlainOnePutsThem) {
  const Mat4d m = make_matrix(7);
  const std::vector<float> from = make_values(GetParam(), 11);
  std::vector<float> to(from.size() + 1, 42.0F);
  const FloatBounds bounds = transform_points(m, from, to.data());
  FloatBounds wanted{{infinity, infinity, infinity}, {-infinity, -infinity, -infinity}};
  for (std::size_t v = 0; v < GetParam(); ++v) {
    const double x = static_cast<double>(from[3 * v]);
    const double y = static_cast<double>(from[3 * v + 1]);
    const double z = static_cast<double>(from[3 * v + 2]);
    for (std::size_t c = 0; c < 3; ++c) {
      const auto value = static_cast<float>(m[c] * x + m[4 + c] * y + m[8 + c] * z + m[12 + c]);
      const float got = to[3 * v + c];
      ASSERT_TRUE(bits(got) == bits(value) || (std::isnan(got) && std::isnan(value))) << v;
      wanted.low[c] = value < wanted.low[c] ? value : wanted.low[c];
      wanted.high[c] = value > wanted.high[c] ? value : wanted.high[c];
    }
  }
  EXPECT_EQ(bounds.low, wanted.low);
  EXPECT_EQ(bounds.high, wanted.high);
  EXPECT_EQ(to.back(), 42.0F) << "nothing is written behind the end";
}

TEST_P(VectorLoops, TurnNormalsAsThePlainOneDoes) {
  const Mat4d m = make_matrix(9);
  const std::array<Vec3d, 3> columns{Vec3d{m[0], m[1], m[2]}, Vec3d{m[4], m[5], m[6]},
                                     Vec3d{m[8], m[9], m[10]}};
  const std::vector<float> from = make_values(GetParam(), 13);
  std::vector<float> to(from.size() + 1, 42.0F);
  transform_normals(columns, from, to.data());
  for (std::size_t v = 0; v < GetParam(); ++v) {
    double moved[3];
    for (std::size_t c = 0; c < 3; ++c) {
      moved[c] = columns[0][c] * static_cast<double>(from[3 * v]) +
                 columns[1][c] * static_cast<double>(from[3 * v + 1]) +
                 columns[2][c] * static_cast<double>(from[3 * v + 2]);
    }
    const double square = moved[0] * moved[0] + moved[1] * moved[1] + moved[2] * moved[2];
    const bool sound = square > 0 && std::isfinite(square);
    for (std::size_t c = 0; c < 3; ++c) {
      const float wanted =
          sound ? static_cast<float>(moved[c] * (1 / std::sqrt(square))) : (c == 2 ? 1.0F : 0.0F);
      ASSERT_EQ(bits(to[3 * v + c]), bits(wanted)) << "vector " << v;
    }
  }
  EXPECT_EQ(to.back(), 42.0F);
}

TEST_P(VectorLoops, GiveTheSameForDoublesThatHoldFloats) {
  const Mat4d m = make_matrix(5);
  const std::vector<float> from = make_values(GetParam(), 17);
  const std::vector<double> doubles(from.begin(), from.end());
  std::vector<float> a(from.size());
  std::vector<float> b(from.size());
  transform_points(m, from, a.data());
  transform_points(m, std::span<const double>(doubles), b.data());
  for (std::size_t i = 0; i < a.size(); ++i) {
    ASSERT_TRUE(bits(a[i]) == bits(b[i]) || (std::isnan(a[i]) && std::isnan(b[i])));
  }
}

INSTANTIATE_TEST_SUITE_P(Sizes,
                         VectorLoops,
                         testing::Values(0, 1, 2, 7, 8, 9, 127, 128, 129, 255, 256, 1000));

}  // namespace
}  // namespace wakuzume
