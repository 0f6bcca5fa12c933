// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "cost/shadows.h"
#include "wakuzume/run_control.h"

/// How often a box is seen by many frusta at once.
namespace wakuzume {

/// A pyramid of cells over the scene that knows of each cell which frusta hold it whole and which
/// cut it. A box that touches a cell which some frustum holds is seen by it; one whose cells a
/// frustum misses is not; only the few in between are tested. A large box beyond a frustum's
/// corner, which sees_box would let pass, is found out by its cells.
class SeenGrid {
 public:
  /// \param bounds  around all boxes that will be asked for
  /// \param cells   about how many to make on the finest level
  /// \cost 5 bytes a frustum and 16 cells; a test for each frustum that cuts a cell's parent
  SeenGrid(const Box3d& bounds,
           std::span<const WeighedFrustum> frusta,
           std::size_t cells,
           const RunControl& run);

  /// Weights of the frusta that see the box, added up: never one for which sees_box does not hold.
  /// An estimate, from at least 128 of those in question, where more than 256 cut its cells.
  /// \cost the words of up to 27 cells, and a test for each frustum that cuts one of them
  [[nodiscard]] std::uint32_t count(const Box3d& box) const;

 private:
  struct Level {
    double cell_size_m = 0;
    std::array<std::uint32_t, 3> cells{1, 1, 1};
    std::vector<std::uint64_t> inside;  ///< words_ a cell
    std::vector<std::uint64_t> touched;
  };
  void fill(Level& level, const Level* parent, const RunControl& run);
  void fill_cell(Level& level, const Level* parent, std::size_t cell) const;
  [[nodiscard]] std::array<std::uint32_t, 2> find_range(const Level& level,
                                                        const Box3d& box,
                                                        std::size_t axis) const;

  Vec3d origin_{0, 0, 0};
  std::size_t words_ = 0;
  std::vector<Frustum> frusta_;        ///< sorted by weight, each weight begins a word
  std::vector<std::uint64_t> used_;    ///< bits of the words that stand for a frustum
  std::vector<std::uint32_t> weight_;  ///< of a word's frusta
  std::uint32_t total_ = 0;
  std::vector<Level> levels_;  ///< finest first
};

}  // namespace wakuzume
