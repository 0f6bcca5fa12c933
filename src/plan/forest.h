// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "cost/seen_grid.h"
#include "wakuzume/geometry.h"
#include "wakuzume/run_control.h"

/// Spatial trees over boxes: a binary tree for each set of things that may be drawn as one.
namespace wakuzume {

struct TreeNode {
  Box3d box;
  std::uint32_t first = 0;  ///< position in Forest::order; the node holds a stretch of it
  std::uint32_t count = 0;
  std::uint32_t left = no_index;  ///< of two children; the right one follows it
  std::uint32_t seen = 0;         ///< by the frusta it was counted with, by weight

  [[nodiscard]] bool leaf() const { return left == no_index; }
  [[nodiscard]] std::uint32_t right() const { return left + 1; }
};

/// Children have higher numbers than their parents. Leaves hold one thing each.
struct Forest {
  std::vector<TreeNode> nodes;
  std::vector<std::uint32_t> order;
  std::vector<std::uint32_t> roots;  ///< one a set; a set without members has none

  [[nodiscard]] std::span<const std::uint32_t> members(const TreeNode& node) const {
    return std::span(order).subspan(node.first, node.count);
  }
};

/// Cuts each set in two where the halves' surfaces, weighed by what they hold, are smallest.
/// \param boxes, weights  by thing; \param sets  disjoint lists of things
/// \cost O(n log n) where the boxes are spread out; in parallel over the sets
/// \source the surface-area heuristic in bins (J. Goldsmith and J. Salmon, 1987; I. Wald, 2007)
Forest make_forest(std::span<const Box3d> boxes,
                   std::span<const float> weights,
                   const std::vector<std::vector<std::uint32_t>>& sets,
                   const RunControl& run);

/// Fills TreeNode::seen; a node is seen at least as often as what is below it. \cost
/// SeenGrid::count for each node; in parallel
/// \param known  by thing: what is known of its own box; no_index: nothing
void count_seen(Forest& forest,
                const SeenGrid& grid,
                std::span<const std::uint32_t> known,
                const RunControl& run);

}  // namespace wakuzume
