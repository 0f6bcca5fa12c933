// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// The cut through a tree against all cuts there are, and counts of views against testing each.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

#include "plan/cut.h"
#include "plan/mix.h"
#include "wakuzume/settings_file.h"

namespace wakuzume {
namespace {

double draw(std::mt19937& random, double low, double high) {
  return low + (high - low) * static_cast<double>(random() % 100'000) / 100'000;
}

Box3d make_box(std::mt19937& random, double spread, double size) {
  Box3d box;
  for (std::size_t c = 0; c < 3; ++c) {
    box.min[c] = draw(random, -spread, spread);
    box.max[c] = box.min[c] + draw(random, 0.1, size);
  }
  return box;
}

std::vector<WeighedFrustum> make_frusta(std::mt19937& random, std::size_t count, double spread) {
  std::vector<WeighedFrustum> frusta;
  for (std::size_t i = 0; i < count; ++i) {
    const Vec3d eye{draw(random, -spread, spread), draw(random, -spread, spread),
                    draw(random, -spread, spread)};
    Viewpoint view = make_viewpoint(
        "", eye, {eye[0] + draw(random, 0.1, 1), eye[1], eye[2] + draw(random, -1, 1)});
    view.zfar_m = draw(random, spread / 4, 3 * spread);
    frusta.push_back({make_frustum(view), 1 + static_cast<std::uint32_t>(random() % 4)});
  }
  return frusta;
}

TEST(SeenGrid, CountsWhatTestingEachFrustumCountsButForCorners) {
  std::mt19937 random(4);
  for (const std::size_t cells : {1U, 30U, 2000U}) {
    const auto frusta = make_frusta(random, 120, 60);
    std::vector<Box3d> boxes;
    Box3d bounds;
    for (int i = 0; i < 500; ++i) {
      boxes.push_back(make_box(random, 60, i % 10 == 0 ? 40 : 3));
      bounds.include(boxes.back());
    }
    const SeenGrid grid(bounds, frusta, cells, {});
    std::size_t different = 0;
    for (const Box3d& box : boxes) {
      std::uint32_t wanted = 0;
      for (const WeighedFrustum& through : frusta) {
        wanted += sees_box(through.frustum, box) ? through.weight : 0U;
      }
      const std::uint32_t found = grid.count(box);
      ASSERT_LE(found, wanted) << cells << " cells";
      // Small boxes lie in one cell or few, where nothing is left to find out.
      const bool small = box.largest_extent() < 3.2;
      ASSERT_GE(found, small ? wanted - std::min(wanted, 4U) : wanted * 9 / 10) << cells;
      different += found == wanted ? 0U : 1U;
    }
    EXPECT_LE(different, 25U) << "of 500, with " << cells << " cells";
  }
}

TEST(SeenGrid, EstimatesWhereHundredsCutABox) {
  std::mt19937 random(9);
  const auto frusta = make_frusta(random, 4000, 60);
  Box3d bounds;
  bounds.include(Vec3d{-60, -60, -60});
  bounds.include(Vec3d{100, 100, 100});
  const SeenGrid grid(bounds, frusta, 4000, {});
  for (int i = 0; i < 40; ++i) {
    const Box3d box = make_box(random, 60, 60);
    double wanted = 0;
    for (const WeighedFrustum& through : frusta) {
      wanted += sees_box(through.frustum, box) ? through.weight : 0U;
    }
    EXPECT_NEAR(grid.count(box), wanted, 0.2 * wanted + 40);
  }
}

/// Items of one key, some of them repeats, in a tree of their own.
struct Small {
  Items items;
  Forest by_key;
  Forest by_repeat;
  Prices prices;
};

Small make_small(std::uint32_t seed, std::size_t count, bool repeats) {
  std::mt19937 random(seed);
  Small small;
  std::vector<Box3d> boxes;
  std::vector<float> weights;
  std::vector<std::uint32_t> all;
  std::vector<std::uint32_t> repeated;
  for (std::uint32_t i = 0; i < count; ++i) {
    Item item;
    item.box = make_box(random, 40, 6);
    item.triangles = 10 + random() % 3000;
    item.vertices = item.triangles;
    item.bytes_merged = 40.0 * static_cast<double>(item.triangles);
    item.bytes_alone = item.bytes_merged;
    if (repeats && i % 2 == 0) {
      item.repeat = 0;
      item.triangles = 1200;
      item.bytes_merged = 48'000;
      repeated.push_back(i);
    }
    boxes.push_back(item.box);
    weights.push_back(1);
    all.push_back(i);
    small.items.items.push_back(item);
  }
  if (repeats) {
    Repeat repeat;
    repeat.bytes = 48'000;
    repeat.items = static_cast<std::uint32_t>(repeated.size());
    small.items.repeats.push_back(repeat);
  }
  small.by_key = make_forest(boxes, weights, {all}, {});
  small.by_repeat = make_forest(boxes, weights, {repeated}, {});
  const auto frusta = make_frusta(random, 40, 40);
  Box3d bounds;
  for (const Box3d& box : boxes) {
    bounds.include(box);
  }
  const SeenGrid grid(bounds, frusta, 64, {});
  const std::vector<std::uint32_t> unknown(count, no_index);
  count_seen(small.by_key, grid, unknown, {});
  count_seen(small.by_repeat, grid, unknown, {});
  small.prices = {3, 0.02, 0.001, 1e-6, 40};
  return small;
}

double price_node(const Small& small, const TreeNode& node) {
  const double share = static_cast<double>(node.seen) / small.prices.frames;
  double triangles = 0;
  double bytes = 0;
  for (const std::uint32_t i : small.by_key.members(node)) {
    triangles += static_cast<double>(small.items.items[i].triangles);
    bytes += node.leaf() ? small.items.items[i].bytes_alone : small.items.items[i].bytes_merged;
  }
  return share * (small.prices.draw + small.prices.triangle * triangles) +
         small.prices.byte * bytes;
}

/// Every cut below a node, one after the other: their prices.
std::vector<double> list_cuts(const Small& small, std::uint32_t n, std::uint64_t most_vertices) {
  const TreeNode& node = small.by_key.nodes[n];
  std::vector<double> out;
  std::uint64_t vertices = 0;
  for (const std::uint32_t i : small.by_key.members(node)) {
    vertices += small.items.items[i].vertices;
  }
  if (node.leaf() || vertices <= most_vertices) {
    out.push_back(price_node(small, node));
  }
  if (!node.leaf()) {
    for (const double left : list_cuts(small, node.left, most_vertices)) {
      for (const double right : list_cuts(small, node.right(), most_vertices)) {
        out.push_back(left + right);
      }
    }
  }
  return out;
}

double price_arrangement(const Small& small, const Arrangement& arrangement) {
  return arrangement.totals.cpu_us + arrangement.totals.gpu_us +
         small.prices.byte * arrangement.totals.bytes;
}

TEST(Cutter, FindsTheCheapestOfAllCuts) {
  std::size_t several = 0;
  for (std::uint32_t seed = 0; seed < 60; ++seed) {
    const Small small = make_small(seed, 3 + seed % 7, false);
    const std::uint64_t limit = seed % 3 == 0 ? 4000 : 1'000'000;
    Cutter cutter(small.items, small.by_key, small.by_repeat, small.prices, {limit, 0, 2},
                  Repeats::by_cost, {});
    const Arrangement made = cutter.cut(std::vector<CutTerms>{{1, 1, CutRule::cheapest}}, {});
    const std::vector<double> cuts = list_cuts(small, 0, limit);
    const double best = *std::min_element(cuts.begin(), cuts.end());
    EXPECT_NEAR(price_arrangement(small, made), best, 1e-9 * best) << "seed " << seed;
    const bool whole =
        std::all_of(made.nodes.begin(), made.nodes.end(), [](std::uint32_t n) { return n == 0; });
    several += whole ? 0U : 1U;
  }
  EXPECT_GT(several, 20U) << "in some scenes the best is neither all nor nothing";
}

TEST(Cutter, NeverPaysMoreThanForAllMergedOrAllInstanced) {
  for (std::uint32_t seed = 0; seed < 40; ++seed) {
    const Small small = make_small(seed + 500, 24, true);
    const auto price = [&](Repeats repeats) {
      Cutter cutter(small.items, small.by_key, small.by_repeat, small.prices, {1'000'000, 0, 2},
                    repeats, {});
      return price_arrangement(small,
                               cutter.cut(std::vector<CutTerms>{{1, 1, CutRule::cheapest}}, {}));
    };
    const double by_cost = price(Repeats::by_cost);
    EXPECT_LE(by_cost, 1.02 * price(Repeats::merge)) << "seed " << seed;
    EXPECT_LE(by_cost, 1.02 * price(Repeats::instance)) << "seed " << seed;
  }
}

TEST(Cutter, TakesOneClusterASetWhereTheGridIsFixed) {
  const Small small = make_small(3, 12, false);
  Cutter cutter(small.items, small.by_key, small.by_repeat, small.prices, {1'000'000, 0, 2},
                Repeats::by_cost, {});
  const Arrangement made = cutter.cut(std::vector<CutTerms>{{1, 1, CutRule::largest}}, {});
  EXPECT_TRUE(
      std::all_of(made.nodes.begin(), made.nodes.end(), [](std::uint32_t n) { return n == 0; }));
}

TEST(Cutter, HoldsTheExtent) {
  const Small small = make_small(5, 30, false);
  Cutter cutter(small.items, small.by_key, small.by_repeat, small.prices, {1'000'000, 20, 2},
                Repeats::by_cost, {});
  const Arrangement made = cutter.cut(std::vector<CutTerms>{{1, 1, CutRule::cheapest}}, {});
  for (std::size_t i = 0; i < made.nodes.size(); ++i) {
    if (made.groupings[i] == Grouping::cluster) {
      EXPECT_LE(small.by_key.nodes[made.nodes[i]].box.largest_extent(), 20);
    }
  }
}

/// Two keys of their own, one of them with repeats.
struct Pair {
  Items items;
  Forest by_key;
  Forest by_repeat;
  Prices prices;
};

Pair make_pair(std::uint32_t seed) {
  std::mt19937 random(seed);
  Pair pair;
  std::vector<Box3d> boxes;
  std::vector<std::uint32_t> keys[2];
  std::vector<std::uint32_t> repeated;
  for (std::uint32_t i = 0; i < 40; ++i) {
    Item item;
    item.box = make_box(random, 40, 6);
    item.merge = i % 2;
    item.triangles = item.merge == 1 ? 900 : 10 + random() % 3000;
    item.vertices = item.triangles;
    item.bytes_merged = 40.0 * static_cast<double>(item.triangles);
    item.bytes_alone = item.bytes_merged / 4;
    if (item.merge == 1) {
      item.repeat = 0;
      repeated.push_back(i);
    }
    keys[item.merge].push_back(i);
    boxes.push_back(item.box);
    pair.items.items.push_back(item);
  }
  Repeat repeat;
  repeat.bytes = 36'000;
  repeat.items = static_cast<std::uint32_t>(repeated.size());
  pair.items.repeats.push_back(repeat);
  const std::vector<float> weights(boxes.size(), 1);
  pair.by_key = make_forest(boxes, weights, {keys[0], keys[1]}, {});
  pair.by_repeat = make_forest(boxes, weights, {repeated}, {});
  Box3d bounds;
  for (const Box3d& box : boxes) {
    bounds.include(box);
  }
  const SeenGrid grid(bounds, make_frusta(random, 40, 40), 64, {});
  const std::vector<std::uint32_t> unknown(boxes.size(), no_index);
  count_seen(pair.by_key, grid, unknown, {});
  count_seen(pair.by_repeat, grid, unknown, {});
  pair.prices = {3, 0.02, 0.001, 1e-6, 40};
  return pair;
}

TEST(Cutter, CutsEachComponentOnItsTermsAsIfItWereAlone) {
  const CutTerms cheap{1, 1, CutRule::cheapest};
  const CutTerms dear{8, 64, CutRule::cheapest};
  std::size_t different = 0;
  for (std::uint32_t seed = 0; seed < 20; ++seed) {
    const Pair pair = make_pair(seed);
    Cutter cutter(pair.items, pair.by_key, pair.by_repeat, pair.prices, {1'000'000, 0, 2},
                  Repeats::by_cost, {});
    ASSERT_EQ(cutter.component_count(), 2U);
    const auto all_cheap = cutter.weigh(std::vector<CutTerms>{cheap, cheap}, {});
    const auto all_dear = cutter.weigh(std::vector<CutTerms>{dear, dear}, {});
    const auto mixed = cutter.weigh(std::vector<CutTerms>{cheap, dear}, {});
    EXPECT_EQ(mixed[0].cpu_us, all_cheap[0].cpu_us) << "seed " << seed;
    EXPECT_EQ(mixed[1].bytes, all_dear[1].bytes) << "seed " << seed;
    different += all_cheap[1].bytes != all_dear[1].bytes ? 1U : 0U;

    const Arrangement made = cutter.cut(std::vector<CutTerms>{cheap, dear}, {});
    EXPECT_DOUBLE_EQ(made.totals.bytes, mixed[0].bytes + mixed[1].bytes) << "seed " << seed;
    EXPECT_DOUBLE_EQ(made.totals.cpu_us, mixed[0].cpu_us + mixed[1].cpu_us) << "seed " << seed;
  }
  EXPECT_GT(different, 10U) << "prices must matter in the scenes of this test";
}

/// Sums of an arrangement, item by item, without the cutter's own.
CutTotals add_up_by_items(const Pair& pair, const Arrangement& made) {
  CutTotals sum;
  std::vector<std::pair<Grouping, std::uint32_t>> drawn;
  bool any_set = false;
  for (const TreeNode& leaf : pair.by_key.nodes) {
    if (!leaf.leaf()) {
      continue;
    }
    const std::uint32_t i = pair.by_key.order[leaf.first];
    const Item& item = pair.items.items[i];
    const bool alone = made.groupings[i] == Grouping::alone;
    const bool in_set = made.groupings[i] == Grouping::set;
    const TreeNode& node = alone    ? leaf
                           : in_set ? pair.by_repeat.nodes[made.nodes[i]]
                                    : pair.by_key.nodes[made.nodes[i]];
    const double share = node.seen / pair.prices.frames;
    sum.triangles += share * static_cast<double>(item.triangles);
    sum.bytes += alone ? item.bytes_alone : in_set ? 40 : item.bytes_merged;
    sum.cpu_us += in_set ? share * pair.prices.instance : 0;
    const std::pair at(made.groupings[i], made.nodes[i]);
    if (alone || std::find(drawn.begin(), drawn.end(), at) == drawn.end()) {
      drawn.push_back(at);
      sum.cpu_us += share * pair.prices.draw;
    }
    any_set = any_set || in_set;
  }
  sum.bytes += any_set ? pair.items.repeats[0].bytes : 0;
  return sum;
}

TEST(Cutter, SumsAreThoseOfTheItems) {
  std::size_t sets = 0;
  for (std::uint32_t seed = 100; seed < 130; ++seed) {
    const Pair pair = make_pair(seed);
    Cutter cutter(pair.items, pair.by_key, pair.by_repeat, pair.prices, {20'000, 0, 2},
                  Repeats::by_cost, {});
    const Arrangement made =
        cutter.cut(std::vector<CutTerms>(2, {1, 1.0 + seed % 40, CutRule::cheapest}), {});
    const CutTotals wanted = add_up_by_items(pair, made);
    EXPECT_NEAR(made.totals.cpu_us, wanted.cpu_us, 1e-9 * wanted.cpu_us) << "seed " << seed;
    EXPECT_NEAR(made.totals.triangles, wanted.triangles, 1e-9 * wanted.triangles);
    EXPECT_NEAR(made.totals.bytes, wanted.bytes, 1e-9 * wanted.bytes) << "seed " << seed;
    sets += std::count(made.groupings.begin(), made.groupings.end(), Grouping::set) > 0 ? 1U : 0U;
  }
  EXPECT_GT(sets, 5U);
}

// ---- mixes ------------------------------------------------------------------------------------

std::vector<Offer> make_offers(std::mt19937& random, std::size_t components, std::size_t count) {
  std::vector<Offer> offers(count);
  for (std::size_t c = 0; c < components; ++c) {
    const double size = draw(random, 1, 10);
    for (std::size_t o = 0; o < count; ++o) {
      // What takes fewer draws submits more triangles or takes more memory.
      CutTotals totals;
      totals.cpu_us = size * draw(random, 1, 20);
      totals.triangles = 1000 * size * draw(random, 1, 3) / std::sqrt(totals.cpu_us / size);
      totals.bytes = 1e6 * size * draw(random, 1, 20) / (totals.cpu_us / size);
      totals.gpu_us = totals.triangles * 0.001;
      offers[o].totals.push_back(totals);
    }
  }
  return offers;
}

double price_frame(const CutTotals& totals, double faster_share) {
  return std::max(totals.cpu_us, totals.gpu_us) +
         faster_share * std::min(totals.cpu_us, totals.gpu_us);
}

/// The best of all mixes, one after the other; infinite where none holds the limits.
double find_best_price(const std::vector<Offer>& offers,
                       const MixLimits& limits,
                       double faster_share) {
  const std::size_t components = offers.front().totals.size();
  double best = std::numeric_limits<double>::infinity();
  std::vector<std::size_t> choice(components, 0);
  for (bool more = true; more;) {
    CutTotals sum;
    for (std::size_t c = 0; c < components; ++c) {
      sum.add(offers[choice[c]].totals[c]);
    }
    if (sum.triangles <= limits.triangles && sum.bytes <= limits.bytes) {
      best = std::min(best, price_frame(sum, faster_share));
    }
    more = false;
    for (std::size_t c = 0; c < components && !more; ++c) {
      choice[c] = (choice[c] + 1) % offers.size();
      more = choice[c] != 0;
    }
  }
  return best;
}

TEST(Mix, HoldsTheLimitsNearTheBestOfAll) {
  std::mt19937 random(77);
  double excess = 0;
  std::size_t possible = 0;
  std::size_t held = 0;
  for (int i = 0; i < 60; ++i) {
    const std::vector<Offer> offers = make_offers(random, 6, 4);
    CutTotals first;
    for (const CutTotals& totals : offers[0].totals) {
      first.add(totals);
    }
    const MixLimits limits{first.triangles * draw(random, 0.9, 1.3),
                           first.bytes * draw(random, 0.9, 1.3)};
    const double share = i % 3 * 0.5;
    const double best = find_best_price(offers, limits, share);
    const Mix mix = choose_mix(offers, limits, {share, 0});
    if (mix.held) {
      ++held;
      ASSERT_LE(mix.totals.triangles, limits.triangles);
      ASSERT_LE(mix.totals.bytes, limits.bytes);
      const double price = price_frame(mix.totals, share);
      ASSERT_GE(price, best * (1 - 1e-9)) << "nothing is better than the best";
      excess += price / best - 1;
    }
    possible += best < std::numeric_limits<double>::infinity() ? 1U : 0U;
  }
  EXPECT_GE(possible, 40U);
  EXPECT_GE(held, possible * 9 / 10);
  EXPECT_LE(excess / static_cast<double>(held), 0.1) << "mean";
}

TEST(Mix, FillsALimitThatOnePriceWouldLeaveHalfEmpty) {
  // Twenty components that all turn at the same price: alone 10 us, or 1 us for 1 MB.
  std::vector<Offer> offers(2);
  offers[0].totals.assign(20, {10, 0, 100, 0});
  offers[1].totals.assign(20, {1, 0, 100, 1e6});
  const Mix mix = choose_mix(offers, {1e9, 7.5e6}, {0, 1e-6});
  EXPECT_TRUE(mix.held);
  EXPECT_EQ(mix.totals.bytes, 7e6);
  EXPECT_EQ(mix.totals.cpu_us, 13 * 10 + 7 * 1);
}

TEST(Mix, AsksForDearerTermsWhereNoOfferHoldsTheLimits) {
  std::vector<Offer> offers(1);
  offers[0].totals.assign(3, {10, 1, 1000, 1e6});
  const Mix bytes = choose_mix(offers, {1e9, 1e6}, {0, 1e-6});
  EXPECT_FALSE(bytes.held);
  EXPECT_GT(bytes.next.byte, 1);
  EXPECT_EQ(bytes.next.triangle, 1);
  const Mix triangles = choose_mix(offers, {2000, 1e9}, {0, 1e-6});
  EXPECT_FALSE(triangles.held);
  EXPECT_GT(triangles.next.triangle, 1);
}

}  // namespace
}  // namespace wakuzume
