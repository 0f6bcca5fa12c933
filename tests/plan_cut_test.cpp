// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// The cut through a tree against all cuts there are, and counts of views against testing each.

#include <gtest/gtest.h>

#include <algorithm>
#include <limits>
#include <random>

#include "plan/cut.h"
#include "wakuzume/settings.h"

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
  count_seen(small.by_key, grid, {});
  count_seen(small.by_repeat, grid, {});
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
      for (const double right : list_cuts(small, node.right, most_vertices)) {
        out.push_back(left + right);
      }
    }
  }
  return out;
}

double price_arrangement(const Small& small, const Arrangement& arrangement) {
  return arrangement.cpu_us + arrangement.gpu_us + small.prices.byte * arrangement.bytes;
}

TEST(Cutter, FindsTheCheapestOfAllCuts) {
  std::size_t several = 0;
  for (std::uint32_t seed = 0; seed < 60; ++seed) {
    const Small small = make_small(seed, 3 + seed % 7, false);
    const std::uint64_t limit = seed % 3 == 0 ? 4000 : 1'000'000;
    const Cutter cutter(small.items, small.by_key, small.by_repeat, {limit, 0, 2}, Repeats::by_cost,
                        CutRule::cheapest);
    const Arrangement made = cutter.cut(small.prices, 1, 1, {});
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
      const Cutter cutter(small.items, small.by_key, small.by_repeat, {1'000'000, 0, 2}, repeats,
                          CutRule::cheapest);
      return price_arrangement(small, cutter.cut(small.prices, 1, 1, {}));
    };
    const double by_cost = price(Repeats::by_cost);
    EXPECT_LE(by_cost, 1.02 * price(Repeats::merge)) << "seed " << seed;
    EXPECT_LE(by_cost, 1.02 * price(Repeats::instance)) << "seed " << seed;
  }
}

TEST(Cutter, TakesOneClusterASetWhereTheGridIsFixed) {
  const Small small = make_small(3, 12, false);
  const Cutter cutter(small.items, small.by_key, small.by_repeat, {1'000'000, 0, 2},
                      Repeats::by_cost, CutRule::largest);
  const Arrangement made = cutter.cut(small.prices, 1, 1, {});
  EXPECT_TRUE(
      std::all_of(made.nodes.begin(), made.nodes.end(), [](std::uint32_t n) { return n == 0; }));
}

TEST(Cutter, HoldsTheExtent) {
  const Small small = make_small(5, 30, false);
  const Cutter cutter(small.items, small.by_key, small.by_repeat, {1'000'000, 20, 2},
                      Repeats::by_cost, CutRule::cheapest);
  const Arrangement made = cutter.cut(small.prices, 1, 1, {});
  for (std::size_t i = 0; i < made.nodes.size(); ++i) {
    if (made.spots[i] == Spot::cluster) {
      EXPECT_LE(small.by_key.nodes[made.nodes[i]].box.largest_extent(), 20);
    }
  }
}

}  // namespace
}  // namespace wakuzume
