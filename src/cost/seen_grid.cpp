// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "cost/seen_grid.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numeric>

#include "cost/box_side.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// Of the frusta that neither hold nor miss a box's cells, at least half so many are tested; where
/// there are more, each stands for its neighbours. That is an error of a few percent, and only for
/// boxes that hundreds of frusta cut.
constexpr std::size_t most_tests = 256;

}  // namespace

SeenGrid::SeenGrid(const Box3d& bounds,
                   std::span<const WeighedFrustum> frusta,
                   std::size_t cells,
                   const RunControl& run) {
  std::vector<std::size_t> order(frusta.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return frusta[a].weight < frusta[b].weight;
  });
  for (std::size_t i = 0; i < order.size(); ++i) {
    const WeighedFrustum& next = frusta[order[i]];
    if (frusta_.size() % 64 == 0 || weight_.back() != next.weight) {
      frusta_.resize((frusta_.size() + 63) / 64 * 64);
      weight_.push_back(next.weight);
      used_.push_back(0);
    }
    used_.back() |= 1ULL << (frusta_.size() % 64);
    frusta_.push_back(next.frustum);
    total_ += next.weight;
  }
  words_ = weight_.size();
  frusta_.resize(words_ * 64);

  origin_ = bounds.empty() ? Vec3d{0, 0, 0} : bounds.min;
  Vec3d size{1, 1, 1};
  for (std::size_t c = 0; c < 3 && !bounds.empty(); ++c) {
    size[c] = std::max(bounds.max[c] - bounds.min[c], bounds.largest_extent() * 1e-3 + 1e-9);
  }
  double cell =
      std::cbrt(size[0] * size[1] * size[2] / static_cast<double>(std::max<std::size_t>(1, cells)));
  // A flat scene has one layer, and then the cells' number goes with the square of their size.
  const auto count = [&](double edge) {
    return std::ceil(size[0] / edge) * std::ceil(size[1] / edge) * std::ceil(size[2] / edge);
  };
  while (count(cell) > 2.0 * static_cast<double>(std::max<std::size_t>(1, cells))) {
    cell *= 1.25;
  }
  const double largest = *std::max_element(size.begin(), size.end());
  for (;; cell *= 2) {
    Level& level = levels_.emplace_back();
    level.cell_size_m = cell;
    for (std::size_t c = 0; c < 3; ++c) {
      level.cells[c] = static_cast<std::uint32_t>(std::max(1.0, std::ceil(size[c] / cell)));
    }
    if (cell >= largest) {
      break;
    }
  }
  for (std::size_t l = levels_.size(); l-- > 0;) {
    fill(levels_[l], l + 1 < levels_.size() ? &levels_[l + 1] : nullptr, run);
  }
}

void SeenGrid::fill(Level& level, const Level* parent, const RunControl& run) {
  const std::size_t cells = std::size_t{level.cells[0]} * level.cells[1] * level.cells[2];
  level.inside.assign(cells * words_, 0);
  level.touched.assign(cells * words_, 0);
  for_each_index(cells, {run.threads, nullptr}, "",
                 [&](std::size_t cell) { fill_cell(level, parent, cell); });
}

void SeenGrid::fill_cell(Level& level, const Level* parent, std::size_t cell) const {
  const std::array<std::size_t, 3> at{cell % level.cells[0], cell / level.cells[0] % level.cells[1],
                                      cell / level.cells[0] / level.cells[1]};
  Vec3d centre{};
  for (std::size_t c = 0; c < 3; ++c) {
    centre[c] = origin_[c] + (static_cast<double>(at[c]) + 0.5) * level.cell_size_m;
  }
  Vec3d half{};
  half.fill(level.cell_size_m / 2);
  std::uint64_t* inside = level.inside.data() + cell * words_;
  std::uint64_t* touched = level.touched.data() + cell * words_;
  const std::size_t above =
      parent == nullptr ? 0
                        : (at[2] / 2 * parent->cells[1] + at[1] / 2) * parent->cells[0] + at[0] / 2;
  for (std::size_t w = 0; w < words_; ++w) {
    std::uint64_t open = used_[w];
    if (parent != nullptr) {
      inside[w] = parent->inside[above * words_ + w];
      touched[w] = inside[w];
      open = parent->touched[above * words_ + w] & ~inside[w];
    }
    for (; open != 0; open &= open - 1) {
      const auto bit = static_cast<std::size_t>(std::countr_zero(open));
      const Side side = find_side(frusta_[w * 64 + bit], centre, half);
      touched[w] |= side == Side::outside ? 0 : 1ULL << bit;
      inside[w] |= side == Side::inside ? 1ULL << bit : 0;
    }
  }
}

std::array<std::uint32_t, 2> SeenGrid::find_range(const Level& level,
                                                  const Box3d& box,
                                                  std::size_t axis) const {
  const auto find = [&](double at) {
    const double cell = std::floor((at - origin_[axis]) / level.cell_size_m);
    return static_cast<std::uint32_t>(
        std::clamp(cell, 0.0, static_cast<double>(level.cells[axis] - 1)));
  };
  return {find(box.min[axis]), find(box.max[axis])};
}

std::uint32_t SeenGrid::count(const Box3d& box) const {
  if (box.empty() || !std::isfinite(box.largest_extent())) {
    return total_;
  }
  const double extent = box.largest_extent();
  const auto level = std::find_if(levels_.begin(), levels_.end() - 1,
                                  [&](const Level& l) { return 2 * l.cell_size_m >= extent; });
  std::array<std::array<std::uint32_t, 2>, 3> range{};
  for (std::size_t c = 0; c < 3; ++c) {
    range[c] = find_range(*level, box, c);
  }
  thread_local std::vector<std::uint64_t> seen;
  thread_local std::vector<std::uint64_t> maybe;
  seen.assign(words_, 0);
  maybe.assign(words_, 0);
  for (std::uint32_t z = range[2][0]; z <= range[2][1]; ++z) {
    for (std::uint32_t y = range[1][0]; y <= range[1][1]; ++y) {
      for (std::uint32_t x = range[0][0]; x <= range[0][1]; ++x) {
        const std::size_t cell = (std::size_t{z} * level->cells[1] + y) * level->cells[0] + x;
        const std::uint64_t* inside = level->inside.data() + cell * words_;
        const std::uint64_t* touched = level->touched.data() + cell * words_;
        for (std::size_t w = 0; w < words_; ++w) {
          seen[w] |= inside[w];
          maybe[w] |= touched[w];
        }
      }
    }
  }
  Vec3d centre{};
  Vec3d half{};
  for (std::size_t c = 0; c < 3; ++c) {
    centre[c] = (box.min[c] + box.max[c]) / 2;
    half[c] = (box.max[c] - box.min[c]) / 2;
  }
  std::uint32_t total = 0;
  std::size_t open_count = 0;
  for (std::size_t w = 0; w < words_; ++w) {
    total += static_cast<std::uint32_t>(std::popcount(seen[w])) * weight_[w];
    maybe[w] &= ~seen[w];
    open_count += static_cast<std::size_t>(std::popcount(maybe[w]));
  }
  const std::size_t stride = 1 + open_count / most_tests;
  std::size_t until_next = 0;
  for (std::size_t w = 0; w < words_; ++w) {
    for (std::uint64_t open = maybe[w]; open != 0; open &= open - 1) {
      if (until_next > 0) {
        --until_next;
        continue;
      }
      until_next = stride - 1;
      const auto bit = static_cast<std::size_t>(std::countr_zero(open));
      if (sees(frusta_[w * 64 + bit], centre, half)) {
        total += static_cast<std::uint32_t>(stride) * weight_[w];
      }
    }
  }
  return std::min(total, total_);
}

}  // namespace wakuzume
