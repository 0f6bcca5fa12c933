// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/render.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstring>

#include "glasshouse.h"
#include "support/parts.h"
#include "support/pictures.h"
#include "support/scene_builder.h"
#include "support/shots.h"
#include "support/soup.h"
#include "wakuzume/culling.h"
#include "wakuzume/image.h"

namespace wakuzume {
namespace {

constexpr RenderSettings small{.width_px = 64, .height_px = 64};
using Rgb = std::array<int, 3>;
using test::find_pixel;
using test::make_flat_view;

int to_srgb(double linear) {
  const double e = linear <= 0.0031308 ? 12.92 * linear : 1.055 * std::pow(linear, 1 / 2.4) - 0.055;
  return static_cast<int>(std::lround(255 * e));
}

void expect_near(const Rgb& found, const Rgb& wanted, int steps, const char* what) {
  for (std::size_t c = 0; c < 3; ++c) {
    EXPECT_NEAR(found[c], wanted[c], steps) << what << ", channel " << c;
  }
}

/// A material that shows its base colour and nothing else.
MaterialId add_unlit(test::SceneBuilder& builder,
                     const Vec4d& color,
                     AlphaMode mode = AlphaMode::opaque) {
  const MaterialId id = builder.add_material("unlit", mode);
  Material& material = builder.scene.materials[to_index(id)];
  material.base_color = color;
  material.extra.ensure().extensions.push_back({"KHR_materials_unlit", "{}"});
  builder.scene.extensions_used = {"KHR_materials_unlit"};
  return id;
}

/// A square of so many metres around the origin of the xy plane.
NodeId add_square(test::SceneBuilder& builder, MaterialId material, double size, double z = 0) {
  return builder.add_node("square", builder.add_mesh("square", test::make_square(), material),
                          test::scaled(size, size, 1, {-size / 2, -size / 2, z}));
}

// ---- Draw calls -------------------------------------------------------------------------------

TEST(Renderer, IssuesOneCallForEachDrawInSight) {
  test::Drawn drawn(demo::make_glasshouse(), small);
  const auto views = *make_views(drawn.scene, drawn.survey, {.count = 12});
  const auto visibility = *make_visibility(drawn.survey, views);
  ASSERT_GE(views.size(), 18U);
  for (std::size_t v = 0; v < views.size(); ++v) {
    std::uint64_t draws = 0;
    std::uint64_t triangles = 0;
    for_each_seen(visibility.of_view(v), [&](std::size_t place) {
      ++draws;
      triangles += drawn.survey.draws[visibility.boxes().index_at(place)].triangles;
    });
    const Submitted submitted = drawn.shoot(views[v]).submitted;
    EXPECT_EQ(submitted.draws, draws) << views[v].name;
    EXPECT_EQ(submitted.triangles, triangles) << views[v].name;
    EXPECT_GT(submitted.submit_ms, 0) << views[v].name;
  }
}

TEST(Renderer, DrawsTheSamePixelsEachTime) {
  test::Drawn first(demo::make_glasshouse(), small);
  test::Drawn second(demo::make_glasshouse(), small);
  const auto views = *make_views(first.scene, first.survey, {.count = 2});
  const Shot a = first.shoot(views.front());
  const Shot other = first.shoot(views.back());
  const Shot again = first.shoot(views.front());
  const Shot b = second.shoot(views.front());
  EXPECT_EQ(a.picture.rgba, again.picture.rgba);
  EXPECT_EQ(a.picture.rgba, b.picture.rgba);
  EXPECT_NE(a.picture.rgba, other.picture.rgba);
}

TEST(Renderer, WorksOnSeveralDevicesInTurn) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  auto first = Renderer::make({scene, found}, *open_render_device(), StandardCodec(), small);
  auto second = Renderer::make({scene, found}, *open_render_device(), StandardCodec(), small);
  ASSERT_TRUE(first && second);
  const Viewpoint view = make_views(scene, found, {.count = 0})->front();
  const Shot a = *(*first)->make_shot(view, {});
  const Shot b = *(*second)->make_shot(view, {});
  second->reset();
  const Shot again = *(*first)->make_shot(view, {});
  EXPECT_EQ(a.picture.rgba, b.picture.rgba);
  EXPECT_EQ(a.picture.rgba, again.picture.rgba);
}

// ---- What is where: against rays ----------------------------------------------------------------

/// Distance along the view's axis of the nearest triangle that a ray meets; 0: none.
double cast_ray(const std::vector<test::SoupElement>& soup, const Vec3d& eye, const Vec3d& ray) {
  double nearest = 0;
  for (const test::SoupElement& element : soup) {
    if (element.corners.size() != 3) {
      continue;
    }
    // T. Moeller and B. Trumbore, 1997.
    Vec3d e1{};
    Vec3d e2{};
    Vec3d to{};
    for (std::size_t i = 0; i < 3; ++i) {
      e1[i] = element.corners[1].position[i] - element.corners[0].position[i];
      e2[i] = element.corners[2].position[i] - element.corners[0].position[i];
      to[i] = eye[i] - element.corners[0].position[i];
    }
    const auto cross = [](const Vec3d& a, const Vec3d& b) {
      return Vec3d{a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
    };
    const auto dot = [](const Vec3d& a, const Vec3d& b) {
      return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
    };
    const Vec3d p = cross(ray, e2);
    const double det = dot(e1, p);
    if (det <= 0) {
      continue;  // seen from behind, or edge on
    }
    const double u = dot(to, p) / det;
    const Vec3d q = cross(to, e1);
    const double v = dot(ray, q) / det;
    const double t = dot(e2, q) / det;
    if (u >= 0 && v >= 0 && u + v <= 1 && t > 0.1 && (nearest == 0 || t < nearest)) {
      nearest = t;
    }
  }
  return nearest;
}

/// Parts in all the ways a node can place them, mirrors, sets and deep parents among them.
Scene make_crowd() {
  test::SceneBuilder builder;
  NodeId above = no_node;
  for (std::uint32_t i = 0; i < 30; ++i) {
    const MeshId mesh = builder.add_mesh("part", test::make_part(i % 5));
    Trs trs = test::make_random_trs(i, test::Scaling::each_axis);
    trs.translation = {6.0 * std::cos(i * 2.4), 2.0 * std::sin(i * 1.7), 6.0 * std::sin(i * 2.4)};
    trs.scale[0] *= i % 3 == 0 ? -1 : 1;
    const NodeId node = builder.add_node("part", mesh, trs, i % 7 == 6 ? above : no_node);
    above = node;
  }
  return builder.finish();
}

TEST(Renderer, ShowsWhatRaysMeet) {
  test::Drawn drawn(make_crowd(), {.width_px = 96, .height_px = 96});
  const auto soup = test::make_soup(drawn.scene);
  std::size_t hits = 0;
  for (int turn = 0; turn < 4; ++turn) {
    const Vec3d eye{15 * std::cos(turn * 1.5), 3, 15 * std::sin(turn * 1.5)};
    Viewpoint view = make_viewpoint("round", eye, {0, 0, 0});
    view.aspect = 1;
    const Shot shot = drawn.shoot(view);
    const double half = std::tan(view.yfov / 2);
    std::size_t wrong = 0;
    for (std::size_t y = 0; y < shot.height_px; y += 3) {
      for (std::size_t x = 0; x < shot.width_px; x += 3) {
        const double cx = (2 * (static_cast<double>(x) + 0.5) / shot.width_px - 1) * half;
        const double cy = (1 - 2 * (static_cast<double>(y) + 0.5) / shot.height_px) * half;
        Vec3d ray{};
        for (std::size_t i = 0; i < 3; ++i) {
          ray[i] = cx * view.world[i] + cy * view.world[4 + i] - view.world[8 + i];
        }
        const double wanted = cast_ray(soup, eye, ray);
        const Hit& hit = shot.hits[y * shot.width_px + x];
        hits += wanted > 0 ? 1U : 0U;
        const double found = hit.draw == no_draw ? 0 : static_cast<double>(hit.distance_m);
        wrong += std::abs(found - wanted) > 1e-3 ? 1U : 0U;
      }
    }
    // Where a ray passes an edge, one of both may miss it.
    EXPECT_LE(wrong, 4U) << "from " << turn;
  }
  EXPECT_GT(hits, 800U);
}

TEST(Renderer, NamesTheDrawTheInstanceAndTheTriangle) {
  test::SceneBuilder builder;
  const MeshId square = builder.add_mesh("square", test::make_square());
  builder.add_node("left", square, test::at(-2, 0, 0));
  const NodeId set = builder.add_node("set", square);
  const std::vector<float> places{0, 0, 0, 2, 0, 0};
  builder.scene.nodes[to_index(set)].instancing = Instancing{
      {{"TRANSLATION", builder.add_stream(places, ElementType::vec3, ComponentType::f32)}}, {}};
  builder.scene.extensions_used = {"EXT_mesh_gpu_instancing"};
  builder.scene.extensions_required = {"EXT_mesh_gpu_instancing"};
  test::Drawn drawn(builder.finish(), small);
  const Shot shot = drawn.shoot(make_flat_view(4, {0, 0, 5}));
  EXPECT_EQ(shot.submitted.draws, 2U);
  EXPECT_EQ(shot.submitted.instances, 3U);
  // Eight pixels a metre; rows from the top.
  const auto hit = [&](double x, double y) {
    return shot
        .hits[static_cast<std::size_t>(32 - 8 * y) * 64 + static_cast<std::size_t>(32 + 8 * x)];
  };
  EXPECT_EQ(hit(-1.5, 0.5).draw, DrawId{0});
  EXPECT_EQ(hit(0.5, 0.5).draw, DrawId{1});
  EXPECT_EQ(hit(0.5, 0.5).instance, 0U);
  EXPECT_EQ(hit(2.5, 0.5).instance, 1U);
  EXPECT_EQ(hit(-0.5, 0.5).draw, no_draw);
  EXPECT_NE(hit(0.8, 0.3).element, hit(0.2, 0.8).element);
  EXPECT_NEAR(static_cast<double>(hit(0.5, 0.5).distance_m), 5, 1e-6);
}

TEST(Renderer, DoesNotShakeFarFromTheOrigin) {
  const auto shoot = [](double far) {
    Scene scene = make_crowd();
    for (Node& node : scene.nodes) {
      if (node.parent == no_node) {
        node.trs.translation[0] += far;
      }
    }
    test::Drawn drawn(std::move(scene), {.width_px = 160, .height_px = 90});
    return drawn.shoot(make_viewpoint("v", {far + 12, 3, 9}, {far, 0, 0}));
  };
  const Shot near = shoot(0);
  const Shot far = shoot(50'000);
  std::size_t other = 0;
  for (std::size_t p = 0; p < near.hits.size(); ++p) {
    other += near.hits[p].draw != far.hits[p].draw || near.hits[p].element != far.hits[p].element
                 ? 1U
                 : 0U;
  }
  EXPECT_LE(other, near.hits.size() / 2000) << "of " << near.hits.size();
}

// ---- Materials
// -----------------------------------------------------------------------------------

TEST(Renderer, WritesColoursAsSrgb) {
  test::SceneBuilder builder;
  add_square(builder, add_unlit(builder, {0.5, 0.25, 0.02, 1}), 2);
  test::Drawn drawn(builder.finish(), small);
  const Shot shot = drawn.shoot(make_flat_view(1));
  expect_near(find_pixel(shot, 32, 32), {to_srgb(0.5), to_srgb(0.25), to_srgb(0.02)}, 1, "factor");
}

TEST(Renderer, ShowsTexelsAsTheyAre) {
  test::SceneBuilder builder;
  const Pixels picture = test::make_picture(32, 32, 3);
  const MaterialId material = add_unlit(builder, {1, 1, 1, 1});
  builder.scene.materials[to_index(material)].base_color_texture.texture =
      test::add_picture(builder, picture);
  const MeshId mesh = builder.add_mesh("patch", test::make_patch(0, 0, 1, 1), material);
  builder.add_node("patch", mesh);
  test::Drawn drawn(builder.finish(), small);
  const Box3d& box = drawn.survey.bounds;
  const Vec3d centre = box.centre();
  const Shot shot =
      drawn.shoot(make_flat_view(box.largest_extent() / 2, {centre[0], centre[1], 5}));
  // Two pixels a texel: between their centres colours are mixed, at a quarter of a texel from each.
  double error = 0;
  for (std::size_t y = 8; y < 56; ++y) {
    for (std::size_t x = 8; x < 56; ++x) {
      const std::uint8_t* const texel = &picture.rgba[4 * ((y / 2) * 32 + x / 2)];
      for (std::size_t c = 0; c < 3; ++c) {
        error += std::abs(find_pixel(shot, x, y)[c] - texel[c]);
      }
    }
  }
  EXPECT_LT(error / (48.0 * 48 * 3), 14) << "mean difference of a channel";
  Rgb mixed = find_pixel(shot, 32, 32);
  EXPECT_NE(mixed, (Rgb{255, 255, 255}));
}

TEST(Renderer, MultipliesVertexColoursAndInstanceTints) {
  test::SceneBuilder builder;
  test::MeshData square = test::make_square();
  for (int v = 0; v < 4; ++v) {
    square.colors.insert(square.colors.end(), {1.0F, 0.5F, 0.25F, 1.0F});
  }
  const MaterialId material = add_unlit(builder, {0.5, 1, 1, 1});
  const NodeId set = builder.add_node("set", builder.add_mesh("square", square, material));
  const std::vector<float> places{-2, 0, 0, 1, 0, 0};
  const std::vector<float> tints{1, 1, 1, 1, 0.2F, 1, 0.5F, 1};
  builder.scene.nodes[to_index(set)].instancing = Instancing{
      {{"TRANSLATION", builder.add_stream(places, ElementType::vec3, ComponentType::f32)},
       {"_COLOR_0", builder.add_stream(tints, ElementType::vec4, ComponentType::f32)}},
      {}};
  builder.scene.extensions_used.push_back("EXT_mesh_gpu_instancing");
  test::Drawn drawn(builder.finish(), small);
  const Shot shot = drawn.shoot(make_flat_view(4));
  expect_near(find_pixel(shot, 20, 28), {to_srgb(0.5), to_srgb(0.5), to_srgb(0.25)}, 1, "first");
  expect_near(find_pixel(shot, 44, 28), {to_srgb(0.1), to_srgb(0.5), to_srgb(0.125)}, 1, "second");
}

TEST(Renderer, CutsOutWhatIsMasked) {
  test::SceneBuilder builder;
  const MaterialId material = add_unlit(builder, {1, 1, 1, 1}, AlphaMode::mask);
  builder.scene.materials[to_index(material)].base_color_texture.texture =
      test::add_picture(builder, test::make_mask_picture(64, 1));
  builder.add_node("leaf", builder.add_mesh("leaf", test::make_patch(0, 0, 1, 1), material));
  test::Drawn drawn(builder.finish(), small);
  const Vec3d centre = drawn.survey.bounds.centre();
  const Shot shot = drawn.shoot(
      make_flat_view(drawn.survey.bounds.largest_extent() / 2, {centre[0], centre[1], 5}));
  EXPECT_EQ(shot.hits[32 * 64 + 32].draw, DrawId{0}) << "the disc";
  EXPECT_EQ(shot.hits[2 * 64 + 2].draw, no_draw) << "its corner";
}

TEST(Renderer, BlendsInLinearLight) {
  test::SceneBuilder builder;
  add_square(builder, add_unlit(builder, {0, 0, 1, 1}), 2, 0);
  add_square(builder, add_unlit(builder, {1, 0, 0, 0.5}, AlphaMode::blend), 2, 1);
  test::Drawn drawn(builder.finish(), small);
  const Shot shot = drawn.shoot(make_flat_view(1));
  expect_near(find_pixel(shot, 32, 32), {to_srgb(0.5), 0, to_srgb(0.5)}, 1, "half red over blue");
  EXPECT_EQ(shot.hits[32 * 64 + 32].draw, DrawId{1}) << "the pane is what was drawn last";
  const Shot without = drawn.shoot(make_flat_view(1), {.blends = Blends::left_out});
  expect_near(find_pixel(without, 32, 32), {0, 0, 255}, 1, "without the pane");
}

TEST(Renderer, CullsWhatFacesAwayUnlessItHasTwoSides) {
  for (const bool both : {false, true}) {
    for (const double mirror : {1.0, -1.0}) {
      test::SceneBuilder builder;
      const MaterialId material = add_unlit(builder, {1, 1, 1, 1});
      builder.scene.materials[to_index(material)].double_sided = both;
      builder.add_node("square", builder.add_mesh("square", test::make_square(), material),
                       test::scaled(2 * mirror, 2, 1, {-mirror, -1, 0}));
      test::Drawn drawn(builder.finish(), small);
      const Viewpoint front = make_flat_view(1);
      Viewpoint back = make_viewpoint("back", {0, 0, -5}, {0, 0, 0});
      back.perspective = false;
      back.zfar_m = 100;
      EXPECT_EQ(drawn.shoot(front).hits[32 * 64 + 30].draw, DrawId{0}) << both << mirror;
      EXPECT_EQ(drawn.shoot(back).hits[32 * 64 + 30].draw, both ? DrawId{0} : no_draw)
          << both << mirror;
    }
  }
}

/// Instances of both hands in one set: no state of the driver can cull them.
TEST(Renderer, CullsMirroredInstancesOfOneSet) {
  test::SceneBuilder builder;
  const NodeId set = builder.add_node(
      "set", builder.add_mesh("square", test::make_square(), add_unlit(builder, {1, 1, 1, 1})));
  const std::vector<float> places{-2, 0, 0, 2, 0, 0};
  const std::vector<float> scales{1, 1, 1, -1, 1, 1};
  builder.scene.nodes[to_index(set)].instancing = Instancing{
      {{"TRANSLATION", builder.add_stream(places, ElementType::vec3, ComponentType::f32)},
       {"SCALE", builder.add_stream(scales, ElementType::vec3, ComponentType::f32)}},
      {}};
  builder.scene.extensions_used.push_back("EXT_mesh_gpu_instancing");
  test::Drawn drawn(builder.finish(), small);
  Viewpoint back = make_viewpoint("back", {0, 0, -5}, {0, 0, 0});
  back.perspective = false;
  back.xmag = back.ymag = 4;
  back.zfar_m = 100;
  const Shot front = drawn.shoot(make_flat_view(4));
  const Shot behind = drawn.shoot(back);
  const auto count = [](const Shot& shot) {
    return std::count_if(shot.hits.begin(), shot.hits.end(),
                         [](const Hit& h) { return h.draw != no_draw; });
  };
  EXPECT_EQ(count(front), 128) << "two squares of 8 x 8 pixels";
  EXPECT_EQ(count(behind), 0);
}

TEST(Renderer, LightsWhatFacesTheSun) {
  const auto shoot = [](double intensity, const Vec4d& turn) {
    test::SceneBuilder builder;
    const MaterialId material = builder.add_material("chalk");
    builder.scene.materials[to_index(material)].metallic = 0;
    builder.scene.materials[to_index(material)].base_color = {0.2, 0.2, 0.2, 1};
    test::MeshData square = test::make_square();
    square.normals = {0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1};
    builder.add_node("square", builder.add_mesh("square", square, material),
                     test::scaled(2, 2, 1, {-1, -1, 0}));
    Light sun;
    sun.type = "directional";
    sun.intensity = intensity;
    builder.scene.lights.push_back(sun);
    builder.scene.extensions_used = {"KHR_lights_punctual"};
    const NodeId node = builder.add_node("sun");
    builder.scene.nodes[to_index(node)].light = LightId{0};
    builder.scene.nodes[to_index(node)].trs.rotation = turn;
    test::Drawn drawn(builder.finish(), small);
    return find_pixel(drawn.shoot(make_flat_view(1)), 32, 32)[1];
  };
  const Vec4d straight{0, 0, 0, 1};  // a light shines down its -z axis
  const Vec4d slanted{std::sin(0.5235987756), 0, 0, std::cos(0.5235987756)};  // by 60 degrees
  const Vec4d behind{0, 1, 0, 0};
  const auto linear = [](int srgb) {
    const double e = srgb / 255.0;
    return e <= 0.04045 ? e / 12.92 : std::pow((e + 0.055) / 1.055, 2.4);
  };
  const double dark = linear(shoot(3, behind));
  const double gain = linear(shoot(3, straight)) - dark;
  EXPECT_NEAR(linear(shoot(3, slanted)) - dark, gain / 2, gain * 0.06) << "by the cosine";
  EXPECT_NEAR(linear(shoot(1.5, straight)) - dark, gain / 2, gain * 0.06) << "by the intensity";
  // Lambert: albedo times illuminance by pi; what glosses comes on top.
  EXPECT_GT(gain, 0.2 * 3 / 3.1416 * 0.9);
  EXPECT_LT(gain, 0.2 * 3 / 3.1416 * 1.2);
}

/// Many small triangles under lamps of which each reaches a few.
TEST(Renderer, ShedsTheLightOfEveryLampThatReaches) {
  // Of opaque surfaces it is found by element which lamps reach it; blended ones ask all of them.
  const auto shoot = [](AlphaMode mode, bool with_lamps) {
    test::SceneBuilder builder;
    const MaterialId chalk = builder.add_material("chalk", mode);
    builder.scene.materials[0].metallic = 0;
    builder.scene.materials[0].base_color = {0.4, 0.3, 0.2, 1};
    test::MeshData square = test::make_square();
    square.normals = {0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1};
    const MeshId mesh = builder.add_mesh("square", square, chalk);
    std::mt19937 random(11);
    const auto pick = [&] { return static_cast<double>(random() % 1000) / 1000; };
    for (int x = -4; x < 4; ++x) {
      for (int y = -4; y < 4; ++y) {
        builder.add_node("square", mesh, test::scaled(1, 1, 1, {1.0 * x, 1.0 * y, pick() / 4}));
      }
    }
    for (std::size_t l = 0; l < 16; ++l) {
      Light lamp;
      lamp.type = l % 4 == 0 ? "spot" : "point";
      lamp.intensity = with_lamps ? 3 : 0;
      lamp.range = 0.5 + 2 * pick();
      builder.scene.lights.push_back(lamp);
      const NodeId node =
          builder.add_node("lamp", no_mesh, test::at(8 * pick() - 4, 8 * pick() - 4, 0.3 + pick()));
      builder.scene.nodes[to_index(node)].light = make_id<LightId>(l);
    }
    builder.scene.extensions_used = {"KHR_lights_punctual"};
    test::Drawn drawn(builder.finish(), small);
    return drawn.shoot(make_flat_view(4)).picture.rgba;
  };
  const auto opaque = shoot(AlphaMode::opaque, true);
  EXPECT_EQ(opaque, shoot(AlphaMode::blend, true));
  const auto dark = shoot(AlphaMode::opaque, false);
  std::size_t lit = 0;
  for (std::size_t p = 0; p < opaque.size(); p += 4) {
    lit += opaque[p] > dark[p] + 2 ? 1U : 0U;
  }
  EXPECT_GT(lit, opaque.size() / 4 / 8) << "pixels that some lamp reaches";
  EXPECT_LT(lit, opaque.size() / 4 - 100) << "and some that none does";
}

/// A square that has its normal only from a texture, seen under a sun from its side.
TEST(Renderer, BendsNormalsByTheirTexture) {
  const auto shoot = [](const test::Rgba& normal) {
    test::SceneBuilder builder;
    const MaterialId material = builder.add_material("bumpy");
    Material& m = builder.scene.materials[to_index(material)];
    m.metallic = 0;
    m.base_color = {0.2, 0.2, 0.2, 1};
    m.normal_texture.texture = test::add_picture(builder, test::make_flat_picture(4, 4, normal));
    builder.add_node("patch", builder.add_mesh("patch", test::make_patch(0, 0, 1, 1), material));
    Light sun;
    sun.type = "directional";
    sun.intensity = 3;
    builder.scene.lights.push_back(sun);
    builder.scene.extensions_used = {"KHR_lights_punctual"};
    const NodeId node = builder.add_node("sun");  // shines towards -x and -z
    builder.scene.nodes[to_index(node)].light = LightId{0};
    builder.scene.nodes[to_index(node)].trs.rotation = {0, std::sin(0.3926990817), 0,
                                                        std::cos(0.3926990817)};
    test::Drawn drawn(builder.finish(), small);
    const Vec3d centre = drawn.survey.bounds.centre();
    return find_pixel(drawn.shoot(make_flat_view(0.3, {centre[0], centre[1], 5})), 32, 32)[1];
  };
  const int flat = shoot({128, 128, 255, 255});
  const int towards = shoot({218, 128, 218, 255});
  const int away = shoot({38, 128, 218, 255});
  EXPECT_GT(towards, flat + 4);
  EXPECT_LT(away, flat - 15);
}

TEST(Renderer, ShowsTheLayerThatAVertexNames) {
  test::SceneBuilder builder;
  for (std::uint32_t m = 0; m < 4; ++m) {
    const MaterialId material = builder.add_material("floor_" + std::to_string(m));
    builder.scene.materials[m].base_color_texture.texture =
        test::add_picture(builder, test::make_picture(32, 32, m));
    builder.add_node("floor", builder.add_mesh("floor", test::make_patch(0, 0, 9, 9), material),
                     test::at(1.5 * m));
  }
  const Scene scene = builder.finish();
  MaterialSettings settings;
  settings.goal = MaterialGoal::fewest_draws;
  const test::Painted painted = test::paint(scene, settings);
  ASSERT_EQ(painted.routes.stacks.size(), 1U);
  test::Drawn before(scene, {.width_px = 320, .height_px = 180});
  test::Drawn after(painted.repainted.scene, {.width_px = 320, .height_px = 180});
  const Viewpoint view = make_viewpoint("front", {2.5, 0.5, 3}, {2.5, 0.5, 0});
  const Shot a = before.shoot(view);
  const Shot b = after.shoot(view);
  EXPECT_GT(test::find_psnr(a.picture, b.picture), 45);
  // One layer for another shows at once.
  Scene swapped = painted.repainted.scene;
  for (Texture& texture : swapped.textures) {
    if (texture.layers) {
      std::swap(texture.layers.ensure().layer_of[0], texture.layers.ensure().layer_of[1]);
    }
  }
  test::Drawn other(swapped, {.width_px = 320, .height_px = 180});
  EXPECT_LT(test::find_psnr(a.picture, other.shoot(view).picture), 36);
}

TEST(Renderer, PosesSkinsAndMorphTargets) {
  test::SceneBuilder builder;
  const MaterialId material = add_unlit(builder, {1, 1, 1, 1});
  Primitive primitive = builder.make_primitive(test::make_square(), material);
  const std::vector<float> up{0, 2, 0, 0, 2, 0, 0, 2, 0, 0, 2, 0};
  primitive.morph_targets.push_back(
      {{"POSITION", builder.add_stream(up, ElementType::vec3, ComponentType::f32)}});
  const MeshId lifted = builder.add_mesh("lifted", {primitive});
  builder.scene.meshes[to_index(lifted)].weights = {0.5};
  builder.add_node("lifted", lifted, test::at(-3, 0, 0));

  Primitive skinned = builder.make_primitive(test::make_square(), material);
  const std::vector<std::uint8_t> joints(16, 0);
  const std::vector<float> weights{1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0};
  skinned.attributes.push_back(
      {"JOINTS_0", builder.add_stream(joints, ElementType::vec4, ComponentType::u8)});
  skinned.attributes.push_back(
      {"WEIGHTS_0", builder.add_stream(weights, ElementType::vec4, ComponentType::f32)});
  const NodeId body =
      builder.add_node("body", builder.add_mesh("body", {skinned}), test::at(0, -1, 0));
  Skin skin;
  skin.joints = {builder.add_node("joint", no_mesh, test::at(2, -2, 0))};
  builder.scene.skins.push_back(skin);
  builder.scene.nodes[to_index(body)].skin = SkinId{0};
  test::Drawn drawn(builder.finish(), small);
  // The whole plane: a box may be that of the pose the mesh was bound in.
  const Shot shot = drawn.shoot(make_flat_view(4));
  const auto draw_at = [&](double x, double y) {
    return shot
        .hits[static_cast<std::size_t>(32 - 8 * y) * 64 + static_cast<std::size_t>(32 + 8 * x)]
        .draw;
  };
  EXPECT_EQ(draw_at(-2.5, 1.5), DrawId{0}) << "lifted by half of two metres";
  EXPECT_EQ(draw_at(-2.5, 0.5), no_draw);
  EXPECT_EQ(draw_at(2.5, -1.5), DrawId{1}) << "where its joint is";
  EXPECT_EQ(draw_at(0.5, -0.5), no_draw) << "and not where its node is";
}

// ---- Measures
// ------------------------------------------------------------------------------------

TEST(Renderer, MeasuresTexelsAndSurfaces) {
  test::SceneBuilder builder;
  const MaterialId material = add_unlit(builder, {1, 1, 1, 1});
  builder.scene.materials[to_index(material)].base_color_texture.texture =
      test::add_picture(builder, test::make_picture(128, 128, 1));
  for (int i = 0; i < 3; ++i) {
    builder.add_node("patch", builder.add_mesh("patch", test::make_patch(0, 0, 2, 2), material),
                     test::at(0, 0, i));
  }
  test::Drawn drawn(builder.finish(), small);
  const Box3d& box = drawn.survey.bounds;
  const double side = box.max[0] - box.min[0];
  const Vec3d centre = box.centre();
  const Viewpoint view = make_flat_view(side / 4, {centre[0], centre[1], 9});
  const Shot texels =
      drawn.shoot(view, {.shading = Shading::none, .measure = Measure::texels_per_metre});
  EXPECT_NEAR(static_cast<double>(texels.values[32 * 64 + 32]), 256 / side, 0.01 * 256 / side);
  EXPECT_TRUE(texels.picture.rgba.empty());
  const Shot surfaces = drawn.shoot(view, {.shading = Shading::none, .measure = Measure::surfaces});
  EXPECT_EQ(surfaces.values[32 * 64 + 32], 3.0F);
  const Shot facing = drawn.shoot(view, {.shading = Shading::none, .measure = Measure::facing});
  EXPECT_NEAR(static_cast<double>(facing.values[32 * 64 + 32]), 1, 0.01);
}

TEST(Renderer, HalvesTexturesThatDoNotFit) {
  test::SceneBuilder builder;
  for (std::uint32_t i = 0; i < 4; ++i) {
    const MaterialId material = add_unlit(builder, {1, 1, 1, 1});
    builder.scene.materials[to_index(material)].base_color_texture.texture =
        test::add_picture(builder, test::make_picture(512, 512, i));
    builder.add_node("patch", builder.add_mesh("patch", test::make_patch(0, 0, 1, 1), material),
                     test::at(2 * i));
  }
  const Scene scene = builder.finish();
  // Four times 1.4 megabytes.
  test::Drawn whole(scene, small);
  EXPECT_EQ(whole.renderer->losses().halvings, 0U);
  test::Drawn halved(scene, {.width_px = 64, .height_px = 64, .max_texture_megabytes = 2});
  EXPECT_EQ(halved.renderer->losses().halvings, 1U);
  const auto views = *make_views(scene, whole.survey, {.count = 1});
  const ShotRequest texels{.shading = Shading::none, .measure = Measure::texels_per_metre};
  const Shot a = whole.shoot(views.front(), texels);
  const Shot b = halved.shoot(views.front(), texels);
  for (std::size_t p = 0; p < a.values.size(); ++p) {
    EXPECT_NEAR(static_cast<double>(a.values[p]), static_cast<double>(b.values[p]),
                0.02 * std::abs(static_cast<double>(a.values[p])))
        << "density is that of the picture, whatever fits";
  }
}

TEST(Renderer, AveragesTexelsInLinearLightFromAfar) {
  // Black and white columns, one texel each, so small that a pixel looks at one mean of them.
  Pixels columns{48, 32, {}};
  for (std::size_t t = 0; t < std::size_t{48} * 32; ++t) {
    const auto v = static_cast<std::uint8_t>(t % 2 == 0 ? 255 : 0);
    columns.rgba.insert(columns.rgba.end(), {v, v, v, 255});
  }
  test::SceneBuilder builder;
  const MaterialId material = add_unlit(builder, {1, 1, 1, 1});
  builder.scene.materials[0].base_color_texture.texture = test::add_picture(builder, columns);
  builder.add_node("patch", builder.add_mesh("patch", test::make_patch(0, 0, 1, 1), material));
  test::Drawn drawn(builder.finish(), small);
  const Vec3d centre = drawn.survey.bounds.centre();
  const double half = drawn.survey.bounds.largest_extent() / 2;
  const Shot shot = drawn.shoot(make_flat_view(8 * half, {centre[0], centre[1], 5}));
  expect_near(find_pixel(shot, 32, 32), {to_srgb(0.5), to_srgb(0.5), to_srgb(0.5)}, 2, "the mean");
}

TEST(Renderer, ShowsPicturesThatCantBeReadWhite) {
  test::SceneBuilder builder;
  const MaterialId material = add_unlit(builder, {0.5, 0.5, 0.5, 1});
  Image image;
  image.uri = "lost.png";
  builder.scene.images.push_back(image);
  builder.scene.materials[to_index(material)].base_color_texture.texture =
      builder.add_texture(ImageId{0});
  add_square(builder, material, 2);
  test::Drawn drawn(builder.finish(), small);
  EXPECT_EQ(drawn.renderer->losses().unread_pictures, 1U);
  expect_near(find_pixel(drawn.shoot(make_flat_view(1)), 32, 32), {188, 188, 188}, 1, "white");
}

TEST(Renderer, RefusesWhatTakesMoreMemoryThanAllowed) {
  test::SceneBuilder builder;
  test::MeshData row;
  row.positions = {0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0};
  for (int i = 0; i < 15; ++i) {  // 4 vertices to 131,072
    const std::vector<float> copy = row.positions;
    row.positions.insert(row.positions.end(), copy.begin(), copy.end());
  }
  row.indices = {0, 1, 2};
  builder.add_node("row", builder.add_mesh("row", row));
  const Scene large = builder.finish();
  const Survey found = *survey(large);
  const auto made = Renderer::make({large, found}, test::find_device(), StandardCodec(),
                                   {.max_geometry_megabytes = 7});
  ASSERT_FALSE(made);
  EXPECT_EQ(made.error().code, ErrorCode::too_large);
  EXPECT_NE(made.error().message.find("some 8 MB for geometry, 7 are allowed"), std::string::npos)
      << made.error().message;
}

TEST(Renderer, RefusesSizesThatCantBe) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  const auto made =
      Renderer::make({scene, found}, test::find_device(), StandardCodec(), {.width_px = 4});
  ASSERT_FALSE(made);
  EXPECT_EQ(made.error().code, ErrorCode::bad_setting);
  EXPECT_NE(made.error().message.find("render.width_px is 4"), std::string::npos);
}

}  // namespace
}  // namespace wakuzume
