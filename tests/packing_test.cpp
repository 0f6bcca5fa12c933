// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/packing.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <random>
#include <tuple>

#define STB_RECT_PACK_IMPLEMENTATION
#include <stb/stb_rect_pack.h>

namespace wakuzume {
namespace {

using Sizes = std::vector<RectSize>;

/// As kits have them: powers of two mostly, with the gutters that tiles get, and odd ones between.
Sizes make_texture_sizes(std::size_t count, unsigned seed) {
  std::mt19937 random(seed);
  const std::uint32_t sides[] = {32, 64, 128, 256, 256, 512, 512, 1024};
  Sizes sizes;
  for (std::size_t i = 0; i < count; ++i) {
    std::uint32_t width = sides[random() % std::size(sides)];
    std::uint32_t height = random() % 3 == 0 ? sides[random() % std::size(sides)] : width;
    if (random() % 5 == 0) {
      width = 17 + static_cast<std::uint32_t>(random() % 700);
      height = 17 + static_cast<std::uint32_t>(random() % 500);
    }
    sizes.push_back({width + 24, height + 24});
  }
  return sizes;
}

RectSize shown(const RectSize& size, const PlacedRect& rect) {
  return rect.turned ? RectSize{size.height_px, size.width_px} : size;
}

/// Brute force: every rectangle on its page, on the grid, and clear of every other.
void expect_sound(const Sizes& sizes, const Packing& packing) {
  ASSERT_EQ(packing.rects.size(), sizes.size());
  for (std::size_t i = 0; i < sizes.size(); ++i) {
    const PlacedRect& a = packing.rects[i];
    const RectSize s = shown(sizes[i], a);
    ASSERT_LT(a.page, packing.pages.size());
    EXPECT_EQ(a.x_px % 4 + a.y_px % 4, 0U);
    EXPECT_LE(a.x_px + s.width_px, packing.pages[a.page].width_px);
    EXPECT_LE(a.y_px + s.height_px, packing.pages[a.page].height_px);
    for (std::size_t j = 0; j < i; ++j) {
      const PlacedRect& b = packing.rects[j];
      const RectSize t = shown(sizes[j], b);
      const bool clear = a.page != b.page || a.x_px + s.width_px <= b.x_px ||
                         b.x_px + t.width_px <= a.x_px || a.y_px + s.height_px <= b.y_px ||
                         b.y_px + t.height_px <= a.y_px;
      ASSERT_TRUE(clear) << i << " and " << j;
    }
  }
}

/// The least area that the well-known skyline packer needs for a page of about these proportions.
double find_rival_area(const Sizes& sizes) {
  double area = 0;
  for (const RectSize& size : sizes) {
    area += static_cast<double>(size.width_px) * size.height_px;
  }
  double best = 1e300;
  for (int step = 0; step <= 32; ++step) {
    const int width = static_cast<int>(std::sqrt(area) * (0.7 + 0.025 * step)) / 4 * 4;
    std::vector<stbrp_rect> rects;
    for (const RectSize& size : sizes) {
      stbrp_rect rect{};
      rect.w = static_cast<stbrp_coord>((size.width_px + 3) / 4 * 4);
      rect.h = static_cast<stbrp_coord>((size.height_px + 3) / 4 * 4);
      rects.push_back(rect);
    }
    std::vector<stbrp_node> nodes(static_cast<std::size_t>(width));
    stbrp_context context;
    stbrp_init_target(&context, width, 1 << 20, nodes.data(), width);
    if (stbrp_pack_rects(&context, rects.data(), static_cast<int>(rects.size())) == 0) {
      continue;
    }
    int height = 0;
    for (const stbrp_rect& rect : rects) {
      height = std::max(height, static_cast<int>(rect.y + rect.h));
    }
    best = std::min(best, static_cast<double>(width) * height);
  }
  return best;
}

TEST(Pack, FillsNinetyTwoPercentWithThreeHundredTexturesAndNeverLessThanASkyline) {
  for (unsigned seed = 0; seed < 12; ++seed) {
    const Sizes sizes = make_texture_sizes(300, seed);
    const auto packing = pack(sizes, {.max_page_px = 16384});
    ASSERT_TRUE(packing);
    ASSERT_EQ(packing->pages.size(), 1U);
    expect_sound(sizes, *packing);
    EXPECT_GE(packing->used_share(sizes), 0.92) << seed;
    const RectSize& page = packing->pages[0];
    EXPECT_LE(static_cast<double>(page.width_px) * page.height_px, find_rival_area(sizes)) << seed;
  }
}

TEST(Pack, TakesAsManyPagesAsItNeedsAndKeepsWhatIsNearInOrderTogether) {
  const Sizes sizes = make_texture_sizes(300, 77);
  for (const PageSides sides : {PageSides::multiples_of_four, PageSides::powers_of_two}) {
    const auto packing = pack(sizes, {.max_page_px = 2048, .sides = sides});
    ASSERT_TRUE(packing);
    expect_sound(sizes, *packing);
    EXPECT_GT(packing->pages.size(), 4U);
    EXPECT_TRUE(std::is_sorted(packing->rects.begin(), packing->rects.end(),
                               [](const auto& a, const auto& b) { return a.page < b.page; }));
    for (const RectSize& page : packing->pages) {
      EXPECT_LE(std::max(page.width_px, page.height_px), 2048U);
      EXPECT_EQ(page.width_px % 4 + page.height_px % 4, 0U);
      if (sides == PageSides::powers_of_two) {
        EXPECT_TRUE(std::has_single_bit(page.width_px) && std::has_single_bit(page.height_px));
      }
    }
  }
}

TEST(Pack, TurnsOnlyWhenItMay) {
  const Sizes sizes{{400, 40}, {40, 400}, {400, 40}, {40, 400}, {360, 44}};
  const auto turned = pack(sizes, {.max_page_px = 512});
  const auto never = pack(sizes, {.max_page_px = 512, .turning = Turning::never});
  ASSERT_TRUE(turned && never);
  expect_sound(sizes, *turned);
  expect_sound(sizes, *never);
  EXPECT_TRUE(std::none_of(never->rects.begin(), never->rects.end(),
                           [](const PlacedRect& r) { return r.turned; }));
  EXPECT_GT(turned->used_share(sizes), never->used_share(sizes));
}

TEST(Pack, PlacesRandomSetsSoundlyWhateverTheirShapes) {
  std::mt19937 random(5);
  for (int round = 0; round < 60; ++round) {
    Sizes sizes;
    const std::size_t count = 1 + random() % 80;
    for (std::size_t i = 0; i < count; ++i) {
      sizes.push_back({1 + static_cast<std::uint32_t>(random() % 300),
                       1 + static_cast<std::uint32_t>(random() % 300)});
    }
    PackSettings settings;
    settings.max_page_px = 304 + 8 * static_cast<std::uint32_t>(random() % 100);
    settings.turning = round % 2 == 0 ? Turning::quarter : Turning::never;
    const auto packing = pack(sizes, settings);
    ASSERT_TRUE(packing);
    expect_sound(sizes, *packing);
  }
}

TEST(Pack, KeepsTheOrderInRowsOnPagesThatAreSoundToo) {
  for (unsigned seed = 0; seed < 12; ++seed) {
    const Sizes sizes = make_texture_sizes(40, seed);
    for (const PageSides sides : {PageSides::multiples_of_four, PageSides::powers_of_two}) {
      const PackSettings settings{
          .max_page_px = 2048, .sides = sides, .order = RectOrder::as_listed};
      const auto rows = pack(sizes, settings);
      ASSERT_TRUE(rows);
      expect_sound(sizes, *rows);
      for (std::size_t r = 0; r + 1 < sizes.size(); ++r) {
        const PlacedRect& a = rows->rects[r];
        const PlacedRect& b = rows->rects[r + 1];
        EXPECT_FALSE(a.turned);
        EXPECT_TRUE(std::tuple(a.page, a.y_px, a.x_px) < std::tuple(b.page, b.y_px, b.x_px))
            << "page by page, row by row, from the left";
      }
      for (const RectSize& page : rows->pages) {
        EXPECT_LE(std::max(page.width_px, page.height_px), 2048U);
        EXPECT_TRUE(sides == PageSides::multiples_of_four ||
                    (std::has_single_bit(page.width_px) && std::has_single_bit(page.height_px)));
      }
      EXPECT_GT(rows->used_share(sizes), 0.3);
    }
  }
}

TEST(Pack, IsTheSameEveryTime) {
  const Sizes sizes = make_texture_sizes(500, 3);
  const auto a = pack(sizes);
  const auto b = pack(sizes);
  ASSERT_TRUE(a && b);
  ASSERT_EQ(a->pages, b->pages);
  for (std::size_t i = 0; i < sizes.size(); ++i) {
    EXPECT_EQ(a->rects[i].x_px, b->rects[i].x_px);
    EXPECT_EQ(a->rects[i].y_px, b->rects[i].y_px);
  }
}

TEST(Pack, RefusesWhatNoPageCanTakeWithBothNumbers) {
  const Sizes large{{100, 100}, {5000, 20}};
  const auto refused = pack(large, {.max_page_px = 4096});
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, ErrorCode::too_large);
  EXPECT_NE(refused.error().message.find("5000"), std::string::npos);
  EXPECT_NE(refused.error().message.find("4096"), std::string::npos);
  const Sizes empty{{0, 4}};
  EXPECT_EQ(pack(empty).error().code, ErrorCode::bad_setting);
  EXPECT_EQ(pack(large, {.max_page_px = 2}).error().code, ErrorCode::bad_setting);
  EXPECT_TRUE(pack({}, {})->pages.empty());
}

}  // namespace
}  // namespace wakuzume
