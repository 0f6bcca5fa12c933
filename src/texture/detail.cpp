// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/detail.h"

#include <algorithm>
#include <cmath>

namespace wakuzume {
namespace {

/// From this mean loss on, the next halving is not worth a look.
constexpr double hopeless = 12;

struct Reduced {
  std::uint32_t width = 0;
  std::uint32_t height = 0;
  std::vector<float> rgba;
};

Reduced halve(const Reduced& from) {
  Reduced out{std::max(1U, from.width / 2), std::max(1U, from.height / 2), {}};
  out.rgba.resize(std::size_t{4} * out.width * out.height);
  for (std::uint32_t y = 0; y < out.height; ++y) {
    const std::size_t y0 = std::min(2 * y, from.height - 1);
    const std::size_t y1 = std::min(2 * y + 1, from.height - 1);
    for (std::uint32_t x = 0; x < out.width; ++x) {
      const std::size_t x0 = std::min(2 * x, from.width - 1);
      const std::size_t x1 = std::min(2 * x + 1, from.width - 1);
      for (std::size_t c = 0; c < 4; ++c) {
        const auto at = [&](std::size_t px, std::size_t py) {
          return from.rgba[4 * (py * from.width + px) + c];
        };
        out.rgba[4 * (std::size_t{y} * out.width + x) + c] =
            0.25F * (at(x0, y0) + at(x1, y0) + at(x0, y1) + at(x1, y1));
      }
    }
  }
  return out;
}

/// The two pixels a place is between, and how far towards the second.
struct Between {
  std::size_t low = 0;
  std::size_t high = 0;
  float part = 0;
};

std::vector<Between> list_places(std::uint32_t fine, std::uint32_t coarse) {
  std::vector<Between> places(fine);
  for (std::uint32_t i = 0; i < fine; ++i) {
    const double at = std::max(0.0, (i + 0.5) * coarse / fine - 0.5);
    const auto low = static_cast<std::size_t>(at);
    places[i] = {low, std::min<std::size_t>(low + 1, coarse - 1),
                 static_cast<float>(at - static_cast<double>(low))};
  }
  return places;
}

struct Loss {
  double peak = 0;
  double mean = 0;
};

Loss compare(const Pixels& fine, const Reduced& coarse) {
  const auto columns = list_places(fine.width_px, coarse.width);
  const auto rows = list_places(fine.height_px, coarse.height);
  std::vector<float> row(std::size_t{4} * coarse.width);
  double squares = 0;
  float peak = 0;
  for (std::size_t y = 0; y < rows.size(); ++y) {
    const float* top = &coarse.rgba[4 * rows[y].low * coarse.width];
    const float* bottom = &coarse.rgba[4 * rows[y].high * coarse.width];
    for (std::size_t i = 0; i < row.size(); ++i) {
      row[i] = top[i] + (bottom[i] - top[i]) * rows[y].part;
    }
    const std::uint8_t* wanted = &fine.rgba[4 * y * fine.width_px];
    float sum = 0;
    for (const Between& x : columns) {
      for (std::size_t c = 0; c < 4; ++c, ++wanted) {
        const float a = row[4 * x.low + c];
        const float error = a + (row[4 * x.high + c] - a) * x.part - static_cast<float>(*wanted);
        peak = std::max(peak, std::abs(error));
        sum += error * error;
      }
    }
    squares += static_cast<double>(sum);
  }
  return {static_cast<double>(peak), std::sqrt(squares / static_cast<double>(fine.rgba.size()))};
}

}  // namespace

void measure_detail(const Pixels& pixels, ImageFacts& facts) {
  Reduced reduced{pixels.width_px, pixels.height_px, {pixels.rgba.begin(), pixels.rgba.end()}};
  for (std::size_t h = 0; h < facts.halving_losses.size(); ++h) {
    if (reduced.width == 1 && reduced.height == 1) {
      break;
    }
    reduced = halve(reduced);
    const Loss loss = compare(pixels, reduced);
    facts.halving_peaks[h] = loss.peak;
    facts.halving_losses[h] = loss.mean;
    if (loss.mean > hopeless) {
      break;
    }
  }
}

}  // namespace wakuzume
