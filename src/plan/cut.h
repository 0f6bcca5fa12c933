// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "plan/forest.h"
#include "plan/items.h"

/// The cheapest arrangement of items into clusters and instance sets.
namespace wakuzume {

/// Prices of a mean frame, microseconds.
struct Prices {
  double draw = 0;
  double instance = 0;
  double triangle = 0;             ///< with the vertices that come with one
  double byte = 0;                 ///< of geometry in memory
  double faster_share = 0;         ///< as CostProfile has it
  bool instances_repeats = false;  ///< what the engine instances by itself is not paid for
  double frames = 1;               ///< views that TreeNode::seen counts over
};

/// Items in trees, and what their frames cost.
struct Trees {
  Forest by_key;
  Forest by_repeat;
  Prices prices;
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
enum class Grouping : std::uint8_t { alone, cluster, set };

/// What an arrangement takes.
struct CutTotals {
  double cpu_us = 0;     ///< of a mean frame, draws and instances
  double gpu_us = 0;     ///< triangles, at their true price
  double triangles = 0;  ///< of a mean frame
  double bytes = 0;      ///< of geometry in memory

  void add(const CutTotals& other);
  void take(const CutTotals& other);
};

struct Arrangement {
  std::vector<Grouping> groupings;   ///< by item
  std::vector<std::uint32_t> nodes;  ///< by item: of the clusters' or the sets' forest
  CutTotals totals;
};

/// Nodes that may not be one group, nor what is above them.
struct Barred {
  std::vector<std::uint32_t> clusters;  ///< of the keys' forest
  std::vector<std::uint32_t> sets;      ///< of the repeats' forest
};

/// Factors on prices, to keep within a limit, and the rule by which nodes become one.
struct CutTerms {
  double triangle = 1;
  double byte = 1;
  CutRule rule = CutRule::cheapest;
};

/// Clusters: each tree of `by_key` holds the items of one merge key. Sets: each of `by_repeat`
/// holds items of one repeat, all of as many triangles.
///
/// Keys with repeats in common make a component. Components have nothing to do with each other, so
/// each may be cut on terms of its own, and sums over them are exact.
///
/// The cut is exact for the clusters when the items' prices as instances are given; these are found
/// by cutting the sets first, and again when it is known what they lose to clusters.
class Cutter {
 public:
  /// \cost 100 bytes a node of the forests
  Cutter(const Items& items,
         const Forest& by_key,
         const Forest& by_repeat,
         const Prices& prices,
         const CutLimits& limits,
         Repeats repeats,
         const RunControl& run);

  [[nodiscard]] std::size_t component_count() const { return component_count_; }

  /// What the cheapest arrangement takes, by component. \param terms  by component
  /// \cost O(nodes), and for nodes that might be one cluster their repeats; in parallel over the
  /// trees. Uses the room of the last call.
  std::vector<CutTotals> weigh(std::span<const CutTerms> terms, const RunControl& run);
  [[nodiscard]] Arrangement cut(std::span<const CutTerms> terms, const RunControl& run);

  /// From now on. \cost O(nodes)
  void bar(const Barred& barred);

 private:
  /// What is known of a key's node at any price.
  struct KeyNode {
    double triangles = 0;  ///< of what is no repeat
    double bytes = 0;
    std::uint64_t vertices = 0;
    std::uint32_t count = 0;
    std::uint32_t first = 0;  ///< of its repeats, in merged_
    std::uint32_t end = 0;
    std::uint32_t left = no_index;  ///< the right one follows it
    double share = 0;               ///< of the frames that see it
    bool may_merge = false;

    [[nodiscard]] bool leaf() const { return left == no_index; }
  };
  /// What an item that is a repeat costs merged. In the order of the keys' forest.
  struct Merged {
    double triangles = 0;
    double bytes = 0;
    double vertices = 0;
  };
  struct SetNode {
    std::uint32_t left = no_index;    ///< the right one follows it
    std::uint32_t repeat = no_index;  ///< of a leaf, in merged_
    std::uint32_t first = 0;          ///< position in the forest's order
    std::uint32_t count = 0;
    double share = 0;  ///< of the frames that see it
    bool may_merge = false;

    [[nodiscard]] bool leaf() const { return left == no_index; }
  };
  /// Of the sets of one tree, and whether there are any.
  struct SetTotals {
    CutTotals totals;
    bool any = false;
  };
  struct Scan {
    double price = 0;
    double vertices = 0;
    double count = 0;
  };

  /// Prices on the terms of a component.
  struct Rates {
    double triangle_us = 0;
    double byte_us = 0;
    CutRule rule = CutRule::cheapest;
    bool changed = true;  ///< since its last cut
  };

  void find_components();
  void add_keys(const Items& items, const Forest& forest, const RunControl& run);
  void add_key(const Items& items,
               const Forest& forest,
               std::span<const std::uint32_t> repeats_before,
               std::size_t n);
  void add_sets(const Items& items, const Forest& forest);
  void price_alone(const Items& items, const Forest& forest);

  void cut_sets(const RunControl& run);
  void weigh_set(std::size_t tree, std::size_t n, const Rates& rates);
  void give_prices(std::size_t tree, const Rates& rates);
  void cut_keys(const RunControl& run);
  void weigh_cluster(std::size_t n, const Rates& rates);
  void weigh_leaf(std::size_t n, const Rates& rates);
  [[nodiscard]] Scan scan_repeats(const KeyNode& node, const Rates& rates) const;
  void give_places(std::size_t tree, const Rates& rates);
  bool settle_active();
  void place_clusters(std::size_t tree, Arrangement& out) const;
  void place_sets(std::size_t tree, Arrangement& out) const;
  [[nodiscard]] bool is_forced(std::uint32_t repeat) const;
  [[nodiscard]] double price_merged(std::uint32_t repeat, double share, const Rates& rates) const;
  [[nodiscard]] std::vector<CutTotals> add_up(const RunControl& run) const;
  [[nodiscard]] CutTotals add_up_keys(std::size_t tree) const;
  [[nodiscard]] SetTotals add_up_sets(std::size_t tree) const;

  const Items& items_;
  const Forest& by_key_;
  const Forest& by_repeat_;
  Prices prices_;
  CutLimits limits_;
  Repeats repeats_rule_;

  std::vector<KeyNode> keys_;             ///< by node
  std::vector<double> alone_bytes_;       ///< by node: of a leaf's item
  std::vector<SetNode> sets_;             ///< by node
  std::vector<double> set_triangles_;     ///< by tree: of each of its items
  std::vector<double> set_bytes_;         ///< by tree: an item's share of the prototype
  std::vector<double> alone_draw_;        ///< by repeat: CPU time of it alone, when it is seen
  std::vector<std::uint32_t> items_of_;   ///< by repeat
  std::vector<Merged> merged_;            ///< by repeat
  std::vector<std::uint32_t> repeat_of_;  ///< by position in the order of by_repeat

  std::size_t component_count_ = 0;
  std::vector<std::uint32_t> component_of_key_;     ///< by tree
  std::vector<std::uint32_t> component_of_set_;     ///< by tree
  std::vector<std::uint32_t> component_of_repeat_;  ///< by repeat

  // One cut on one list of terms.
  std::vector<Rates> rates_;          ///< by component
  std::vector<double> out_price_;     ///< by repeat: in its set
  std::vector<std::uint8_t> active_;  ///< by repeat: may be in a set
  std::vector<std::uint8_t> stays_;   ///< by repeat: no cluster takes it from its set
  std::vector<double> key_best_;      ///< by node
  std::vector<double> key_least_;     ///< by node: no cluster around it pays less for its repeats
  std::vector<std::uint8_t> key_whole_;  ///< by node
  std::vector<double> set_best_;
  std::vector<std::uint32_t> set_count_;
  std::vector<std::uint8_t> set_whole_;
};

}  // namespace wakuzume
