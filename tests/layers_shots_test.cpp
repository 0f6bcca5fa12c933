// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>

#include "support/layers.h"
#include "support/pictures.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "support/shots.h"

/// Blended layers as they are drawn, and as they should be.
namespace wakuzume {
namespace {

constexpr std::uint32_t side_px = 64;
const RenderSettings small{.width_px = side_px, .height_px = side_px};

MaterialId add_pane_material(test::SceneBuilder& builder, const Vec4d& color) {
  const MaterialId id = builder.add_material("pane", AlphaMode::blend);
  Material& material = builder.scene.materials[to_index(id)];
  material.base_color = color;
  material.double_sided = true;
  material.extra.ensure().extensions.push_back({"KHR_materials_unlit", "{}"});
  builder.scene.extensions_used = {"KHR_materials_unlit"};
  return id;
}

void add_pane(test::SceneBuilder& builder, const Vec4d& color, const Trs& trs) {
  builder.add_node("pane",
                   builder.add_mesh("pane", test::make_square(), add_pane_material(builder, color)),
                   trs);
}

/// A long slanted pane whose middle is near and whose end lies behind a short one.
Scene make_wrong_by_depth() {
  test::SceneBuilder builder;
  Trs slanted = test::scaled(8, 1, 1, {-1, -0.5, -1.5});
  slanted.rotation = {0, std::sin(-0.4), 0, std::cos(-0.4)};
  add_pane(builder, {1, 0, 0, 0.5}, slanted);
  add_pane(builder, {0, 0, 1, 0.5}, test::scaled(1, 1, 1, {-0.9, -0.5, 0}));
  return builder.finish();
}

double to_light(int srgb) {
  const double s = srgb / 255.0;
  return s <= 0.04045 ? s / 12.92 : std::pow((s + 0.055) / 1.055, 2.4);
}

/// What one layer of a colour makes of what is behind it, by the standard's formula.
std::array<int, 3> blend_over(const std::array<int, 3>& behind, const Vec4d& color) {
  std::array<int, 3> out{};
  for (std::size_t c = 0; c < 3; ++c) {
    const double light = color[c] * color[3] + to_light(behind[c]) * (1 - color[3]);
    const double srgb =
        light <= 0.0031308 ? 12.92 * light : 1.055 * std::pow(light, 1 / 2.4) - 0.055;
    out[c] = static_cast<int>(std::lround(255 * srgb));
  }
  return out;
}

std::array<int, 3> find_exact(const Shot& shot, std::size_t x, std::size_t y) {
  const std::uint8_t* const from = &shot.exact.rgba[4 * (y * shot.width_px + x)];
  return {from[0], from[1], from[2]};
}

TEST(Layers, AreCountedAndSortedWhereTheEngineSortsThemWrong) {
  test::Drawn drawn(make_wrong_by_depth(), small);
  const Viewpoint view = test::make_flat_view(1);
  const Shot shot = drawn.shoot(view, {.layers = Layers::sorted});
  // The blue pane reaches to 0.1 m right of the middle; here the red one is a metre behind it.
  const std::size_t x = side_px / 4;
  const std::size_t middle = side_px / 2 * side_px + x;
  ASSERT_EQ(shot.layers.size(), shot.hits.size());
  EXPECT_EQ(shot.layers[middle], 2U);
  EXPECT_EQ(shot.misplaced[middle], 1U) << "the red one's middle is nearer than the blue one's";
  EXPECT_EQ(shot.hits[middle].draw, DrawId{1}) << "the nearest";
  EXPECT_NEAR(shot.hits[middle].distance_m, 5, 1e-4);
  const std::array<int, 3> sky = test::find_pixel(shot, 0, 0);
  const auto right = blend_over(blend_over(sky, {1, 0, 0, 0.5}), {0, 0, 1, 0.5});
  const auto wrong = blend_over(blend_over(sky, {0, 0, 1, 0.5}), {1, 0, 0, 0.5});
  const auto exact = find_exact(shot, x, side_px / 2);
  const auto drawn_so = test::find_pixel(shot, x, side_px / 2);
  for (std::size_t c = 0; c < 3; ++c) {
    EXPECT_NEAR(exact[c], right[c], 2);
    EXPECT_NEAR(drawn_so[c], wrong[c], 2);
  }
  // Elsewhere it is the picture.
  EXPECT_EQ(shot.layers[0], 0U);
  EXPECT_EQ(find_exact(shot, 0, 0), sky);
}

TEST(Layers, AreDrawnInTheOrderThatTheEngineSortsBy) {
  test::Drawn drawn(make_wrong_by_depth(), small);
  const Viewpoint view = test::make_flat_view(1);
  // The red one's origin lies behind the blue one's.
  const Shot by_origin =
      drawn.shoot(view, {.sorting = {SortBy::depth, SortAt::origin}, .layers = Layers::sorted});
  EXPECT_TRUE(by_origin.exact.rgba.empty()) << "all is right";
  EXPECT_EQ(*std::max_element(by_origin.misplaced.begin(), by_origin.misplaced.end()), 0U);
  const Shot by_centre = drawn.shoot(view, {.layers = Layers::sorted});
  // But for the driver's rounding.
  for (std::size_t i = 0; i < by_centre.exact.rgba.size(); ++i) {
    ASSERT_NEAR(by_centre.exact.rgba[i], by_origin.picture.rgba[i], 1) << i;
  }
}

TEST(Layers, OfDistanceAndDepthSortOtherwiseAside) {
  test::SceneBuilder builder;
  // Far aside and near in depth; straight ahead and farther in depth.
  add_pane(builder, {1, 0, 0, 0.5}, test::at(8, -0.5, -1));
  add_pane(builder, {0, 0, 1, 0.5}, test::at(-0.5, -0.5, -3));
  const Scene scene = builder.finish();
  const Viewpoint view = make_viewpoint("v", {0, 0, 5}, {0, 0, 0});
  const Vec3d aside{8.5, 0, -1};
  const Vec3d ahead{0, 0, -3};
  EXPECT_LT(find_sorting_distance({SortBy::depth}, aside, view.world),
            find_sorting_distance({SortBy::depth}, ahead, view.world));
  EXPECT_GT(find_sorting_distance({SortBy::distance}, aside, view.world),
            find_sorting_distance({SortBy::distance}, ahead, view.world));
  EXPECT_NEAR(find_sorting_distance({SortBy::depth}, aside, view.world), 6, 1e-5);
  EXPECT_NEAR(find_sorting_distance({SortBy::distance}, aside, view.world), std::hypot(8.5, 6),
              1e-5);
}

/// Against rays: how many panes there are, and whether any two of them are drawn the wrong way.
TEST(Layers, AreThoseThatRaysMeet) {
  for (std::uint32_t seed = 0; seed < 4; ++seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> unit(-1, 1);
    test::SceneBuilder builder;
    for (int p = 0; p < 24; ++p) {
      Trs trs = test::at(1.5 * unit(random) - 0.5, 1.5 * unit(random) - 0.5, unit(random));
      const double turn = unit(random);
      trs.rotation = {0, std::sin(turn), 0, std::cos(turn)};
      add_pane(builder, {0.5 + unit(random) / 2, 0.2, 0.5, 0.4}, trs);
    }
    test::Drawn drawn(builder.finish(), small);
    const Viewpoint view = test::make_flat_view(2);
    const Shot shot = drawn.shoot(view, {.layers = Layers::sorted});
    std::vector<FacingTriangle> triangles;
    const std::vector<Mat4d> worlds = make_world_matrices(drawn.scene);
    for (std::uint32_t d = 0; d < drawn.survey.draws.size(); ++d) {
      const Mat4d& world = worlds[to_index(drawn.survey.draws[d].node)];
      const auto corner = [&](double x, double y) {
        return Vec3d{world[0] * x + world[4] * y + world[12],
                     world[1] * x + world[5] * y + world[13],
                     world[2] * x + world[6] * y + world[14]};
      };
      const std::array<Vec3d, 4> c{corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)};
      for (const auto& t :
           {std::array{0, 1, 2}, std::array{0, 2, 3}, std::array{0, 2, 1}, std::array{0, 3, 2}}) {
        triangles.push_back({{c[static_cast<std::size_t>(t[0])], c[static_cast<std::size_t>(t[1])],
                              c[static_cast<std::size_t>(t[2])]},
                             d,
                             0});
      }
    }
    int compared = 0;
    int alike = 0;
    for (std::size_t y = 0; y < side_px; y += 3) {
      for (std::size_t x = 0; x < side_px; x += 3) {
        const double step = 4.0 / side_px;
        const Vec3d eye{-2 + step * (static_cast<double>(x) + 0.5),
                        2 - step * (static_cast<double>(y) + 0.5), 5};
        const auto layers = test::find_layers(triangles, eye, {0, 0, -1});
        const std::size_t p = y * side_px + x;
        if (shot.layers[p] > 0 && layers.empty()) {
          continue;  // an edge, or two in one place
        }
        ++compared;
        const auto nearest =
            layers.empty() ? no_draw : make_id<DrawId>(triangles[layers[0].triangle].owner);
        alike += layers.size() == shot.layers[p] && shot.hits[p].draw == nearest ? 1 : 0;
      }
    }
    EXPECT_GT(compared, 300) << seed;
    EXPECT_GE(alike, compared - 4) << "edges alone may differ";
  }
}

TEST(Layers, InMoreThanThereWasRoomForAreAllThere) {
  test::SceneBuilder builder;
  for (int p = 0; p < 40; ++p) {
    add_pane(builder, {0.1, 0.2, 0.01 * p, 0.1}, test::scaled(3, 3, 1, {-1.5, -1.5, -0.1 * p}));
  }
  test::Drawn drawn(builder.finish(), small);
  const Shot shot = drawn.shoot(test::make_flat_view(1), {.layers = Layers::sorted});
  EXPECT_EQ(*std::min_element(shot.layers.begin(), shot.layers.end()), 40U);
  EXPECT_TRUE(shot.exact.rgba.empty());
}

TEST(Layers, AreShownAsPictures) {
  const auto folder = test::make_scratch();
  const std::string scene = (folder / "s.glb").string();
  ASSERT_TRUE(write_scene(make_wrong_by_depth(), scene));
  for (const char* show : {"layers", "order"}) {
    const std::string picture = (folder / (std::string(show) + ".png")).string();
    const test::Outcome outcome =
        test::run_program({WAKUZUME_TOOL, "picture", scene, "--show", show, "-o", picture});
    EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
    EXPECT_TRUE(std::filesystem::exists(picture));
  }
}

}  // namespace
}  // namespace wakuzume
