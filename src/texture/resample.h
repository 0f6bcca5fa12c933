// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <vector>

#include "wakuzume/pixels.h"
#include "wakuzume/texture_array.h"

/// Pictures at another size, pixel by pixel from the area of texels that each covers.
namespace wakuzume {

/// The texel at a place that may be beyond the ends, by a wrap mode of glTF.
std::uint32_t wrap_texel(std::int64_t at, std::uint32_t texels, std::uint32_t wrap);

/// What one pixel along an axis takes from each texel.
struct TexelShare {
  std::uint32_t texel = 0;
  float share = 0;
};

/// The shares of a row of pixels. Pixel i has those from firsts[i] up to firsts[i + 1].
struct AxisShares {
  std::vector<TexelShare> shares;
  std::vector<std::uint32_t> firsts{0};
  /// Each pixel is one texel as it is.
  [[nodiscard]] bool copies() const { return copies_all; }
  bool copies_all = true;

  /// Adds a pixel that covers [low, high) of an axis of `texels` texels, which goes on beyond its
  /// ends by `wrap`, a value of glTF. Where it covers less than a texel, its centre is looked up
  /// between two.
  void add(double low, double high, std::uint32_t texels, std::uint32_t wrap);
  [[nodiscard]] std::size_t size() const { return firsts.size() - 1; }
};

/// Of an axis that goes from so many texels to so many pixels, its ends kept.
AxisShares make_axis_shares(std::uint32_t texels, std::uint32_t pixels);

enum class Averaging : std::uint8_t {
  srgb,   ///< colours, averaged in linear light; each weighs by its alpha
  light,  ///< colours, averaged in linear light, and alpha beside them: as engines make mip levels
  plain,  ///< values as they are
  normal  ///< directions from -1 to 1
};

/// Calls `take(row, pixels)` for each row of the result: 4 floats a pixel, colours linear and not
/// multiplied by alpha, normals of any length.
template <class Take>
void resample(const Pixels& from,
              Averaging averaging,
              const AxisShares& columns,
              const AxisShares& rows,
              const Take& take);

/// Filters the texels of one row along its axis; colours come out multiplied by alpha.
void filter_row(const Pixels& from,
                std::uint32_t row,
                Averaging averaging,
                const AxisShares& columns,
                std::vector<float>& out);

template <class Take>
void resample(const Pixels& from,
              Averaging averaging,
              const AxisShares& columns,
              const AxisShares& rows,
              const Take& take) {
  struct Filtered {
    std::uint32_t row = 0;
    std::vector<float> pixels;
    bool used = false;
  };
  std::vector<Filtered> filtered;  // the few rows that this and the last pixel row take from
  std::vector<float> sum(4 * columns.size());
  for (std::size_t y = 0; y < rows.size(); ++y) {
    for (Filtered& f : filtered) {
      f.used = false;
    }
    std::fill(sum.begin(), sum.end(), 0.0F);
    for (std::uint32_t s = rows.firsts[y]; s < rows.firsts[y + 1]; ++s) {
      const TexelShare& share = rows.shares[s];
      auto hit = std::find_if(filtered.begin(), filtered.end(), [&](const Filtered& f) {
        return f.row == share.texel && !f.pixels.empty();
      });
      if (hit == filtered.end()) {
        hit = std::find_if(filtered.begin(), filtered.end(),
                           [](const Filtered& f) { return !f.used; });
        if (hit == filtered.end() || hit->used) {
          filtered.emplace_back();
          hit = filtered.end() - 1;
        }
        hit->row = share.texel;
        filter_row(from, share.texel, averaging, columns, hit->pixels);
      }
      hit->used = true;
      for (std::size_t i = 0; i < sum.size(); ++i) {
        sum[i] += share.share * hit->pixels[i];
      }
    }
    if (averaging == Averaging::srgb) {
      for (std::size_t i = 0; i < sum.size(); i += 4) {
        const float alpha = sum[i + 3];
        for (std::size_t c = 0; c < 3 && alpha > 0; ++c) {
          sum[i + c] /= alpha;
        }
      }
    }
    take(y, sum);
    // Rows that the next pixel row does not share are not kept.
    if (filtered.size() > 64) {
      std::erase_if(filtered, [](const Filtered& f) { return !f.used; });
    }
  }
}

/// Fewer texels, each the average of the area that it covers.
/// \pre no more of them than before, at least one along each side
Pixels make_smaller(const Pixels& from,
                    std::uint32_t width_px,
                    std::uint32_t height_px,
                    TexelKind kind);
/// The next mip level: half as many texels along each side, rounded down, at least one.
Pixels make_halved(const Pixels& from, TexelKind kind);

}  // namespace wakuzume
