// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>

#include "scene/srgb.h"
#include "wakuzume/picture.h"

namespace wakuzume {
namespace {

/// What of the old columns or rows lies below a new one: a run of them, each with its share.
struct Below {
  std::uint32_t first = 0;
  std::vector<float> shares;  ///< sum 1
};

std::vector<Below> weigh(std::uint32_t from, std::uint32_t to) {
  const double scale = static_cast<double>(from) / to;
  std::vector<Below> out(to);
  for (std::uint32_t n = 0; n < to; ++n) {
    const double begin = scale > 1 ? n * scale : (n + 0.5) * scale - 0.5;
    const double end = begin + std::max(1.0, scale);
    const auto clip = [&](std::int64_t i) {
      return static_cast<std::uint32_t>(std::clamp<std::int64_t>(i, 0, std::int64_t{from} - 1));
    };
    Below& below = out[n];
    below.first = clip(static_cast<std::int64_t>(std::floor(begin)));
    for (auto i = static_cast<std::int64_t>(std::floor(begin)); static_cast<double>(i) < end; ++i) {
      const double share =
          std::min(end, static_cast<double>(i) + 1) - std::max(begin, static_cast<double>(i));
      if (share > 1e-9) {
        const std::size_t at = clip(i) - below.first;
        below.shares.resize(std::max(below.shares.size(), at + 1));
        below.shares[at] += static_cast<float>(share / (end - begin));
      }
    }
  }
  return out;
}

/// Old pixels below a new one.
struct PixelBlock {
  const std::uint8_t* first;  ///< its upper left one
  std::size_t row_bytes;
  const std::vector<float>& columns;  ///< the share of each
  const std::vector<float>& rows;

  [[nodiscard]] bool is_plain() const {
    std::uint32_t wanted = 0;
    std::memcpy(&wanted, first, 4);
    for (std::size_t r = 0; r < rows.size(); ++r) {
      for (std::size_t c = 0; c < columns.size(); ++c) {
        std::uint32_t pixel = 0;
        std::memcpy(&pixel, first + r * row_bytes + 4 * c, 4);
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
    for (std::size_t r = 0; r < rows.size(); ++r) {
      const std::uint8_t* pixel = first + r * row_bytes;
      std::array<float, 3> of_row{};
      for (const float share : columns) {
        of_row[0] += share * table[pixel[0]];
        of_row[1] += share * table[pixel[1]];
        of_row[2] += share * table[pixel[2]];
        pixel += 4;
      }
      sum[0] += rows[r] * of_row[0];
      sum[1] += rows[r] * of_row[1];
      sum[2] += rows[r] * of_row[2];
    }
    return sum;
  }
};

}  // namespace

Pixels make_resized(const Pixels& pixels, std::uint32_t width_px, std::uint32_t height_px) {
  Pixels out{width_px, height_px, std::vector<std::uint8_t>(std::size_t{4} * width_px * height_px)};
  const std::vector<Below> columns = weigh(pixels.width_px, width_px);
  const std::vector<Below> rows = weigh(pixels.height_px, height_px);
  const std::size_t row_bytes = std::size_t{4} * pixels.width_px;
  std::uint8_t* to = out.rgba.data();
  for (const Below& row : rows) {
    for (const Below& column : columns) {
      const PixelBlock block{&pixels.rgba[row_bytes * row.first + std::size_t{4} * column.first],
                             row_bytes, column.shares, row.shares};
      // Much of a picture of draws is plain.
      if (block.is_plain()) {
        to[0] = block.first[0];
        to[1] = block.first[1];
        to[2] = block.first[2];
      } else {
        const std::array<float, 3> mean = block.find_mean();
        std::transform(mean.begin(), mean.end(), to, linear_to_srgb);
      }
      to[3] = 255;
      to += 4;
    }
  }
  return out;
}

}  // namespace wakuzume
