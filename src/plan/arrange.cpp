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
constexpr int halvings = 7;

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

/// Finds arrangements within the limits by raising prices.
class Arranger {
 public:
  Arranger(const Items& items, const ProposeSettings& settings, const Arranged& trees)
      : settings_(settings),
        prices_(trees.prices),
        cutter_(items,
                trees.by_key,
                trees.by_repeat,
                {settings.max_vertices, settings.max_extent_m, settings.min_instances},
                settings.repeats,
                settings.cell_size_m > 0 ? CutRule::largest : CutRule::cheapest) {
    for (const TreeNode& node : trees.by_key.nodes) {
      if (node.leaf()) {
        const Item& item = items.items[trees.by_key.order[node.first]];
        triangles_today_ +=
            static_cast<double>(node.seen) / prices_.frames * static_cast<double>(item.triangles);
        bytes_today_ += item.bytes_alone;
      }
    }
  }

  void find(double growth, Arranged& out, const RunControl& run) {
    run_ = &run;
    out.byte_weight = 1;
    out.triangle_weight = 1;
    out.arrangement = cutter_.cut(prices_, 1, 1, run);
    if (settings_.cell_size_m > 0) {
      return;  // a fixed grid is what was asked for, whatever it costs
    }
    if (!holds_bytes(out.arrangement)) {
      raise(out, out.byte_weight, [&](const Arrangement& a) { return holds_bytes(a); });
    }
    if (!holds_triangles(out.arrangement, growth)) {
      raise(out, out.triangle_weight,
            [&](const Arrangement& a) { return holds_triangles(a, growth); });
    } else {
      spend_idle_gpu(growth, out);
    }
  }

 private:
  [[nodiscard]] bool holds_bytes(const Arrangement& a) const {
    return settings_.memory_growth <= 0 || a.bytes <= settings_.memory_growth * bytes_today_ ||
           a.bytes <= settings_.few_megabytes * 1e6;
  }
  [[nodiscard]] bool holds_triangles(const Arrangement& a, double growth) const {
    return growth <= 0 || a.triangles <= growth * triangles_today_ ||
           a.gpu_us <= settings_.few_triangles_ms * 1000;
  }

  /// The smallest weight, to a few percent, for which the limit holds.
  template <class Holds>
  void raise(Arranged& out, double& weight, const Holds& holds) {
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
  Arrangement cut(Arranged& out, double& weight, double value) {
    const double before = weight;
    weight = value;
    Arrangement made = cutter_.cut(prices_, out.triangle_weight, out.byte_weight, *run_);
    weight = before;
    return made;
  }

  /// A frame takes as long as the slower of CPU and GPU: while the GPU waits for draws, triangles
  /// are cheaper than their price says.
  void spend_idle_gpu(double growth, Arranged& out) {
    const auto slower = [](const Arrangement& a) { return std::max(a.cpu_us, a.gpu_us); };
    for (double weight = 0.25; weight > 0.01; weight /= 4) {
      Arrangement tried = cut(out, out.triangle_weight, weight);
      if (!holds_bytes(tried) || !holds_triangles(tried, growth) ||
          slower(tried) >= slower(out.arrangement)) {
        return;
      }
      out.triangle_weight = weight;
      out.arrangement = std::move(tried);
    }
  }

  const ProposeSettings& settings_;
  const Prices& prices_;
  Cutter cutter_;
  double triangles_today_ = 0;
  double bytes_today_ = 0;
  const RunControl* run_ = nullptr;
};

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
  for (Forest* forest : {&out.by_key, &out.by_repeat}) {
    if (frusta.empty()) {
      for (TreeNode& node : forest->nodes) {
        node.seen = 1;
      }
    } else {
      count_seen(*forest, frusta, run);
    }
  }
  if (run.observer != nullptr && !run.observer->advance("arranging", 0)) {
    return Failure(make_cancelled());
  }
  Arranger(items, settings, out).find(settings.triangle_growth, out, run);
  return out;
}

void arrange_again(const Items& items,
                   const ProposeSettings& settings,
                   double growth,
                   Arranged& out,
                   const RunControl& run) {
  Arranger(items, settings, out).find(growth, out, run);
}

}  // namespace wakuzume
