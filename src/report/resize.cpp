// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <array>
#include <cstring>
#include <span>

#include "scene/srgb.h"
#include "texture/resample.h"
#include "wakuzume/picture.h"

namespace wakuzume {
namespace {

std::span<const TexelShare> find_shares(const AxisShares& axis, std::size_t pixel) {
  return std::span(axis.shares)
      .subspan(axis.firsts[pixel], axis.firsts[pixel + 1] - axis.firsts[pixel]);
}

/// Old pixels below a new one.
struct PixelBlock {
  const Pixels& of;
  std::span<const TexelShare> columns;
  std::span<const TexelShare> rows;

  [[nodiscard]] const std::uint8_t* at(std::uint32_t row, std::uint32_t column) const {
    return &of.rgba[4 * (std::size_t{row} * of.width_px + column)];
  }

  [[nodiscard]] bool is_plain() const {
    std::uint32_t wanted = 0;
    std::memcpy(&wanted, at(rows[0].texel, columns[0].texel), 4);
    for (const TexelShare& row : rows) {
      for (const TexelShare& column : columns) {
        std::uint32_t pixel = 0;
        std::memcpy(&pixel, at(row.texel, column.texel), 4);
        if (pixel != wanted) {
          return false;
        }
      }
    }
    return true;
  }

  /// Averaged in linear light.
  [[nodiscard]] std::array<float, 3> find_mean() const {
    const std::array<float, 256>& table = srgb_to_linear();
    std::array<float, 3> sum{};
    for (const TexelShare& row : rows) {
      std::array<float, 3> of_row{};
      for (const TexelShare& column : columns) {
        const std::uint8_t* pixel = at(row.texel, column.texel);
        of_row[0] += column.share * table[pixel[0]];
        of_row[1] += column.share * table[pixel[1]];
        of_row[2] += column.share * table[pixel[2]];
      }
      sum[0] += row.share * of_row[0];
      sum[1] += row.share * of_row[1];
      sum[2] += row.share * of_row[2];
    }
    return sum;
  }
};

}  // namespace

Pixels make_resized(const Pixels& pixels, std::uint32_t width_px, std::uint32_t height_px) {
  Pixels out{width_px, height_px, std::vector<std::uint8_t>(std::size_t{4} * width_px * height_px)};
  const AxisShares columns = make_axis_shares(pixels.width_px, width_px);
  const AxisShares rows = make_axis_shares(pixels.height_px, height_px);
  std::uint8_t* to = out.rgba.data();
  for (std::uint32_t y = 0; y < height_px; ++y) {
    for (std::uint32_t x = 0; x < width_px; ++x, to += 4) {
      const PixelBlock block{pixels, find_shares(columns, x), find_shares(rows, y)};
      // Much of a picture of draws is plain.
      if (block.is_plain()) {
        std::copy_n(block.at(block.rows[0].texel, block.columns[0].texel), 3, to);
      } else {
        const std::array<float, 3> mean = block.find_mean();
        std::transform(mean.begin(), mean.end(), to, linear_to_srgb);
      }
      to[3] = 255;
    }
  }
  return out;
}

}  // namespace wakuzume
