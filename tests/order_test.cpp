// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/order.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>
#include <random>
#include <set>
#include <tuple>

#include "order/raster.h"
#include "support/layers.h"

namespace wakuzume {
namespace {

using test::add;
using test::cross;
using test::dot;
using test::EyeRays;
using test::scale;
using test::subtract;

using Triangles = std::vector<FacingTriangle>;
using Sequence = std::vector<std::uint32_t>;

enum class SidesShown : std::uint8_t { one, both };

void add_triangle(const std::array<Vec3d, 3>& corners,
                  std::uint32_t owner,
                  SidesShown sides,
                  Triangles& out) {
  const auto rank = static_cast<std::uint32_t>(
      std::count_if(out.begin(), out.end(), [&](const auto& t) { return t.owner == owner; }));
  out.push_back({corners, owner, rank});
  if (sides == SidesShown::both) {
    out.push_back({{corners[0], corners[2], corners[1]}, owner, rank});
  }
}

void add_quad(const Vec3d& at,
              const Vec3d& u,
              const Vec3d& v,
              std::uint32_t owner,
              SidesShown sides,
              Triangles& out) {
  const Vec3d b = add(at, u);
  const Vec3d c = add(b, v);
  add_triangle({at, b, c}, owner, sides, out);
  add_triangle({at, c, add(at, v)}, owner, sides, out);
}

/// What the header promises, pair by pair, written out.
bool can_hide(const FacingTriangle& b, const FacingTriangle& a) {
  const auto reaches = [](const FacingTriangle& what, const FacingTriangle& plane, double side) {
    const Vec3d normal = cross(subtract(plane.corners[1], plane.corners[0]),
                               subtract(plane.corners[2], plane.corners[0]));
    return std::any_of(what.corners.begin(), what.corners.end(), [&](const Vec3d& corner) {
      return side * dot(normal, subtract(corner, plane.corners[0])) >
             1e-4 * std::sqrt(dot(normal, normal));
    });
  };
  return reaches(b, a, 1) && reaches(a, b, -1);
}

/// Each owner has one triangle: whether the relation has no cycle.
bool has_no_cycle(const Triangles& triangles) {
  std::vector<bool> gone(triangles.size(), false);
  for (std::size_t round = 0; round < triangles.size(); ++round) {
    const auto free = [&](std::size_t t) {
      for (std::size_t o = 0; o < triangles.size(); ++o) {
        if (!gone[o] && o != t && can_hide(triangles[t], triangles[o])) {
          return false;
        }
      }
      return !gone[t];
    };
    std::size_t t = 0;
    while (t < triangles.size() && !free(t)) {
      ++t;
    }
    if (t == triangles.size()) {
      return false;
    }
    gone[t] = true;
  }
  return true;
}

Triangles make_random_triangles(std::mt19937& random, std::size_t count, int kind) {
  std::uniform_real_distribution<double> place(-1, 1);
  std::array<int, 125> cells{};
  std::iota(cells.begin(), cells.end(), 0);
  std::shuffle(cells.begin(), cells.end(), random);
  Triangles out;
  for (std::uint32_t t = 0; t < count; ++t) {
    std::array<Vec3d, 3> corners;
    for (Vec3d& corner : corners) {
      corner = {place(random), place(random), place(random)};
    }
    if (kind == 1) {  // upright panes of four directions, each in a cell of its own
      const auto cell = cells[t];
      const Vec3d at{0.5 * (cell % 5), 0.5 * (cell / 5 % 5), 0.5 * (cell / 25)};
      const std::array<Vec3d, 4> along{Vec3d{0.4, 0, 0}, {0, 0, 0.4}, {-0.4, 0, 0}, {0, 0, -0.4}};
      const Vec3d& way = along[random() % 4];
      corners = {subtract(at, scale(way, 0.5)), add(at, scale(way, 0.5)),
                 add(at, Vec3d{0, 0.4, 0})};
    } else if (kind == 2) {  // small and far apart
      for (Vec3d& corner : corners) {
        corner = add(scale(corner, 0.15), corners[0]);
      }
    }
    out.push_back({corners, t, 0});
  }
  return out;
}

TEST(Order, IsRightFromEveryEyeWhereItIsFound) {
  std::mt19937 random(1);
  std::size_t found = 0;
  std::size_t pairs = 0;
  for (int round = 0; round < 600; ++round) {
    const Triangles triangles = make_random_triangles(random, 2 + random() % 7, round % 3);
    const DrawSequence sequence = find_sequence(triangles);
    if (!sequence.found) {
      continue;
    }
    ++found;
    ASSERT_EQ(std::set<std::uint32_t>(sequence.triangles.begin(), sequence.triangles.end()).size(),
              triangles.size());
    EyeRays rays(triangles, static_cast<std::uint32_t>(round));
    for (int r = 0; r < 400; ++r) {
      const auto layers = rays.next();
      pairs += layers.size() < 2 ? 0 : layers.size() - 1;
      ASSERT_EQ(test::find_wrong_layer(layers, sequence.triangles), no_index) << round;
    }
  }
  EXPECT_GT(found, 200U);
  EXPECT_GT(pairs, 20'000U);
}

TEST(Order, IsFoundExactlyWhereTheRelationHasNoCycle) {
  std::mt19937 random(2);
  std::array<int, 2> counts{};
  for (int round = 0; round < 1500; ++round) {
    const Triangles triangles = make_random_triangles(random, 2 + random() % 9, round % 3);
    const bool wanted = has_no_cycle(triangles);
    ++counts[wanted ? 1 : 0];
    ASSERT_EQ(find_sequence(triangles).found, wanted) << round;
  }
  EXPECT_GT(counts[0], 200);
  EXPECT_GT(counts[1], 200);
}

/// All orders are tried from many eyes: what has a right one, and none is found for.
TEST(Order, MissesFewSetsThatHaveARightOrder) {
  std::mt19937 random(3);
  int right = 0;
  int missed = 0;
  for (int round = 0; round < 150; ++round) {
    const Triangles triangles = make_random_triangles(random, 3 + random() % 2, round % 3);
    std::vector<std::vector<test::Layer>> seen;
    EyeRays rays(triangles, static_cast<std::uint32_t>(round));
    for (int r = 0; r < 3000; ++r) {
      if (auto layers = rays.next(); layers.size() > 1) {
        seen.push_back(std::move(layers));
      }
    }
    Sequence order(triangles.size());
    std::iota(order.begin(), order.end(), 0U);
    bool any = false;
    do {
      any = any || std::all_of(seen.begin(), seen.end(), [&](const auto& layers) {
              return test::find_wrong_layer(layers, order) == no_index;
            });
    } while (!any && std::next_permutation(order.begin(), order.end()));
    const bool found = find_sequence(triangles).found;
    EXPECT_TRUE(any || !found) << round;
    right += any ? 1 : 0;
    missed += any && !found ? 1 : 0;
  }
  RecordProperty("right", right);
  RecordProperty("missed", missed);
  EXPECT_GT(right, 60);
  // Triangles whose planes cut each other may still be free of each other for all eyes.
  EXPECT_LT(missed, right / 10) << missed << " of " << right;
}

TEST(Order, OfOwnersIsThatOfAllTheirTriangles) {
  std::mt19937 random(4);
  int found = 0;
  for (int round = 0; round < 300; ++round) {
    Triangles triangles = make_random_triangles(random, 4 + random() % 4, round % 3);
    for (std::size_t t = 0; t < triangles.size(); ++t) {
      triangles[t].owner = static_cast<std::uint32_t>(t / 2);
      triangles[t].rank = t % 2;
    }
    const OrderSettings settings{OrderUnit::owner, 1e-6};
    const DrawSequence sequence = find_sequence(triangles, settings);
    if (!sequence.found) {
      continue;
    }
    ++found;
    Triangles sorted;
    std::uint32_t owners = 0;
    for (std::size_t i = 0; i < sequence.triangles.size(); ++i) {
      FacingTriangle triangle = triangles[sequence.triangles[i]];
      const bool same = i > 0 && triangles[sequence.triangles[i - 1]].owner == triangle.owner;
      owners += same ? 0 : 1;
      triangle.owner = owners - 1;
      sorted.push_back(triangle);
    }
    ASSERT_EQ(owners, (triangles.size() + 1) / 2) << "an owner's triangles lie apart";
    EXPECT_EQ(find_misplaced(sorted, settings), no_index);
    EyeRays rays(triangles, static_cast<std::uint32_t>(round));
    for (int r = 0; r < 300; ++r) {
      auto layers = rays.next();
      // Those of one owner are in its own order, whatever that is.
      for (std::size_t a = 0; a + 1 < layers.size(); ++a) {
        for (std::size_t b = a + 1; b < layers.size(); ++b) {
          if (triangles[layers[a].triangle].owner != triangles[layers[b].triangle].owner) {
            ASSERT_EQ(test::find_wrong_layer({layers[a], layers[b]}, sequence.triangles), no_index);
          }
        }
      }
    }
  }
  EXPECT_GT(found, 20);
}

TEST(Order, OfParallelPanesThatAreHeldWrongIsMisplaced) {
  Triangles panes;
  for (std::uint32_t p = 0; p < 4; ++p) {
    add_quad({0, 0, 1.0 * p}, {1, 0, 0}, {0, 1, 0}, p, SidesShown::one, panes);
  }
  EXPECT_EQ(find_misplaced(panes), no_index);
  std::swap_ranges(panes.begin(), panes.begin() + 2, panes.begin() + 4);
  for (std::size_t t = 0; t < panes.size(); ++t) {
    panes[t].owner = static_cast<std::uint32_t>(t / 2);
  }
  EXPECT_EQ(find_misplaced(panes), 0U);
}

TEST(Order, OfPanesWithTwoSidesIsFrontsAndThenBacks) {
  Triangles panes;
  for (std::uint32_t p = 0; p < 5; ++p) {
    add_quad({0, 0, 1.0 * p}, {1, 0, 0}, {0, 1, 0}, p, SidesShown::both, panes);
  }
  const DrawSequence sequence = find_sequence(panes);
  ASSERT_TRUE(sequence.found);
  std::vector<double> fronts;
  std::vector<double> backs;
  for (const std::uint32_t t : sequence.triangles) {
    const auto& c = panes[t].corners;
    const bool front = cross(subtract(c[1], c[0]), subtract(c[2], c[0]))[2] > 0;
    (front ? fronts : backs).push_back(c[0][2]);
  }
  EXPECT_TRUE(std::is_sorted(fronts.begin(), fronts.end()));
  EXPECT_TRUE(std::is_sorted(backs.rbegin(), backs.rend()));
  EXPECT_EQ(fronts.size(), 10U);
  // As blocks they would have to be before and behind each other.
  EXPECT_FALSE(find_sequence(panes, {OrderUnit::owner, 1e-6}).found);
}

TEST(Order, OfPanesInOnePlaneIsFreeAndStaysAsItIs) {
  Triangles panes;
  for (std::uint32_t p = 0; p < 50; ++p) {
    // A plane of no simple slope, and corners that rounding moved.
    const double x = 0.7 * p;
    add_quad({x, 0.3 * x, std::fma(1.0 / 3.0, x, 1e-9 * p)}, {0.5, 0.15, 0.5 / 3}, {0, 1, 0}, p,
             SidesShown::both, panes);
  }
  for (const OrderUnit unit : {OrderUnit::triangle, OrderUnit::owner}) {
    const DrawSequence sequence = find_sequence(panes, {unit, 1e-6});
    ASSERT_TRUE(sequence.found);
    EXPECT_TRUE(std::is_sorted(sequence.triangles.begin(), sequence.triangles.end()));
  }
}

TEST(Order, OfThreePanesInARingThatEachHideTheNextIsNone) {
  // Beams as in a woven mat: each lies over the next at one end and under the one before.
  Triangles ring;
  const double pi = std::acos(-1.0);
  for (std::uint32_t p = 0; p < 3; ++p) {
    const double a = 2 * pi * p / 3;
    const Vec3d along{std::cos(a), std::sin(a), 0.4};
    const Vec3d across{-0.15 * std::sin(a), 0.15 * std::cos(a), 0};
    const Vec3d from{-0.3 * std::sin(a) - 0.5 * along[0], 0.3 * std::cos(a) - 0.5 * along[1], -0.2};
    add_quad(from, along, across, p, SidesShown::one, ring);
  }
  EXPECT_FALSE(find_sequence(ring).found);
  const OrderParts parts = find_order_parts(ring, 3);
  EXPECT_GE(parts.count, 2U);
  for (std::uint32_t p = 0; p < 3; ++p) {
    EXPECT_NE(parts.rival[p], no_index);
    EXPECT_NE(parts.rival[p], p);
  }
}

void add_sphere(double radius, std::uint32_t owner, SidesShown sides, Triangles& out) {
  constexpr int around = 12;
  constexpr int down = 6;
  const double pi = std::acos(-1.0);
  const auto point = [&](int a, int d) {
    const double phi = 2 * pi * a / around;
    const double theta = pi * d / down;
    return Vec3d{radius * std::sin(theta) * std::cos(phi), radius * std::cos(theta),
                 -radius * std::sin(theta) * std::sin(phi)};
  };
  for (int d = 0; d < down; ++d) {
    for (int a = 0; a < around; ++a) {
      if (d > 0) {
        add_triangle({point(a, d), point(a + 1, d + 1), point(a + 1, d)}, owner, sides, out);
      }
      if (d + 1 < down) {
        add_triangle({point(a, d), point(a, d + 1), point(a + 1, d + 1)}, owner, sides, out);
      }
    }
  }
}

TEST(Order, OfGlassSpheresInsideOneAnotherIsRight) {
  for (const SidesShown sides : {SidesShown::one, SidesShown::both}) {
    Triangles spheres;
    for (std::uint32_t s = 0; s < 3; ++s) {
      add_sphere(1.0 + s, s, sides, spheres);
    }
    const DrawSequence sequence = find_sequence(spheres);
    ASSERT_TRUE(sequence.found);
    EyeRays rays(spheres, 7);
    std::size_t deepest = 0;
    for (int r = 0; r < 4000; ++r) {
      const auto layers = rays.next();
      deepest = std::max(deepest, layers.size());
      ASSERT_EQ(test::find_wrong_layer(layers, sequence.triangles), no_index);
    }
    EXPECT_GE(deepest, sides == SidesShown::one ? 3U : 6U);
  }
}

TEST(Order, OfPanesThroughOneAnotherIsThatOfTheirOwner) {
  Triangles flame;
  add_quad({-1, 0, 0}, {2, 0, 0}, {0, 1, 0}, 0, SidesShown::both, flame);
  add_quad({0, 0, -1}, {0, 0, 2}, {0, 1, 0}, 0, SidesShown::both, flame);
  const DrawSequence sequence = find_sequence(flame);
  ASSERT_TRUE(sequence.found);
  std::uint32_t last = 0;
  for (const std::uint32_t t : sequence.triangles) {
    const std::uint32_t quad = flame[t].rank / 2;
    EXPECT_GE(quad, last);
    last = quad;
  }
  // Of two owners there is no such order to keep.
  for (FacingTriangle& triangle : flame) {
    triangle.owner = triangle.rank / 2;
    triangle.rank %= 2;
  }
  EXPECT_FALSE(find_sequence(flame).found);
  EXPECT_EQ(find_order_parts(flame, 2).count, 2U);
}

/// Rays from eyes that were given: an order of cycles is right there, or no worse than that of
/// owners which are sorted by their points.
TEST(Order, OfCyclesIsRightFromTheEyesThatDecideThem) {
  std::mt19937 random(6);
  std::uniform_real_distribution<double> place(-3, 3);
  std::uniform_real_distribution<double> share(0, 1);
  std::array<std::size_t, 2> sets{};   // not decided, and decided
  std::array<std::size_t, 2> pairs{};  // as today, and right
  for (int round = 0; round < 600; ++round) {
    Triangles triangles = make_random_triangles(random, 6 + random() % 10, round % 3);
    for (std::uint32_t t = 0; t < triangles.size(); ++t) {
      triangles[t].owner = t / 2;
      triangles[t].rank = t % 2;
    }
    std::vector<Vec3d> points;
    for (std::size_t owner = 0; 2 * owner < triangles.size(); ++owner) {
      points.push_back(triangles[2 * owner].corners[0]);
    }
    std::vector<OrderEye> eyes(2 + random() % 3);
    for (OrderEye& eye : eyes) {
      eye.at = {place(random), place(random), place(random)};
    }
    const BlendSorting sorting{SortBy::distance, SortAt::origin};
    const OrderSettings settings{OrderUnit::triangle, 1e-6, eyes, sorting, points};
    if (find_sequence(triangles).found) {
      EXPECT_FALSE(find_sequence(triangles, settings).by_eyes) << round;
      continue;
    }
    const DrawSequence sequence = find_sequence(triangles, settings);
    ++sets[sequence.found ? 1 : 0];
    if (!sequence.found) {
      continue;
    }
    EXPECT_TRUE(sequence.by_eyes) << round;
    std::vector<std::size_t> at(triangles.size());
    for (std::size_t i = 0; i < at.size(); ++i) {
      at[sequence.triangles[i]] = i;
    }
    for (int r = 0; r < 300; ++r) {
      const Vec3d& eye = eyes[random() % eyes.size()].at;
      const auto& [a, b, c] = triangles[random() % triangles.size()].corners;
      const Vec3d through = add(a, add(scale(subtract(b, a), share(random) / 2),
                                       scale(subtract(c, a), share(random) / 2)));
      const auto today = [&](std::uint32_t t) {
        const Vec3d off = subtract(points[triangles[t].owner], eye);
        return std::tuple(-dot(off, off), triangles[t].owner, triangles[t].rank);
      };
      const auto layers = test::find_layers(triangles, eye, subtract(through, eye));
      for (std::size_t far = 1; far < layers.size(); ++far) {
        for (std::size_t near = 0; near < far; ++near) {
          const std::uint32_t behind = layers[far].triangle;
          const std::uint32_t before = layers[near].triangle;
          const bool right = at[behind] < at[before];
          ++pairs[right ? 1 : 0];
          ASSERT_TRUE(right || today(before) < today(behind)) << round;
        }
      }
    }
  }
  EXPECT_GT(sets[1], 200U) << sets[0];
  EXPECT_GT(pairs[1], 2 * pairs[0]);
  EXPECT_GT(pairs[1], 9'000U);
}

TEST(Order, PutsWhatHasNoAreaLastAndNothingAway) {
  Triangles slivers;
  add_quad({0, 0, 0}, {1, 0, 0}, {0, 1, 0}, 0, SidesShown::one, slivers);
  slivers.push_back({{Vec3d{0, 0, 1}, {1, 0, 1}, {2, 0, 1}}, 1, 0});
  slivers.push_back({{Vec3d{0, 0, 2}, {5, 1e-12, 2}, {9, 0, 2}}, 1, 1});
  slivers.push_back({{Vec3d{std::nan(""), 0, 2}, {5, 1, 2}, {9, 0, 2}}, 1, 2});
  add_quad({0, 0, 3}, {1, 0, 0}, {0, 1, 0}, 2, SidesShown::one, slivers);
  const DrawSequence sequence = find_sequence(slivers);
  ASSERT_TRUE(sequence.found);
  EXPECT_EQ(sequence.triangles, (Sequence{0, 1, 5, 6, 2, 3, 4}));
  EXPECT_TRUE(find_sequence({}).found);
}

/// Leaves of ten bushes: whatever the parts are, each has an order, and the same on any machine.
TEST(Order, OfTenThousandLeavesComesInParts) {
  std::mt19937 random(5);
  std::uniform_real_distribution<double> unit(-1, 1);
  Triangles leaves;
  const std::uint32_t count = 10'000;
  for (std::uint32_t l = 0; l < count; ++l) {
    const Vec3d bush{30.0 * (l % 10), 0, 0};
    const auto vector = [&](double size) {
      return Vec3d{size * unit(random), size * unit(random), size * unit(random)};
    };
    add_quad(add(bush, vector(3)), vector(0.1), vector(0.1), l, SidesShown::both, leaves);
  }
  const OrderParts parts = find_order_parts(leaves, count);
  EXPECT_LT(parts.count, 3'000U);
  EXPECT_EQ(*std::max_element(parts.part_of.begin(), parts.part_of.end()) + 1, parts.count);
  for (const std::uint32_t part : {0U, parts.count / 2, parts.count - 1}) {
    Triangles own;
    std::copy_if(leaves.begin(), leaves.end(), std::back_inserter(own),
                 [&](const auto& t) { return parts.part_of[t.owner] == part; });
    EXPECT_FALSE(own.empty());
    EXPECT_TRUE(find_sequence(own).found) << part;
  }
  EXPECT_EQ(find_order_parts(leaves, count, {}, {1, nullptr}).part_of, parts.part_of);
}

/// Pixel by pixel, by the sides of its edges: slivers and what reaches far beyond the picture, too.
TEST(Raster, CoversThePixelsWhoseCentresLieInside) {
  Viewpoint view;
  view.perspective = false;
  const std::uint32_t side = 96;
  const Raster raster(view, side, side);
  std::mt19937 random(31);
  std::uniform_real_distribution<double> unit(-1, 1);
  std::uint64_t covered = 0;
  for (int i = 0; i < 400; ++i) {
    const double reach = std::array{0.1, 1.0, 3.0, 1e4}[static_cast<std::size_t>(i) % 4];
    std::array<Eigen::Vector3d, 3> corners;
    for (Eigen::Vector3d& corner : corners) {
      corner = {reach * unit(random), reach * unit(random), -1};
    }
    if (i % 3 == 0) {
      corners[2] = corners[0] + (corners[1] - corners[0]) * unit(random);
      corners[2].x() += 0.02;
    }
    std::vector<bool> drawn(std::size_t{side} * side, false);
    raster.draw(corners, Raster::Culling::none,
                [&](std::uint32_t pixel, double) { drawn[pixel] = true; });
    for (std::uint32_t p = 0; p < drawn.size(); ++p) {
      const long double x = (2.0L * (p % side) + 1) / side - 1;
      const long double y = 1 - (2.0L * (p / side) + 1) / side;
      long double least = 1;
      long double most = -1;
      for (std::size_t e = 0; e < 3; ++e) {
        const Eigen::Vector3d& a = corners[e];
        const Eigen::Vector3d& b = corners[(e + 1) % 3];
        const long double across = (b.x() - a.x()) * (y - a.y()) - (b.y() - a.y()) * (x - a.x());
        const long double away = across / (b - a).norm();
        least = e == 0 ? away : std::min(least, away);
        most = e == 0 ? away : std::max(most, away);
      }
      if (least > 1e-9L || most < -1e-9L) {
        EXPECT_TRUE(drawn[p]) << i << " pixel " << p;
        ++covered;
      } else if (least < -1e-9L && most > 1e-9L) {
        EXPECT_FALSE(drawn[p]) << i << " pixel " << p;
      }
    }
  }
  EXPECT_GT(covered, 100'000U);
}

}  // namespace
}  // namespace wakuzume
