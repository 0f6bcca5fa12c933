// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "support/parts.h"
#include "support/pictures.h"
#include "texture/charts.h"
#include "wakuzume/image.h"
#include "wakuzume/repaint.h"
#include "wakuzume/verify.h"

/// New UV layouts, and textures moved onto them.
namespace wakuzume {
namespace {

using test::add_picture;
using test::make_picture;
using test::MeshData;
using test::paint;
using test::Painted;

std::vector<float> list_corners(const MeshData& data) {
  std::vector<float> out;
  for (const std::uint32_t v : data.indices) {
    out.insert(out.end(), &data.positions[3 * v], &data.positions[3 * v] + 3);
  }
  return out;
}

/// Without area: anything may lie on it.
bool is_flat(const std::vector<float>& corners, std::size_t t) {
  std::array<double, 3> u{};
  std::array<double, 3> v{};
  for (std::size_t c = 0; c < 3; ++c) {
    u[c] = static_cast<double>(corners[9 * t + 3 + c] - corners[9 * t + c]);
    v[c] = static_cast<double>(corners[9 * t + 6 + c] - corners[9 * t + c]);
  }
  return std::hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2],
                    u[0] * v[1] - u[1] * v[0]) < 1e-9;
}

double find_area(const std::array<Vec2d, 3>& t) {
  return 0.5 *
         ((t[1][0] - t[0][0]) * (t[2][1] - t[0][1]) - (t[2][0] - t[0][0]) * (t[1][1] - t[0][1]));
}

std::array<Vec2d, 3> take(const std::vector<Vec2d>& corners, std::size_t t) {
  return {corners[3 * t], corners[3 * t + 1], corners[3 * t + 2]};
}

/// Every corner of one triangle is outside of the other by some side, or the other way round.
bool overlap(const std::array<Vec2d, 3>& a, const std::array<Vec2d, 3>& b) {
  const auto apart = [](const std::array<Vec2d, 3>& x, const std::array<Vec2d, 3>& y) {
    const double turn = find_area(x) < 0 ? -1 : 1;
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec2d& p = x[k];
      const Vec2d& q = x[(k + 1) % 3];
      const double length = std::hypot(q[0] - p[0], q[1] - p[1]);
      bool all_out = true;
      for (const Vec2d& r : y) {
        const double side = turn * ((q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]));
        all_out = all_out && side < 1e-5 * length * length;
      }
      if (all_out) {
        return true;
      }
    }
    return false;
  };
  return !apart(a, b) && !apart(b, a);
}

class ChartedParts : public testing::TestWithParam<std::uint32_t> {};

TEST_P(ChartedParts, LieFlatWithoutOverlapAndHardlyStretched) {
  const std::uint32_t seed = GetParam();
  const MeshData part = seed % 3 == 0   ? test::make_prism(3 + seed)
                        : seed % 3 == 1 ? test::make_part(seed)
                                        : test::make_fan(5 + seed);
  const std::vector<float> corners = list_corners(part);
  const ChartSet set = make_charts(corners);
  const std::size_t count = corners.size() / 9;
  std::vector<int> seen(count, 0);
  for (const Chart& chart : set.charts) {
    for (const std::uint32_t t : chart.triangles) {
      ++seen[t];
    }
  }
  EXPECT_EQ(std::count(seen.begin(), seen.end(), 1), static_cast<std::ptrdiff_t>(count));
  const auto layout = place_charts(set, 200, 8192);
  ASSERT_TRUE(layout) << to_string(layout.error());
  for (std::size_t t = 0; t < count; ++t) {
    if (is_flat(corners, t)) {
      continue;
    }
    for (std::size_t k = 0; k < 3; ++k) {
      const Vec2d& at = layout->corners[3 * t + k];
      EXPECT_TRUE(at[0] >= chart_margin_px - 1e-6 && at[1] >= chart_margin_px - 1e-6 &&
                  at[0] <= layout->size.width_px - chart_margin_px + 1e-6 &&
                  at[1] <= layout->size.height_px - chart_margin_px + 1e-6);
      // Lengths shrink by the lean at most, and never grow.
      const std::size_t next = (k + 1) % 3;
      double squares = 0;
      for (std::size_t c = 0; c < 3; ++c) {
        const double d =
            static_cast<double>(corners[9 * t + 3 * next + c] - corners[9 * t + 3 * k + c]);
        squares += d * d;
      }
      const Vec2d& to = layout->corners[3 * t + next];
      const double flat = std::hypot(to[0] - at[0], to[1] - at[1]) / 200;
      EXPECT_LE(flat, std::sqrt(squares) * 1.0001 + 1e-6);
      EXPECT_GE(flat, std::sqrt(squares) * (std::cos(most_chart_lean) - 1e-3) - 1e-6);
    }
    EXPECT_LE(find_area(take(layout->corners, t)), 1e-6) << "none is mirrored: v points down";
    for (std::size_t other = 0; other < t; ++other) {
      EXPECT_TRUE(is_flat(corners, other) ||
                  !overlap(take(layout->corners, t), take(layout->corners, other)))
          << t << " and " << other << " of seed " << seed;
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Seeds, ChartedParts, testing::Range(0U, 24U));

TEST(MakeCharts, CutsWhatWindsOverItself) {
  // A ramp that winds up twice: seen from above it lies over itself.
  MeshData ramp;
  const std::uint32_t steps = 64;
  for (std::uint32_t s = 0; s <= steps; ++s) {
    const double angle = 4 * 3.14159265358979 * s / steps;
    for (const double radius : {1.0, 2.0}) {
      for (const double p : {radius * std::cos(angle), 0.02 * s, radius * std::sin(angle)}) {
        ramp.positions.push_back(static_cast<float>(p));
      }
    }
    if (s < steps) {
      const std::uint32_t v = 2 * s;
      ramp.indices.insert(ramp.indices.end(), {v, v + 2, v + 1, v + 1, v + 2, v + 3});
    }
  }
  const ChartSet set = make_charts(list_corners(ramp));
  EXPECT_GE(set.charts.size(), 2U);
  for (std::size_t t = 0; t < 2 * steps; ++t) {
    for (std::size_t other = 0; other < t; ++other) {
      if (set.chart_of[t] == set.chart_of[other]) {
        ASSERT_FALSE(overlap(take(set.corners, t), take(set.corners, other))) << t << " " << other;
      }
    }
  }
}

TEST(MakeCharts, TakesTrianglesWithoutAreaAndWithoutNeighbours) {
  const std::vector<float> corners{0, 0, 0, 1, 0, 0, 2, 0, 0, 5, 5, 5, 5, 5, 5, 5, 5, 5};
  const ChartSet set = make_charts(corners);
  EXPECT_EQ(set.chart_of.size(), 2U);
  EXPECT_NE(set.chart_of[0], no_index);
  EXPECT_NE(set.chart_of[1], no_index);
  EXPECT_TRUE(place_charts(set, 10, 1024));
  EXPECT_EQ(place_charts(set, 1e9, 1024).error().code, ErrorCode::too_large);
}

constexpr MaterialSettings fewest{.goal = MaterialGoal::fewest_draws};

/// Soft bumps: what eight bits of a texel lose hardly counts.
Pixels make_soft_picture(std::uint32_t side, std::uint32_t seed) {
  Pixels out{side, side, {}};
  for (std::uint32_t i = 0; i < side * side; ++i) {
    for (std::uint32_t c = 0; c < 3; ++c) {
      const double wave = std::sin(6.28318 * (i % side) / side * (1 + (seed + c) % 3)) +
                          std::cos(6.28318 * (i / side) / side * (1 + c));
      out.rgba.push_back(static_cast<std::uint8_t>(128 + 55 * wave));
    }
    out.rgba.push_back(255);
  }
  return out;
}

TEST(Rebake, ShowsTheSameOnUvsOfItsOwn) {
  for (std::uint32_t seed = 0; seed < 4; ++seed) {
    test::SceneBuilder builder;
    for (std::uint32_t m = 0; m < 3; ++m) {
      const MaterialId id = builder.add_material("part_" + std::to_string(m));
      Material& material = builder.scene.materials[m];
      material.base_color_texture.texture = add_picture(builder, make_soft_picture(128, seed + m));
      material.base_color = {0.8, 0.7, 0.9, 1};
      material.metallic_roughness_texture.texture =
          add_picture(builder, make_soft_picture(64, seed + m + 5));
      const MeshData part = test::make_part(7 * seed + m);
      builder.add_node("part", builder.add_mesh("part", part, id), test::at(3.0 * m));
      builder.add_node("again", make_id<MeshId>(m), test::at(3.0 * m, 4));
    }
    const Scene scene = builder.finish();
    MaterialSettings settings = fewest;
    settings.routes = {"part_*=rebake"};
    settings.rebaked_texels_per_metre = 120;
    const Painted painted = paint(scene, settings);
    ASSERT_EQ(painted.routes.pages.size(), 1U);
    EXPECT_EQ(painted.routes.pages[0].tiles.size(), 3U) << "both of a kind share theirs";
    EXPECT_EQ(painted.routes.pages[0].uv_set, 1U) << "the first that is free";
    Verdict verdict;
    verdict.passed = true;
    ASSERT_TRUE(
        verify_looks(scene, painted.repainted.scene, painted.routes, StandardCodec(), {}, verdict));
    EXPECT_TRUE(verdict.passed);
    for (const LookCheck& check : verdict.looks) {
      EXPECT_GE(check.psnr_db, 34) << "seed " << seed;
    }
    for (const MaterialRoute& route : painted.routes.routes) {
      EXPECT_EQ(route.route, Route::rebake);
      EXPECT_NE(route.reason.find("by hand"), std::string::npos);
    }
    // The old UVs are still there.
    for (const Node& node : painted.repainted.scene.nodes) {
      const Primitive& primitive = painted.repainted.scene[node.mesh].primitives[0];
      EXPECT_NE(primitive.find("TEXCOORD_0"), no_stream);
      EXPECT_NE(primitive.find("TEXCOORD_1"), no_stream);
    }
  }
}

/// A box of which one side has a green texture and all others a red one, cut from one picture: red
/// and green touch there, and on no triangle.
TEST(Rebake, LetsNothingBleedFromOnePartOfATextureToAnother) {
  test::SceneBuilder builder;
  Pixels halves{64, 64, {}};
  for (std::uint32_t i = 0; i < 64 * 64; ++i) {
    const bool green = i % 64 >= 32;
    for (const int v : {green ? 0 : 255, green ? 255 : 0, 0, 255}) {
      halves.rgba.push_back(static_cast<std::uint8_t>(v));
    }
  }
  const MaterialId id = builder.add_material("halves");
  builder.scene.materials[0].base_color_texture.texture = add_picture(builder, halves);
  const MaterialId other = builder.add_material("other");
  builder.scene.materials[1].base_color_texture.texture =
      add_picture(builder, make_picture(32, 32, 3));
  for (const bool green : {false, true}) {
    const double u = green ? 0.52 : 0.02;
    builder.add_node("side", builder.add_mesh("side", test::make_patch(u, 0, u + 0.45, 1), id),
                     test::at(green ? 2 : 0));
  }
  builder.add_node("else", builder.add_mesh("else", test::make_patch(0, 0, 1, 1), other),
                   test::at(5));
  const Scene scene = builder.finish();
  MaterialSettings settings = fewest;
  settings.routes = {"*=rebake"};
  const Painted painted = paint(scene, settings);
  const AtlasPage& page = painted.routes.pages.at(0);
  const Pixels pixels =
      *decode_image(encoded_bytes(painted.repainted.scene, painted.repainted.images[0][0]));
  int checked = 0;
  for (const Tile& tile : page.tiles) {
    if (tile.material != id) {
      continue;
    }
    const bool green = tile.shapes[0].mesh == MeshId{1};
    const std::uint32_t width = tile.turned ? tile.size.height_px : tile.size.width_px;
    const std::uint32_t height = tile.turned ? tile.size.width_px : tile.size.height_px;
    for (std::uint32_t y = tile.y; y < tile.y + height; ++y) {
      for (std::uint32_t x = tile.x; x < tile.x + width; ++x) {
        const std::uint8_t* texel = &pixels.rgba[4 * (y * pixels.width_px + x)];
        ASSERT_EQ(texel[green ? 1 : 0], 255) << x << " " << y;
        ASSERT_EQ(texel[green ? 0 : 1], 0) << x << " " << y;
        ++checked;
      }
    }
  }
  EXPECT_GT(checked, 1000);
}

TEST(Rebake, TurnsNormalsIntoTheNewFrame) {
  // One square that leans the same way all over: whatever its new UVs are, the light is the same.
  test::SceneBuilder builder;
  const MaterialId id = builder.add_material("leaning");
  Pixels lean{16, 16, {}};
  const double n[3] = {0.5, 0.3, std::sqrt(1 - 0.25 - 0.09)};
  for (int i = 0; i < 256; ++i) {
    for (const double v : {n[0], n[1], n[2]}) {
      lean.rgba.push_back(static_cast<std::uint8_t>(std::lround((v + 1) * 127.5)));
    }
    lean.rgba.push_back(255);
  }
  lean.rgba[0] = 130;  // not one colour all over
  builder.scene.materials[0].normal_texture.texture = add_picture(builder, lean);
  const MaterialId other = builder.add_material("other");
  builder.scene.materials[1].base_color_texture.texture =
      add_picture(builder, make_picture(32, 32, 3));
  // Upside down and mirrored on the texture.
  builder.add_node("square", builder.add_mesh("square", test::make_patch(1, 0.2, 0, 0.9), id));
  builder.add_node("else", builder.add_mesh("else", test::make_patch(0, 0, 1, 1), other),
                   test::at(5));
  const Scene scene = builder.finish();
  MaterialSettings settings = fewest;
  settings.routes = {"*=rebake"};
  settings.turning = Turning::never;
  const Painted painted = paint(scene, settings);
  const Primitive& primitive =
      painted.repainted.scene[painted.repainted.scene.nodes[0].mesh].primitives[0];
  ASSERT_NE(primitive.find("TANGENT"), no_stream);
  const std::vector<float> tangents =
      make_floats(painted.repainted.scene, primitive.find("TANGENT"));
  const AtlasPage& page = painted.routes.pages.at(0);
  const auto tile = std::find_if(page.tiles.begin(), page.tiles.end(),
                                 [&](const Tile& t) { return t.material == id; });
  const Pixels pixels = *decode_image(
      encoded_bytes(painted.repainted.scene,
                    painted.repainted.images[0][static_cast<std::size_t>(Channel::normal)]));
  const std::uint32_t halvings = page.halvings[static_cast<std::size_t>(Channel::normal)];
  const std::uint32_t x = (tile->x + tile->size.width_px / 2) >> halvings;
  const std::uint32_t y = (tile->y + tile->size.height_px / 2) >> halvings;
  const std::uint8_t* texel = &pixels.rgba[4 * (y * pixels.width_px + x)];
  const double t[3] = {texel[0] / 127.5 - 1, texel[1] / 127.5 - 1, texel[2] / 127.5 - 1};
  // In the old frame u runs along -x, v along -y as textures have it: the bitangent is that of the
  // standard, against v.
  const std::array<double, 3> normal{0, 0, 1};
  const std::array<double, 3> tangent{tangents[0], tangents[1], tangents[2]};
  const double sign = static_cast<double>(tangents[3]);
  const std::array<double, 3> bitangent{sign * (normal[1] * tangent[2] - normal[2] * tangent[1]),
                                        sign * (normal[2] * tangent[0] - normal[0] * tangent[2]),
                                        sign * (normal[0] * tangent[1] - normal[1] * tangent[0])};
  std::array<double, 3> world{};
  for (std::size_t c = 0; c < 3; ++c) {
    world[c] = t[0] * tangent[c] + t[1] * bitangent[c] + t[2] * normal[c];
  }
  // u falls along x, v falls along y (the patch runs from top to bottom): tangent (-1, 0, 0).
  EXPECT_NEAR(world[0], -n[0], 0.02);
  EXPECT_NEAR(std::abs(world[1]), n[1], 0.02);
  EXPECT_NEAR(world[2], n[2], 0.02);
  Verdict verdict;
  verdict.passed = true;
  ASSERT_TRUE(
      verify_looks(scene, painted.repainted.scene, painted.routes, StandardCodec(), {}, verdict));
  EXPECT_TRUE(verdict.passed);
}

TEST(Rebake, IsTheWayOutWhereUvsAreMissingOrOfSeveralSets) {
  test::SceneBuilder builder;
  const MaterialId plain = builder.add_material("plain");
  builder.scene.materials[0].base_color_texture.texture =
      add_picture(builder, make_picture(32, 32, 1));
  builder.add_node("plain", builder.add_mesh("plain", test::make_patch(0, 0, 1, 1), plain));
  const MaterialId two = builder.add_material("two_sets");
  builder.scene.materials[1].base_color_texture.texture =
      add_picture(builder, make_picture(32, 32, 2));
  builder.scene.materials[1].emissive_texture.texture =
      add_picture(builder, make_picture(32, 32, 3));
  builder.scene.materials[1].emissive_texture.texcoord = 1;
  builder.scene.materials[1].emissive = {1, 1, 1};
  MeshData both = test::make_patch(0, 0, 1, 1);
  both.lightmap_uvs = test::make_patch(0.5, 0.1, 0.2, 0.4).uvs;
  builder.add_node("two", builder.add_mesh("two", both, two), test::at(2));
  const MaterialId other = builder.add_material("other_sets");
  builder.scene.materials[2] = builder.scene.materials[1];
  builder.scene.materials[2].name = "other_sets";
  builder.scene.materials[2].roughness = 0.3;
  builder.add_node("other", builder.add_mesh("other", both, other), test::at(4));
  const Scene scene = builder.finish();
  const Painted painted = paint(scene, fewest);
  for (const MaterialId id : {two, other}) {
    EXPECT_EQ(painted.routes.find(id)->route, Route::rebake) << painted.routes.find(id)->reason;
    EXPECT_NE(painted.routes.find(id)->reason.find("UV sets 0 and 1"), std::string::npos);
  }
  Verdict verdict;
  verdict.passed = true;
  ASSERT_TRUE(
      verify_looks(scene, painted.repainted.scene, painted.routes, StandardCodec(), {}, verdict));
  EXPECT_TRUE(verdict.passed);
  // Asked for a set that is taken, they stay and say so.
  MaterialSettings settings = fewest;
  settings.rebaked_uv_set = 1;
  const RoutePlan taken = test::route(scene, settings);
  EXPECT_EQ(taken.find(two)->route, Route::stay);
  EXPECT_NE(taken.find(two)->reason.find("UV set 1 is taken"), std::string::npos);
}

TEST(Tint, CarriesEveryColourOnceEvenThoseThatFold) {
  test::SceneBuilder builder;
  for (std::uint32_t c = 0; c < 4; ++c) {
    const MaterialId id = builder.add_material("dyed_" + std::to_string(c));
    Material& material = builder.scene.materials[c];
    material.base_color_texture.texture = add_picture(builder, make_picture(32, 32, 4));
    material.base_color = {0.2 + 0.2 * (c % 3), 0.5, 0.3, 1};  // the last is as the first
    builder.add_node("cloth",
                     builder.add_mesh("cloth", test::make_patch(0, 0, 1, 0.4 + 0.1 * c), id),
                     test::at(1.5 * c));
  }
  const Scene scene = builder.finish();
  const Painted painted = paint(scene, fewest);
  EXPECT_EQ(painted.routes.find(MaterialId{1})->route, Route::tint);
  EXPECT_EQ(painted.routes.find(MaterialId{3})->route, Route::fold);
  Verdict verdict;
  verdict.passed = true;
  ASSERT_TRUE(
      verify_looks(scene, painted.repainted.scene, painted.routes, StandardCodec(), {}, verdict));
  EXPECT_TRUE(verdict.passed);
  for (const LookCheck& check : verdict.looks) {
    EXPECT_GE(check.psnr_db, 45) << scene[check.material].name;
  }
}

TEST(RebakeRoute, LeavesChartsAloneThatNoPageTakes) {
  // A strip whose texels are two long pages side by side, beside one of ordinary size.
  test::SceneBuilder builder;
  for (const double length : {1.0, 40.0}) {
    const MaterialId material =
        builder.add_material("m" + std::to_string(builder.scene.materials.size()));
    builder.scene.materials[to_index(material)].base_color_texture.texture =
        add_picture(builder, make_picture(64, 64, static_cast<std::uint32_t>(length)));
    MeshData strip = test::make_square();
    for (std::size_t v = 0; v < 4; ++v) {
      strip.positions[3 * v] *= static_cast<float>(length);
      strip.uvs[2 * v] *= static_cast<float>(length);
    }
    builder.add_node("n", builder.add_mesh("strip", strip, material));
  }
  const Scene scene = builder.finish();
  MaterialSettings settings{.goal = MaterialGoal::full_resolution, .max_page_px = 512};
  settings.routes = {"*=rebake"};
  const auto images = read_image_facts(scene, ImageDepth::detail);
  const auto routes = propose_routes(scene, *survey(scene), *images, settings);
  ASSERT_TRUE(routes) << to_string(routes.error());
  const MaterialRoute* const wide = routes->find(MaterialId{1});
  ASSERT_NE(wide, nullptr);
  EXPECT_EQ(wide->page, no_index);
  EXPECT_NE(wide->reason.find("no page of 512 pixels takes its charts"), std::string::npos)
      << wide->reason;
}

}  // namespace
}  // namespace wakuzume
