// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/cut.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <limits>

#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr double never = std::numeric_limits<double>::infinity();
/// Sets are cut, clusters take what is cheaper in them, and so again with what is left.
constexpr int rounds = 3;

std::size_t end_of_tree(const Forest& forest, std::size_t tree) {
  return tree + 1 < forest.roots.size() ? forest.roots[tree + 1] : forest.nodes.size();
}

/// Calls `body(tree)` for each tree, side by side.
template <class Body>
void for_each_tree(const Forest& forest, const RunControl& run, const Body& body) {
  for_each_index(forest.roots.size(), {run.threads, nullptr}, "", body);
}

/// Calls `visit(n)` for nodes from the root down, as long as it says to go on below.
template <class Nodes, class Visit>
void descend(const Nodes& nodes, std::size_t root, const Visit& visit) {
  std::vector<std::size_t> open{root};
  while (!open.empty()) {
    const std::size_t n = open.back();
    open.pop_back();
    if (visit(n)) {
      open.push_back(nodes[n].left + 1);
      open.push_back(nodes[n].left);
    }
  }
}

bool is_small(const TreeNode& node, const CutLimits& limits) {
  return limits.extent_m <= 0 || node.box.largest_extent() <= limits.extent_m;
}

}  // namespace

void CutTotals::add(const CutTotals& other) {
  cpu_us += other.cpu_us;
  gpu_us += other.gpu_us;
  triangles += other.triangles;
  bytes += other.bytes;
}

void CutTotals::take(const CutTotals& other) {
  cpu_us -= other.cpu_us;
  gpu_us -= other.gpu_us;
  triangles -= other.triangles;
  bytes -= other.bytes;
}

Cutter::Cutter(const Items& items,
               const Forest& by_key,
               const Forest& by_repeat,
               const Prices& prices,
               const CutLimits& limits,
               Repeats repeats,
               const RunControl& run)
    : items_(items),
      by_key_(by_key),
      by_repeat_(by_repeat),
      prices_(prices),
      limits_(limits),
      repeats_rule_(repeats) {
  add_keys(items, by_key, run);
  add_sets(items, by_repeat);
  find_components();
  if (repeats == Repeats::only) {
    for (KeyNode& key : keys_) {
      key.may_merge = false;
    }
  }
  out_price_.resize(items_of_.size());
  active_.resize(items_of_.size());
  stays_.resize(items_of_.size());
  key_best_.resize(keys_.size());
  key_least_.resize(keys_.size());
  key_whole_.resize(keys_.size());
  set_best_.resize(sets_.size());
  set_count_.resize(sets_.size());
  set_whole_.resize(sets_.size());
}

void Cutter::add_keys(const Items& items, const Forest& forest, const RunControl& run) {
  std::vector<std::uint32_t> repeats_before{0};
  repeats_before.reserve(forest.order.size() + 1);
  for (const std::uint32_t i : forest.order) {
    const Item& item = items.items[i];
    if (item.repeat != no_index) {
      items_of_.push_back(i);
      merged_.push_back({static_cast<double>(item.triangles), item.bytes_merged,
                         static_cast<double>(item.vertices)});
    }
    repeats_before.push_back(static_cast<std::uint32_t>(items_of_.size()));
  }
  keys_.resize(forest.nodes.size());
  alone_bytes_.resize(forest.nodes.size());
  for_each_tree(forest, run, [&](std::size_t tree) {
    for (std::size_t n = end_of_tree(forest, tree); n-- > forest.roots[tree];) {
      add_key(items, forest, repeats_before, n);
    }
  });
}

void Cutter::add_key(const Items& items,
                     const Forest& forest,
                     std::span<const std::uint32_t> repeats_before,
                     std::size_t n) {
  const TreeNode& node = forest.nodes[n];
  KeyNode& key = keys_[n];
  key.first = repeats_before[node.first];
  key.end = repeats_before[node.first + node.count];
  key.left = node.left;
  key.share = node.seen / prices_.frames;
  if (!node.leaf()) {
    const KeyNode& left = keys_[node.left];
    const KeyNode& right = keys_[node.right()];
    key.triangles = left.triangles + right.triangles;
    key.bytes = left.bytes + right.bytes;
    key.vertices = left.vertices + right.vertices;
    key.count = left.count + right.count;
    key.may_merge = key.vertices <= limits_.vertices && is_small(node, limits_);
    return;
  }
  const Item& item = items.items[forest.order[node.first]];
  alone_bytes_[n] = item.bytes_alone;
  if (item.repeat == no_index) {
    key.triangles = static_cast<double>(item.triangles);
    key.bytes = item.bytes_merged;
    key.vertices = item.vertices;
    key.count = 1;
  }
}

void Cutter::add_sets(const Items& items, const Forest& forest) {
  std::vector<std::uint32_t> of_item(items.items.size(), no_index);
  for (std::size_t r = 0; r < items_of_.size(); ++r) {
    of_item[items_of_[r]] = static_cast<std::uint32_t>(r);
  }
  repeat_of_.reserve(forest.order.size());
  for (const std::uint32_t item : forest.order) {
    repeat_of_.push_back(of_item[item]);
  }
  sets_.resize(forest.nodes.size());
  for (std::size_t n = 0; n < sets_.size(); ++n) {
    const TreeNode& node = forest.nodes[n];
    SetNode& set = sets_[n];
    set.left = node.left;
    set.repeat = node.leaf() ? repeat_of_[node.first] : no_index;
    set.first = node.first;
    set.count = node.count;
    set.share = node.seen / prices_.frames;
    set.may_merge = !node.leaf() && is_small(node, limits_);
  }
  for (const std::uint32_t root : forest.roots) {
    const Item& item = items.items[forest.order[forest.nodes[root].first]];
    const Repeat& repeat = items.repeats[item.repeat];
    set_triangles_.push_back(static_cast<double>(item.triangles));
    set_bytes_.push_back(repeat.bytes / repeat.items);
  }
  price_alone(items, forest);
}

/// An engine that instances what is equal draws all of one shape at once: in a mean frame that is
/// the part of the frames that see any of them, shared by all that are seen.
void Cutter::price_alone(const Items& items, const Forest& forest) {
  alone_draw_.assign(items_of_.size(), prices_.draw);
  for (std::size_t tree = 0; tree < forest.roots.size() && prices_.instances_repeats; ++tree) {
    const std::size_t root = forest.roots[tree];
    const auto members = forest.members(forest.nodes[root]);
    const std::uint32_t shape = items.items[members.front()].shape;
    const bool equal =
        shape != no_index && std::all_of(members.begin(), members.end(), [&](std::uint32_t item) {
          return items.items[item].shape == shape;
        });
    double seen = 0;
    for (std::size_t n = root; n < end_of_tree(forest, tree); ++n) {
      seen += sets_[n].leaf() ? sets_[n].share : 0;
    }
    if (!equal || seen <= 0) {
      continue;
    }
    const double each = prices_.instance + prices_.draw * std::min(1.0, sets_[root].share / seen);
    for (std::uint32_t p = sets_[root].first; p < sets_[root].first + sets_[root].count; ++p) {
      alone_draw_[repeat_of_[p]] = each;
    }
  }
}

/// Keys whose items are repeats of one another belong together.
void Cutter::find_components() {
  std::vector<std::uint32_t> above;  // by merge key: another of its component, or itself
  const auto find = [&](std::uint32_t key) {
    while (above[key] != key) {
      above[key] = above[above[key]];
      key = above[key];
    }
    return key;
  };
  for (const Item& item : items_.items) {
    while (above.size() <= item.merge) {
      above.push_back(static_cast<std::uint32_t>(above.size()));
    }
  }
  std::vector<std::uint32_t> of_repeat(items_.repeats.size(), no_index);
  for (const Item& item : items_.items) {
    if (item.repeat != no_index) {
      std::uint32_t& key = of_repeat[item.repeat];
      key = key == no_index ? item.merge : key;
      const std::uint32_t a = find(key);
      const std::uint32_t b = find(item.merge);
      above[std::max(a, b)] = std::min(a, b);
    }
  }
  std::vector<std::uint32_t> number(above.size(), no_index);
  const auto find_number = [&](std::uint32_t item) {
    std::uint32_t& known = number[find(items_.items[item].merge)];
    known = known == no_index ? static_cast<std::uint32_t>(component_count_++) : known;
    return known;
  };
  const auto number_trees = [&](const Forest& forest, std::vector<std::uint32_t>& out) {
    for (const std::uint32_t root : forest.roots) {
      out.push_back(find_number(forest.order[forest.nodes[root].first]));
    }
  };
  number_trees(by_key_, component_of_key_);
  number_trees(by_repeat_, component_of_set_);
  std::transform(items_of_.begin(), items_of_.end(), std::back_inserter(component_of_repeat_),
                 find_number);
}

void Cutter::bar(const Barred& barred) {
  const auto bar_in = [](auto& nodes, std::span<const std::uint32_t> list) {
    std::vector<bool> out(nodes.size(), false);
    for (const std::uint32_t n : list) {
      out[n] = true;
    }
    // Children have higher numbers than their parents.
    for (std::size_t n = nodes.size(); n-- > 0;) {
      if (!nodes[n].leaf()) {
        out[n] = out[n] || out[nodes[n].left] || out[nodes[n].left + 1];
        nodes[n].may_merge = nodes[n].may_merge && !out[n];
      }
    }
  };
  bar_in(keys_, barred.clusters);
  bar_in(sets_, barred.sets);
}

std::vector<CutTotals> Cutter::weigh(std::span<const CutTerms> terms, const RunControl& run) {
  rates_.clear();
  for (const CutTerms& term : terms) {
    rates_.push_back({prices_.triangle * term.triangle, prices_.byte * term.byte, term.rule, true});
  }
  std::fill(active_.begin(), active_.end(), repeats_rule_ != Repeats::merge);
  for (int round = 0; round < rounds; ++round) {
    cut_sets(run);
    cut_keys(run);
    if (!settle_active()) {
      break;
    }
  }
  cut_sets(run);
  return add_up(run);
}

/// Takes what left its set out of it. \return whether that changed any component
bool Cutter::settle_active() {
  for (Rates& rates : rates_) {
    rates.changed = false;
  }
  bool any = false;
  for (std::size_t r = 0; r < active_.size(); ++r) {
    if (active_[r] != stays_[r]) {
      active_[r] = stays_[r];
      rates_[component_of_repeat_[r]].changed = true;
      any = true;
    }
  }
  return any;
}

Arrangement Cutter::cut(std::span<const CutTerms> terms, const RunControl& run) {
  Arrangement out;
  for (const CutTotals& totals : weigh(terms, run)) {
    out.totals.add(totals);
  }
  out.groupings.assign(items_.items.size(), Grouping::alone);
  out.nodes.assign(items_.items.size(), no_index);
  for_each_tree(by_key_, run, [&](std::size_t tree) { place_clusters(tree, out); });
  for_each_tree(by_repeat_, run, [&](std::size_t tree) { place_sets(tree, out); });
  return out;
}

void Cutter::place_clusters(std::size_t tree, Arrangement& out) const {
  descend(keys_, by_key_.roots[tree], [&](std::size_t n) {
    if (key_whole_[n] != 0) {
      for (const std::uint32_t item : by_key_.members(by_key_.nodes[n])) {
        out.groupings[item] = Grouping::cluster;
        out.nodes[item] = static_cast<std::uint32_t>(n);
      }
    }
    return key_whole_[n] == 0 && !keys_[n].leaf();
  });
}

/// Over what the clusters around them said.
void Cutter::place_sets(std::size_t tree, Arrangement& out) const {
  descend(sets_, by_repeat_.roots[tree], [&](std::size_t n) {
    const SetNode& set = sets_[n];
    const bool whole = set_whole_[n] != 0;
    if (!whole && !set.leaf()) {
      return true;
    }
    for (std::uint32_t p = set.first; p < set.first + set.count; ++p) {
      if (active_[repeat_of_[p]] != 0) {
        const std::uint32_t item = items_of_[repeat_of_[p]];
        out.groupings[item] = whole ? Grouping::set : Grouping::alone;
        out.nodes[item] = whole ? static_cast<std::uint32_t>(n) : no_index;
      }
    }
    return false;
  });
}

// ---- instance sets -------------------------------------------------------------------------

void Cutter::cut_sets(const RunControl& run) {
  for_each_tree(by_repeat_, run, [&](std::size_t tree) {
    const Rates& rates = rates_[component_of_set_[tree]];
    if (!rates.changed) {
      return;
    }
    for (std::size_t n = end_of_tree(by_repeat_, tree); n-- > by_repeat_.roots[tree];) {
      weigh_set(tree, n, rates);
    }
    give_prices(tree, rates);
  });
}

void Cutter::weigh_set(std::size_t tree, std::size_t n, const Rates& rates) {
  const SetNode& set = sets_[n];
  const double triangles_us = rates.triangle_us * set_triangles_[tree];
  set_whole_[n] = 0;
  if (set.leaf()) {
    const bool active = active_[set.repeat] != 0;
    set_count_[n] = active ? 1 : 0;
    set_best_[n] = active ? set.share * (alone_draw_[set.repeat] + triangles_us) : 0;
    return;
  }
  const std::uint32_t count = set_count_[set.left] + set_count_[set.left + 1];
  set_count_[n] = count;
  set_best_[n] = set_best_[set.left] + set_best_[set.left + 1];
  if (set.may_merge && count >= limits_.min_instances && count > 1) {
    const double whole = set.share * (prices_.draw + (prices_.instance + triangles_us) * count) +
                         rates.byte_us * static_cast<double>(instance_bytes) * count;
    if (rates.rule == CutRule::largest || whole <= set_best_[n]) {
      set_whole_[n] = 1;
      set_best_[n] = whole;
    }
  }
}

/// What an item costs in its set: an equal share of it.
void Cutter::give_prices(std::size_t tree, const Rates& rates) {
  descend(sets_, by_repeat_.roots[tree], [&](std::size_t n) {
    const SetNode& set = sets_[n];
    const bool whole = set_whole_[n] != 0;
    if (!whole && !set.leaf()) {
      return true;
    }
    double each = never;
    if (whole) {
      each = set_best_[n] / set_count_[n] + rates.byte_us * set_bytes_[tree];
    }
    for (std::uint32_t p = set.first; p < set.first + set.count; ++p) {
      const std::uint32_t repeat = repeat_of_[p];
      out_price_[repeat] = active_[repeat] != 0 ? each : never;
    }
    return false;
  });
}

// ---- clusters ------------------------------------------------------------------------------

bool Cutter::is_forced(std::uint32_t repeat) const {
  return repeats_rule_ != Repeats::by_cost && out_price_[repeat] < never;
}

double Cutter::price_merged(std::uint32_t repeat, double share, const Rates& rates) const {
  if (is_forced(repeat)) {
    return never;
  }
  const Merged& merged = merged_[repeat];
  return share * rates.triangle_us * merged.triangles + rates.byte_us * merged.bytes;
}

void Cutter::cut_keys(const RunControl& run) {
  for_each_tree(by_key_, run, [&](std::size_t tree) {
    const Rates& rates = rates_[component_of_key_[tree]];
    if (!rates.changed) {
      return;
    }
    for (std::size_t n = end_of_tree(by_key_, tree); n-- > by_key_.roots[tree];) {
      weigh_cluster(n, rates);
    }
    give_places(tree, rates);
  });
}

void Cutter::weigh_leaf(std::size_t n, const Rates& rates) {
  const KeyNode& key = keys_[n];
  if (key.first == key.end) {
    key_best_[n] = key.share * (prices_.draw + rates.triangle_us * key.triangles) +
                   rates.byte_us * alone_bytes_[n];
    key_least_[n] = 0;
    return;
  }
  const double out = out_price_[key.first];
  const double alone =
      key.share * (alone_draw_[key.first] + rates.triangle_us * merged_[key.first].triangles) +
      rates.byte_us * alone_bytes_[n];
  key_best_[n] = is_forced(key.first) ? out : std::min(alone, out);
  key_least_[n] = std::min(price_merged(key.first, key.share, rates), out);
}

void Cutter::weigh_cluster(std::size_t n, const Rates& rates) {
  const KeyNode& key = keys_[n];
  key_whole_[n] = 0;
  if (key.leaf()) {
    weigh_leaf(n, rates);
    return;
  }
  key_best_[n] = key_best_[key.left] + key_best_[key.left + 1];
  key_least_[n] = key_least_[key.left] + key_least_[key.left + 1];
  if (!key.may_merge) {
    return;
  }
  const double others =
      key.share * (prices_.draw + rates.triangle_us * key.triangles) + rates.byte_us * key.bytes;
  // A larger node is seen as often or more, so its repeats cost at least what they do below.
  if (rates.rule == CutRule::cheapest && others + key_least_[n] > key_best_[n]) {
    return;
  }
  const Scan scan = scan_repeats(key, rates);
  key_least_[n] = scan.price;
  const double vertices = static_cast<double>(key.vertices) + scan.vertices;
  // Fewer than two are nothing to merge.
  if (key.count + scan.count < 2 || vertices > static_cast<double>(limits_.vertices)) {
    return;
  }
  if (rates.rule == CutRule::largest || others + scan.price <= key_best_[n]) {
    key_whole_[n] = 1;
    key_best_[n] = others + scan.price;
  }
}

/// A node's repeats, each where it is cheaper; vertices and number of those that merge.
Cutter::Scan Cutter::scan_repeats(const KeyNode& node, const Rates& rates) const {
  const double triangle = node.share * rates.triangle_us;
  const bool instances_first = repeats_rule_ == Repeats::instance;
  Scan scan;
  for (std::uint32_t r = node.first; r < node.end; ++r) {
    const Merged& merged = merged_[r];
    const double inside = triangle * merged.triangles + rates.byte_us * merged.bytes;
    const double outside = out_price_[r];
    const bool merges = instances_first ? outside == never : inside < outside;
    scan.price += merges ? inside : outside;
    scan.vertices += merges ? merged.vertices : 0.0;
    scan.count += merges ? 1.0 : 0.0;
  }
  return scan;
}

/// Which repeats the clusters leave to their sets.
void Cutter::give_places(std::size_t tree, const Rates& rates) {
  descend(keys_, by_key_.roots[tree], [&](std::size_t n) {
    const KeyNode& key = keys_[n];
    if (key_whole_[n] != 0) {
      for (std::uint32_t r = key.first; r < key.end; ++r) {
        stays_[r] = price_merged(r, key.share, rates) < out_price_[r] ? 0 : 1;
      }
      return false;
    }
    if (key.leaf() && key.first < key.end) {
      // The leaf's best is its price in the set exactly where that is the cheaper.
      stays_[key.first] = key_best_[n] == out_price_[key.first] ? 1 : 0;
    }
    return !key.leaf();
  });
}

// ---- sums ----------------------------------------------------------------------------------

std::vector<CutTotals> Cutter::add_up(const RunControl& run) const {
  std::vector<CutTotals> of_keys(by_key_.roots.size());
  std::vector<SetTotals> of_sets(by_repeat_.roots.size());
  for_each_tree(by_key_, run, [&](std::size_t tree) { of_keys[tree] = add_up_keys(tree); });
  for_each_tree(by_repeat_, run, [&](std::size_t tree) { of_sets[tree] = add_up_sets(tree); });
  std::vector<CutTotals> sums(component_count_);
  for (std::size_t tree = 0; tree < of_keys.size(); ++tree) {
    sums[component_of_key_[tree]].add(of_keys[tree]);
  }
  std::vector<bool> counted(items_.repeats.size(), false);
  for (std::size_t tree = 0; tree < of_sets.size(); ++tree) {
    CutTotals& sum = sums[component_of_set_[tree]];
    sum.add(of_sets[tree].totals);
    const std::uint32_t first = by_repeat_.order[by_repeat_.nodes[by_repeat_.roots[tree]].first];
    const std::uint32_t repeat = items_.items[first].repeat;
    if (of_sets[tree].any && !counted[repeat]) {
      counted[repeat] = true;
      sum.bytes += items_.repeats[repeat].bytes;
    }
  }
  for (CutTotals& sum : sums) {
    sum.gpu_us = sum.triangles * prices_.triangle;
  }
  return sums;
}

CutTotals Cutter::add_up_keys(std::size_t tree) const {
  CutTotals sum;
  descend(keys_, by_key_.roots[tree], [&](std::size_t n) {
    const KeyNode& key = keys_[n];
    const double seen = key.share;
    if (key_whole_[n] != 0) {
      double triangles = key.triangles;
      sum.bytes += key.bytes;
      for (std::uint32_t r = key.first; r < key.end; ++r) {
        triangles += active_[r] == 0 ? merged_[r].triangles : 0;
        sum.bytes += active_[r] == 0 ? merged_[r].bytes : 0;
      }
      sum.cpu_us += seen * prices_.draw;
      sum.triangles += seen * triangles;
      return false;
    }
    const bool repeat = key.first < key.end;
    if (key.leaf() && !(repeat && active_[key.first] != 0)) {
      sum.cpu_us += seen * (repeat ? alone_draw_[key.first] : prices_.draw);
      sum.triangles += seen * (repeat ? merged_[key.first].triangles : key.triangles);
      sum.bytes += alone_bytes_[n];
    }
    return !key.leaf();
  });
  return sum;
}

Cutter::SetTotals Cutter::add_up_sets(std::size_t tree) const {
  SetTotals out;
  CutTotals& sum = out.totals;
  descend(sets_, by_repeat_.roots[tree], [&](std::size_t n) {
    const SetNode& set = sets_[n];
    const bool whole = set_whole_[n] != 0;
    if (!whole && !set.leaf()) {
      return true;
    }
    const std::uint32_t count = set_count_[n];
    if (count > 0) {
      out.any = out.any || whole;
      sum.cpu_us +=
          set.share * (whole ? prices_.draw + prices_.instance * count : alone_draw_[set.repeat]);
      sum.triangles += set.share * set_triangles_[tree] * count;
      sum.bytes += whole ? static_cast<double>(instance_bytes) * count
                         : items_.items[items_of_[set.repeat]].bytes_alone;
    }
    return false;
  });
  return out;
}

}  // namespace wakuzume
