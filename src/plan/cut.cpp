// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/cut.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr double never = std::numeric_limits<double>::infinity();
/// Sets are cut, clusters take what is cheaper in them, and so again with what is left.
constexpr int rounds = 3;

/// Calls `body(first, end)` for the nodes of each tree, side by side.
template <class Body>
void for_each_tree(const Forest& forest, const RunControl& run, const Body& body) {
  const RunControl quiet{run.threads, nullptr};
  for_each_index(forest.roots.size(), quiet, "", [&](std::size_t t) {
    const std::size_t end = t + 1 < forest.roots.size() ? forest.roots[t + 1] : forest.nodes.size();
    body(forest.roots[t], end);
  });
}

}  // namespace

/// One cut at one set of prices.
class Cutter::Pass {
 public:
  Pass(const Cutter& cutter, const Prices& prices, double triangle_weight, double byte_weight)
      : cutter_(cutter),
        items_(cutter.items_.items),
        prices_(prices),
        triangle_(prices.triangle * triangle_weight),
        byte_(prices.byte * byte_weight),
        out_price_(items_.size(), never),
        set_node_(items_.size(), no_index),
        active_(items_.size(), false) {
    out_.spots.assign(items_.size(), Spot::alone);
    out_.nodes.assign(items_.size(), no_index);
  }

  Arrangement make(const RunControl& run) {
    for (std::size_t i = 0; i < items_.size(); ++i) {
      active_[i] = items_[i].repeat != no_index && cutter_.repeats_ != Repeats::merge;
    }
    for (int round = 0; round < rounds; ++round) {
      cut_sets(run);
      cut_keys(run);
      bool changed = false;
      for (std::size_t i = 0; i < items_.size(); ++i) {
        const bool stays = out_.spots[i] == Spot::set;
        changed = changed || (active_[i] != 0) != stays;
        active_[i] = stays ? 1 : 0;
      }
      if (!changed) {
        break;
      }
    }
    cut_sets(run);
    for (std::size_t i = 0; i < items_.size(); ++i) {
      if (active_[i] != 0) {
        out_.spots[i] = set_node_[i] == no_index ? Spot::alone : Spot::set;
        out_.nodes[i] = set_node_[i];
      }
    }
    add_up();
    return std::move(out_);
  }

 private:
  [[nodiscard]] double share(const TreeNode& node) const {
    return static_cast<double>(node.seen) / prices_.frames;
  }
  [[nodiscard]] double triangles_of(std::uint32_t item) const {
    return static_cast<double>(items_[item].triangles);
  }
  [[nodiscard]] bool small_enough(const TreeNode& node) const {
    return cutter_.limits_.extent_m <= 0 || node.box.largest_extent() <= cutter_.limits_.extent_m;
  }

  // ---- instance sets -------------------------------------------------------------------------

  struct SetNode {
    double best = 0;
    double triangles = 0;
    std::uint32_t count = 0;
    bool whole = false;
  };

  void cut_sets(const RunControl& run) {
    const Forest& forest = cutter_.by_repeat_;
    std::vector<SetNode> states(forest.nodes.size());
    for_each_tree(forest, run, [&](std::size_t first, std::size_t end) {
      for (std::size_t n = end; n-- > first;) {
        weigh_set(forest, states, n);
      }
      give_prices(forest, states, first);
    });
  }

  [[nodiscard]] double price_set(const TreeNode& node, const SetNode& state) const {
    return share(node) *
               (prices_.draw + prices_.instance * state.count + triangle_ * state.triangles) +
           byte_ * static_cast<double>(instance_bytes * state.count);
  }

  void weigh_set(const Forest& forest, std::vector<SetNode>& states, std::size_t n) const {
    const TreeNode& node = forest.nodes[n];
    SetNode& state = states[n];
    if (node.leaf()) {
      const std::uint32_t item = forest.order[node.first];
      if (active_[item] != 0) {
        state.count = 1;
        state.triangles = triangles_of(item);
        state.best = share(node) * (prices_.draw + triangle_ * state.triangles);
      }
      return;
    }
    const SetNode& left = states[node.left];
    const SetNode& right = states[node.right];
    state.count = left.count + right.count;
    state.triangles = left.triangles + right.triangles;
    state.best = left.best + right.best;
    if (state.count >= cutter_.limits_.min_instances && state.count > 1 && small_enough(node)) {
      const double whole = price_set(node, state);
      if (cutter_.rule_ == CutRule::largest || whole <= state.best) {
        state.whole = true;
        state.best = whole;
      }
    }
  }

  /// What an item costs in its set: an equal share of it.
  void give_prices(const Forest& forest, const std::vector<SetNode>& states, std::size_t root) {
    std::vector<std::size_t> open{root};
    while (!open.empty()) {
      const std::size_t n = open.back();
      open.pop_back();
      const TreeNode& node = forest.nodes[n];
      if (!states[n].whole && !node.leaf()) {
        open.push_back(node.right);
        open.push_back(node.left);
        continue;
      }
      for (const std::uint32_t item : forest.members(node)) {
        const bool in_set = states[n].whole && active_[item] != 0;
        set_node_[item] = in_set ? static_cast<std::uint32_t>(n) : no_index;
        if (in_set) {
          const Repeat& repeat = cutter_.items_.repeats[items_[item].repeat];
          out_price_[item] = states[n].best / states[n].count + byte_ * repeat.bytes / repeat.items;
        } else {
          out_price_[item] = never;
        }
      }
    }
  }

  // ---- clusters ------------------------------------------------------------------------------

  struct KeyNode {
    double best = 0;
    double triangles = 0;  ///< of what no set would take
    double bytes = 0;
    std::uint64_t vertices = 0;
    std::uint32_t count = 0;
    bool whole = false;
  };

  [[nodiscard]] bool merges(std::uint32_t item, double share) const {
    if (cutter_.repeats_ == Repeats::instance && out_price_[item] < never) {
      return false;
    }
    return price_merged(item, share) < out_price_[item];
  }
  [[nodiscard]] double price_merged(std::uint32_t item, double share) const {
    return share * triangle_ * triangles_of(item) + byte_ * items_[item].bytes_merged;
  }

  void cut_keys(const RunControl& run) {
    const Forest& forest = cutter_.by_key_;
    std::vector<KeyNode> states(forest.nodes.size());
    for_each_tree(forest, run, [&](std::size_t first, std::size_t end) {
      for (std::size_t n = end; n-- > first;) {
        weigh_cluster(forest, states, n);
      }
      give_places(forest, states, first);
    });
  }

  void weigh_cluster(const Forest& forest, std::vector<KeyNode>& states, std::size_t n) const {
    const TreeNode& node = forest.nodes[n];
    KeyNode& state = states[n];
    if (node.leaf()) {
      weigh_leaf(node, forest.order[node.first], state);
      return;
    }
    const KeyNode& left = states[node.left];
    const KeyNode& right = states[node.right];
    state.triangles = left.triangles + right.triangles;
    state.bytes = left.bytes + right.bytes;
    state.vertices = left.vertices + right.vertices;
    state.count = left.count + right.count;
    state.best = left.best + right.best;
    if (state.vertices > cutter_.limits_.vertices || !small_enough(node)) {
      return;
    }
    const double whole = price_cluster(node, state);
    if (whole < never && (cutter_.rule_ == CutRule::largest || whole <= state.best)) {
      state.whole = true;
      state.best = whole;
    }
  }

  void weigh_leaf(const TreeNode& node, std::uint32_t item, KeyNode& state) const {
    const Item& row = items_[item];
    const double alone =
        share(node) * (prices_.draw + triangle_ * triangles_of(item)) + byte_ * row.bytes_alone;
    const bool forced = cutter_.repeats_ == Repeats::instance && out_price_[item] < never;
    state.best = forced ? out_price_[item] : std::min(alone, out_price_[item]);
    if (row.repeat == no_index) {
      state.triangles = triangles_of(item);
      state.bytes = row.bytes_merged;
      state.vertices = row.vertices;
      state.count = 1;
    }
  }

  /// As one cluster, but for the repeats that are cheaper in their sets. Never, when fewer than two
  /// are left to merge or they are too many vertices.
  [[nodiscard]] double price_cluster(const TreeNode& node, const KeyNode& state) const {
    const double seen = share(node);
    double price = seen * (prices_.draw + triangle_ * state.triangles) + byte_ * state.bytes;
    std::uint64_t vertices = state.vertices;
    std::uint32_t count = state.count;
    const std::uint32_t end = cutter_.repeats_before_[node.first + node.count];
    for (std::uint32_t r = cutter_.repeats_before_[node.first]; r < end; ++r) {
      const std::uint32_t item = cutter_.repeated_[r];
      if (merges(item, seen)) {
        price += price_merged(item, seen);
        vertices += items_[item].vertices;
        ++count;
      } else {
        price += out_price_[item];
      }
    }
    return count >= 2 && vertices <= cutter_.limits_.vertices ? price : never;
  }

  void give_places(const Forest& forest, const std::vector<KeyNode>& states, std::size_t root) {
    std::vector<std::size_t> open{root};
    while (!open.empty()) {
      const std::size_t n = open.back();
      open.pop_back();
      const TreeNode& node = forest.nodes[n];
      if (states[n].whole) {
        for (const std::uint32_t item : forest.members(node)) {
          place(item, merges(item, share(node)) ? Spot::cluster : Spot::set, n);
        }
      } else if (node.leaf()) {
        const std::uint32_t item = forest.order[node.first];
        // The leaf's best is its price in the set exactly where that is the cheaper.
        place(item, states[n].best == out_price_[item] ? Spot::set : Spot::alone, n);
      } else {
        open.push_back(node.right);
        open.push_back(node.left);
      }
    }
  }

  void place(std::uint32_t item, Spot where, std::size_t node) {
    out_.spots[item] = where;
    out_.nodes[item] = where == Spot::cluster ? static_cast<std::uint32_t>(node) : no_index;
  }

  // ---- sums ----------------------------------------------------------------------------------

  void add_up() {
    std::vector<bool> counted_clusters(cutter_.by_key_.nodes.size(), false);
    std::vector<bool> counted_sets(cutter_.by_repeat_.nodes.size(), false);
    std::vector<bool> counted_repeats(cutter_.items_.repeats.size(), false);
    const auto add_draw = [&](const TreeNode& node, std::vector<bool>& counted, std::size_t n) {
      if (!counted[n]) {
        counted[n] = true;
        out_.cpu_us += share(node) * prices_.draw;
      }
    };
    for (std::size_t n = 0; n < cutter_.by_key_.nodes.size(); ++n) {
      const TreeNode& leaf = cutter_.by_key_.nodes[n];
      if (!leaf.leaf()) {
        continue;
      }
      const std::uint32_t i = cutter_.by_key_.order[leaf.first];
      const Item& item = items_[i];
      double seen = share(leaf);
      if (out_.spots[i] == Spot::alone) {
        out_.cpu_us += seen * prices_.draw;
        out_.bytes += item.bytes_alone;
      } else if (out_.spots[i] == Spot::cluster) {
        const TreeNode& node = cutter_.by_key_.nodes[out_.nodes[i]];
        seen = share(node);
        add_draw(node, counted_clusters, out_.nodes[i]);
        out_.bytes += item.bytes_merged;
      } else {
        const TreeNode& node = cutter_.by_repeat_.nodes[out_.nodes[i]];
        seen = share(node);
        add_draw(node, counted_sets, out_.nodes[i]);
        out_.cpu_us += seen * prices_.instance;
        out_.bytes += static_cast<double>(instance_bytes);
        if (!counted_repeats[item.repeat]) {
          counted_repeats[item.repeat] = true;
          out_.bytes += cutter_.items_.repeats[item.repeat].bytes;
        }
      }
      out_.triangles += seen * triangles_of(i);
    }
    out_.gpu_us = out_.triangles * prices_.triangle;
  }

  const Cutter& cutter_;
  const std::vector<Item>& items_;
  const Prices& prices_;
  double triangle_;
  double byte_;
  std::vector<double> out_price_;
  std::vector<std::uint32_t> set_node_;
  std::vector<std::uint8_t> active_;
  Arrangement out_;
};

Cutter::Cutter(const Items& items,
               const Forest& by_key,
               const Forest& by_repeat,
               const CutLimits& limits,
               Repeats repeats,
               CutRule rule)
    : items_(items),
      by_key_(by_key),
      by_repeat_(by_repeat),
      limits_(limits),
      repeats_(repeats),
      rule_(rule) {
  repeats_before_.push_back(0);
  for (const std::uint32_t item : by_key.order) {
    if (items.items[item].repeat != no_index) {
      repeated_.push_back(item);
    }
    repeats_before_.push_back(static_cast<std::uint32_t>(repeated_.size()));
  }
}

Arrangement Cutter::cut(const Prices& prices,
                        double triangle_weight,
                        double byte_weight,
                        const RunControl& run) const {
  return Pass(*this, prices, triangle_weight, byte_weight).make(run);
}

}  // namespace wakuzume
