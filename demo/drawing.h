// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string_view>

#include "wakuzume/image.h"

/// Pixels by hand: colours, noise and letters for the demo's textures.
namespace wakuzume::demo {

using Color = std::array<double, 4>;  ///< sRGB and alpha, 0 to 1

Color mix(const Color& a, const Color& b, double share);

/// A repeatable random value in [0, 1) for whole numbers.
double hash_noise(std::uint32_t x, std::uint32_t y, std::uint32_t seed);
/// Smooth noise in [0, 1) that repeats after `period` in both directions.
double tiling_noise(double x, double y, std::uint32_t period, std::uint32_t seed);
/// Four octaves of it.
double tiling_fractal(double x, double y, std::uint32_t period, std::uint32_t seed);

class Canvas {
 public:
  Canvas(std::uint32_t width_px, std::uint32_t height_px, const Color& color = {0, 0, 0, 1});

  void put(std::uint32_t x, std::uint32_t y, const Color& color);
  void fill_box(double left, double top, double right, double bottom, const Color& color);
  /// Capitals of five by seven cells; unknown characters are blank.
  void write(std::string_view text, double left, double top, double cell_px, const Color& color);
  /// Calls `shade(u, v)` with u and v in [0, 1) for every pixel.
  template <class Shade>
  void shade(const Shade& shade) {
    for (std::uint32_t y = 0; y < pixels_.height_px; ++y) {
      for (std::uint32_t x = 0; x < pixels_.width_px; ++x) {
        put(x, y, shade((x + 0.5) / pixels_.width_px, (y + 0.5) / pixels_.height_px));
      }
    }
  }
  [[nodiscard]] const Pixels& pixels() const { return pixels_; }

 private:
  Pixels pixels_;
};

}  // namespace wakuzume::demo
