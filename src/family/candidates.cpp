// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "family/candidates.h"

#include <xxhash.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

namespace wakuzume {
namespace {

/// Shapes that are looked at to choose axes.
constexpr std::size_t sampled_shapes = 2048;
/// From one level of noise to the next.
constexpr double level_factor = 4;
constexpr double least_noise = 1e-9;
/// What may_fit allows beside the noise, with room for rounding.
constexpr double radius_slack = 2e-5;

std::int64_t to_cell(double value, double size) {
  const double at = std::floor(value / size);
  constexpr double most = 4e18;
  return static_cast<std::int64_t>(std::clamp(at, -most, most));
}

}  // namespace

bool may_fit(const Invariants& a, const Invariants& b, double tolerance) {
  for (std::size_t i = 0; i < a.values.size(); ++i) {
    if (std::abs(a.values[i] - b.values[i]) > tolerance) {
      return false;
    }
  }
  return may_fit(a.descriptor, b.descriptor);
}

std::size_t PrototypeIndex::CellHash::operator()(const Cell& cell) const {
  return XXH3_64bits(cell.data(), sizeof(cell));
}

void PrototypeIndex::Grid::add(const Cell& cell, std::uint32_t shape) {
  const auto number = static_cast<std::uint32_t>(entries.size());
  const auto [slot, added] = last.try_emplace(cell, number);
  entries.push_back({shape, added ? no_index : slot->second});
  slot->second = number;
}

PrototypeIndex::PrototypeIndex(const std::vector<Invariants>& all,
                               const std::vector<std::uint32_t>& shapes,
                               double tolerance)
    : all_(all), tolerance_(std::max(tolerance, 1e-9)) {
  double least = std::numeric_limits<double>::infinity();
  double most = 0;
  for (const std::uint32_t shape : shapes) {
    const double noise = std::max(least_noise, all_[shape].descriptor.noise);
    least = std::min(least, noise);
    most = std::max(most, noise);
  }
  for (double noise = least;; noise *= level_factor) {
    levels_.push_back({noise, {}, {}});
    if (noise >= most) {
      break;
    }
  }
  choose_axes(shapes);
}

double PrototypeIndex::find(const Axis& axis, std::uint32_t shape) const {
  const Invariants& one = all_[shape];
  return axis.fixed ? one.values[axis.number]
                    : static_cast<double>(one.descriptor.radii[axis.number]);
}

/// By how much two shapes of one family may differ there, if neither has more noise.
double PrototypeIndex::find_reach(const Axis& axis, double noise) const {
  return axis.fixed ? tolerance_ * (1 + 1e-9) : 2 * noise * axis.factor + radius_slack;
}

/// Greedily those that tell most of the shapes apart, as long as each adds something.
void PrototypeIndex::choose_axes(const std::vector<std::uint32_t>& shapes) {
  std::vector<std::uint32_t> sample;
  const std::size_t step = 1 + shapes.size() / sampled_shapes;
  for (std::size_t s = 0; s < shapes.size(); s += step) {
    sample.push_back(shapes[s]);
  }
  std::vector<Axis> candidates;
  const std::size_t values = shapes.empty() ? 0 : all_[shapes.front()].values.size();
  for (std::size_t m = 0; m < values; ++m) {
    candidates.push_back({true, m, 0});
  }
  for (std::size_t k = 0; k < std::tuple_size_v<decltype(Descriptor::radii)>; ++k) {
    double largest = 1;
    for (const std::uint32_t shape : shapes) {
      largest = std::max(largest, static_cast<double>(all_[shape].descriptor.radii[k]));
    }
    candidates.push_back({false, k, 1.5 + 2 * largest});
  }
  std::vector<std::vector<std::int64_t>> cells(sample.size());
  std::size_t told_apart = 1;
  while (axes_.size() < max_axes) {
    const Axis* best = nullptr;
    std::size_t most = told_apart + told_apart / 8;
    for (const Axis& axis : candidates) {
      std::set<std::vector<std::int64_t>> distinct;
      for (std::size_t s = 0; s < sample.size(); ++s) {
        std::vector<std::int64_t> cell = cells[s];
        const double noise = std::max(least_noise, all_[sample[s]].descriptor.noise);
        cell.push_back(to_cell(find(axis, sample[s]), 2 * find_reach(axis, noise)));
        distinct.insert(std::move(cell));
      }
      if (distinct.size() > most) {
        most = distinct.size();
        best = &axis;
      }
    }
    if (best == nullptr) {
      return;
    }
    for (std::size_t s = 0; s < sample.size(); ++s) {
      const double noise = std::max(least_noise, all_[sample[s]].descriptor.noise);
      cells[s].push_back(to_cell(find(*best, sample[s]), 2 * find_reach(*best, noise)));
    }
    told_apart = most;
    axes_.push_back(*best);
  }
}

PrototypeIndex::Cell PrototypeIndex::find_cell(std::uint32_t shape, double noise) const {
  Cell out{};
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    out[a] = to_cell(find(axes_[a], shape), 2 * find_reach(axes_[a], noise));
  }
  return out;
}

std::size_t PrototypeIndex::find_level(std::uint32_t shape) const {
  std::size_t level = 0;
  while (level + 1 < levels_.size() && all_[shape].descriptor.noise > levels_[level].noise) {
    ++level;
  }
  return level;
}

void PrototypeIndex::add(std::uint32_t shape) {
  const std::size_t own = find_level(shape);
  for (std::size_t l = own; l < levels_.size(); ++l) {
    const Cell cell = find_cell(shape, levels_[l].noise);
    levels_[l].up_to.add(cell, shape);
    if (l == own && l > 0) {
      levels_[l].own.add(cell, shape);
    }
  }
}

/// Cells are twice as large as what is in reach, so that two of them hold it along each axis.
void PrototypeIndex::look_up(const Grid& grid,
                             double noise,
                             std::uint32_t shape,
                             std::vector<std::uint32_t>& out) const {
  if (grid.entries.empty()) {
    return;
  }
  Cell low{};
  Cell high{};
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    const double reach = find_reach(axes_[a], noise);
    const double value = find(axes_[a], shape);
    low[a] = to_cell(value - reach, 2 * reach);
    high[a] = to_cell(value + reach, 2 * reach);
  }
  for (std::size_t corner = 0; corner < (std::size_t{1} << axes_.size()); ++corner) {
    Cell cell = low;
    bool twice = false;
    for (std::size_t a = 0; a < axes_.size(); ++a) {
      if ((corner >> a & 1U) != 0) {
        twice = twice || high[a] == low[a];
        cell[a] = high[a];
      }
    }
    const auto hit = twice ? grid.last.end() : grid.last.find(cell);
    for (std::uint32_t at = hit == grid.last.end() ? no_index : hit->second; at != no_index;
         at = grid.entries[at].next) {
      const std::uint32_t prototype = grid.entries[at].shape;
      if (may_fit(all_[shape], all_[prototype], tolerance_)) {
        out.push_back(prototype);
      }
    }
  }
}

std::vector<std::uint32_t> PrototypeIndex::list(std::uint32_t shape) const {
  std::vector<std::uint32_t> out;
  const std::size_t own = find_level(shape);
  look_up(levels_[own].up_to, levels_[own].noise, shape, out);
  for (std::size_t l = own + 1; l < levels_.size(); ++l) {
    look_up(levels_[l].own, levels_[l].noise, shape, out);
  }
  std::sort(out.begin(), out.end());
  return out;
}

}  // namespace wakuzume
