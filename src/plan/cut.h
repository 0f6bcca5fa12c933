// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "plan/forest.h"
#include "plan/items.h"

/// The cheapest arrangement of items into clusters and instance sets.
namespace wakuzume {

/// Prices of a mean frame, microseconds.
struct Prices {
  double draw = 0;
  double instance = 0;
  double triangle = 0;  ///< with the vertices that come with one
  double byte = 0;      ///< of geometry in memory
  double frames = 1;    ///< views that TreeNode::seen counts over
};

enum class CutRule : std::uint8_t {
  cheapest,  ///< by the prices
  largest    ///< the largest branches within the limits: one a set, as cells of a grid are
};

struct CutLimits {
  std::uint64_t vertices = 0;
  double extent_m = 0;  ///< 0: any
  std::uint32_t min_instances = 2;
};

/// What becomes of an item.
enum class Spot : std::uint8_t { alone, cluster, set };

struct Arrangement {
  std::vector<Spot> spots;           ///< by item
  std::vector<std::uint32_t> nodes;  ///< by item: of the clusters' or the sets' forest
  double cpu_us = 0;                 ///< of a mean frame, draws and instances
  double gpu_us = 0;                 ///< triangles, at their true price
  double triangles = 0;              ///< of a mean frame
  double bytes = 0;                  ///< of geometry in memory
};

/// Clusters: each set of `by_key` holds the items of one merge key. Sets: each of `by_repeat` holds
/// those of one repeat.
class Cutter {
 public:
  Cutter(const Items& items,
         const Forest& by_key,
         const Forest& by_repeat,
         const CutLimits& limits,
         Repeats repeats,
         CutRule rule);

  /// Exact for the clusters when the items' prices as instances are given; these are found by
  /// cutting the sets first, and again when it is known what they lose to clusters.
  /// \param triangle_weight, byte_weight  raise the prices, to keep within a limit
  /// \cost O(items log items)
  [[nodiscard]] Arrangement cut(const Prices& prices,
                                double triangle_weight,
                                double byte_weight,
                                const RunControl& run) const;

 private:
  class Pass;

  const Items& items_;
  const Forest& by_key_;
  const Forest& by_repeat_;
  CutLimits limits_;
  Repeats repeats_;
  CutRule rule_;
  /// Of Forest::order of the keys: how many before each position are repeats, and which.
  std::vector<std::uint32_t> repeats_before_;
  std::vector<std::uint32_t> repeated_;
};

}  // namespace wakuzume
