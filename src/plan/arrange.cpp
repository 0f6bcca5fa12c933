// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/arrange.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

#include "scene/running.h"

namespace wakuzume {
namespace {

/// Prices are raised up to so many times to keep within a limit.
constexpr double most_weight = 65'536;
constexpr int halvings = 6;
constexpr int limit_rounds = 3;
constexpr int balance_steps = 6;
constexpr std::size_t most_alternatives = 3;

using Cell = std::array<std::int64_t, 3>;

Cell find_cell(const Box3d& box, double cell_size_m) {
  Cell cell{};
  if (cell_size_m > 0 && !box.empty()) {
    const Vec3d centre = box.centre();
    for (std::size_t i = 0; i < 3; ++i) {
      // Far outside any sensible scene the cell number would not fit; clamping keeps it defined.
      cell[i] =
          static_cast<std::int64_t>(std::clamp(std::floor(centre[i] / cell_size_m), -9e15, 9e15));
    }
  }
  return cell;
}

/// Lists of items with one number each, and in one cell of the grid if there is one.
template <class Number>
std::vector<std::vector<std::uint32_t>> make_sets(const Items& items,
                                                  double cell_size_m,
                                                  const Number& number) {
  std::vector<std::tuple<std::uint32_t, Cell, std::uint32_t>> rows;
  for (std::size_t i = 0; i < items.items.size(); ++i) {
    const std::uint32_t key = number(items.items[i]);
    if (key != no_index) {
      rows.emplace_back(key, find_cell(items.items[i].box, cell_size_m),
                        static_cast<std::uint32_t>(i));
    }
  }
  std::sort(rows.begin(), rows.end());
  std::vector<std::vector<std::uint32_t>> sets;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    const bool first = r == 0 || std::get<0>(rows[r]) != std::get<0>(rows[r - 1]) ||
                       std::get<1>(rows[r]) != std::get<1>(rows[r - 1]);
    if (first) {
      sets.emplace_back();
    }
    sets.back().push_back(std::get<2>(rows[r]));
  }
  return sets;
}

/// An arrangement, and by how much prices were raised for it.
struct Weighed {
  double triangle_weight = 1;
  double byte_weight = 1;
  Arrangement arrangement;
};

/// Finds arrangements within the limits by raising prices.
class Arranger {
 public:
  Arranger(const Items& items, const ProposeSettings& settings, const Arranged& trees, CutRule rule)
      : settings_(settings),
        prices_(trees.prices),
        cutter_(items,
                trees.by_key,
                trees.by_repeat,
                {settings.max_vertices, settings.max_extent_m, settings.min_instances},
                settings.repeats,
                rule) {
    for (const TreeNode& node : trees.by_key.nodes) {
      if (node.leaf()) {
        const Item& item = items.items[trees.by_key.order[node.first]];
        triangles_today_ +=
            static_cast<double>(node.seen) / prices_.frames * static_cast<double>(item.triangles);
        bytes_today_ += item.bytes_alone;
      }
    }
  }

  Weighed find(double growth, const RunControl& run) {
    Weighed out;
    run_ = &run;
    out.arrangement = cutter_.cut(prices_, 1, 1, run);
    hold_bytes(out);
    if (settings_.cell_size_m > 0) {
      return out;  // the cells are what was asked for, however many triangles they submit
    }
    // Each limit moves the other: what is cut finer takes fewer instances, what is instanced more
    // triangles.
    for (int round = 0; round < limit_rounds && !holds_triangles(out.arrangement, growth);
         ++round) {
      raise(out, out.triangle_weight,
            [&](const Arrangement& a) { return holds_triangles(a, growth); });
      hold_bytes(out);
    }
    balance(growth, out);
    return out;
  }

  /// \return whether what the rule gives holds the limits on memory and triangles
  bool find_whole(double growth, const RunControl& run, Weighed& out) {
    run_ = &run;
    out.arrangement = cutter_.cut(prices_, 1, 1, run);
    hold_bytes(out);
    return holds_triangles(out.arrangement, growth);
  }

  std::vector<Arrangement> take_alternatives() { return std::move(alternatives_); }

 private:
  [[nodiscard]] bool holds_bytes(const Arrangement& a) const {
    return settings_.memory_growth <= 0 || a.bytes <= settings_.memory_growth * bytes_today_ ||
           a.bytes <= settings_.few_megabytes * 1e6;
  }
  void hold_bytes(Weighed& out) {
    if (!holds_bytes(out.arrangement)) {
      raise(out, out.byte_weight, [&](const Arrangement& a) { return holds_bytes(a); });
    }
  }
  [[nodiscard]] bool holds_triangles(const Arrangement& a, double growth) const {
    return growth <= 0 || a.triangles <= growth * triangles_today_ ||
           a.gpu_us <= settings_.few_triangles_ms * 1000;
  }

  /// The smallest weight, to a few percent, for which the limit holds.
  template <class Holds>
  void raise(Weighed& out, double& weight, const Holds& holds) {
    double low = weight;
    double high = weight * 4;
    Arrangement best = cut(out, weight, high);
    while (!holds(best) && high < most_weight) {
      low = high;
      high *= 4;
      best = cut(out, weight, high);
    }
    for (int i = 0; i < halvings; ++i) {
      const double middle = std::sqrt(low * high);
      Arrangement tried = cut(out, weight, middle);
      if (holds(tried)) {
        high = middle;
        best = std::move(tried);
      } else {
        low = middle;
      }
    }
    weight = high;
    out.arrangement = std::move(best);
  }

  /// With `weight`, one of the two in `out`, set to another value for once.
  Arrangement cut(Weighed& out, double& weight, double value) {
    const double before = weight;
    weight = value;
    Arrangement made = cutter_.cut(prices_, out.triangle_weight, out.byte_weight, *run_);
    weight = before;
    return made;
  }

  /// A frame takes as long as the slower of CPU and GPU: what the faster of both does is free, so
  /// triangles are worth less than their price while the GPU waits, and more while the CPU does.
  void balance(double growth, Weighed& out) {
    const auto slower = [](const Arrangement& a) { return std::max(a.cpu_us, a.gpu_us); };
    const bool gpu_waits = out.arrangement.gpu_us < out.arrangement.cpu_us;
    Weighed tried{out.triangle_weight, out.byte_weight, {}};
    for (int step = 0; step < balance_steps; ++step) {
      tried.triangle_weight *= gpu_waits ? 0.5 : 1.6;
      tried.arrangement = cutter_.cut(prices_, tried.triangle_weight, tried.byte_weight, *run_);
      hold_bytes(tried);
      if (!holds_triangles(tried.arrangement, growth)) {
        break;
      }
      alternatives_.push_back(tried.arrangement);
      if (slower(tried.arrangement) < slower(out.arrangement)) {
        out = tried;
      }
    }
    std::stable_sort(
        alternatives_.begin(), alternatives_.end(),
        [&](const Arrangement& a, const Arrangement& b) { return slower(a) < slower(b); });
    alternatives_.resize(std::min(alternatives_.size(), most_alternatives));
  }

  const ProposeSettings& settings_;
  const Prices& prices_;
  Cutter cutter_;
  double triangles_today_ = 0;
  double bytes_today_ = 0;
  std::vector<Arrangement> alternatives_;
  const RunControl* run_ = nullptr;
};

void count_all_seen(std::span<const WeighedFrustum> frusta, Arranged& out, const RunControl& run) {
  Box3d bounds;
  for (const Forest* forest : {&out.by_key, &out.by_repeat}) {
    for (const std::uint32_t root : forest->roots) {
      bounds.include(forest->nodes[root].box);
    }
  }
  // Cells cost a test a frustum, and save most of those of the nodes in them.
  constexpr std::size_t most_cells = 32'768;
  const std::size_t nodes = out.by_key.nodes.size() + out.by_repeat.nodes.size();
  const SeenGrid grid(bounds, frusta, std::min(most_cells, nodes / 8 + 1), run);
  for (Forest* forest : {&out.by_key, &out.by_repeat}) {
    if (frusta.empty()) {
      for (TreeNode& node : forest->nodes) {
        node.seen = 1;
      }
    } else {
      count_seen(*forest, grid, run);
    }
  }
}

}  // namespace

Prices make_prices(const CostProfile& profile,
                   std::size_t views,
                   std::uint64_t triangles,
                   std::uint64_t vertices) {
  Prices prices;
  prices.draw = profile.draw_us;
  prices.instance = profile.instance_us;
  const double each =
      triangles == 0 ? 0 : static_cast<double>(vertices) / static_cast<double>(triangles);
  prices.triangle = (profile.triangle_ns + profile.vertex_ns * each) / 1000;
  prices.byte = profile.geometry_megabyte_us / 1e6;
  prices.frames = static_cast<double>(std::max<std::size_t>(1, views));
  return prices;
}

Result<Arranged> arrange(const Items& items,
                         std::span<const WeighedFrustum> frusta,
                         const Prices& prices,
                         const ProposeSettings& settings,
                         const RunControl& run) {
  std::vector<Box3d> boxes(items.items.size());
  std::vector<float> weights(items.items.size());
  for (std::size_t i = 0; i < boxes.size(); ++i) {
    boxes[i] = items.items[i].box;
    weights[i] = static_cast<float>(
        prices.draw + prices.triangle * static_cast<double>(items.items[i].triangles));
  }
  Arranged out;
  out.prices = prices;
  const double cell = settings.cell_size_m;
  // What can merge with nothing must not stand between others in their tree.
  const auto is_large = [&](const Item& item) { return item.vertices > settings.max_vertices; };
  auto by_key = make_sets(items, cell,
                          [&](const Item& item) { return is_large(item) ? no_index : item.merge; });
  for (std::uint32_t i = 0; i < items.items.size(); ++i) {
    if (is_large(items.items[i])) {
      by_key.push_back({i});
    }
  }
  out.by_key = make_forest(boxes, weights, by_key, run);
  out.by_repeat = make_forest(
      boxes, weights, make_sets(items, cell, [](const Item& item) { return item.repeat; }), run);
  count_all_seen(frusta, out, run);
  if (run.observer != nullptr && !run.observer->advance("arranging", 0)) {
    return Failure(make_cancelled());
  }
  arrange_again(items, settings, settings.triangle_growth, out, run);
  return out;
}

void arrange_again(const Items& items,
                   const ProposeSettings& settings,
                   double growth,
                   Arranged& out,
                   const RunControl& run) {
  Arranger arranger(items, settings, out,
                    settings.cell_size_m > 0 ? CutRule::largest : CutRule::cheapest);
  Weighed found = arranger.find(growth, run);
  out.arrangement = std::move(found.arrangement);
  out.alternatives = arranger.take_alternatives();
  if (settings.cell_size_m > 0) {
    return;
  }
  // One cluster a key is what the coarsest grid gives.
  Weighed whole;
  Arranger coarse(items, settings, out, CutRule::largest);
  if (coarse.find_whole(growth, run, whole)) {
    out.alternatives.push_back(std::move(whole.arrangement));
  }
}

}  // namespace wakuzume
