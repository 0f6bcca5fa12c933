// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/shading_order.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>
#include <limits>
#include <numbers>
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
    const auto order = order_for_shading(indices, vertices, {}, settings);
    ASSERT_TRUE(is_permutation_of_all(order, triangles.size())) << "seed " << seed;
    const std::vector<std::uint32_t> after = reorder(indices, order);
    EXPECT_EQ(count_shaded(indices, vertices, settings),
              count_by_queue(indices, settings.remembered));
    EXPECT_EQ(count_shaded(after, vertices, settings), count_by_queue(after, settings.remembered));
    EXPECT_LE(count_shaded(after, vertices, settings), count_shaded(indices, vertices, settings));
  }
}

/// Rings of rings around each other, in one mesh: most of it hides some of it.
struct Knot {
  std::vector<float> positions;
  std::vector<std::uint32_t> indices;
};

Knot make_knot(std::mt19937& random) {
  constexpr std::uint32_t around = 240;
  constexpr std::uint32_t across = 24;
  const auto tau = 2 * std::numbers::pi;
  Knot out;
  for (std::uint32_t i = 0; i < around; ++i) {
    for (std::uint32_t j = 0; j < across; ++j) {
      const double a = tau * i / around;
      const double b = tau * j / across;
      const double wide = 2 + std::cos(3 * a) + 0.35 * std::cos(b);
      out.positions.push_back(static_cast<float>(wide * std::cos(2 * a)));
      out.positions.push_back(static_cast<float>(std::sin(3 * a) + 0.35 * std::sin(b)));
      out.positions.push_back(static_cast<float>(wide * std::sin(2 * a)));
    }
  }
  std::vector<Triangle> triangles;
  for (std::uint32_t i = 0; i < around; ++i) {
    for (std::uint32_t j = 0; j < across; ++j) {
      const std::uint32_t a = i * across + j;
      const std::uint32_t b = i * across + (j + 1) % across;
      const std::uint32_t c = (i + 1) % around * across + j;
      const std::uint32_t d = (i + 1) % around * across + (j + 1) % across;
      triangles.push_back({a, b, c});
      triangles.push_back({b, d, c});
    }
  }
  std::shuffle(triangles.begin(), triangles.end(), random);
  out.indices = make_list(triangles);
  return out;
}

/// Pixels shaded for a pixel that is seen, over six sides, back faces left out: a depth buffer.
double count_shaded_again(const Knot& knot, const std::vector<std::uint32_t>& indices) {
  constexpr int side = 200;
  constexpr double reach = 4;
  std::uint64_t drawn = 0;
  std::uint64_t seen = 0;
  for (unsigned view = 0; view < 6; ++view) {
    std::vector<double> depth(std::size_t{side} * side, -1e9);
    for (std::size_t i = 0; i < indices.size(); i += 3) {
      std::array<std::array<double, 3>, 3> p{};
      for (std::size_t c = 0; c < 3; ++c) {
        const float* const at = &knot.positions[3 * std::size_t{indices[i + c]}];
        const std::size_t axis = view / 2;
        const double sign = view % 2 == 0 ? 1 : -1;
        p[c] = {(sign * at[(axis + 1) % 3] / reach + 1) * side / 2,
                (at[(axis + 2) % 3] / reach + 1) * side / 2, sign * at[axis]};
      }
      const auto edge = [&](std::size_t a, std::size_t b, double x, double y) {
        return (p[b][0] - p[a][0]) * (y - p[a][1]) - (p[b][1] - p[a][1]) * (x - p[a][0]);
      };
      const double area = edge(0, 1, p[2][0], p[2][1]);
      if (area <= 0) {
        continue;
      }
      const auto [low_x, high_x] = std::minmax({p[0][0], p[1][0], p[2][0]});
      const auto [low_y, high_y] = std::minmax({p[0][1], p[1][1], p[2][1]});
      for (int y = static_cast<int>(low_y); y <= static_cast<int>(high_y); ++y) {
        for (int x = static_cast<int>(low_x); x <= static_cast<int>(high_x); ++x) {
          const double u = edge(1, 2, x + 0.5, y + 0.5) / area;
          const double v = edge(2, 0, x + 0.5, y + 0.5) / area;
          if (u < 0 || v < 0 || u + v > 1) {
            continue;
          }
          const double z = u * p[0][2] + v * p[1][2] + (1 - u - v) * p[2][2];
          double& there = depth[static_cast<std::size_t>(y * side + x)];
          drawn += z > there ? 1U : 0U;
          there = std::max(there, z);
        }
      }
    }
    seen += static_cast<std::uint64_t>(
        std::count_if(depth.begin(), depth.end(), [](double z) { return z > -1e8; }));
  }
  return static_cast<double>(drawn) / static_cast<double>(seen);
}

TEST(ShadingOrder, DrawsFirstWhatHidesTheRest) {
  std::mt19937 random(3);
  const Knot knot = make_knot(random);
  const auto vertices = static_cast<std::uint32_t>(knot.positions.size() / 3);
  const auto plain = reorder(knot.indices, order_for_shading(knot.indices, vertices));
  const auto order = order_for_shading(knot.indices, vertices, knot.positions);
  EXPECT_TRUE(is_permutation_of_all(order, knot.indices.size() / 3));
  const auto outward = reorder(knot.indices, order);
  const double before = count_shaded_again(knot, plain);
  const double after = count_shaded_again(knot, outward);
  // Of what is shaded for nothing at least a quarter goes, for little more vertex work.
  EXPECT_GT(before, 1.08);
  EXPECT_LT(after - 1, 0.75 * (before - 1)) << before << " " << after;
  EXPECT_LE(static_cast<double>(count_shaded(outward, vertices)),
            1.15 * static_cast<double>(count_shaded(plain, vertices)));
}

TEST(ShadingOrder, TakesPlacesThatAreNowhere) {
  const std::vector<std::uint32_t> indices{0, 1, 2, 2, 1, 3, 3, 3, 3};
  const float nan = std::numeric_limits<float>::quiet_NaN();
  const float far = std::numeric_limits<float>::max();
  const std::vector<float> places{nan, 0, 0, far, far, -far, 0, -far, far, 1, 2, 3};
  EXPECT_TRUE(is_permutation_of_all(order_for_shading(indices, 4, places), 3));
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
