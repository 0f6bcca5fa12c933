// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/repaint.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "support/pictures.h"
#include "support/process.h"
#include "wakuzume/io.h"
#include "wakuzume/verify.h"

namespace wakuzume {
namespace {

using test::add_picture;
using test::make_patch;
using test::make_picture;

constexpr MaterialSettings full{.goal = MaterialGoal::full_resolution};

/// A scene with its pages painted, and what routes led there.
struct Painted {
  RoutePlan routes;
  Repainted repainted;

  [[nodiscard]] const Scene& scene() const { return repainted.scene; }
  [[nodiscard]] Pixels page(std::size_t p, Channel channel) const {
    const ImageId id = repainted.images[p][static_cast<std::size_t>(channel)];
    return *decode_image(encoded_bytes(scene(), id));
  }
};

Painted paint(const Scene& scene, const RoutePlan& routes, const RunControl& run = {}) {
  auto repainted = repaint(scene, routes, run);
  EXPECT_TRUE(repainted) << (repainted ? "" : to_string(repainted.error()));
  Painted out{routes, std::move(*repainted)};
  const auto done =
      paint_pages(scene, routes, out.repainted.images, StandardCodec(), out.repainted.scene, run);
  EXPECT_TRUE(done) << (done ? "" : to_string(done.error()));
  EXPECT_TRUE(check_scene(out.scene()));
  return out;
}

Painted paint(const Scene& scene, const MaterialSettings& settings = full) {
  return paint(scene, test::route(scene, settings));
}

Verdict look(const Scene& scene, const Painted& painted) {
  Verdict verdict;
  verdict.passed = true;
  const auto done =
      verify_looks(scene, painted.scene(), painted.routes, StandardCodec(), {}, verdict);
  EXPECT_TRUE(done) << (done ? "" : to_string(done.error()));
  return verdict;
}

/// Pages against textures by another way than either was made: what both materials say is looked up
/// at places strewn over the draws.
class Galleries : public testing::TestWithParam<std::uint32_t> {};

TEST_P(Galleries, LookTheSameOnTheirPages) {
  const Scene scene = test::make_gallery(GetParam(), 24);
  for (const Turning turning : {Turning::never, Turning::quarter}) {
    MaterialSettings settings = full;
    settings.turning = turning;
    settings.max_page_px = 512;
    const Painted painted = paint(scene, settings);
    ASSERT_FALSE(painted.routes.pages.empty());
    const Verdict verdict = look(scene, painted);
    EXPECT_TRUE(verdict.passed);
    ASSERT_GE(verdict.looks.size(), 12U);
    for (const LookCheck& check : verdict.looks) {
      EXPECT_GE(check.psnr_db, 45) << scene[check.material].name << " seed " << GetParam();
      EXPECT_GT(check.samples, 0U);
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Seeds, Galleries, testing::Range(0U, 12U));

TEST(Repaint, TurnsSomeTilesAndTheirNormals) {
  // Long tiles of both directions: some have to be turned to fit well.
  test::SceneBuilder builder;
  for (std::uint32_t m = 0; m < 10; ++m) {
    const MaterialId id = builder.add_material("plank_" + std::to_string(m));
    const bool lying = m % 2 == 0;
    builder.scene.materials[m].base_color_texture.texture =
        add_picture(builder, make_picture(lying ? 192 : 32, lying ? 32 : 192, m));
    builder.scene.materials[m].normal_texture.texture =
        add_picture(builder, test::make_normal_picture(lying ? 192 : 32, lying ? 32 : 192, 50 + m));
    builder.add_node("plank", builder.add_mesh("plank", make_patch(0, 0, 1, 1), id),
                     test::at(2.0 * m));
  }
  const Scene scene = builder.finish();
  const Painted painted = paint(scene);
  const AtlasPage& page = painted.routes.pages.at(0);
  const auto hit = std::find_if(page.tiles.begin(), page.tiles.end(),
                                [](const Tile& tile) { return tile.turned; });
  ASSERT_NE(hit, page.tiles.end());
  // Texel (a, b) of a turned tile is b from its right edge and a from its top.
  const Pixels normals = painted.page(0, Channel::normal);
  const auto source = *decode_image(encoded_bytes(
      scene, scene.textures[to_index(scene[hit->material].normal_texture.texture)].image));
  for (std::uint32_t b = 0; b < source.height_px; b += 7) {
    for (std::uint32_t a = 0; a < source.width_px; a += 5) {
      const std::uint8_t* from = &source.rgba[4 * (b * source.width_px + a)];
      const std::uint32_t x = hit->x + hit->size.height_px - 1 - b;
      const std::uint32_t y = hit->y + a;
      const std::uint8_t* to = &normals.rgba[4 * (y * normals.width_px + x)];
      // What leant along the old up leans along the new u; what leant along u leans down.
      ASSERT_NEAR(to[0], from[1], 1);
      ASSERT_NEAR(to[1], 255 - from[0], 1);
      ASSERT_NEAR(to[2], from[2], 1);
    }
  }
  EXPECT_TRUE(look(scene, painted).passed);
}

TEST(Repaint, FillsGuttersAsTheSamplerWraps) {
  test::SceneBuilder builder;
  const std::uint32_t wraps[] = {10497, 33071, 33648};
  for (std::uint32_t m = 0; m < 3; ++m) {
    const MaterialId id = builder.add_material("wrap_" + std::to_string(m));
    builder.scene.materials[m].base_color_texture.texture =
        add_picture(builder, make_picture(64, 64, m), wraps[m], wraps[m]);
    builder.add_node("wrap", builder.add_mesh("wrap", make_patch(0, 0, 1, 1), id),
                     test::at(2.0 * m));
  }
  const Scene scene = builder.finish();
  MaterialSettings settings = full;
  settings.turning = Turning::never;
  const Painted painted = paint(scene, settings);
  const Pixels page = painted.page(0, Channel::color);
  for (std::uint32_t m = 0; m < 3; ++m) {
    const Tile& tile = painted.routes.pages[0].tiles[painted.routes.find(MaterialId{m})->tile];
    const Pixels source = make_picture(64, 64, m);
    ASSERT_GE(tile.gutter, 8U);
    for (int d = 1; d <= 8; ++d) {
      const int wanted[] = {64 - d, 0, d - 1};
      const std::uint8_t* from = &source.rgba[4 * (20 * 64 + static_cast<std::size_t>(wanted[m]))];
      const std::uint8_t* to =
          &page.rgba[4 * ((tile.y + 20) * page.width_px + tile.x - static_cast<std::size_t>(d))];
      EXPECT_TRUE(std::equal(from, from + 4, to)) << "wrap " << m << ", " << d << " beyond";
    }
  }
}

TEST(Repaint, CopiesTexelsAsTheyAreWhereNothingIsScaled) {
  const Scene scene = [] {
    test::SceneBuilder builder;
    for (std::uint32_t m = 0; m < 2; ++m) {
      const MaterialId id = builder.add_material("m");
      builder.scene.materials[m].base_color_texture.texture =
          add_picture(builder, make_picture(48, 40, m));
      builder.add_node("n", builder.add_mesh("n", make_patch(0, 0, 1, 1), id), test::at(2.0 * m));
    }
    return builder.finish();
  }();
  const Painted painted =
      paint(scene, {.goal = MaterialGoal::full_resolution, .turning = Turning::never});
  const Pixels page = painted.page(0, Channel::color);
  for (std::uint32_t m = 0; m < 2; ++m) {
    const Tile& tile = painted.routes.pages[0].tiles[painted.routes.find(MaterialId{m})->tile];
    const Pixels source = make_picture(48, 40, m);
    for (std::size_t y = 0; y < 40; ++y) {
      ASSERT_TRUE(std::equal(&source.rgba[4 * y * 48], &source.rgba[4 * y * 48] + 4 * 48,
                             &page.rgba[4 * ((tile.y + y) * page.width_px + tile.x)]));
    }
  }
}

TEST(Repaint, AveragesInLinearLightAndByAlpha) {
  // Columns of black and white: half the light is 188 of 255, not 128.
  test::SceneBuilder builder;
  Pixels stripes = test::make_flat_picture(64, 64, {0, 0, 0, 255});
  Pixels veil = test::make_flat_picture(64, 64, {0, 0, 0, 0});
  for (std::size_t i = 0; i < stripes.rgba.size(); i += 8) {
    std::fill_n(&stripes.rgba[i], 3, std::uint8_t{255});
    const std::uint8_t leaf[] = {40, 200, 60, 255};
    std::copy_n(leaf, 4, &veil.rgba[i]);
  }
  for (const bool masked : {false, true}) {
    for (int copy = 0; copy < 2; ++copy) {
      const MaterialId id = builder.add_material(masked ? "mask" : "opaque");
      Material& material = builder.scene.materials[to_index(id)];
      material.alpha_mode = masked ? AlphaMode::mask : AlphaMode::opaque;
      material.roughness = 0.3 + 0.2 * copy;
      material.base_color_texture.texture = add_picture(builder, masked ? veil : stripes);
      builder.add_node("n", builder.add_mesh("n", make_patch(0, 0, 1, 1), id),
                       test::at(2.0 * copy, masked ? 3 : 0));
    }
  }
  MaterialSettings settings = full;
  settings.scales = {"*=0.5"};
  settings.turning = Turning::never;
  const Scene scene = builder.finish();
  const Painted painted = paint(scene, settings);
  const auto at = [&](std::uint32_t material) {
    const MaterialRoute& found = *painted.routes.find(MaterialId{material});
    const Tile& tile = painted.routes.pages[found.page].tiles[found.tile];
    const Pixels page = painted.page(found.page, Channel::color);
    const std::uint8_t* p =
        &page.rgba[4 * ((tile.y + 16) * std::size_t{page.width_px} + tile.x + 16)];
    return std::array<int, 4>{p[0], p[1], p[2], p[3]};
  };
  EXPECT_EQ(at(0), (std::array<int, 4>{188, 188, 188, 255}));
  const auto leaf = at(2);
  EXPECT_NEAR(leaf[0], 40, 1) << "no dark fringe";
  EXPECT_NEAR(leaf[1], 200, 1);
  EXPECT_NEAR(leaf[2], 60, 1);
}

TEST(Repaint, KeepsTheShareThatAMaskLetsPass) {
  test::SceneBuilder builder;
  for (std::uint32_t m = 0; m < 2; ++m) {
    const MaterialId id = builder.add_material("leaf");
    Material& material = builder.scene.materials[m];
    material.alpha_mode = AlphaMode::mask;
    material.alpha_cutoff = 0.7;
    material.roughness = 0.5 + 0.1 * m;
    Pixels grass = make_picture(128, 128, m);
    for (std::size_t i = 0; i < grass.rgba.size(); i += 4) {
      grass.rgba[i + 3] = (i / 4) % 5 < 2 ? 255 : 0;  // thin blades
    }
    material.base_color_texture.texture = add_picture(builder, grass);
    builder.add_node("leaf", builder.add_mesh("leaf", make_patch(0, 0, 1, 1), id),
                     test::at(2.0 * m));
  }
  MaterialSettings settings = full;
  settings.scales = {"*=0.25"};
  const Scene scene = builder.finish();
  const Painted painted = paint(scene, settings);
  const Pixels page = painted.page(0, Channel::color);
  const Tile& tile = painted.routes.pages[0].tiles[0];
  std::size_t passing = 0;
  for (std::uint32_t y = 0; y < 32; ++y) {
    for (std::uint32_t x = 0; x < 32; ++x) {
      passing +=
          page.rgba[4 * ((tile.y + y) * page.width_px + tile.x + x) + 3] >= 0.7 * 255 ? 1U : 0U;
    }
  }
  EXPECT_NEAR(static_cast<double>(passing) / 1024, 0.4, 0.12)
      << "averaged alone, next to nothing would pass";
}

TEST(Repaint, PutsColoursIntoVerticesOnTopOfThoseTheyHave) {
  test::SceneBuilder builder;
  const TextureId picture = add_picture(builder, make_picture(32, 32, 1));
  for (std::uint32_t m = 0; m < 2; ++m) {
    const MaterialId id = builder.add_material("dyed");
    builder.scene.materials[m].base_color = {0.5 + 0.25 * m, 0.5, 1, 1};
    builder.scene.materials[m].base_color_texture.texture = picture;
    test::MeshData patch = make_patch(0, 0, 0.5 + 0.25 * m, 1);
    patch.colors.assign(patch.positions.size() / 3 * 4, 0.5F);
    builder.add_node("n", builder.add_mesh("n", patch, id), test::at(2.0 * m));
  }
  const Scene scene = builder.finish();
  const Painted painted = paint(scene);
  for (std::uint32_t n = 0; n < 2; ++n) {
    const Primitive& primitive = painted.scene()[painted.scene().nodes[n].mesh].primitives[0];
    EXPECT_EQ(primitive.material,
              painted.scene()[painted.scene().nodes[0].mesh].primitives[0].material);
    EXPECT_EQ(painted.scene()[primitive.material].base_color, (Vec4d{1, 1, 1, 1}));
    const std::vector<float> colors = make_floats(painted.scene(), primitive.find("COLOR_0"));
    EXPECT_NEAR(colors[0], 0.5 * (0.5 + 0.25 * n), 1e-5);
    EXPECT_NEAR(colors[2], 0.5, 1e-5);
  }
}

TEST(Repaint, LeavesEverythingElseAsItWas) {
  const Scene scene = test::make_gallery(2, 12);
  const Painted painted = paint(scene);
  ASSERT_EQ(painted.scene().nodes.size(), scene.nodes.size());
  for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
    const Primitive& a = scene[scene.nodes[n].mesh].primitives[0];
    const Primitive& b = painted.scene()[painted.scene().nodes[n].mesh].primitives[0];
    EXPECT_EQ(a.indices, b.indices);
    EXPECT_EQ(a.find("POSITION"), b.find("POSITION"));
    EXPECT_EQ(a.find("NORMAL"), b.find("NORMAL"));
  }
  // The tables of the first scene are the beginning of the second's.
  for (std::size_t m = 0; m < scene.materials.size(); ++m) {
    EXPECT_EQ(painted.scene().materials[m].name, scene.materials[m].name);
  }
  for (std::size_t i = 0; i < scene.images.size(); ++i) {
    EXPECT_EQ(painted.scene().images[i].name, scene.images[i].name);
  }
}

TEST(Repaint, GivesTheSameBytesForAnyNumberOfThreads) {
  const Scene scene = test::make_gallery(7, 20);
  const RoutePlan routes = test::route(scene, full);
  const Painted one = paint(scene, routes, {.threads = 1});
  const Painted four = paint(scene, routes, {.threads = 4});
  EXPECT_EQ(to_string(make_content_hash(one.scene())), to_string(make_content_hash(four.scene())));
  const Painted again = paint(scene, routes);
  EXPECT_EQ(to_string(make_content_hash(one.scene())), to_string(make_content_hash(again.scene())));
}

TEST(Repaint, WritesPagesInTheTypeAskedFor) {
  const Scene scene = test::make_gallery(4, 8);
  for (const PictureType type : {PictureType::png, PictureType::jpeg, PictureType::webp}) {
    MaterialSettings settings = full;
    settings.picture_type = type;
    const Painted painted = paint(scene, settings);
    const ImageId id = painted.repainted.images[0][0];
    EXPECT_EQ(painted.scene().images[to_index(id)].mime_type, to_mime_type(type));
    const double least = type == PictureType::jpeg ? 28 : 45;
    for (const LookCheck& check : look(scene, painted).looks) {
      EXPECT_GE(check.psnr_db, least) << to_string(type);
    }
    const auto file = test::make_scratch() / "page.glb";
    ASSERT_TRUE(write_scene(painted.scene(), file.string()));
    EXPECT_EQ(test::ask_validator(file).substr(0, 2), "0 ") << to_string(type);
  }
}

TEST(Repaint, RefusesRoutesThatAreNotOfTheScene) {
  const Scene scene = test::make_gallery(1, 8);
  const RoutePlan good = test::route(scene, full);
  const auto code = [&](auto change) {
    RoutePlan bad = good;
    change(bad);
    const auto out = repaint(scene, bad);
    return out ? std::string("accepted") : std::string(to_string(out.error().code));
  };
  const std::string refused(to_string(ErrorCode::plan_mismatch));
  EXPECT_EQ(code([](RoutePlan&) {}), "accepted");
  EXPECT_EQ(code([](RoutePlan& r) { r.routes[0].material = MaterialId{999}; }), refused);
  EXPECT_EQ(code([](RoutePlan& r) { std::swap(r.routes[0], r.routes[1]); }), refused);
  EXPECT_EQ(code([](RoutePlan& r) { r.routes[0].onto = r.routes[0].material; }), refused);
  EXPECT_EQ(code([](RoutePlan& r) { r.routes[0].onto = MaterialId{999}; }), refused);
  EXPECT_EQ(code([](RoutePlan& r) {
              for (MaterialRoute& route : r.routes) {
                route.page = 7;
              }
            }),
            refused);
  EXPECT_EQ(code([](RoutePlan& r) { r.pages[0].tiles[0].x = 60'000; }), refused);
  EXPECT_EQ(code([](RoutePlan& r) { r.pages[0].tiles[0].gutter = 0; }), refused);
  EXPECT_EQ(code([](RoutePlan& r) { r.pages[0].tiles[0].material = MaterialId{99}; }), refused);
  EXPECT_EQ(code([](RoutePlan& r) { r.pages[0].halvings[0] = 5; }), refused);
  EXPECT_EQ(code([](RoutePlan& r) { r.pages[0].tiles.clear(); }), refused);
}

// ---- what is wrong is found ---------------------------------------------------------------------

TEST(VerifyLooks, FindsATileOfAnotherMaterialAndATextureMovedByATexel) {
  const Scene scene = test::make_gallery(9, 10);
  const Painted good = paint(scene);
  ASSERT_TRUE(look(scene, good).passed);
  // Two tiles of a page swap the materials they were painted from.
  RoutePlan swapped = good.routes;
  std::vector<Tile>& tiles = swapped.pages[0].tiles;
  std::vector<std::size_t> textured;
  for (std::size_t t = 0; t < tiles.size(); ++t) {
    if (!tiles[t].solid()) {
      textured.push_back(t);
    }
  }
  ASSERT_GE(textured.size(), 2U);
  std::swap(tiles[textured[0]].material, tiles[textured[1]].material);
  Painted wrong = good;
  ASSERT_TRUE(
      paint_pages(scene, swapped, wrong.repainted.images, StandardCodec(), wrong.repainted.scene));
  const Verdict verdict = look(scene, wrong);
  EXPECT_FALSE(verdict.passed);
  EXPECT_GE(verdict.mismatch_count, 2U);
  EXPECT_NE(verdict.mismatches[0].what.find("looks different"), std::string::npos);
}

TEST(VerifyLooks, FindsAPictureThatWasMovedByATexel) {
  test::SceneBuilder builder;
  for (std::uint32_t m = 0; m < 3; ++m) {
    const MaterialId id = builder.add_material("m" + std::to_string(m));
    Pixels noise = make_picture(64, 64, m);
    std::uint32_t state = 17 + m;
    for (std::uint8_t& value : noise.rgba) {
      state = state * 1664525U + 1013904223U;
      value = static_cast<std::uint8_t>(state >> 24U);
    }
    for (std::size_t i = 3; i < noise.rgba.size(); i += 4) {
      noise.rgba[i] = 255;
    }
    builder.scene.materials[m].base_color_texture.texture = add_picture(builder, noise);
    builder.add_node("n", builder.add_mesh("n", make_patch(0, 0, 1, 1), id), test::at(2.0 * m));
  }
  const Scene scene = builder.finish();
  Painted painted = paint(scene);
  ASSERT_TRUE(look(scene, painted).passed);
  const ImageId id = painted.repainted.images[0][0];
  Pixels page = painted.page(0, Channel::color);
  std::rotate(page.rgba.begin(), page.rgba.begin() + 4, page.rgba.end());
  painted.repainted.scene.images[to_index(id)].bytes = make_bytes(*encode_png(page));
  const Verdict verdict = look(scene, painted);
  EXPECT_FALSE(verdict.passed);
  EXPECT_EQ(verdict.mismatch_count, 3U);
}

}  // namespace
}  // namespace wakuzume
