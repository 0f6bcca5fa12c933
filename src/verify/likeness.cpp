// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <vector>

#include "scene/running.h"
#include "wakuzume/verify_views.h"

namespace wakuzume {
namespace {

constexpr std::size_t window = 8;
constexpr std::size_t apart = 4;
/// The method's constants: what is darker or flatter than this counts as equal.
constexpr double floor_of_means = (0.01 * 255) * (0.01 * 255);
constexpr double floor_of_spread = (0.03 * 255) * (0.03 * 255);

double find_brightness(const Pixels& pixels, std::size_t p) {
  const std::uint8_t* const c = &pixels.rgba[4 * p];
  return 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
}

double compare_window(const Pixels& a, const Pixels& b, std::size_t left, std::size_t top) {
  double sum_a = 0;
  double sum_b = 0;
  double square_a = 0;
  double square_b = 0;
  double product = 0;
  std::size_t count = 0;
  for (std::size_t y = top; y < std::min<std::size_t>(top + window, a.height_px); ++y) {
    for (std::size_t x = left; x < std::min<std::size_t>(left + window, a.width_px); ++x) {
      const double va = find_brightness(a, y * a.width_px + x);
      const double vb = find_brightness(b, y * a.width_px + x);
      sum_a += va;
      sum_b += vb;
      square_a += va * va;
      square_b += vb * vb;
      product += va * vb;
      ++count;
    }
  }
  const auto n = static_cast<double>(count);
  const double mean_a = sum_a / n;
  const double mean_b = sum_b / n;
  const double spread_a = std::max(0.0, square_a / n - mean_a * mean_a);
  const double spread_b = std::max(0.0, square_b / n - mean_b * mean_b);
  const double together = product / n - mean_a * mean_b;
  return (2 * mean_a * mean_b + floor_of_means) * (2 * together + floor_of_spread) /
         ((mean_a * mean_a + mean_b * mean_b + floor_of_means) *
          (spread_a + spread_b + floor_of_spread));
}

}  // namespace

double find_likeness(const Pixels& a, const Pixels& b, const RunControl& run) {
  if (a.width_px == 0 || a.width_px != b.width_px || a.height_px != b.height_px) {
    return 0;
  }
  const std::size_t columns = (a.width_px + apart - 1) / apart;
  const std::size_t rows = (a.height_px + apart - 1) / apart;
  std::vector<double> sums(rows);
  for_each_index(rows, {run.threads, nullptr}, "comparing", [&](std::size_t row) {
    for (std::size_t column = 0; column < columns; ++column) {
      sums[row] += compare_window(a, b, column * apart, row * apart);
    }
  });
  double sum = 0;
  for (const double one : sums) {
    sum += one;
  }
  return sum / static_cast<double>(rows * columns);
}

}  // namespace wakuzume
