// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <Eigen/Core>
#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>

#include "scene/srgb.h"
#include "texture/resample.h"
#include "wakuzume/pixels.h"
#include "wakuzume/scene.h"

namespace wakuzume {

/// Between texels, as a GPU looks up; colours come out multiplied by alpha.
class TextureReader {
 public:
  TextureReader(const Pixels& pixels, const Sampler& sampler, Averaging averaging)
      : pixels_(pixels), sampler_(sampler), averaging_(averaging) {}

  void add(const Eigen::Vector2d& uv, float share, std::array<float, 4>& sum) const {
    const double x = uv.x() * pixels_.width_px - 0.5;
    const double y = uv.y() * pixels_.height_px - 0.5;
    const double fx = x - std::floor(x);
    const double fy = y - std::floor(y);
    for (int corner = 0; corner < 4; ++corner) {
      const int right = corner & 1;
      const int below = corner >> 1;
      const double part = (right != 0 ? fx : 1 - fx) * (below != 0 ? fy : 1 - fy);
      const std::uint32_t column = wrap_texel(static_cast<std::int64_t>(std::floor(x)) + right,
                                              pixels_.width_px, sampler_.wrap_s);
      const std::uint32_t row = wrap_texel(static_cast<std::int64_t>(std::floor(y)) + below,
                                           pixels_.height_px, sampler_.wrap_t);
      add_texel(&pixels_.rgba[4 * (std::size_t{row} * pixels_.width_px + column)],
                share * static_cast<float>(part), sum);
    }
  }

 private:
  void add_texel(const std::uint8_t* texel, float share, std::array<float, 4>& sum) const {
    constexpr float least_alpha = 1.0F / 65536;
    const bool directions = averaging_ == Averaging::normal;
    const bool colors = averaging_ == Averaging::srgb;
    const float weight =
        colors ? share * std::max(least_alpha, static_cast<float>(texel[3]) / 255.0F) : share;
    for (std::size_t c = 0; c < 3; ++c) {
      sum[c] += weight * (colors       ? srgb_to_linear()[texel[c]]
                          : directions ? static_cast<float>(texel[c]) / 127.5F - 1.0F
                                       : static_cast<float>(texel[c]) / 255.0F);
    }
    sum[3] += weight;
  }

  const Pixels& pixels_;
  const Sampler& sampler_;
  Averaging averaging_;
};

}  // namespace wakuzume
