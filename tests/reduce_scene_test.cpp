// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <set>

#include "glasshouse.h"
#include "support/pictures.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/families.h"
#include "wakuzume/io.h"
#include "wakuzume/reduce.h"

/// Whole scenes of fewer triangles: through the library and through the tool.
namespace wakuzume {
namespace {

using test::MeshData;

Result<Reduced> reduce_to(const Scene& scene,
                          const ReduceSettings& settings,
                          const std::vector<Viewpoint>& views = {},
                          const RunControl& run = {}) {
  const auto plan = propose_reduction(scene, *survey(scene), settings, views, run);
  return plan ? reduce(scene, *plan, run) : Failure(plan.error());
}

std::uint64_t count_of(const Scene& scene, MeshId mesh) {
  std::uint64_t sum = 0;
  for (const Primitive& primitive : scene[mesh].primitives) {
    sum += count_list_indices(scene, primitive) / 3;
  }
  return sum;
}

/// Triangles of a primitive as the bytes of their positions.
std::multiset<std::vector<float>> list_triangles(const Scene& scene, const Primitive& primitive) {
  const std::vector<float> positions = make_floats(scene, primitive.find("POSITION"));
  const std::vector<std::uint32_t> indices = make_list_indices(scene, primitive);
  std::multiset<std::vector<float>> out;
  for (std::size_t i = 0; i < indices.size(); i += 3) {
    std::vector<float> triangle;
    for (std::size_t c = 0; c < 3; ++c) {
      const float* at = &positions[std::size_t{3} * indices[i + c]];
      triangle.insert(triangle.end(), at, at + 3);
    }
    out.insert(triangle);
  }
  return out;
}

void expect_bad_setting(const Scene& scene, const ReduceSettings& settings, const char* word) {
  const auto reduced = reduce_to(scene, settings);
  ASSERT_FALSE(reduced) << word;
  EXPECT_EQ(reduced.error().code, ErrorCode::bad_setting);
  EXPECT_NE(reduced.error().message.find(word), std::string::npos) << reduced.error().message;
}

class ReduceScene : public testing::Test {
 protected:
  NodeId add_ball(const std::string& name, double bump, const Trs& trs = {}) {
    return builder_.add_node(name, builder_.add_mesh(name, test::make_ball(24, bump)), trs);
  }
  test::SceneBuilder builder_;
};

TEST_F(ReduceScene, KeepsNodesDrawsAndMaterialsOfTheDemo) {
  const Scene demo = demo::make_glasshouse();
  const auto reduced = reduce_to(demo, {.share = 0.6});
  ASSERT_TRUE(reduced) << to_string(reduced.error());
  const Totals before = count_totals(demo);
  const Totals after = count_totals(reduced->scene);
  EXPECT_EQ(after.draws, before.draws);
  EXPECT_EQ(after.nodes, before.nodes);
  EXPECT_EQ(after.materials, before.materials);
  EXPECT_LE(after.triangles, before.triangles * 6 / 10);
  EXPECT_GE(after.triangles, before.triangles * 59 / 100);
  EXPECT_TRUE(check_scene(reduced->scene));
  EXPECT_EQ(make_content_hash(reduced->scene),
            make_content_hash(reduce_to(demo, {.share = 0.6}, {}, {.threads = 1})->scene));
}

TEST_F(ReduceScene, ReducesEqualMeshesAlike) {
  add_ball("one", 0.1);
  add_ball("two", 0.1, test::at(5));
  add_ball("other", 0.02, test::at(9));
  const auto reduced = reduce_to(builder_.finish(), {.share = 0.3});
  ASSERT_TRUE(reduced);
  const Scene& scene = reduced->scene;
  EXPECT_EQ(list_triangles(scene, scene.meshes[0].primitives[0]),
            list_triangles(scene, scene.meshes[1].primitives[0]));
  EXPECT_GT(count_of(scene, MeshId{0}), count_of(scene, MeshId{2}));  // bumps are dear
}

TEST_F(ReduceScene, KeepsCopiesThatWereTurnedAsDataAFamily) {
  add_ball("first", 0.1);
  for (int copy = 1; copy < 4; ++copy) {
    MeshData ball = test::make_ball(24, 0.1);
    const double angle = 0.7 * copy;
    const auto turn = [&](test::Floats& values, double scale, double shift) {
      for (std::size_t i = 0; i < values.size(); i += 3) {
        const double x = values[i];
        const double y = values[i + 1];
        values[i] = static_cast<float>(scale * (std::cos(angle) * x - std::sin(angle) * y) + shift);
        values[i + 1] = static_cast<float>(scale * (std::sin(angle) * x + std::cos(angle) * y));
        values[i + 2] = static_cast<float>(scale * double{values[i + 2]});
      }
    };
    turn(ball.positions, copy, 3.0 * copy);
    turn(ball.normals, 1, 0);
    const std::string name = "copy_" + std::to_string(copy);
    builder_.add_node(name, builder_.add_mesh(name, ball), test::at(0, 9.0 * copy));
  }
  const Scene scene = builder_.finish();
  const auto plan = propose_reduction(scene, *survey(scene), {.share = 0.3});
  ASSERT_TRUE(plan);
  ASSERT_EQ(plan->meshes.size(), 4U);
  EXPECT_EQ(plan->meshes[0].like, no_mesh);
  for (std::size_t m = 1; m < 4; ++m) {
    EXPECT_EQ(plan->meshes[m].like, MeshId{0});
  }
  const auto reduced = reduce(scene, *plan);
  ASSERT_TRUE(reduced);
  const auto found = survey(reduced->scene);
  const auto families = find_families(reduced->scene, *found);
  ASSERT_TRUE(families);
  EXPECT_EQ(families->prototypes.size(), 1U);
  for (std::size_t m = 1; m < 4; ++m) {
    EXPECT_EQ(make_list_indices(reduced->scene, reduced->scene.meshes[m].primitives[0]),
              make_list_indices(reduced->scene, reduced->scene.meshes[0].primitives[0]));
    EXPECT_EQ(reduced->meshes[m].triangles, reduced->meshes[0].triangles);
  }
  const auto measured = measure_reduction(scene, reduced->scene, reduced->meshes);
  EXPECT_NEAR((*measured)[3].surface.mean_m(), 3 * (*measured)[0].surface.mean_m(),
              0.3 * (*measured)[0].surface.mean_m());
  // What protects one of them alone parts it from the others.
  const auto apart =
      propose_reduction(scene, *survey(scene), {.share = 0.5, .protect = {"copy_2"}});
  ASSERT_TRUE(apart);
  EXPECT_TRUE(std::none_of(apart->meshes.begin(), apart->meshes.end(),
                           [](const MeshTarget& of) { return of.mesh == MeshId{2}; }));
  // A plan for another scene is refused.
  ReducePlan other = *plan;
  other.meshes[1].like = MeshId{3};
  EXPECT_EQ(reduce(scene, other).error().code, ErrorCode::plan_mismatch);
}

TEST_F(ReduceScene, TakesMostWhereItShowsLeast) {
  add_ball("near", 0.1);
  add_ball("far", 0.1001, test::at(0, 0, -60));
  const Scene scene = builder_.finish();
  const auto reduced =
      reduce_to(scene, {.share = 0.4}, {make_viewpoint("front", {0, 0, 4}, {0, 0, 0})});
  ASSERT_TRUE(reduced);
  EXPECT_GT(count_of(reduced->scene, MeshId{0}), 3 * count_of(reduced->scene, MeshId{1}));
  EXPECT_LE(count_totals(reduced->scene).triangles, count_totals(scene).triangles * 4 / 10);
}

TEST_F(ReduceScene, StaysWithinPixelsFromADistance) {
  add_ball("ball", 0.1, test::scaled(3, 3, 3));
  const Scene scene = builder_.finish();
  const auto reduced = reduce_to(scene, {.error_px = 2, .height_px = 1000, .distance_m = 20});
  ASSERT_TRUE(reduced);
  ASSERT_EQ(reduced->meshes.size(), 1U);
  EXPECT_LT(reduced->meshes[0].triangles, reduced->meshes[0].triangles_before);
  // Two pixels of a thousand, sixty degrees high and twenty metres away; in the ball's own space.
  const double allowed = 2.0 / 1000 * 2 * std::tan(std::numbers::pi / 6) * 20 / 3;
  EXPECT_LE(reduced->meshes[0].error_m, allowed);
  const auto measured = measure_reduction(scene, reduced->scene, reduced->meshes);
  ASSERT_TRUE(measured);
  EXPECT_LT((*measured)[0].surface.max_m(), 1.1 * allowed);
  EXPECT_GT((*measured)[0].surface.max_m(), allowed / 4);
}

TEST_F(ReduceScene, KeepsTargetsAndStoresWhatDoesNothingAsNothing) {
  const MeshData ball = test::make_ball(32, 0);
  Primitive primitive = builder_.make_primitive(ball, no_material);
  test::Floats smile(ball.positions.size(), 0.0F);
  for (std::size_t v = 0; v < smile.size(); v += 3) {
    smile[v + 1] = ball.positions[v] > 0.9F ? 0.3F : 0.0F;
  }
  for (const test::Floats& moved : {smile, test::Floats(smile.size(), 0.0F)}) {
    primitive.morph_targets.push_back(
        {{"POSITION", builder_.add_stream(moved, ElementType::vec3, ComponentType::f32)}});
  }
  const MeshId mesh = builder_.add_mesh("face", {primitive});
  builder_.scene.meshes[0].weights = {0, 0};
  builder_.add_node("face", mesh);
  const auto reduced = reduce_to(builder_.finish(), {.share = 0.4});
  ASSERT_TRUE(reduced);
  const Scene& scene = reduced->scene;
  const Primitive& left = scene.meshes[0].primitives[0];
  ASSERT_EQ(left.morph_targets.size(), 2U);
  EXPECT_EQ(scene[left.morph_targets[1][0].stream].view, no_view);
  EXPECT_EQ(scene[left.morph_targets[1][0].stream].count, count_vertices(scene, left));
  // The smile moves few: only these are stored.
  const Stream& smiling = scene[left.morph_targets[0][0].stream];
  ASSERT_TRUE(smiling.sparse);
  EXPECT_LT(smiling.sparse->count, count_vertices(scene, left) / 2);
  const auto file = test::make_scratch() / "face.glb";
  ASSERT_TRUE(write_scene(scene, file.string()));
  EXPECT_EQ(test::ask_validator(file), "0 0");
  // The bent shape lies as near as the straight one.
  const auto bend = [](const Scene& of, const Primitive& shown) {
    std::vector<float> out = make_floats(of, shown.find("POSITION"));
    const std::vector<float> by = make_floats(of, shown.morph_targets[0][0].stream);
    std::transform(out.begin(), out.end(), by.begin(), out.begin(), std::plus<>());
    return out;
  };
  const std::vector<float> was = bend(builder_.scene, primitive);
  const std::vector<float> is = bend(scene, left);
  const std::vector<std::uint32_t> old_indices = make_list_indices(builder_.scene, primitive);
  const std::vector<std::uint32_t> new_indices = make_list_indices(scene, left);
  const auto deviation = measure_deviation({was, old_indices, {}, {}}, {is, new_indices, {}, {}});
  EXPECT_LT(deviation->mean_m(), 0.01);
  EXPECT_LT(deviation->max_m(), 0.08);
}

TEST_F(ReduceScene, TakesInfluencesOverAsTheyAre) {
  const MeshData ball = test::make_ball(32, 0.05);
  Primitive primitive = builder_.make_primitive(ball, no_material);
  std::vector<std::uint8_t> joints;
  test::Floats weights;
  for (std::size_t v = 0; v < ball.positions.size(); v += 3) {
    const float up = (ball.positions[v + 2] + 1.2F) / 2.4F;
    joints.insert(joints.end(), {0, 1, 0, 0});
    weights.insert(weights.end(), {1 - up, up, 0, 0});
  }
  primitive.attributes.push_back(
      {"JOINTS_0", builder_.add_stream(joints, ElementType::vec4, ComponentType::u8)});
  primitive.attributes.push_back(
      {"WEIGHTS_0", builder_.add_stream(weights, ElementType::vec4, ComponentType::f32)});
  const NodeId hip = builder_.add_node("hip");
  const NodeId hand = builder_.add_node("hand", no_mesh, {}, hip);
  Skin skin;
  skin.joints = {hip, hand};
  builder_.scene.skins.push_back(skin);
  const NodeId body = builder_.add_node("body", builder_.add_mesh("body", {primitive}));
  builder_.scene.nodes[to_index(body)].skin = SkinId{0};
  const Scene scene = builder_.finish();
  const auto reduced = reduce_to(scene, {.share = 0.25});
  ASSERT_TRUE(reduced);
  const Primitive& left = reduced->scene.meshes[0].primitives[0];
  EXPECT_EQ(reduced->scene[left.find("JOINTS_0")].component, ComponentType::u8);
  std::set<std::vector<float>> known;
  for (std::size_t i = 0; i < weights.size(); i += 4) {
    known.emplace(weights.begin() + static_cast<std::ptrdiff_t>(i),
                  weights.begin() + static_cast<std::ptrdiff_t>(i) + 4);
  }
  const std::vector<float> now = make_floats(reduced->scene, left.find("WEIGHTS_0"));
  for (std::size_t i = 0; i < now.size(); i += 4) {
    EXPECT_EQ(known.count({now.begin() + static_cast<std::ptrdiff_t>(i),
                           now.begin() + static_cast<std::ptrdiff_t>(i) + 4}),
              1U);
  }
  // All that the hand moves stays: that is all there is.
  const auto held = reduce_to(scene, {.share = 0.25, .protect_joints = {"*/hand"}});
  ASSERT_TRUE(held);
  ASSERT_EQ(held->meshes.size(), 1U);
  EXPECT_EQ(held->meshes[0].why, ReducedTo::held);
  EXPECT_EQ(list_triangles(held->scene, held->scene.meshes[0].primitives[0]).size(),
            list_triangles(scene, scene.meshes[0].primitives[0]).size());
}

TEST_F(ReduceScene, LeavesWhatIsProtectedBitForBit) {
  const MaterialId gold = builder_.add_material("gold");
  const MaterialId wood = builder_.add_material("wood");
  const MeshId mesh =
      builder_.add_mesh("both", {builder_.make_primitive(test::make_ball(24, 0.1), gold),
                                 builder_.make_primitive(test::make_ball(24, 0.2), wood)});
  builder_.add_node("both", mesh);
  const Scene scene = builder_.finish();
  const auto reduced = reduce_to(scene, {.share = 0.6, .protect = {"gold"}});
  ASSERT_TRUE(reduced);
  const auto before = list_triangles(scene, scene.meshes[0].primitives[0]);
  const auto after = list_triangles(reduced->scene, reduced->scene.meshes[0].primitives[0]);
  EXPECT_TRUE(std::includes(before.begin(), before.end(), after.begin(), after.end()));
  EXPECT_EQ(after.size(), before.size());
  EXPECT_LT(count_list_indices(reduced->scene, reduced->scene.meshes[0].primitives[1]),
            count_list_indices(scene, scene.meshes[0].primitives[1]) / 2);
  const auto boxed = reduce_to(scene, {.share = 0.6, .protect_boxes = {{{-9, -9, 0}, {9, 9, 9}}}});
  ASSERT_TRUE(boxed);
  std::size_t above = 0;
  std::size_t kept = 0;
  const auto left = list_triangles(boxed->scene, boxed->scene.meshes[0].primitives[1]);
  for (const auto& triangle : list_triangles(scene, scene.meshes[0].primitives[1])) {
    if (triangle[2] >= 0 && triangle[5] >= 0 && triangle[8] >= 0) {
      ++above;
      kept += left.count(triangle) > 0 ? 1U : 0U;
    }
  }
  EXPECT_GT(above, 400U);
  EXPECT_EQ(kept, above);
}

TEST_F(ReduceScene, CountsWhatIsProtectedWithoutAnArea) {
  // The poles of a ball: they stay where it is protected, and others have to give for them.
  add_ball("one", 0.1);
  add_ball("two", 0.2, test::at(5));
  const Scene scene = builder_.finish();
  const auto reduced = reduce_to(scene, {.share = 0.7, .protect = {"one"}});
  ASSERT_TRUE(reduced);
  EXPECT_EQ(count_of(reduced->scene, MeshId{0}), count_of(scene, MeshId{0}));
  EXPECT_LE(count_totals(reduced->scene).triangles, count_totals(scene).triangles * 7 / 10);
}

TEST_F(ReduceScene, ListensToAnAttribute) {
  MeshData ball = test::make_ball(24, 0.1);
  for (std::size_t v = 0; v < ball.positions.size(); v += 3) {
    ball.colors.insert(ball.colors.end(), {ball.positions[v] > 0 ? 1.0F : 0.0F, 0, 0, 1});
  }
  builder_.add_node("ball", builder_.add_mesh("ball", ball));
  const Scene scene = builder_.finish();
  const auto reduced = reduce_to(scene, {.share = 0.6, .protect_attribute = "COLOR_0.r"});
  ASSERT_TRUE(reduced);
  EXPECT_GT(reduced->meshes[0].held, 400U);
  expect_bad_setting(scene, {.share = 0.5, .protect_attribute = "COLOR_0.k"}, "x, y, z, w");
  expect_bad_setting(scene, {.share = 0.5, .protect_attribute = "_NONE"}, "_NONE");
}

TEST_F(ReduceScene, ReducesChosenNodesAlone) {
  const MeshId mesh = builder_.add_mesh("ball", test::make_ball(24, 0.1));
  const NodeId near = builder_.add_node("near", mesh);
  const NodeId far = builder_.add_node("far", mesh, test::at(50));
  const Scene scene = builder_.finish();
  const auto reduced = reduce_to(scene, {.share = 0.2, .nodes = {"/far"}});
  ASSERT_TRUE(reduced);
  EXPECT_EQ(reduced->scene[near].mesh, mesh);
  EXPECT_EQ(count_of(reduced->scene, mesh), count_of(scene, mesh));
  ASSERT_NE(reduced->scene[far].mesh, mesh);
  EXPECT_EQ(reduced->meshes[0].result, reduced->scene[far].mesh);
  EXPECT_LE(count_of(reduced->scene, reduced->scene[far].mesh), count_of(scene, mesh) / 5);
}

TEST_F(ReduceScene, KeepsTheTypesOfAttributes) {
  const MeshData ball = test::make_ball(24, 0.1);
  Primitive primitive = builder_.make_primitive(ball, no_material);
  std::vector<std::int16_t> places;
  std::vector<std::uint8_t> colors;
  std::vector<std::uint16_t> numbers;
  for (std::size_t i = 0; i < ball.positions.size(); ++i) {
    places.push_back(static_cast<std::int16_t>(std::lround(ball.positions[i] * 20000)));
    if (i % 3 == 0) {
      colors.insert(colors.end(), {static_cast<std::uint8_t>(i % 251), 7, 9, 255});
      numbers.push_back(static_cast<std::uint16_t>(40 + i % 2));
    }
  }
  primitive.attributes[0].stream =
      builder_.add_stream(places, ElementType::vec3, ComponentType::i16, true);
  primitive.attributes.push_back(
      {"COLOR_0", builder_.add_stream(colors, ElementType::vec4, ComponentType::u8, true)});
  primitive.attributes.push_back(
      {"_PART", builder_.add_stream(numbers, ElementType::scalar, ComponentType::u16)});
  builder_.add_node("ball", builder_.add_mesh("ball", {primitive}));
  const Scene scene = builder_.finish();
  const auto reduced = reduce_to(scene, {.share = 0.3});
  ASSERT_TRUE(reduced);
  EXPECT_LE(reduced->meshes[0].triangles, reduced->meshes[0].triangles_before * 3 / 10);
  const Primitive& left = reduced->scene.meshes[0].primitives[0];
  for (const Attribute& attribute : left.attributes) {
    const Stream& was = scene[primitive.find(attribute.semantic)];
    EXPECT_EQ(reduced->scene[attribute.stream].component, was.component) << attribute.semantic;
    EXPECT_EQ(reduced->scene[attribute.stream].normalized, was.normalized) << attribute.semantic;
  }
  EXPECT_TRUE(check_scene(reduced->scene));
  for (const float number : make_floats(reduced->scene, left.find("_PART"))) {
    EXPECT_TRUE(number == 40 || number == 41);
  }
}

/// A straight pipe along x whose halves hang on two joints, with a blend between them.
Scene make_elbow(bool bends) {
  constexpr std::uint32_t rings = 48;
  constexpr std::uint32_t sides = 12;
  test::SceneBuilder builder;
  MeshData pipe;
  std::vector<std::uint16_t> joints;
  test::Floats weights;
  for (std::uint32_t r = 0; r <= rings; ++r) {
    const double x = 2.0 * r / rings - 1;
    const double share = std::clamp(0.5 + 1.5 * x, 0.0, 1.0);
    for (std::uint32_t s = 0; s < sides; ++s) {
      const double angle = 2 * std::numbers::pi * s / sides;
      for (const double value : {x, 0.2 * std::cos(angle), 0.2 * std::sin(angle)}) {
        pipe.positions.push_back(static_cast<float>(value));
      }
      joints.insert(joints.end(), {0, 1, 0, 0});
      weights.insert(weights.end(),
                     {static_cast<float>(1 - share), static_cast<float>(share), 0, 0});
      if (r < rings) {
        const std::uint32_t a = r * sides + s;
        const std::uint32_t b = r * sides + (s + 1) % sides;
        pipe.indices.insert(pipe.indices.end(), {a, a + sides, b, b, a + sides, b + sides});
      }
    }
  }
  Primitive primitive = builder.make_primitive(pipe, no_material);
  primitive.attributes.push_back(
      {"JOINTS_0", builder.add_stream(joints, ElementType::vec4, ComponentType::u16)});
  primitive.attributes.push_back(
      {"WEIGHTS_0", builder.add_stream(weights, ElementType::vec4, ComponentType::f32)});
  const MeshId mesh = builder.add_mesh("pipe", {primitive});
  const NodeId shown = builder.add_node("pipe", mesh);
  const NodeId upper = builder.add_node("upper");
  const NodeId lower = builder.add_node("lower", no_mesh, {}, upper);
  Skin skin;
  skin.joints = {upper, lower};
  builder.scene.skins.push_back(skin);
  builder.scene.nodes[to_index(shown)].skin = SkinId{0};
  if (bends) {
    builder.animate(lower);
  }
  return builder.finish();
}

/// Positions with the lower joint turned about y.
std::vector<float> pose(const Scene& scene, double angle) {
  const Primitive& primitive = scene.meshes[0].primitives[0];
  std::vector<float> places = make_floats(scene, primitive.find("POSITION"));
  const std::vector<float> weights = make_floats(scene, primitive.find("WEIGHTS_0"));
  for (std::size_t v = 0; v < places.size() / 3; ++v) {
    const double x = places[3 * v];
    const double z = places[3 * v + 2];
    const double share = weights[4 * v + 1];
    const double to_x = std::cos(angle) * x + std::sin(angle) * z;
    const double to_z = std::cos(angle) * z - std::sin(angle) * x;
    places[3 * v] = static_cast<float>((1 - share) * x + share * to_x);
    places[3 * v + 2] = static_cast<float>((1 - share) * z + share * to_z);
  }
  return places;
}

TEST_F(ReduceScene, LooksAtThePosesThatAnimationsTake) {
  const double bend = std::numbers::pi / 2;
  std::array<double, 2> off{};
  for (const bool bends : {false, true}) {
    const Scene scene = make_elbow(bends);
    const auto reduced = reduce_to(scene, {.share = 0.12});
    ASSERT_TRUE(reduced);
    const Scene& after = reduced->scene;
    const auto indices = [](const Scene& of) {
      return make_list_indices(of, of.meshes[0].primitives[0]);
    };
    const auto was = pose(scene, bend);
    const auto is = pose(after, bend);
    const auto list_was = indices(scene);
    const auto list_is = indices(after);
    const auto measured =
        measure_deviation({was, list_was, {}, {}}, {is, list_is, {}, {}}, {.samples = 20'000});
    ASSERT_TRUE(measured);
    off[bends ? 1 : 0] = measured->mean_m();
  }
  EXPECT_LT(off[1], 0.8 * off[0]) << off[0];
}

/// A wall whose picture has lines of print in its lower left quarter.
Scene make_sign() {
  test::SceneBuilder builder;
  Pixels picture = test::make_flat_picture(256, 256, {180, 180, 170, 255});
  for (std::size_t y = 136; y < 248; ++y) {
    for (std::size_t x = 8; x < 120; ++x) {
      if ((x / 2 + y / 3) % 2 == 0) {
        std::fill_n(&picture.rgba[4 * (256 * y + x)], 3, std::uint8_t{20});
      }
    }
  }
  const MaterialId material = builder.add_material("sign");
  builder.scene.materials.back().base_color_texture.texture = test::add_picture(builder, picture);
  MeshData wall;
  constexpr std::uint32_t side = 32;
  for (std::uint32_t y = 0; y <= side; ++y) {
    for (std::uint32_t x = 0; x <= side; ++x) {
      const double u = static_cast<double>(x) / side;
      const double v = static_cast<double>(y) / side;
      for (const double value : {2 * u, 2 - 2 * v, 0.02 * std::sin(9 * u) * std::sin(8 * v)}) {
        wall.positions.push_back(static_cast<float>(value));
      }
      wall.uvs.insert(wall.uvs.end(), {static_cast<float>(u), static_cast<float>(v)});
      if (x < side && y < side) {
        const std::uint32_t a = y * (side + 1) + x;
        wall.indices.insert(wall.indices.end(),
                            {a, a + side + 1, a + 1, a + 1, a + side + 1, a + side + 2});
      }
    }
  }
  builder.add_node("wall", builder.add_mesh("wall", wall, material));
  return builder.finish();
}

TEST_F(ReduceScene, LeavesWhatCarriesLettering) {
  const Scene scene = make_sign();
  const StandardCodec codec;
  const auto detail = find_fine_detail(scene, codec, 20);
  ASSERT_TRUE(detail);
  ASSERT_EQ(detail->size(), 1U);
  EXPECT_EQ(std::count(detail->front().fine.begin(), detail->front().fine.end(), true), 28 * 28);
  EXPECT_TRUE(find_fine_detail(scene, codec, 120)->empty());

  const ReduceSettings settings{.share = 0.45, .protect_detail = 20};
  const auto plan = propose_reduction(scene, *survey(scene), settings, {}, {}, *detail);
  ASSERT_TRUE(plan);
  const auto reduced = reduce(scene, *plan);
  ASSERT_TRUE(reduced);
  const auto printed = [](const std::vector<float>& triangle) {
    for (std::size_t c = 0; c < 9; c += 3) {
      if (triangle[c] < 0.13F || triangle[c] > 0.87F || triangle[c + 1] < 0.13F ||
          triangle[c + 1] > 0.87F) {
        return false;
      }
    }
    return true;
  };
  const auto was = list_triangles(scene, scene.meshes[0].primitives[0]);
  const auto is = list_triangles(reduced->scene, reduced->scene.meshes[0].primitives[0]);
  std::size_t count = 0;
  for (const auto& triangle : was) {
    if (printed(triangle)) {
      ++count;
      EXPECT_TRUE(is.contains(triangle));
    }
  }
  EXPECT_GE(count, 200U);
  EXPECT_GE(reduced->meshes[0].held, count);
  EXPECT_LE(reduced->meshes[0].triangles, was.size() * 46 / 100);
}

TEST_F(ReduceScene, TakesTermsForWhatIsReducedAndWhatStays) {
  const MaterialId gold = builder_.add_material("gold");
  const MaterialId wood = builder_.add_material("wood");
  const MeshId mesh =
      builder_.add_mesh("both", {builder_.make_primitive(test::make_ball(24, 0.1), gold),
                                 builder_.make_primitive(test::make_ball(24, 0.2), wood)});
  builder_.set_extras(builder_.add_node("here", mesh), R"({"room":"hall"})");
  builder_.add_node("there", mesh, test::at(5));
  add_ball("small", 0.1, test::at(9));
  const Scene scene = builder_.finish();
  const Survey found = *survey(scene);
  const ReduceSettings settings{
      .share = 0.6, .nodes = {"extras.room=hall"}, .protect = {"material=gold and static=yes"}};
  const auto plan = propose_reduction(scene, found, settings);
  ASSERT_TRUE(plan);
  EXPECT_EQ(*count_wishes(scene, found, settings),
            (std::vector<WishUse>{{"reduce.nodes", "extras.room=hall", "", 2},
                                  {"reduce.protect", "material=gold and static=yes", "", 2}}));
  ASSERT_EQ(plan->settings.answers.size(), 2U);
  const auto reduced = reduce(scene, *plan);
  ASSERT_TRUE(reduced);
  ASSERT_EQ(reduced->meshes.size(), 1U);
  EXPECT_EQ(reduced->scene.nodes[1].mesh, mesh);
  EXPECT_EQ(count_of(reduced->scene, mesh), count_of(scene, mesh)) << "what is there stays";
  const Mesh& here = reduced->scene[reduced->scene.nodes[0].mesh];
  EXPECT_EQ(list_triangles(reduced->scene, here.primitives[0]),
            list_triangles(scene, scene[mesh].primitives[0]));
  EXPECT_LT(count_list_indices(reduced->scene, here.primitives[1]),
            count_list_indices(scene, scene[mesh].primitives[1]) / 2);
  // A plan has its answers with it.
  ReducePlan asked_never = *plan;
  asked_never.settings.answers.clear();
  EXPECT_EQ(reduce(scene, asked_never).error().code, ErrorCode::plan_mismatch);
}

TEST_F(ReduceScene, CountsWhatItsWishesSpeakOf) {
  const MaterialId gold = builder_.add_material("gold");
  builder_.add_node("a", builder_.add_mesh("ball", test::make_ball(24, 0.1), gold));
  add_ball("other", 0.1, test::at(5));
  const Scene scene = builder_.finish();
  const Survey found = *survey(scene);
  const ReduceSettings settings{.share = 0.5,
                                .nodes = {"/none", "/a"},
                                .protect = {"none*", "gold", "ball", "/other", "*o*"}};
  std::vector<std::uint64_t> counts;
  const auto uses = count_wishes(scene, found, settings);
  ASSERT_TRUE(uses);
  for (const WishUse& use : *uses) {
    counts.push_back(use.draws);
  }
  EXPECT_EQ(counts, (std::vector<std::uint64_t>{0, 1, 0, 1, 1, 1, 2}));
  // What matches nothing is no reason to reduce all.
  const auto none = propose_reduction(scene, found, {.share = 0.5, .nodes = {"/none"}});
  ASSERT_TRUE(none);
  EXPECT_FALSE(none->reduces());
  EXPECT_TRUE(propose_reduction(scene, found, {.share = 0.5, .protect = {"none*"}})->reduces());
}

TEST_F(ReduceScene, TellsWhatIsWrongWithItsSettings) {
  add_ball("ball", 0.1);
  const Scene scene = builder_.finish();
  expect_bad_setting(scene, {.share = 1.5}, "reduce.share");
  expect_bad_setting(scene, {.error_m = -1}, "reduce.error_m");
  expect_bad_setting(scene, {.error_px = 1, .height_px = 0}, "reduce.height_px");
  expect_bad_setting(scene, {.share = 0.5, .nodes = {"mash=x"}}, "reduce.nodes has");
  expect_bad_setting(scene, {.share = 0.5, .protect = {"(mesh=x"}}, "reduce.protect has");
  expect_bad_setting(scene, {.share = 0.5, .protect_joints = {"*"}}, "joint");
  ReducePlan plan;
  plan.meshes = {{MeshId{7}, 10, 0, 0}};
  const auto reduced = reduce(scene, plan);
  ASSERT_FALSE(reduced);
  EXPECT_EQ(reduced.error().code, ErrorCode::plan_mismatch);
}

TEST(ToolReduce, WritesTheDemoWithFewerTriangles) {
  const auto folder = test::make_scratch();
  const std::string source = (folder / "s.glb").string();
  const std::string target = (folder / "r.glb").string();
  ASSERT_TRUE(write_scene(demo::make_glasshouse(), source));
  const test::Outcome outcome =
      test::run_tool_small({"reduce", source, "-o", target, "--to", "50%", "--top", "3"});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  EXPECT_NE(outcome.out.find("50 %, by"), std::string::npos) << outcome.out;
  EXPECT_NE(outcome.out.find("more\n"), std::string::npos) << outcome.out;
  const auto reduced = read_scene(target);
  ASSERT_TRUE(reduced);
  EXPECT_LE(count_totals(*reduced).triangles, count_totals(demo::make_glasshouse()).triangles / 2);
  EXPECT_EQ(test::ask_validator(target).substr(0, 2), "0 ");
  EXPECT_LT(std::filesystem::file_size(target), std::filesystem::file_size(source));
}

TEST(ToolReduce, TellsWhyACountWasMissed) {
  const auto folder = test::make_scratch();
  const std::string source = (folder / "s.glb").string();
  ASSERT_TRUE(write_scene(demo::make_glasshouse(), source));
  const test::Outcome outcome = test::run_tool_small(
      {"reduce", source, "-o", (folder / "r.glb").string(), "--to", "4000", "--protect", "lamp"});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  EXPECT_NE(outcome.out.find("4,000 triangles were wanted"), std::string::npos) << outcome.out;
  EXPECT_NE(outcome.out.find("are of meshes that stay as they are"), std::string::npos);
  EXPECT_EQ(outcome.out.find("  lamp "), std::string::npos) << outcome.out;
}

TEST(ToolReduce, RefusesWhatItCantDo) {
  const auto folder = test::make_scratch();
  const std::string source = (folder / "s.glb").string();
  ASSERT_TRUE(write_scene(demo::make_glasshouse(), source));
  const std::string bytes = test::read_all(source);
  const std::string target = (folder / "r.glb").string();
  const auto run = [&](std::vector<std::string> more, const std::string& to) {
    std::vector<std::string> line{"reduce", source, "-o", to};
    line.insert(line.end(), more.begin(), more.end());
    return test::run_tool_small(line);
  };
  EXPECT_EQ(run({}, target).exit_code, 2);
  for (const char* count : {"150%", "-3", "0", "1.5", "many", "%"}) {
    const test::Outcome outcome = run({"--to", count}, target);
    EXPECT_EQ(outcome.exit_code, 2) << count;
    EXPECT_NE(outcome.err.find("10000 or 50%"), std::string::npos) << outcome.err;
  }
  for (const char* length : {"2", "0", "3km", "px"}) {
    EXPECT_EQ(run({"--error", length}, target).exit_code, std::string(length) == "2" ? 0 : 2)
        << length;
  }
  EXPECT_EQ(run({"--to", "50%", "--protect", "mush=lamp"}, target).exit_code, 2);
  const test::Outcome idle = run({"--to", "50%", "--only", "nothing_here"}, target);
  EXPECT_EQ(idle.exit_code, 0) << idle.err;
  EXPECT_NE(idle.err.find("reduce.nodes: nothing that is drawn matches \"nothing_here\""),
            std::string::npos)
      << idle.err;
  const test::Outcome over = run({"--to", "50%"}, source);
  EXPECT_EQ(over.exit_code, 4) << over.err;
  EXPECT_EQ(test::read_all(source), bytes);
}

}  // namespace
}  // namespace wakuzume
