// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/shading_order.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <deque>
#include <numeric>
#include <random>

/// Orders of triangles: nothing lost, and counted by a queue that forgets.
namespace wakuzume {
namespace {

using Triangle = std::array<std::uint32_t, 3>;

/// A square of squares, two triangles each.
std::vector<Triangle> make_regular(std::uint32_t side) {
  std::vector<Triangle> out;
  for (std::uint32_t y = 0; y < side; ++y) {
    for (std::uint32_t x = 0; x < side; ++x) {
      const std::uint32_t a = y * (side + 1) + x;
      const std::uint32_t b = a + side + 1;
      out.push_back({a, a + 1, b + 1});
      out.push_back({a, b + 1, b});
    }
  }
  return out;
}

std::vector<std::uint32_t> make_list(const std::vector<Triangle>& triangles) {
  std::vector<std::uint32_t> out;
  for (const Triangle& triangle : triangles) {
    out.insert(out.end(), triangle.begin(), triangle.end());
  }
  return out;
}

std::vector<std::uint32_t> reorder(const std::vector<std::uint32_t>& indices,
                                   const std::vector<std::uint32_t>& order) {
  std::vector<std::uint32_t> out;
  for (const std::uint32_t triangle : order) {
    for (std::size_t c = 0; c < 3; ++c) {
      out.push_back(indices[3 * std::size_t{triangle} + c]);
    }
  }
  return out;
}

/// What a GPU does, step by step.
std::uint64_t count_by_queue(const std::vector<std::uint32_t>& indices, std::size_t remembered) {
  std::deque<std::uint32_t> queue;
  std::uint64_t shaded = 0;
  for (const std::uint32_t vertex : indices) {
    if (std::find(queue.begin(), queue.end(), vertex) == queue.end()) {
      ++shaded;
      queue.push_back(vertex);
      if (queue.size() > remembered) {
        queue.pop_front();
      }
    }
  }
  return shaded;
}

bool is_permutation_of_all(std::vector<std::uint32_t> order, std::size_t count) {
  std::sort(order.begin(), order.end());
  std::vector<std::uint32_t> all(count);
  std::iota(all.begin(), all.end(), 0U);
  return order == all;
}

TEST(ShadingOrder, ShadesFewVerticesOfRegularMeshes) {
  std::mt19937 random(5);
  for (const std::uint32_t side : {8U, 31U, 100U}) {
    for (const bool shuffled : {false, true}) {
      std::vector<Triangle> triangles = make_regular(side);
      if (shuffled) {
        std::shuffle(triangles.begin(), triangles.end(), random);
      }
      const std::vector<std::uint32_t> indices = make_list(triangles);
      const std::uint32_t vertices = (side + 1) * (side + 1);
      const auto order = order_for_shading(indices, vertices);
      EXPECT_TRUE(is_permutation_of_all(order, triangles.size()));
      const std::uint64_t shaded = count_by_queue(reorder(indices, order), 16);
      EXPECT_LE(static_cast<double>(shaded) / static_cast<double>(triangles.size()), 0.75)
          << side << (shuffled ? ", shuffled" : "");
      EXPECT_EQ(order, order_for_shading(indices, vertices));
    }
  }
}

TEST(ShadingOrder, IsNeverWorseWhateverTheListHolds) {
  for (std::uint32_t seed = 0; seed < 400; ++seed) {
    std::mt19937 random(seed);
    const std::uint32_t vertices = 1 + static_cast<std::uint32_t>(random()) % 60;
    std::vector<Triangle> triangles(random() % 120);
    // Repeated triangles, corners that fall together, vertices that many share and that none uses.
    for (Triangle& triangle : triangles) {
      for (std::uint32_t& vertex : triangle) {
        vertex = static_cast<std::uint32_t>(random()) % vertices;
      }
    }
    const std::vector<std::uint32_t> indices = make_list(triangles);
    const ShadingSettings settings{3 + seed % 30};
    const auto order = order_for_shading(indices, vertices, settings);
    ASSERT_TRUE(is_permutation_of_all(order, triangles.size())) << "seed " << seed;
    const std::vector<std::uint32_t> after = reorder(indices, order);
    EXPECT_EQ(count_shaded(indices, vertices, settings),
              count_by_queue(indices, settings.remembered));
    EXPECT_EQ(count_shaded(after, vertices, settings), count_by_queue(after, settings.remembered));
    EXPECT_LE(count_shaded(after, vertices, settings), count_shaded(indices, vertices, settings));
  }
}

TEST(ShadingOrder, NumbersVerticesByTheirFirstUse) {
  const std::vector<std::uint32_t> indices{4, 1, 4, 0, 1, 5};
  EXPECT_EQ(number_by_use(indices, 7), (std::vector<std::uint32_t>{2, 1, 4, 5, 0, 3, 6}));
  EXPECT_TRUE(number_by_use({}, 0).empty());
  EXPECT_TRUE(order_for_shading({}, 3).empty());
  EXPECT_EQ(count_shaded({}, 3), 0U);
}

}  // namespace
}  // namespace wakuzume
