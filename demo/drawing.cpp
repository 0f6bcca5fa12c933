// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "drawing.h"

#include <algorithm>
#include <cmath>

namespace wakuzume::demo {
namespace {

struct Glyph {
  char letter;
  std::array<const char*, 7> rows;
};

constexpr Glyph glyphs[] = {
    {'A', {" ### ", "#   #", "#   #", "#####", "#   #", "#   #", "#   #"}},
    {'B', {"#### ", "#   #", "#   #", "#### ", "#   #", "#   #", "#### "}},
    {'E', {"#####", "#    ", "#    ", "#### ", "#    ", "#    ", "#####"}},
    {'G', {" ### ", "#   #", "#    ", "# ###", "#   #", "#   #", " ### "}},
    {'H', {"#   #", "#   #", "#   #", "#####", "#   #", "#   #", "#   #"}},
    {'L', {"#    ", "#    ", "#    ", "#    ", "#    ", "#    ", "#####"}},
    {'O', {" ### ", "#   #", "#   #", "#   #", "#   #", "#   #", " ### "}},
    {'R', {"#### ", "#   #", "#   #", "#### ", "# #  ", "#  # ", "#   #"}},
    {'S', {" ####", "#    ", "#    ", " ### ", "    #", "    #", "#### "}},
    {'U', {"#   #", "#   #", "#   #", "#   #", "#   #", "#   #", " ### "}},
};

std::uint32_t scramble(std::uint32_t value) {
  value ^= value >> 16U;
  value *= 0x7FEB352DU;
  value ^= value >> 15U;
  value *= 0x846CA68BU;
  return value ^ value >> 16U;
}

std::uint8_t to_byte(double value) {
  return static_cast<std::uint8_t>(std::lround(std::clamp(value, 0.0, 1.0) * 255));
}

}  // namespace

Color mix(const Color& a, const Color& b, double share) {
  Color out;
  for (std::size_t i = 0; i < 4; ++i) {
    out[i] = a[i] + (b[i] - a[i]) * share;
  }
  return out;
}

double hash_noise(std::uint32_t x, std::uint32_t y, std::uint32_t seed) {
  return scramble(x + scramble(y + scramble(seed))) / 4294967296.0;
}

double tiling_noise(double x, double y, std::uint32_t period, std::uint32_t seed) {
  const auto left = static_cast<std::uint32_t>(std::floor(x));
  const auto top = static_cast<std::uint32_t>(std::floor(y));
  const double fx = x - left;
  const double fy = y - top;
  const auto at = [&](std::uint32_t i, std::uint32_t j) {
    return hash_noise((left + i) % period, (top + j) % period, seed);
  };
  const double sx = fx * fx * (3 - 2 * fx);
  const double sy = fy * fy * (3 - 2 * fy);
  return std::lerp(std::lerp(at(0, 0), at(1, 0), sx), std::lerp(at(0, 1), at(1, 1), sx), sy);
}

double tiling_fractal(double x, double y, std::uint32_t period, std::uint32_t seed) {
  double sum = 0;
  double weight = 0.5;
  for (std::uint32_t octave = 0; octave < 4; ++octave) {
    const double scale = 1U << octave;
    sum += weight * tiling_noise(x * scale, y * scale, period << octave, seed + octave);
    weight /= 2;
  }
  return sum / 0.9375;
}

Canvas::Canvas(std::uint32_t width_px, std::uint32_t height_px, const Color& color) {
  pixels_.width_px = width_px;
  pixels_.height_px = height_px;
  pixels_.rgba.resize(std::size_t{4} * width_px * height_px);
  shade([&](double, double) { return color; });
}

void Canvas::put(std::uint32_t x, std::uint32_t y, const Color& color) {
  std::uint8_t* to = &pixels_.rgba[(std::size_t{y} * pixels_.width_px + x) * 4];
  for (std::size_t c = 0; c < 4; ++c) {
    to[c] = to_byte(color[c]);
  }
}

void Canvas::fill_box(double left, double top, double right, double bottom, const Color& color) {
  const auto clip = [](double value, std::uint32_t most) {
    return static_cast<std::uint32_t>(std::clamp(std::lround(value), 0L, static_cast<long>(most)));
  };
  for (std::uint32_t y = clip(top, pixels_.height_px); y < clip(bottom, pixels_.height_px); ++y) {
    for (std::uint32_t x = clip(left, pixels_.width_px); x < clip(right, pixels_.width_px); ++x) {
      put(x, y, color);
    }
  }
}

void Canvas::write(
    std::string_view text, double left, double top, double cell_px, const Color& color) {
  for (const char letter : text) {
    const auto* glyph = std::find_if(std::begin(glyphs), std::end(glyphs),
                                     [&](const Glyph& g) { return g.letter == letter; });
    for (std::size_t row = 0; glyph != std::end(glyphs) && row < 7; ++row) {
      for (std::size_t column = 0; column < 5; ++column) {
        if (glyph->rows[row][column] == '#') {
          const double x = left + static_cast<double>(column) * cell_px;
          const double y = top + static_cast<double>(row) * cell_px;
          fill_box(x, y, x + cell_px, y + cell_px, color);
        }
      }
    }
    left += 6 * cell_px;
  }
}

}  // namespace wakuzume::demo
