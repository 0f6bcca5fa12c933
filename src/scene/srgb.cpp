// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "scene/srgb.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace wakuzume {

double to_linear(double srgb) {
  return srgb <= 0.04045 ? srgb / 12.92 : std::pow((srgb + 0.055) / 1.055, 2.4);
}

double to_srgb(double linear) {
  return linear <= 0.0031308 ? 12.92 * linear : 1.055 * std::pow(linear, 1 / 2.4) - 0.055;
}

const std::array<float, 256>& srgb_to_linear() {
  static const std::array<float, 256> table = [] {
    std::array<float, 256> out{};
    for (std::size_t v = 0; v < out.size(); ++v) {
      out[v] = static_cast<float>(to_linear(static_cast<double>(v) / 255));
    }
    return out;
  }();
  return table;
}

std::uint8_t to_byte(float value) {
  return static_cast<std::uint8_t>(std::clamp(value, 0.0F, 1.0F) * 255.0F + 0.5F);
}

std::uint8_t linear_to_srgb(float value) {
  static const std::vector<std::uint8_t> table = [] {
    std::vector<std::uint8_t> out(65536);
    for (std::size_t v = 0; v < out.size(); ++v) {
      out[v] = to_byte(static_cast<float>(to_srgb(static_cast<double>(v) / 65535)));
    }
    return out;
  }();
  return table[static_cast<std::size_t>(std::clamp(value, 0.0F, 1.0F) * 65535.0F + 0.5F)];
}

}  // namespace wakuzume
