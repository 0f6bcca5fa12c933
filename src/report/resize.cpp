// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>

#include "scene/srgb.h"
#include "texture/resample.h"
#include "wakuzume/picture.h"

namespace wakuzume {

Pixels make_resized(const Pixels& pixels, std::uint32_t width_px, std::uint32_t height_px) {
  Pixels out{width_px, height_px, {}};
  out.rgba.reserve(std::size_t{4} * width_px * height_px);
  resample(pixels, Averaging::light, make_axis_shares(pixels.width_px, width_px),
           make_axis_shares(pixels.height_px, height_px),
           [&](std::size_t, const std::vector<float>& row) {
             for (std::size_t i = 0; i < row.size(); i += 4) {
               std::transform(&row[i], &row[i] + 3, std::back_inserter(out.rgba), linear_to_srgb);
               out.rgba.push_back(255);
             }
           });
  return out;
}

}  // namespace wakuzume
