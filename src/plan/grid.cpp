// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/grid.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <tuple>

namespace wakuzume {
namespace {

constexpr int max_halvings = 12;

std::uint64_t count_cells(const Survey& survey,
                          const std::vector<DrawId>& draws,
                          const Grid& grid) {
  std::vector<std::tuple<KeyId, Grid::Cell>> seen;
  seen.reserve(draws.size());
  for (const DrawId id : draws) {
    seen.emplace_back(survey[id].key, grid.find_cell(survey[id].box.centre()));
  }
  std::sort(seen.begin(), seen.end());
  return static_cast<std::uint64_t>(std::unique(seen.begin(), seen.end()) - seen.begin());
}

}  // namespace

Grid::Cell Grid::find_cell(const Vec3d& point) const {
  Cell cell;
  for (std::size_t i = 0; i < 3; ++i) {
    // Far outside any sensible scene the cell number would not fit; clamping keeps it defined.
    const double number = std::floor((point[i] - origin[i]) / cell_size_m);
    cell[i] = static_cast<std::int64_t>(std::clamp(number, -9e15, 9e15));
  }
  return cell;
}

std::vector<CellDraws> make_cells(const Survey& survey,
                                  const std::vector<DrawId>& draws,
                                  const Grid& grid) {
  std::vector<std::tuple<KeyId, Grid::Cell, DrawId>> rows;
  rows.reserve(draws.size());
  for (const DrawId id : draws) {
    rows.emplace_back(survey[id].key, grid.find_cell(survey[id].box.centre()), id);
  }
  std::sort(rows.begin(), rows.end());
  std::vector<CellDraws> cells;
  for (const auto& [key, cell, id] : rows) {
    if (cells.empty() || cells.back().key != key || cells.back().cell != cell) {
      cells.push_back({key, cell, {}});
    }
    cells.back().draws.push_back(id);
  }
  return cells;
}

Grid choose_grid(const Survey& survey, const std::vector<DrawId>& draws, std::uint64_t budget) {
  Box3d bounds;
  for (const DrawId id : draws) {
    bounds.include(survey[id].box.centre());
  }
  // A little over the extent, so that the far side falls into the first cell too: the next
  // millimetre, which people can read, or next to nothing where a millimetre is much.
  const double size = bounds.largest_extent();
  const double extent = size > 1 ? std::floor(size * 1000 + 1) / 1000 : size * (1 + 1e-9);
  Grid grid{bounds.empty() ? Vec3d{0, 0, 0} : bounds.min, extent > 0 ? extent : 1};
  const std::uint64_t allowed = std::max(budget, count_cells(survey, draws, grid));
  for (int halvings = 0; halvings < max_halvings; ++halvings) {
    Grid finer = grid;
    finer.cell_size_m /= 2;
    if (count_cells(survey, draws, finer) > allowed) {
      break;
    }
    grid = finer;
  }
  return grid;
}

std::vector<std::vector<DrawId>> split_to_limit(const Survey& survey,
                                                std::vector<DrawId> draws,
                                                const std::vector<std::uint64_t>& sizes,
                                                std::uint64_t limit) {
  const std::uint64_t total =
      std::transform_reduce(draws.begin(), draws.end(), std::uint64_t{0}, std::plus<>{},
                            [&](DrawId id) { return sizes[to_index(id)]; });
  if (total <= limit || draws.size() == 1) {
    return {std::move(draws)};
  }
  Box3d centres;
  for (const DrawId id : draws) {
    centres.include(survey[id].box.centre());
  }
  std::size_t axis = 0;
  for (std::size_t i = 1; i < 3; ++i) {
    if (centres.max[i] - centres.min[i] > centres.max[axis] - centres.min[axis]) {
      axis = i;
    }
  }
  std::stable_sort(draws.begin(), draws.end(), [&](DrawId a, DrawId b) {
    return survey[a].box.centre()[axis] < survey[b].box.centre()[axis];
  });
  const auto middle = draws.begin() + static_cast<std::ptrdiff_t>(draws.size() / 2);
  std::vector<std::vector<DrawId>> parts;
  for (std::vector<DrawId> half :
       {std::vector<DrawId>(draws.begin(), middle), std::vector<DrawId>(middle, draws.end())}) {
    std::sort(half.begin(), half.end());
    for (auto& part : split_to_limit(survey, std::move(half), sizes, limit)) {
      parts.push_back(std::move(part));
    }
  }
  return parts;
}

}  // namespace wakuzume
