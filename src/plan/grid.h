// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "wakuzume/survey.h"

/// Clusters by the cells of a cubic grid.
namespace wakuzume {

struct Grid {
  Vec3d origin{0, 0, 0};
  double cell_size_m = 1;

  using Cell = std::array<std::int64_t, 3>;
  [[nodiscard]] Cell find_cell(const Vec3d& point) const;
};

/// The draws of one key in one cell.
struct CellDraws {
  KeyId key{};
  Grid::Cell cell{};
  std::vector<DrawId> draws;  ///< in draw order
};

/// Sorts draws into (key, cell) by the centre of their boxes: ordered by key, then cell.
std::vector<CellDraws> make_cells(const Survey& survey,
                                  const std::vector<DrawId>& draws,
                                  const Grid& grid);

/// The finest of the scene's extent halved 0 to 12 times whose cells number at most `budget`.
/// When even the whole extent makes more, the finest that makes no more than that.
Grid choose_grid(const Survey& survey, const std::vector<DrawId>& draws, std::uint64_t budget);

/// Halves a list of draws along the longest side of their centres until each part's `sizes` add up
/// to no more than `limit`. Parts keep the draw order inside. \pre no single size is above it
std::vector<std::vector<DrawId>> split_to_limit(const Survey& survey,
                                                std::vector<DrawId> draws,
                                                const std::vector<std::uint64_t>& sizes,
                                                std::uint64_t limit);

}  // namespace wakuzume
