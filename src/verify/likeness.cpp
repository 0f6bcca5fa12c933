// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <vector>

#include "scene/running.h"
#include "wakuzume/verify_views.h"

namespace wakuzume {
namespace {

/// Windows of eight pixels a side, four apart.
constexpr std::size_t apart = 4;
/// The method's constants: what is darker or flatter than this counts as equal.
constexpr double floor_of_means = (0.01 * 255) * (0.01 * 255);
constexpr double floor_of_spread = (0.03 * 255) * (0.03 * 255);

/// What a window's likeness is made of. Windows overlap by half, so that squares of four by four
/// pixels are summed once and taken four times.
struct Sums {
  double a = 0;
  double b = 0;
  double square_a = 0;
  double square_b = 0;
  double product = 0;
  std::size_t count = 0;

  void add(const Sums& other) {
    a += other.a;
    b += other.b;
    square_a += other.square_a;
    square_b += other.square_b;
    product += other.product;
    count += other.count;
  }
};

double find_brightness(const std::uint8_t* c) {
  return 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
}

Sums sum_square(const Pixels& a, const Pixels& b, std::size_t left, std::size_t top) {
  Sums out;
  for (std::size_t y = top; y < std::min<std::size_t>(top + apart, a.height_px); ++y) {
    for (std::size_t x = left; x < std::min<std::size_t>(left + apart, a.width_px); ++x) {
      const std::size_t p = 4 * (y * a.width_px + x);
      const double va = find_brightness(&a.rgba[p]);
      const double vb = find_brightness(&b.rgba[p]);
      out.a += va;
      out.b += vb;
      out.square_a += va * va;
      out.square_b += vb * vb;
      out.product += va * vb;
    }
  }
  out.count = (std::min<std::size_t>(top + apart, a.height_px) - top) *
              (std::min<std::size_t>(left + apart, a.width_px) - left);
  return out;
}

double find_likeness_of(const Sums& window) {
  const auto n = static_cast<double>(window.count);
  const double mean_a = window.a / n;
  const double mean_b = window.b / n;
  const double spread_a = std::max(0.0, window.square_a / n - mean_a * mean_a);
  const double spread_b = std::max(0.0, window.square_b / n - mean_b * mean_b);
  const double together = window.product / n - mean_a * mean_b;
  return (2 * mean_a * mean_b + floor_of_means) * (2 * together + floor_of_spread) /
         ((mean_a * mean_a + mean_b * mean_b + floor_of_means) *
          (spread_a + spread_b + floor_of_spread));
}

}  // namespace

double find_likeness(const Pixels& a, const Pixels& b, const RunControl& run) {
  if (a.width_px == 0 || a.width_px != b.width_px || a.height_px != b.height_px) {
    return 0;
  }
  if (a.rgba == b.rgba) {
    return 1;
  }
  const std::size_t columns = (a.width_px + apart - 1) / apart;
  const std::size_t rows = (a.height_px + apart - 1) / apart;
  std::vector<Sums> squares(rows * columns);
  for_each_index(rows, {run.threads, nullptr}, "comparing", [&](std::size_t row) {
    for (std::size_t column = 0; column < columns; ++column) {
      squares[row * columns + column] = sum_square(a, b, column * apart, row * apart);
    }
  });
  std::vector<double> sums(rows);
  for_each_index(rows, {run.threads, nullptr}, "comparing", [&](std::size_t row) {
    for (std::size_t column = 0; column < columns; ++column) {
      Sums window;
      for (std::size_t y = row; y < std::min(row + 2, rows); ++y) {
        for (std::size_t x = column; x < std::min(column + 2, columns); ++x) {
          window.add(squares[y * columns + x]);
        }
      }
      sums[row] += find_likeness_of(window);
    }
  });
  double sum = 0;
  for (const double one : sums) {
    sum += one;
  }
  return sum / static_cast<double>(rows * columns);
}

}  // namespace wakuzume
