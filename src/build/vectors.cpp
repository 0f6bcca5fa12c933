// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/vectors.h"

#include <algorithm>
#include <cmath>
#include <limits>

// One build for every x86-64, and the wide loops where the processor has them: contraction is off,
// so both give the same bits.
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && \
    !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
#define WAKUZUME_WIDE __attribute__((target_clones("avx2", "default")))
#else
#define WAKUZUME_WIDE
#endif

namespace wakuzume {
namespace {

/// So many vectors are on their way at a time, component by component.
constexpr std::size_t lot = 128;
/// Bounds are kept in so many lanes, each over every eighth vector.
constexpr std::size_t lanes = 8;

struct Lot {
  std::array<std::array<double, lot>, 3> from;
  std::array<std::array<float, lot>, 3> to;
};

template <class T>
void load(const T* from, std::size_t count, Lot& work) {
  for (std::size_t v = 0; v < count; ++v) {
    work.from[0][v] = static_cast<double>(from[3 * v]);
    work.from[1][v] = static_cast<double>(from[3 * v + 1]);
    work.from[2][v] = static_cast<double>(from[3 * v + 2]);
  }
}

void store(const Lot& work, std::size_t count, float* to) {
  for (std::size_t v = 0; v < count; ++v) {
    to[3 * v] = work.to[0][v];
    to[3 * v + 1] = work.to[1][v];
    to[3 * v + 2] = work.to[2][v];
  }
}

struct LaneBounds {
  std::array<std::array<float, lanes>, 3> low;
  std::array<std::array<float, lanes>, 3> high;
};

WAKUZUME_WIDE void transform_lot(const Mat4d& m, Lot& work, LaneBounds& bounds) {
  for (std::size_t c = 0; c < 3; ++c) {
    const double x = m[c];
    const double y = m[4 + c];
    const double z = m[8 + c];
    const double origin = m[12 + c];
    for (std::size_t v = 0; v < lot; ++v) {
      work.to[c][v] = static_cast<float>(x * work.from[0][v] + y * work.from[1][v] +
                                         z * work.from[2][v] + origin);
    }
    std::array<float, lanes> low = bounds.low[c];
    std::array<float, lanes> high = bounds.high[c];
    for (std::size_t v = 0; v < lot; v += lanes) {
      for (std::size_t l = 0; l < lanes; ++l) {
        const float value = work.to[c][v + l];
        low[l] = value < low[l] ? value : low[l];
        high[l] = value > high[l] ? value : high[l];
      }
    }
    bounds.low[c] = low;
    bounds.high[c] = high;
  }
}

WAKUZUME_WIDE void turn_lot(const std::array<Vec3d, 3>& columns, Lot& work) {
  std::array<std::array<double, lot>, 3> moved;
  for (std::size_t c = 0; c < 3; ++c) {
    for (std::size_t v = 0; v < lot; ++v) {
      moved[c][v] = columns[0][c] * work.from[0][v] + columns[1][c] * work.from[1][v] +
                    columns[2][c] * work.from[2][v];
    }
  }
  for (std::size_t v = 0; v < lot; ++v) {
    const double square =
        moved[0][v] * moved[0][v] + moved[1][v] * moved[1][v] + moved[2][v] * moved[2][v];
    // Zero, infinity and NaN have no direction; the standard wants unit length.
    const bool sound = square > 0 && square <= std::numeric_limits<double>::max();
    const double scale = 1 / std::sqrt(sound ? square : 1);
    work.to[0][v] = static_cast<float>(sound ? moved[0][v] * scale : 0);
    work.to[1][v] = static_cast<float>(sound ? moved[1][v] * scale : 0);
    work.to[2][v] = static_cast<float>(sound ? moved[2][v] * scale : 1);
  }
}

/// The lanes that are not there repeat the last vector: it changes no bounds and is not stored.
void pad(std::size_t count, Lot& work) {
  for (std::size_t v = count; v < lot; ++v) {
    for (std::size_t c = 0; c < 3; ++c) {
      work.from[c][v] = work.from[c][count - 1];
    }
  }
}

/// Lot by lot through the work space; `kernel` makes `to` of `from`.
template <class T, class Kernel>
void for_each_lot(std::span<const T> from, float* to, const Kernel& kernel) {
  Lot work;
  const std::size_t count = from.size() / 3;
  for (std::size_t first = 0; first < count; first += lot) {
    const std::size_t here = std::min(lot, count - first);
    load(from.data() + 3 * first, here, work);
    pad(here, work);
    kernel(work);
    store(work, here, to + 3 * first);
  }
}

template <class T>
FloatBounds transform_all(const Mat4d& matrix, std::span<const T> from, float* to) {
  constexpr float infinity = std::numeric_limits<float>::infinity();
  LaneBounds bounds;
  for (std::size_t c = 0; c < 3; ++c) {
    bounds.low[c].fill(infinity);
    bounds.high[c].fill(-infinity);
  }
  for_each_lot(from, to, [&](Lot& work) { transform_lot(matrix, work, bounds); });
  FloatBounds out;
  for (std::size_t c = 0; c < 3; ++c) {
    out.low[c] = *std::min_element(bounds.low[c].begin(), bounds.low[c].end());
    out.high[c] = *std::max_element(bounds.high[c].begin(), bounds.high[c].end());
  }
  return out;
}

}  // namespace

FloatBounds transform_points(const Mat4d& matrix, std::span<const float> from, float* to) {
  return transform_all(matrix, from, to);
}
FloatBounds transform_points(const Mat4d& matrix, std::span<const double> from, float* to) {
  return transform_all(matrix, from, to);
}

void transform_normals(const std::array<Vec3d, 3>& columns,
                       std::span<const float> from,
                       float* to) {
  for_each_lot(from, to, [&](Lot& work) { turn_lot(columns, work); });
}
void transform_normals(const std::array<Vec3d, 3>& columns,
                       std::span<const double> from,
                       float* to) {
  for_each_lot(from, to, [&](Lot& work) { turn_lot(columns, work); });
}

}  // namespace wakuzume
