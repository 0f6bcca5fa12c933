// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <numbers>
#include <random>

#include "glasshouse.h"
#include "support/scene_builder.h"
#include "support/shots.h"
#include "wakuzume/render.h"

// What no pixel can show is left out before it is drawn. Here everything is drawn instead, and both
// have to show the same, pixel for pixel.
namespace wakuzume {
namespace {

constexpr std::uint32_t side_px = 192;

/// A ball of many triangles.
test::MeshData make_ball(std::uint32_t rings) {
  test::MeshData out;
  const auto columns = 2 * rings;
  for (std::uint32_t r = 0; r <= rings; ++r) {
    for (std::uint32_t c = 0; c <= columns; ++c) {
      const double up = std::numbers::pi * r / rings;
      const double around = 2 * std::numbers::pi * c / columns;
      const Vec3d n{std::sin(up) * std::cos(around), std::cos(up), std::sin(up) * std::sin(around)};
      for (const double v : n) {
        out.positions.push_back(static_cast<float>(v / 2));
        out.normals.push_back(static_cast<float>(v));
      }
    }
  }
  for (std::uint32_t r = 0; r < rings; ++r) {
    for (std::uint32_t c = 0; c < columns; ++c) {
      const std::uint32_t a = r * (columns + 1) + c;
      const std::uint32_t b = a + columns + 1;
      out.indices.insert(out.indices.end(), {a, a + 1, b, b, a + 1, b + 1});
    }
  }
  return out;
}

/// Hundreds of balls near and far, some of one big mesh, some of them panes, and walls in between.
Scene make_crowd(std::uint32_t seed) {
  std::mt19937 random(seed);
  const auto pick = [&](double low, double high) {
    return low + (high - low) * static_cast<double>(random() % 100'000) / 100'000;
  };
  test::SceneBuilder builder;
  std::vector<MaterialId> materials{builder.add_material("red"), builder.add_material("blue"),
                                    builder.add_material("pane", AlphaMode::blend)};
  builder.scene.materials[0].base_color = {0.8, 0.1, 0.1, 1};
  builder.scene.materials[1].base_color = {0.1, 0.2, 0.9, 1};
  builder.scene.materials[2].base_color = {0.2, 0.9, 0.3, 0.4};
  std::vector<MeshId> balls;
  for (std::size_t m = 0; m < materials.size(); ++m) {
    balls.push_back(builder.add_mesh("ball", make_ball(m == 0 ? 24 : 12), materials[m]));
  }
  for (int n = 0; n < 300; ++n) {
    const double far = std::exp(pick(std::log(3.0), std::log(900.0)));
    const double size = pick(0.2, 3);
    builder.add_node("ball", balls[random() % balls.size()],
                     test::scaled(size, n % 7 == 0 ? -size : size, size,
                                  {pick(-0.5, 0.5) * far, pick(-0.3, 0.3) * far, -far}));
  }
  const MeshId wall = builder.add_mesh("wall", test::make_square(), materials[1]);
  for (int n = 0; n < 12; ++n) {
    const double far = pick(4, 120);
    const double size = pick(0.2, 0.5) * far;
    builder.add_node(
        "wall", wall,
        test::scaled(size, size, 1, {pick(-0.6, 0.2) * far, pick(-0.4, 0) * far, -far}));
  }
  return std::move(builder.scene);
}

/// \return pixels that show something
std::size_t expect_same(const Scene& scene, const std::vector<Viewpoint>& views) {
  const RenderSettings settings{.width_px = side_px, .height_px = side_px};
  RenderSettings everything = settings;
  everything.unseen = Unseen::drawn;
  test::Drawn left_out(scene, settings);
  test::Drawn drawn(scene, everything);
  std::size_t shown = 0;
  for (const Viewpoint& view : views) {
    const ShotRequest request{.measure = Measure::facing};
    const Shot a = left_out.shoot(view, request);
    const Shot b = drawn.shoot(view, request);
    EXPECT_EQ(a.submitted.draws, b.submitted.draws) << view.name;
    EXPECT_EQ(a.submitted.triangles, b.submitted.triangles) << view.name;
    std::size_t other = 0;
    for (std::size_t p = 0; p < a.hits.size(); ++p) {
      other += a.hits[p].draw != b.hits[p].draw || a.hits[p].instance != b.hits[p].instance ||
                       a.hits[p].element != b.hits[p].element ||
                       a.hits[p].distance_m != b.hits[p].distance_m
                   ? 1U
                   : 0U;
      shown += a.hits[p].draw == no_draw ? 0U : 1U;
    }
    EXPECT_EQ(other, 0U) << view.name << ": pixels that show another element";
    EXPECT_EQ(a.picture.rgba, b.picture.rgba) << view.name;
    EXPECT_EQ(a.values, b.values) << view.name;
  }
  return shown;
}

class CrowdTest : public testing::TestWithParam<std::uint32_t> {};

TEST_P(CrowdTest, ShowsTheSameWithAndWithoutWhatIsUnseen) {
  const Scene scene = make_crowd(GetParam());
  std::vector<Viewpoint> views{make_viewpoint("ahead", {0, 0, 0}, {0, 0, -1}),
                               make_viewpoint("aside", {30, 8, -20}, {-10, 0, -90}),
                               make_viewpoint("above", {5, 400, -300}, {0, 0, -301}),
                               make_viewpoint("amid", {1, 0.5, -40}, {3, -2, -400})};
  Viewpoint flat = make_viewpoint("flat", {0, 0, 20}, {0, 0, 0});
  flat.perspective = false;
  flat.xmag = 60;
  flat.ymag = 60;
  flat.zfar_m = 2000;
  views.push_back(flat);
  Viewpoint far = views.front();
  far.name = "with an end";
  far.zfar_m = 500;
  views.push_back(far);
  EXPECT_GT(expect_same(scene, views), 6U * 1000U);
}

INSTANTIATE_TEST_SUITE_P(Seeds, CrowdTest, testing::Range(1U, 5U));

TEST(Unseen, ChangesNothingInTheGlasshouse) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  const auto views = *make_views(scene, found, {.count = 10});
  EXPECT_GT(expect_same(scene, views), views.size() * 10'000);
}

TEST(Unseen, ShadesTheElementThatWasFoundWhereTwoLieInOnePlace) {
  // One square twice in one mesh, red and then green: as parts that a merge brought together.
  test::MeshData twice = test::make_square();
  const test::MeshData once = twice;
  const auto vertices = static_cast<std::uint32_t>(once.positions.size() / 3);
  twice.positions.insert(twice.positions.end(), once.positions.begin(), once.positions.end());
  twice.normals.insert(twice.normals.end(), once.normals.begin(), once.normals.end());
  twice.uvs.insert(twice.uvs.end(), once.uvs.begin(), once.uvs.end());
  for (const std::uint32_t index : once.indices) {
    twice.indices.push_back(index + vertices);
  }
  for (std::uint32_t v = 0; v < 2 * vertices; ++v) {
    const float red = v < vertices ? 1 : 0;
    twice.colors.insert(twice.colors.end(), {red, 1 - red, 0, 1});
  }
  test::SceneBuilder builder;
  builder.add_node("twice", builder.add_mesh("twice", twice, builder.add_material("paint")),
                   test::scaled(4, 4, 1, {-2, -2, 0}));
  test::Drawn drawn(std::move(builder.scene), {.width_px = side_px, .height_px = side_px});
  const Shot shot = drawn.shoot(test::make_flat_view(1));
  std::size_t red = 0;
  for (std::size_t p = 0; p < shot.hits.size(); ++p) {
    ASSERT_LT(shot.hits[p].element, once.indices.size() / 3) << "the first of both shows";
    red += shot.picture.rgba[4 * p] > shot.picture.rgba[4 * p + 1] ? 1U : 0U;
  }
  EXPECT_EQ(red, shot.hits.size());
}

TEST(Unseen, KeepsWhatReachesBehindTheEye) {
  test::SceneBuilder builder;
  const MaterialId material = builder.add_material("ground");
  builder.add_node("ground", builder.add_mesh("ground", test::make_square(), material),
                   test::scaled(400, 400, 1, {-200, -200, -1}));
  const auto view = make_viewpoint("over it", {0, 0, 0.5}, {10, 0, -1});
  EXPECT_GT(expect_same(builder.scene, {view}), 10'000U);
}

}  // namespace
}  // namespace wakuzume
