// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <random>
#include <set>

#include "wakuzume/deviation.h"
#include "wakuzume/surface.h"

/// Surfaces of fewer triangles: what stays whole, what stays exact, and how far the rest lies off.
namespace wakuzume {
namespace {

using Point = std::array<float, 3>;

/// A surface that owns what it shows.
struct OwnSurface {
  std::vector<float> positions;
  std::vector<float> normals;
  std::vector<float> uvs;
  std::vector<float> held;
  std::vector<std::uint32_t> indices;

  [[nodiscard]] Surface show() const {
    Surface out{positions, indices, {}, held};
    if (!normals.empty()) {
      out.traits.push_back({TraitKind::direction, 3, normals});
    }
    if (!uvs.empty()) {
      out.traits.push_back({TraitKind::uv, 2, uvs});
    }
    return out;
  }
  [[nodiscard]] std::size_t triangles() const { return indices.size() / 3; }
  [[nodiscard]] Point at(std::uint32_t v) const {
    return {positions[3 * std::size_t{v}], positions[3 * std::size_t{v} + 1],
            positions[3 * std::size_t{v} + 2]};
  }
};

/// A square of side x side squares under a map from [0, 1]^2; its UVs are where it comes from.
template <class Map>
OwnSurface make_sheet(std::uint32_t side, const Map& map) {
  OwnSurface mesh;
  for (std::uint32_t y = 0; y <= side; ++y) {
    for (std::uint32_t x = 0; x <= side; ++x) {
      const double u = static_cast<double>(x) / side;
      const double v = static_cast<double>(y) / side;
      for (const double value : map(u, v)) {
        mesh.positions.push_back(static_cast<float>(value));
      }
      mesh.uvs.insert(mesh.uvs.end(), {static_cast<float>(u), static_cast<float>(v)});
    }
  }
  for (std::uint32_t y = 0; y < side; ++y) {
    for (std::uint32_t x = 0; x < side; ++x) {
      const std::uint32_t a = y * (side + 1) + x;
      const std::uint32_t b = a + side + 1;
      mesh.indices.insert(mesh.indices.end(), {a, a + 1, b + 1, a, b + 1, b});
    }
  }
  return mesh;
}

OwnSurface make_plane(std::uint32_t side) {
  return make_sheet(side, [](double u, double v) { return std::array<double, 3>{u, v, 0}; });
}

/// A closed ring, its UV seams where both maps come round again.
OwnSurface make_ring(std::uint32_t side) {
  OwnSurface mesh = make_sheet(side, [&](double u, double v) {
    const double a = 2 * std::numbers::pi * (u < 1 ? u : 0);
    const double b = 2 * std::numbers::pi * (v < 1 ? v : 0);
    const double r = 2 + 0.6 * std::cos(b);
    return std::array<double, 3>{r * std::cos(a), r * std::sin(a), 0.6 * std::sin(b)};
  });
  for (std::size_t v = 0; v < mesh.uvs.size() / 2; ++v) {
    const double a = 2 * std::numbers::pi * mesh.uvs[2 * v];
    const double b = 2 * std::numbers::pi * mesh.uvs[2 * v + 1];
    for (const double value : {std::cos(a) * std::cos(b), std::sin(a) * std::cos(b), std::sin(b)}) {
      mesh.normals.push_back(static_cast<float>(value));
    }
  }
  // Both sides of the seam have the same bits.
  for (std::uint32_t k = 0; k <= side; ++k) {
    std::copy_n(&mesh.normals[std::size_t{3} * k * (side + 1)], 3,
                &mesh.normals[3 * (std::size_t{k} * (side + 1) + side)]);
  }
  for (std::uint32_t k = 0; k <= side; ++k) {
    std::copy_n(&mesh.normals[std::size_t{3} * k], 3,
                &mesh.normals[3 * (std::size_t{side} * (side + 1) + k)]);
  }
  return mesh;
}

OwnSurface take(ReducedSurface reduced, const OwnSurface& from) {
  OwnSurface out;
  out.positions = std::move(reduced.positions);
  out.indices = std::move(reduced.indices);
  std::size_t next = 0;
  if (!from.normals.empty()) {
    out.normals = std::move(reduced.traits[next++]);
  }
  if (!from.uvs.empty()) {
    out.uvs = std::move(reduced.traits[next++]);
  }
  return out;
}

OwnSurface reduce_to(const OwnSurface& mesh,
                     std::uint64_t triangles,
                     const SurfaceSettings& settings = {}) {
  return take(*reduce_surface(mesh.show(), {.triangles = triangles}, settings), mesh);
}

/// By edge, as places: how many triangles run along it, there and back.
std::map<std::pair<Point, Point>, int> count_sides(const OwnSurface& mesh) {
  std::map<std::pair<Point, Point>, int> out;
  for (std::size_t i = 0; i < mesh.indices.size(); ++i) {
    const std::size_t next = i % 3 == 2 ? i - 2 : i + 1;
    ++out[{mesh.at(mesh.indices[i]), mesh.at(mesh.indices[next])}];
  }
  return out;
}

/// Edges that only one triangle has.
std::size_t count_open(const OwnSurface& mesh) {
  const auto sides = count_sides(mesh);
  return static_cast<std::size_t>(std::count_if(sides.begin(), sides.end(), [&](const auto& side) {
    const auto back = sides.find({side.first.second, side.first.first});
    return back == sides.end() || back->second != side.second;
  }));
}

std::array<double, 3> find_normal(const OwnSurface& mesh, std::size_t t) {
  const Point a = mesh.at(mesh.indices[3 * t]);
  const Point b = mesh.at(mesh.indices[3 * t + 1]);
  const Point c = mesh.at(mesh.indices[3 * t + 2]);
  const std::array<double, 3> p{double{b[0]} - a[0], double{b[1]} - a[1], double{b[2]} - a[2]};
  const std::array<double, 3> q{double{c[0]} - a[0], double{c[1]} - a[1], double{c[2]} - a[2]};
  return {p[1] * q[2] - p[2] * q[1], p[2] * q[0] - p[0] * q[2], p[0] * q[1] - p[1] * q[0]};
}

void expect_sound(const ReducedSurface& reduced, const Surface& source) {
  const std::size_t vertices = reduced.positions.size() / 3;
  ASSERT_EQ(reduced.vertex_from.size(), vertices);
  ASSERT_EQ(3 * reduced.triangle_from.size(), reduced.indices.size());
  for (const std::uint32_t index : reduced.indices) {
    ASSERT_LT(index, vertices);
  }
  EXPECT_TRUE(std::is_sorted(reduced.triangle_from.begin(), reduced.triangle_from.end()));
  EXPECT_EQ(std::adjacent_find(reduced.triangle_from.begin(), reduced.triangle_from.end()),
            reduced.triangle_from.end());
  for (std::size_t v = 0; v < vertices; ++v) {
    if (reduced.vertex_from[v] != no_index) {
      EXPECT_TRUE(std::equal(&reduced.positions[3 * v], &reduced.positions[3 * v] + 3,
                             &source.positions[3 * std::size_t{reduced.vertex_from[v]}]));
    }
  }
  for (const float value : reduced.positions) {
    EXPECT_TRUE(std::isfinite(value));
  }
  for (const std::vector<float>& trait : reduced.traits) {
    for (const float value : trait) {
      EXPECT_TRUE(std::isfinite(value));
    }
  }
}

}  // namespace

TEST(ReduceSurface, LeavesAFlatSquareAsTwoTriangles) {
  const OwnSurface plane = make_plane(40);
  const auto reduced = reduce_surface(plane.show(), {.triangles = 2});
  ASSERT_TRUE(reduced);
  EXPECT_EQ(reduced->indices.size(), 6U);
  EXPECT_EQ(reduced->why, ReducedTo::count);
  const OwnSurface out = take(*reduced, plane);
  const auto deviation = measure_deviation(plane.show(), out.show());
  EXPECT_LT(deviation->max_m(), 1e-6);
  EXPECT_LT(deviation->there.traits_max[0], 1e-5);  // the texture lies where it lay
}

TEST(ReduceSurface, MeetsItsCountAndStaysNear) {
  const OwnSurface ring = make_ring(96);
  double before = 0;
  for (const std::uint64_t triangles : {9216U, 4608U, 1843U, 400U}) {
    const OwnSurface out = reduce_to(ring, triangles);
    EXPECT_LE(out.triangles(), triangles);
    EXPECT_GE(out.triangles() + 2, triangles);
    const auto deviation = measure_deviation(ring.show(), out.show());
    EXPECT_GT(deviation->mean_m(), before);
    before = deviation->mean_m();
    // A chord's height over an even net of as many triangles, times four.
    const double area = 4 * std::numbers::pi * std::numbers::pi * 2 * 0.6;
    const double edge2 = area / 0.433 / static_cast<double>(triangles);
    EXPECT_LT(deviation->max_m(), 4 * edge2 / 8 / 0.6) << triangles;
    EXPECT_LT(deviation->trait(0), 6) << triangles;     // degrees
    EXPECT_LT(deviation->trait(1), 0.01) << triangles;  // of the texture's width
  }
}

TEST(ReduceSurface, KeepsWhatIsClosedClosed) {
  const OwnSurface ring = make_ring(48);
  ASSERT_EQ(count_open(ring), 0U);
  for (const std::uint64_t triangles : {2000U, 500U, 100U, 0U}) {
    const OwnSurface out = reduce_to(ring, triangles);
    EXPECT_EQ(count_open(out), 0U) << triangles;
    EXPECT_GE(out.triangles(), 14U);  // a ring of fewer does not exist (Csaszar)
  }
}

TEST(ReduceSurface, KeepsBothSidesOfASeam) {
  // Where the seam was, corners at one place have UVs a whole tile apart, and no triangle spans it.
  const OwnSurface out = reduce_to(make_ring(64), 600);
  std::map<Point, std::set<float>> at;
  std::size_t on_seam = 0;
  for (std::size_t t = 0; t < out.triangles(); ++t) {
    float least = 1;
    float most = 0;
    for (std::size_t c = 0; c < 3; ++c) {
      const float u = out.uvs[2 * std::size_t{out.indices[3 * t + c]}];
      least = std::min(least, u);
      most = std::max(most, u);
      at[out.at(out.indices[3 * t + c])].insert(u);
    }
    EXPECT_LT(most - least, 0.4F);
  }
  for (const auto& [place, us] : at) {
    if (*us.rbegin() - *us.begin() > 0.5F) {
      ++on_seam;
      EXPECT_NEAR(*us.rbegin() - *us.begin(), 1, 0.01);
    }
  }
  EXPECT_GE(on_seam, 8U);
}

TEST(ReduceSurface, TurnsNoTriangleOver) {
  const OwnSurface hills = make_sheet(60, [](double u, double v) {
    return std::array<double, 3>{u, v, 0.05 * std::sin(20 * u) * std::cos(17 * v)};
  });
  const OwnSurface out = reduce_to(hills, 500);
  for (std::size_t t = 0; t < out.triangles(); ++t) {
    EXPECT_GT(find_normal(out, t)[2], 0) << t;
  }
}

TEST(ReduceSurface, HoldsWhatIsHeldBitForBit) {
  OwnSurface ring = make_ring(64);
  ring.held.assign(ring.positions.size() / 3, 0);
  std::set<std::array<Point, 3>> held;
  for (std::size_t v = 0; v < ring.held.size(); ++v) {
    ring.held[v] = ring.positions[3 * v] > 1 ? 1 : 0;
  }
  for (std::size_t t = 0; t < ring.triangles(); ++t) {
    const std::uint32_t* v = &ring.indices[3 * t];
    if (ring.held[v[0]] == 1 && ring.held[v[1]] == 1 && ring.held[v[2]] == 1) {
      held.insert({ring.at(v[0]), ring.at(v[1]), ring.at(v[2])});
    }
  }
  const auto reduced = reduce_surface(ring.show(), {.triangles = held.size() + 500});
  ASSERT_TRUE(reduced);
  EXPECT_EQ(reduced->held, held.size());
  EXPECT_LE(reduced->indices.size() / 3, held.size() + 500);
  const OwnSurface out = take(*reduced, ring);
  for (std::size_t t = 0; t < out.triangles(); ++t) {
    const std::uint32_t* v = &out.indices[3 * t];
    held.erase({out.at(v[0]), out.at(v[1]), out.at(v[2])});
  }
  EXPECT_TRUE(held.empty());

  const auto none = reduce_surface(ring.show(), {.triangles = 100});
  EXPECT_EQ(none->why, ReducedTo::held);
  EXPECT_GT(none->held, 100U);
}

TEST(ReduceSurface, GoesSlowerWhereItIsHeldALittle) {
  OwnSurface ring = make_ring(64);
  ring.held.assign(ring.positions.size() / 3, 0);
  for (std::size_t v = 0; v < ring.held.size(); ++v) {
    ring.held[v] = ring.positions[3 * v] > 0 ? 0.9F : 0;
  }
  const OwnSurface out = reduce_to(ring, 1000);
  std::size_t right = 0;
  for (std::size_t t = 0; t < out.triangles(); ++t) {
    right += out.at(out.indices[3 * t])[0] > 0 ? 1U : 0U;
  }
  EXPECT_GT(right, out.triangles() * 6 / 10);
  EXPECT_LT(right, out.triangles());
}

/// A crate with a normal for each face, from a corner on, so long along x, y and z.
void add_crate(const Point& at, const Point& size, OwnSurface& mesh) {
  for (std::size_t axis = 0; axis < 3; ++axis) {
    for (const float end : {0.0F, 1.0F}) {
      const auto first = static_cast<std::uint32_t>(mesh.positions.size() / 3);
      const std::size_t u = (axis + 1) % 3;
      const std::size_t v = (axis + 2) % 3;
      for (const auto& [a, b] :
           {std::pair(0, 0), std::pair(1, 0), std::pair(1, 1), std::pair(0, 1)}) {
        Point corner = at;
        Point normal{};
        corner[axis] += end * size[axis];
        corner[u] += static_cast<float>(a) * size[u];
        corner[v] += static_cast<float>(b) * size[v];
        normal[axis] = 2 * end - 1;
        mesh.positions.insert(mesh.positions.end(), corner.begin(), corner.end());
        mesh.normals.insert(mesh.normals.end(), normal.begin(), normal.end());
      }
      const std::uint32_t second = end > 0 ? first + 1 : first + 3;
      const std::uint32_t fourth = end > 0 ? first + 3 : first + 1;
      mesh.indices.insert(mesh.indices.end(), {first, second, first + 2, first, first + 2, fourth});
    }
  }
}

TEST(ReduceSurface, KeepsTheCornersOfCratesAndCards) {
  for (const Point& size : {Point{1, 1, 1}, Point{4, 0.1F, 0.1F}, Point{2, 3, 0.05F}}) {
    OwnSurface crate;
    add_crate({0, 0, 0}, size, crate);
    const auto reduced = reduce_surface(crate.show(), {1});
    ASSERT_TRUE(reduced);
    EXPECT_EQ(reduced->triangle_from.size(), 12U) << size[0];
    EXPECT_EQ(reduced->why, ReducedTo::shape);
  }
  const OwnSurface card = make_plane(1);
  EXPECT_EQ(reduce_surface(card.show(), {1})->triangle_from.size(), 2U);
  // A field of squares comes down to one, and no further.
  const OwnSurface field = make_plane(16);
  EXPECT_EQ(reduce_surface(field.show(), {1})->triangle_from.size(), 2U);
}

TEST(ReduceSurface, TakesCornersOfWhatIsSmall) {
  OwnSurface mesh;
  add_crate({0, 0, 0}, {10, 10, 10}, mesh);
  add_crate({12, 0, 0}, {0.1F, 0.1F, 0.1F}, mesh);
  const auto reduced = reduce_surface(mesh.show(), {16});
  ASSERT_TRUE(reduced);
  EXPECT_LE(reduced->triangle_from.size(), 16U);
  EXPECT_EQ(std::count_if(reduced->triangle_from.begin(), reduced->triangle_from.end(),
                          [](std::uint32_t from) { return from < 12; }),
            12);
}

TEST(ReduceSurface, TakesSpecksAsAWholeWhenNothingElseIsLeft) {
  OwnSurface mesh;
  add_crate({0, 0, 0}, {10, 10, 10}, mesh);
  for (int i = 0; i < 20; ++i) {
    const float size = 0.05F + 0.005F * static_cast<float>(i);
    add_crate({12, static_cast<float>(i), 0}, {size, size, size}, mesh);
  }
  const auto keeping = reduce_surface(mesh.show(), {40});
  ASSERT_TRUE(keeping);
  EXPECT_EQ(keeping->specks, 0U);
  EXPECT_GT(keeping->triangle_from.size(), 40U);
  EXPECT_EQ(keeping->why, ReducedTo::shape);

  SurfaceTarget target{40};
  target.speck_m = 0.4;
  const auto dropping = reduce_surface(mesh.show(), target);
  ASSERT_TRUE(dropping);
  EXPECT_GT(dropping->specks, 5U);
  EXPECT_LE(dropping->triangle_from.size(), 40U);
  EXPECT_GT(dropping->triangle_from.size(), 28U) << "no more than had to go";
  EXPECT_EQ(dropping->why, ReducedTo::count);
  // The smallest went, and what is left shows vertices that are there.
  std::set<std::uint32_t> crates;
  for (const std::uint32_t from : dropping->triangle_from) {
    crates.insert(from / 12);
  }
  EXPECT_EQ(crates.size(), 21 - dropping->specks);
  EXPECT_TRUE(crates.contains(0) && crates.contains(20) && !crates.contains(1));
  EXPECT_LT(*std::max_element(dropping->indices.begin(), dropping->indices.end()),
            dropping->vertex_from.size());
  EXPECT_EQ(dropping->positions.size(), 3 * dropping->vertex_from.size());
  EXPECT_EQ(dropping->traits[0].size(), 3 * dropping->vertex_from.size());

  mesh.held.assign(mesh.positions.size() / 3, 0.0F);
  mesh.held[24] = 1;  // of the smallest
  const auto held = reduce_surface(mesh.show(), target);
  ASSERT_TRUE(held);
  EXPECT_TRUE(std::any_of(held->triangle_from.begin(), held->triangle_from.end(),
                          [](std::uint32_t from) { return from / 12 == 1; }));
}

TEST(ReduceSurface, StopsAtAnError) {
  const OwnSurface ring = make_ring(96);
  std::size_t before = ring.triangles();
  for (const double error_m : {1e-3, 4e-3, 3e-2}) {
    const auto reduced = reduce_surface(ring.show(), {.triangles = 0, .error_m = error_m});
    ASSERT_TRUE(reduced);
    EXPECT_EQ(reduced->why, ReducedTo::error);
    EXPECT_LE(reduced->error_m, error_m);
    const OwnSurface out = take(*reduced, ring);
    EXPECT_LT(out.triangles(), before);
    before = out.triangles();
    const auto deviation = measure_deviation(ring.show(), out.show());
    EXPECT_LT(deviation->mean_m(), error_m);
    EXPECT_GT(deviation->mean_m(), error_m / 100);
  }
}

TEST(ReduceSurface, UsesOldVerticesAloneWhenAsked) {
  const OwnSurface ring = make_ring(48);
  const auto reduced =
      reduce_surface(ring.show(), {.triangles = 900}, {.places = VertexPlaces::old});
  ASSERT_TRUE(reduced);
  EXPECT_EQ(reduced->indices.size() / 3, 900U);
  for (std::size_t v = 0; v < reduced->vertex_from.size(); ++v) {
    ASSERT_NE(reduced->vertex_from[v], no_index);
    const std::size_t from = reduced->vertex_from[v];
    EXPECT_TRUE(std::equal(&reduced->traits[1][2 * v], &reduced->traits[1][2 * v] + 2,
                           &ring.uvs[2 * from]));
  }
  expect_sound(*reduced, ring.show());
}

TEST(ReduceSurface, CountsTheErrorOfOtherShapes) {
  // Flat as it stands; bent like a hinge in its other shape.
  OwnSurface plane = make_plane(32);
  std::vector<float> bent = plane.positions;
  for (std::size_t v = 0; v < bent.size() / 3; ++v) {
    bent[3 * v + 2] += std::abs(bent[3 * v] - 0.5F);
  }
  Surface surface = plane.show();
  surface.traits.push_back({TraitKind::shape, 3, bent});
  const auto reduced = reduce_surface(surface, {.triangles = 40});
  ASSERT_TRUE(reduced);
  EXPECT_NEAR(static_cast<double>(reduced->triangle_from.size()), 40, 1);
  const OwnSurface out{reduced->traits[1], {}, {}, {}, reduced->indices};
  const OwnSurface in{bent, {}, {}, {}, plane.indices};
  EXPECT_LT(measure_deviation(in.show(), out.show())->max_m(), 1e-4);
}

TEST(ReduceSurface, NeverMixesLabels) {
  const OwnSurface ring = make_ring(48);
  std::vector<float> labels;
  for (std::size_t v = 0; v < ring.positions.size() / 3; ++v) {
    labels.push_back(ring.positions[3 * v] > 0 ? 7.0F : 19.0F);
    labels.push_back(static_cast<float>(v % 5));
  }
  Surface surface = ring.show();
  surface.traits.insert(surface.traits.begin(), {TraitKind::label, 2, labels});
  const auto reduced = reduce_surface(surface, {.triangles = 500});
  ASSERT_TRUE(reduced);
  std::set<float> left;
  for (std::size_t v = 0; v < reduced->traits[0].size(); v += 2) {
    left.insert(reduced->traits[0][v]);
    EXPECT_EQ(reduced->traits[0][v + 1], std::round(reduced->traits[0][v + 1]));
  }
  EXPECT_EQ(left, (std::set<float>{7, 19}));
}

TEST(ReduceSurface, TellsWhatEachStepCost) {
  const OwnSurface ring = make_ring(96);
  const auto reduced = reduce_surface(ring.show(), {.triangles = 400});
  ASSERT_TRUE(reduced);
  ASSERT_GT(reduced->steps.size(), 20U);
  EXPECT_EQ(reduced->steps.back().triangles, reduced->triangle_from.size());
  for (std::size_t i = 1; i < reduced->steps.size(); ++i) {
    EXPECT_LE(reduced->steps[i].triangles, reduced->steps[i - 1].triangles);
    EXPECT_GE(reduced->steps[i].cost, reduced->steps[i - 1].cost);
  }
}

TEST(ReduceSurface, MirrorsWhatIsMirrored) {
  const OwnSurface ring = make_ring(72);
  OwnSurface mirrored = ring;
  for (std::size_t v = 0; v < mirrored.positions.size(); v += 3) {
    mirrored.positions[v] = -mirrored.positions[v];
    mirrored.normals[v] = -mirrored.normals[v];
  }
  for (std::size_t t = 0; t < mirrored.indices.size(); t += 3) {
    std::swap(mirrored.indices[t + 1], mirrored.indices[t + 2]);
  }
  const auto one = reduce_surface(ring.show(), {.triangles = 700});
  const auto other = reduce_surface(mirrored.show(), {.triangles = 700});
  ASSERT_TRUE(one && other);
  ASSERT_EQ(one->triangle_from, other->triangle_from);
  for (std::size_t i = 0; i < one->indices.size(); ++i) {
    const std::size_t j = i % 3 == 0 ? i : i % 3 == 1 ? i + 1 : i - 1;
    const std::size_t a = one->indices[i];
    const std::size_t b = other->indices[j];
    EXPECT_EQ(one->positions[3 * a], -other->positions[3 * b]);
    EXPECT_EQ(one->positions[3 * a + 1], other->positions[3 * b + 1]);
    EXPECT_EQ(one->traits[1][2 * a], other->traits[1][2 * b]);
  }
}

TEST(ReduceSurface, GivesTheSameForAnyNumberOfThreads) {
  // Large enough to be worked at in pieces.
  const OwnSurface hills = make_sheet(220, [](double u, double v) {
    return std::array<double, 3>{u, v, 0.03 * std::sin(30 * u * v) + 0.002 * std::sin(300 * u)};
  });
  const auto one = reduce_surface(hills.show(), {.triangles = 6000}, {}, {.threads = 1});
  const auto two = reduce_surface(hills.show(), {.triangles = 6000}, {}, {.threads = 2});
  ASSERT_TRUE(one && two);
  EXPECT_NEAR(static_cast<double>(one->triangle_from.size()), 6000, 1);
  EXPECT_EQ(one->positions, two->positions);
  EXPECT_EQ(one->indices, two->indices);
  EXPECT_EQ(one->traits, two->traits);
  const OwnSurface out = take(*one, hills);
  EXPECT_LT(measure_deviation(hills.show(), out.show())->mean_m(), 1e-3);
  EXPECT_EQ(count_open(out), count_open(reduce_to(out, 6000)));
}

TEST(ReduceSurface, TakesWhateverTargetItGets) {
  const OwnSurface ring = make_ring(16);
  const auto same = reduce_surface(ring.show(), {.triangles = 100'000});
  ASSERT_TRUE(same);
  EXPECT_EQ(same->indices.size(), ring.indices.size());
  EXPECT_EQ(same->error_m, 0);
  EXPECT_EQ(same->why, ReducedTo::count);
  for (const std::uint64_t triangles : {0U, 1U, 2U}) {
    const auto few = reduce_surface(ring.show(), {.triangles = triangles});
    ASSERT_TRUE(few);
    EXPECT_EQ(few->why, ReducedTo::shape);
    expect_sound(*few, ring.show());
  }
  const auto nothing = reduce_surface({}, {.triangles = 5});
  ASSERT_TRUE(nothing);
  EXPECT_TRUE(nothing->indices.empty());
}

TEST(ReduceSurface, StaysSoundOnAnySoup) {
  for (std::uint32_t seed = 0; seed < 400; ++seed) {
    std::mt19937 random(seed);
    const auto pick = [&](std::uint32_t below) {
      return static_cast<std::uint32_t>(random() % below);
    };
    // Corners on a coarse grid: shared, doubled, degenerate, with needles in between.
    OwnSurface soup;
    const std::uint32_t vertices = 3 + pick(60);
    for (std::uint32_t v = 0; v < vertices; ++v) {
      for (std::size_t k = 0; k < 3; ++k) {
        soup.positions.push_back(static_cast<float>(pick(4)) +
                                 (pick(4) == 0 ? 1e-6F * static_cast<float>(pick(9)) : 0.0F));
        soup.normals.push_back(static_cast<float>(pick(3)) - 1);
      }
      soup.uvs.insert(soup.uvs.end(),
                      {static_cast<float>(pick(3)) / 2, static_cast<float>(pick(3)) / 2});
      soup.held.push_back(pick(5) == 0 ? 1.0F : pick(5) == 0 ? 0.5F : 0.0F);
    }
    const std::uint32_t triangles = 1 + pick(120);
    for (std::uint32_t i = 0; i < 3 * triangles; ++i) {
      soup.indices.push_back(pick(vertices));
    }
    for (const std::uint64_t target : {std::uint64_t{0}, std::uint64_t{triangles / 2}}) {
      const auto places = seed % 2 == 0 ? VertexPlaces::best : VertexPlaces::old;
      const auto reduced = reduce_surface(soup.show(), {.triangles = target}, {.places = places});
      ASSERT_TRUE(reduced);
      expect_sound(*reduced, soup.show());
      ASSERT_FALSE(HasFailure()) << "seed " << seed;
    }
  }
}

TEST(ReduceSurface, LeavesWhatIsNoNumberAlone) {
  OwnSurface plane = make_plane(8);
  plane.positions[3 * 40] = std::numeric_limits<float>::quiet_NaN();
  const auto reduced = reduce_surface(plane.show(), {.triangles = 20});
  ASSERT_TRUE(reduced);
  const auto broken =
      static_cast<std::size_t>(std::count_if(reduced->positions.begin(), reduced->positions.end(),
                                             [](float value) { return std::isnan(value); }));
  EXPECT_EQ(broken, 1U);
}

TEST(ReduceSurface, CanBeStopped) {
  struct Stop : Observer {
    bool advance(std::string_view, double) override { return false; }
  } stop;
  const OwnSurface ring = make_ring(32);
  const auto reduced = reduce_surface(ring.show(), {.triangles = 10}, {}, {.observer = &stop});
  ASSERT_FALSE(reduced);
  EXPECT_EQ(reduced.error().code, ErrorCode::cancelled);
}

TEST(MeasureDeviation, IsANumberWhateverHasNoArea) {
  for (std::uint32_t seed = 0; seed < 200; ++seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> place(-1, 1);
    OwnSurface first = make_plane(3);
    OwnSurface second = make_plane(6);
    // Triangles on a line and in a point, first and last and in between.
    for (OwnSurface* const surface : {&first, &second}) {
      for (float& value : surface->positions) {
        value += 0.1F * place(random);
      }
      for (std::size_t i = 0; i + 2 < surface->indices.size(); i += 3) {
        if (random() % 4 == 0) {
          surface->indices[i + 2] = surface->indices[random() % 2 == 0 ? i : i + 1];
        } else if (random() % 8 == 0) {
          surface->indices[i + 1] = surface->indices[i + 2] = surface->indices[i];
        }
      }
    }
    const auto deviation =
        measure_deviation(first.show(), second.show(), {.samples = 500}, {.threads = 1});
    ASSERT_TRUE(deviation);
    for (const Distances* const way : {&deviation->there, &deviation->back}) {
      ASSERT_TRUE(std::isfinite(way->max_m) && std::isfinite(way->mean_m)) << "seed " << seed;
      EXPECT_LT(way->max_m, 2);
      EXPECT_LE(way->mean_m, way->max_m);
    }
  }
  OwnSurface points = make_plane(1);
  std::fill(points.indices.begin(), points.indices.end(), 0U);
  const auto none = measure_deviation(make_plane(1).show(), points.show());
  ASSERT_TRUE(none);
  EXPECT_TRUE(std::isfinite(none->there.mean_m));
}

TEST(MeasureDeviation, AgreesWithLookingAtEveryTriangle) {
  // One corner lifted: its distance is that to the plane, all others lie on it.
  const OwnSurface flat = make_plane(1);
  OwnSurface lifted = make_plane(4);
  lifted.positions[3 * 12 + 2] = 0.25F;
  const auto deviation = measure_deviation(lifted.show(), flat.show(), {.samples = 200'000});
  ASSERT_TRUE(deviation);
  EXPECT_NEAR(deviation->there.max_m, 0.25, 1e-9);
  // A pyramid over the six triangles around it: a third of its height over their share of all.
  double area = 0;
  double volume = 0;
  for (std::size_t t = 0; t < lifted.triangles(); ++t) {
    const std::array<double, 3> normal = find_normal(lifted, t);
    const double size = std::hypot(normal[0], normal[1], normal[2]) / 2;
    area += size;
    double height = 0;
    for (std::size_t c = 0; c < 3; ++c) {
      height += lifted.at(lifted.indices[3 * t + c])[2] / 3.0;
    }
    volume += size * height;
  }
  EXPECT_NEAR(deviation->there.mean_m, volume / area, 2e-4 * volume / area + 1e-5);
}

}  // namespace wakuzume
