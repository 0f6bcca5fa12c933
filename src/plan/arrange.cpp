// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/arrange.h"

#include <tbb/parallel_sort.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <limits>
#include <tuple>

#include "scene/running.h"

namespace wakuzume {
namespace {

/// Prices are raised up to so many times to keep within a limit.
constexpr double most_weight = 65'536;
constexpr int search_rounds = 9;
/// What else may turn out cheapest: so many arrangements, up to so much dearer, where the faster of
/// CPU and GPU takes at least this part of the slower's time.
constexpr std::size_t most_rivals = 5;
constexpr double most_dearer = 1.3;
constexpr double least_ratio = 0.05;
/// Terms whose logarithms are as near as this are the same.
constexpr double least_step = 0.02;

using GridCell = std::array<std::int64_t, 3>;

GridCell find_cell(const Box3d& box, double cell_size_m) {
  GridCell cell{};
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
/// \param number  of an item: its key, and its part of that; no_index: it is in no list
template <class Number>
std::vector<std::vector<std::uint32_t>> make_sets(const Items& items,
                                                  double cell_size_m,
                                                  const RunControl& run,
                                                  const Number& number) {
  std::vector<std::tuple<std::pair<std::uint32_t, std::uint32_t>, GridCell, std::uint32_t>> rows;
  for (std::size_t i = 0; i < items.items.size(); ++i) {
    const std::pair<std::uint32_t, std::uint32_t> key = number(items.items[i]);
    if (key.first != no_index) {
      rows.emplace_back(key, find_cell(items.items[i].box, cell_size_m),
                        static_cast<std::uint32_t>(i));
    }
  }
  in_arena(run, [&] { tbb::parallel_sort(rows.begin(), rows.end()); });
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

void count_all_seen(std::size_t items,
                    std::span<const WeighedFrustum> frusta,
                    Trees& out,
                    const RunControl& run) {
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
  if (frusta.empty()) {
    for (Forest* forest : {&out.by_key, &out.by_repeat}) {
      for (TreeNode& node : forest->nodes) {
        node.seen = 1;
      }
    }
    return;
  }
  const std::vector<std::uint32_t> unknown(items, no_index);
  count_seen(out.by_key, grid, unknown, run);
  std::vector<std::uint32_t> of_item(items, no_index);
  for (const TreeNode& node : out.by_key.nodes) {
    if (node.leaf()) {
      of_item[out.by_key.order[node.first]] = node.seen;
    }
  }
  count_seen(out.by_repeat, grid, of_item, run);
}

}  // namespace

Prices make_prices(const CostProfile& profile,
                   const ProposeSettings& settings,
                   std::size_t views,
                   std::uint64_t triangles,
                   std::uint64_t vertices) {
  Prices prices;
  prices.draw = profile.draw_us;
  // Nodes that an engine does not instance by itself are draws each.
  prices.instance = settings.instances == InstanceForm::nodes && !profile.instances_repeats
                        ? profile.draw_us
                        : profile.instance_us;
  const double each =
      triangles == 0 ? 0 : static_cast<double>(vertices) / static_cast<double>(triangles);
  prices.triangle = (profile.triangle_ns + profile.vertex_ns * each) / 1000;
  // To hold a limit its price is raised, and nothing can't be raised.
  const double least = settings.memory_growth > 0 ? 100 : 0;
  prices.byte = std::max(profile.geometry_megabyte_us, least) / 1e6;
  prices.faster_share = profile.faster_share;
  prices.frames = static_cast<double>(std::max<std::size_t>(1, views));
  return prices;
}

Result<Trees> make_trees(const Items& items,
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
  Trees out;
  out.prices = prices;
  const double cell = settings.cell_size_m;
  // What can merge with nothing must not stand between others in their tree.
  const auto is_alone = [&](const Item& item) {
    return item.vertices > settings.max_vertices || item.order_part == no_index;
  };
  auto by_key = make_sets(items, cell, run, [&](const Item& item) {
    return std::pair(is_alone(item) ? no_index : item.merge, item.order_part);
  });
  for (std::uint32_t i = 0; i < items.items.size(); ++i) {
    if (is_alone(items.items[i])) {
      by_key.push_back({i});
    }
  }
  out.by_key = make_forest(boxes, weights, by_key, run);
  out.by_repeat =
      make_forest(boxes, weights,
                  make_sets(items, cell, run,
                            [](const Item& item) { return std::pair(item.repeat, item.set_part); }),
                  run);
  count_all_seen(items.items.size(), frusta, out, run);
  if (!goes_on(run, "arranging")) {
    return Failure(make_cancelled());
  }
  return out;
}

Arranger::Arranger(const Items& items,
                   const Trees& trees,
                   const ProposeSettings& settings,
                   const RunControl& run)
    : prices_(trees.prices),
      mix_prices_{prices_.faster_share, prices_.byte},
      run_(run),
      cutter_(items,
              trees.by_key,
              trees.by_repeat,
              trees.prices,
              {settings.max_vertices, settings.max_extent_m, settings.min_instances},
              settings.repeats,
              run),
      rule_(settings.cell_size_m > 0 ? CutRule::largest : CutRule::cheapest) {
  for (const TreeNode& node : trees.by_key.nodes) {
    if (node.leaf()) {
      const Item& item = items.items[trees.by_key.order[node.first]];
      triangles_today_ += node.seen / prices_.frames * static_cast<double>(item.triangles);
    }
  }
}

bool Arranger::add_offer(const CutTerms& terms) {
  if (!goes_on(run_, "arranging")) {
    return false;
  }
  const std::vector<CutTerms> same(cutter_.component_count(), terms);
  offers_.push_back({terms, cutter_.weigh(same, run_)});
  return true;
}

bool Arranger::is_offered(const CutTerms& terms) const {
  return std::any_of(offers_.begin(), offers_.end(), [&](const Offer& offer) {
    const auto near = [](double a, double b) { return std::abs(std::log(a / b)) < least_step; };
    return offer.terms.rule == terms.rule && near(offer.terms.triangle, terms.triangle) &&
           near(offer.terms.byte, terms.byte);
  });
}

/// Cuts on the terms that the best mix so far calls for, until these are known.
/// \source column generation (G. B. Dantzig and P. Wolfe, 1960)
Result<Mix> Arranger::search(const MixLimits& limits) {
  for (int round = 0; round < search_rounds; ++round) {
    Mix mix = choose_mix(offers_, limits, mix_prices_);
    CutTerms next = mix.next;
    next.rule = rule_;
    next.triangle = rule_ == CutRule::largest ? 1 : next.triangle;
    if (is_offered(next) || next.triangle > most_weight || next.byte > most_weight) {
      return mix;
    }
    if (!add_offer(next)) {
      return Failure(make_cancelled());
    }
  }
  return choose_mix(offers_, limits, mix_prices_);
}

Arrangement Arranger::take(const Mix& mix) {
  std::vector<CutTerms> terms;
  std::transform(mix.choices.begin(), mix.choices.end(), std::back_inserter(terms),
                 [&](std::uint32_t choice) { return offers_[choice].terms; });
  return cutter_.cut(terms, run_);
}

Result<std::vector<Arrangement>> Arranger::find(const MixLimits& limits) {
  if (cutter_.component_count() == 0) {
    return std::vector<Arrangement>{cutter_.cut({}, run_)};
  }
  // One cluster a key, which is what the coarsest grid gives, may be the better for some.
  if (offers_.empty() && !(add_offer({1, 1, rule_}) &&
                           (rule_ == CutRule::largest || add_offer({1, 1, CutRule::largest})))) {
    return Failure(make_cancelled());
  }
  auto first = search(limits);
  if (!first) {
    return Failure(first.error());
  }
  std::vector<Mix> mixes{std::move(*first)};
  add_rivals(limits, mixes);
  std::vector<Arrangement> out;
  std::transform(mixes.begin(), mixes.end(), std::back_inserter(out),
                 [&](const Mix& mix) { return take(mix); });
  return out;
}

/// What is almost as cheap by means may be cheaper in frames, unless one of CPU and GPU is the
/// slower in all of them.
void Arranger::add_rivals(const MixLimits& limits, std::vector<Mix>& mixes) const {
  const CutTotals& totals = mixes.front().totals;
  const double ratio = totals.gpu_us / std::max(totals.cpu_us, 1e-9);
  if (rule_ == CutRule::largest || !mixes.front().held || ratio < least_ratio ||
      ratio > 1 / least_ratio) {
    return;
  }
  const auto price = [&](const Mix& mix) { return find_price(mix.totals, mix_prices_); };
  std::vector<Mix> rivals{choose_mix(offers_, limits, {1, prices_.byte})};
  for (std::uint32_t o = 0; o < offers_.size(); ++o) {
    rivals.push_back(make_plain_mix(offers_, limits, o));
  }
  std::stable_sort(rivals.begin(), rivals.end(),
                   [&](const Mix& a, const Mix& b) { return price(a) < price(b); });
  for (Mix& rival : rivals) {
    const bool known = std::any_of(mixes.begin(), mixes.end(),
                                   [&](const Mix& mix) { return mix.choices == rival.choices; });
    if (!known && rival.held && price(rival) < most_dearer * price(mixes.front()) &&
        mixes.size() <= most_rivals) {
      mixes.push_back(std::move(rival));
    }
  }
}

}  // namespace wakuzume
