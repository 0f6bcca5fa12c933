// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/resample.h"

#include <algorithm>
#include <cmath>

#include "scene/srgb.h"
#include "wakuzume/material.h"

namespace wakuzume {
namespace {

/// A fully transparent texel still has a say in what colour its place has.
constexpr float least_alpha = 1.0F / 65536;
constexpr double slack = 1e-6;

}  // namespace

std::uint32_t wrap_texel(std::int64_t at, std::uint32_t texels, std::uint32_t wrap) {
  const auto count = static_cast<std::int64_t>(texels);
  if (wrap == wrap_clamp) {
    return static_cast<std::uint32_t>(std::clamp<std::int64_t>(at, 0, count - 1));
  }
  const std::int64_t period = wrap == wrap_mirrored ? 2 * count : count;
  const std::int64_t place = ((at % period) + period) % period;
  return static_cast<std::uint32_t>(place < count ? place : period - 1 - place);
}

void AxisShares::add(double low, double high, std::uint32_t texels, std::uint32_t wrap) {
  const double length = high - low;
  if (length < 1 - slack) {
    const double centre = (low + high) / 2 - 0.5;
    const double before = std::floor(centre);
    const auto part = static_cast<float>(centre - before);
    const auto at = static_cast<std::int64_t>(before);
    shares.push_back({wrap_texel(at, texels, wrap), 1 - part});
    shares.push_back({wrap_texel(at + 1, texels, wrap), part});
    copies_all = false;
  } else {
    const auto first = static_cast<std::int64_t>(std::floor(low + slack));
    const auto end = static_cast<std::int64_t>(std::ceil(high - slack));
    for (std::int64_t t = first; t < end; ++t) {
      const double covered =
          std::min(high, static_cast<double>(t + 1)) - std::max(low, static_cast<double>(t));
      shares.push_back({wrap_texel(t, texels, wrap), static_cast<float>(covered / length)});
    }
    copies_all = copies_all && end - first == 1;
  }
  firsts.push_back(static_cast<std::uint32_t>(shares.size()));
}

AxisShares make_axis_shares(std::uint32_t texels, std::uint32_t pixels) {
  AxisShares shares;
  for (std::uint32_t i = 0; i < pixels; ++i) {
    shares.add(static_cast<double>(i) * texels / pixels,
               static_cast<double>(i + 1) * texels / pixels, texels, wrap_clamp);
  }
  return shares;
}

void filter_row(const Pixels& from,
                std::uint32_t row,
                Averaging averaging,
                const AxisShares& columns,
                std::vector<float>& out) {
  out.assign(4 * columns.size(), 0);
  const std::uint8_t* texels = &from.rgba[std::size_t{4} * row * from.width_px];
  const std::array<float, 256>& linear = srgb_to_linear();
  for (std::size_t x = 0; x < columns.size(); ++x) {
    float* sum = &out[4 * x];
    for (std::uint32_t s = columns.firsts[x]; s < columns.firsts[x + 1]; ++s) {
      const std::uint8_t* texel = texels + std::size_t{4} * columns.shares[s].texel;
      const float share = columns.shares[s].share;
      switch (averaging) {
        case Averaging::srgb: {
          const float weight = share * std::max(least_alpha, static_cast<float>(texel[3]) / 255.0F);
          for (std::size_t c = 0; c < 3; ++c) {
            sum[c] += weight * linear[texel[c]];
          }
          sum[3] += weight;
          break;
        }
        case Averaging::light:
          for (std::size_t c = 0; c < 3; ++c) {
            sum[c] += share * linear[texel[c]];
          }
          sum[3] += share * static_cast<float>(texel[3]) / 255.0F;
          break;
        case Averaging::plain:
          for (std::size_t c = 0; c < 4; ++c) {
            sum[c] += share * static_cast<float>(texel[c]) / 255.0F;
          }
          break;
        case Averaging::normal:
          for (std::size_t c = 0; c < 3; ++c) {
            sum[c] += share * (static_cast<float>(texel[c]) / 127.5F - 1.0F);
          }
          break;
      }
    }
  }
}

Pixels make_smaller(const Pixels& from,
                    std::uint32_t width_px,
                    std::uint32_t height_px,
                    TexelKind kind) {
  Pixels out{width_px, height_px, {}};
  out.rgba.resize(std::size_t{4} * out.width_px * out.height_px);
  const Averaging averaging = kind == TexelKind::colors    ? Averaging::light
                              : kind == TexelKind::normals ? Averaging::normal
                                                           : Averaging::plain;
  resample(from, averaging, make_axis_shares(from.width_px, out.width_px),
           make_axis_shares(from.height_px, out.height_px),
           [&](std::size_t row, const std::vector<float>& values) {
             std::uint8_t* to = &out.rgba[4 * row * out.width_px];
             for (std::size_t i = 0; i < values.size(); i += 4, to += 4) {
               const float* v = &values[i];
               if (averaging == Averaging::light) {
                 std::transform(v, v + 3, to, linear_to_srgb);
                 to[3] = to_byte(v[3]);
               } else if (averaging == Averaging::plain) {
                 std::transform(v, v + 4, to, to_byte);
               } else {
                 const float length = std::sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
                 for (std::size_t c = 0; c < 3; ++c) {
                   to[c] = length > 0 ? to_byte((v[c] / length + 1) / 2) : (c == 2 ? 255 : 128);
                 }
                 to[3] = 255;
               }
             }
           });
  return out;
}

Pixels make_halved(const Pixels& from, TexelKind kind) {
  return make_smaller(from, std::max(1U, from.width_px / 2), std::max(1U, from.height_px / 2),
                      kind);
}

}  // namespace wakuzume
