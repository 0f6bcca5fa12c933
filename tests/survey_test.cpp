// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/survey.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <limits>
#include <random>

#include "support/scene_builder.h"

namespace wakuzume {
namespace {

using test::SceneBuilder;

Survey survey_of(const Scene& scene, const SurveySettings& settings = {}) {
  auto found = survey(scene, settings);
  EXPECT_TRUE(found);
  return std::move(*found);
}

/// The rule that keeps the only draw of a node; none when it may go.
StayRule rule_of(const Survey& survey, NodeId node) {
  const auto hit = std::find_if(survey.draws.begin(), survey.draws.end(),
                                [&](const Draw& d) { return d.node == node; });
  EXPECT_NE(hit, survey.draws.end());
  return hit->stay;
}

TEST(Survey, CountsWhatIsDrawnAndWhatIsStored) {
  SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  builder.add_material("unused");
  const MeshId mesh =
      builder.add_mesh("both", {builder.make_primitive(test::make_square(), stone),
                                builder.make_primitive(test::make_tetrahedron(), no_material)});
  builder.add_node("a", mesh);
  builder.add_node("b", mesh, test::at(5));
  const Totals totals = survey_of(builder.finish()).totals;
  EXPECT_EQ(totals.nodes, 2U);
  EXPECT_EQ(totals.meshes, 1U);
  EXPECT_EQ(totals.primitives, 2U);
  EXPECT_EQ(totals.draws, 4U);
  EXPECT_EQ(totals.materials, 1U);
  EXPECT_EQ(totals.triangles, 2U * (2 + 4));
  EXPECT_EQ(totals.vertices, 2U * (4 + 4));
  // Positions, normals, UVs and 32-bit indices of four vertices each.
  EXPECT_EQ(totals.bytes, 2U * 4 * 32 + 4 * (6 + 12));
}

TEST(Survey, LeavesOutWhatNoSceneShowsOrNothingDraws) {
  SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("square", test::make_square());
  test::MeshData empty = test::make_square();
  empty.indices = {0, 1};
  const MeshId nothing = builder.add_mesh("too few indices", empty);
  const NodeId shown = builder.add_node("shown", mesh);
  builder.add_node("hidden", mesh);
  builder.add_node("nothing", nothing);
  builder.scene.levels[0].roots = {shown, NodeId{2}};
  const Survey found = survey_of(builder.finish());
  ASSERT_EQ(found.draws.size(), 1U);
  EXPECT_EQ(found.draws[0].node, shown);
}

TEST(Survey, ShowsAllRootsOfAFileWithoutScenes) {
  SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("square", test::make_square());
  builder.add_node("a", mesh);
  builder.add_node("b", mesh);
  builder.scene.levels.clear();
  builder.scene.default_level = no_level;
  EXPECT_EQ(survey_of(builder.finish()).draws.size(), 2U);
}

TEST(Survey, CountsInstancesOfASetAsTrianglesOfOneDraw) {
  SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("square", test::make_square());
  const NodeId node = builder.add_node("set", mesh);
  Instancing instancing;
  instancing.attributes.push_back(
      {"TRANSLATION", builder.add_stream(test::Floats(21), ElementType::vec3, ComponentType::f32)});
  builder.scene.nodes[to_index(node)].instancing = instancing;
  const Survey found = survey_of(builder.finish());
  EXPECT_EQ(found.totals.draws, 1U);
  EXPECT_EQ(found.totals.triangles, 14U);
  EXPECT_EQ(rule_of(found, node), StayRule::instanced);
}

TEST(SurveyBoxes, AreInWorldSpace) {
  SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("square", test::make_square());
  const NodeId parent = builder.add_node("parent", no_mesh, test::scaled(-2, 1, 1, {10, 0, 0}));
  builder.add_node("child", mesh, test::at(1, 1, 1), parent);
  const Survey found = survey_of(builder.finish());
  EXPECT_EQ(found.draws[0].box.min, (Vec3d{6, 1, 1}));
  EXPECT_EQ(found.draws[0].box.max, (Vec3d{8, 2, 1}));
  EXPECT_TRUE(found.draws[0].mirrored);
  EXPECT_EQ(found.bounds.min, found.draws[0].box.min);
}

class MergeKeys : public testing::Test {
 protected:
  MergeKeys() : stone_(builder_.add_material("stone")) {}

  NodeId add(const test::MeshData& data, MaterialId material, NodeId parent = no_node) {
    const MeshId mesh = builder_.add_mesh("mesh", data, material);
    return builder_.add_node("node", mesh, {}, parent);
  }
  std::size_t count_keys(const SurveySettings& settings = {}) {
    return survey_of(builder_.finish(), settings).keys.size();
  }

  SceneBuilder builder_;
  MaterialId stone_;
};

TEST_F(MergeKeys, AreTheSameForTheSameMaterialWhateverTheShapeAndItsFillableAttributes) {
  test::MeshData bare = test::make_tetrahedron();
  bare.normals.clear();
  bare.uvs.clear();
  test::MeshData strip = test::make_square();
  strip.mode = PrimitiveMode::triangle_strip;
  test::MeshData colored = test::make_square();
  colored.colors.assign(16, 0.5F);
  for (const auto& data : {test::make_square(), bare, strip, colored}) {
    add(data, stone_);
  }
  EXPECT_EQ(count_keys(), 1U);
}

TEST_F(MergeKeys, DifferByMaterialIdentityEvenWhenTheValuesAreEqual) {
  add(test::make_square(), stone_);
  add(test::make_square(), builder_.add_material("stone"));
  add(test::make_square(), no_material);
  EXPECT_EQ(count_keys(), 3U);
}

TEST_F(MergeKeys, DifferByTopology) {
  for (const auto mode : {PrimitiveMode::points, PrimitiveMode::lines, PrimitiveMode::line_loop,
                          PrimitiveMode::triangles, PrimitiveMode::triangle_fan}) {
    test::MeshData data = test::make_square();
    data.mode = mode;
    add(data, stone_);
  }
  EXPECT_EQ(count_keys(), 3U);
}

TEST_F(MergeKeys, DifferByTangentsOnlyWhereTheyCanNotBeMade) {
  test::MeshData with = test::make_square();
  with.tangents.assign(16, 1.0F);
  add(with, stone_);
  add(test::make_square(), stone_);
  test::MeshData flat = with;
  flat.normals.clear();  // then the standard has tangents ignored
  add(flat, stone_);
  test::MeshData bare = test::make_square();
  bare.uvs.clear();
  add(bare, stone_);
  EXPECT_EQ(count_keys(), 1U) << "nothing depends on them";
  builder_.scene.images.emplace_back().bytes = make_bytes(std::vector<std::uint8_t>{1});
  builder_.scene.materials[to_index(stone_)].normal_texture.texture =
      builder_.add_texture(ImageId{0});
  EXPECT_EQ(count_keys(), 2U) << "one has no UVs of the normal texture to make them by";
  builder_.scene.materials[to_index(stone_)].normal_texture.texcoord = 1;
  EXPECT_EQ(count_keys(), 2U) << "nor have any but the one that has tangents";
}

TEST_F(MergeKeys, DifferByNormalsOfLinesOnly) {
  test::MeshData lines = test::make_square();
  lines.mode = PrimitiveMode::lines;
  add(lines, stone_);
  lines.normals.clear();
  add(lines, stone_);
  EXPECT_EQ(count_keys(), 2U);
}

TEST_F(MergeKeys, DifferByCustomAttributesAndTheirTypes) {
  const auto add_custom = [&](const char* name, ComponentType component, bool normalized) {
    const NodeId node = add(test::make_square(), stone_);
    const StreamId stream =
        component == ComponentType::u8
            ? builder_.add_stream(std::vector<std::uint8_t>(4), ElementType::scalar, component,
                                  normalized)
            : builder_.add_stream(test::Floats(4), ElementType::scalar, component);
    Mesh& mesh = builder_.scene.meshes[to_index(builder_.scene[node].mesh)];
    mesh.primitives[0].attributes.push_back({name, stream});
  };
  add_custom("_WEAR", ComponentType::f32, false);
  add_custom("_WEAR", ComponentType::f32, false);
  add_custom("_WEAR", ComponentType::u8, false);
  add_custom("_WEAR", ComponentType::u8, true);
  add_custom("_AGE", ComponentType::f32, false);
  EXPECT_EQ(count_keys(), 4U);
}

TEST_F(MergeKeys, TakeTheLightmapPageFromNodeMeshPrimitiveOrMaterial) {
  builder_.set_extras(add(test::make_square(), stone_), R"({"lightmap":3})");
  const NodeId by_mesh = add(test::make_square(), stone_);
  Mesh& mesh = builder_.scene.meshes[to_index(builder_.scene[by_mesh].mesh)];
  mesh.extra.ensure().extras = R"({"other":1,"lightmap":3})";
  const NodeId by_primitive = add(test::make_square(), stone_);
  builder_.scene.meshes[to_index(builder_.scene[by_primitive].mesh)]
      .primitives[0]
      .extra.ensure()
      .extras = R"({"lightmap":"3"})";
  EXPECT_EQ(count_keys(), 1U);
  builder_.set_extras(add(test::make_square(), stone_), R"({"lightmap":4})");
  add(test::make_square(), stone_);
  EXPECT_EQ(count_keys(), 3U);
  builder_.scene.materials[0].extra.ensure().extras = R"({"lightmap":4})";
  EXPECT_EQ(count_keys(), 2U);
  SurveySettings other;
  other.lightmap_key = "page";
  EXPECT_EQ(count_keys(other), 1U);
}

TEST_F(MergeKeys, DifferByTheUsersTag) {
  builder_.set_extras(add(test::make_square(), stone_), R"({"tag":"east"})");
  builder_.set_extras(add(test::make_square(), stone_), R"({"tag":"west"})");
  builder_.set_extras(add(test::make_square(), stone_), R"({"tag":null})");
  add(test::make_square(), stone_);
  EXPECT_EQ(count_keys(), 3U);
}

TEST_F(MergeKeys, DifferByTheScenesThatShowThem) {
  const NodeId a = add(test::make_square(), stone_);
  const NodeId b = add(test::make_square(), stone_);
  const NodeId c = add(test::make_square(), stone_);
  builder_.scene.levels[0].roots = {a, b};
  builder_.scene.levels.emplace_back().roots = {b, c};
  EXPECT_EQ(count_keys(), 3U);
}

TEST_F(MergeKeys, AreListedMostDrawsFirst) {
  add(test::make_square(), no_material);
  add(test::make_square(), stone_);
  add(test::make_square(), stone_);
  const Survey found = survey_of(builder_.finish());
  ASSERT_EQ(found.key_uses.size(), 2U);
  EXPECT_EQ(found.key_uses[0].draws, 2U);
  EXPECT_EQ(found[found.key_uses[0].key].material, stone_);
  EXPECT_EQ(found.key_uses[0].triangles, 4U);
}

class StayRules : public testing::Test {
 protected:
  StayRules() : mesh_(builder_.add_mesh("square", test::make_square())) {}

  NodeId add(const std::string& name, NodeId parent = no_node) {
    return builder_.add_node(name, mesh_, {}, parent);
  }
  Node& node(NodeId id) { return builder_.scene.nodes[to_index(id)]; }

  SceneBuilder builder_;
  MeshId mesh_;
};

TEST_F(StayRules, AnimatedNodesStayWithAllBelowAndAreTheirMovingRoot) {
  const NodeId door = add("door");
  const NodeId leaf = add("leaf", door);
  const NodeId handle = add("handle", leaf);
  const NodeId frame = add("frame");
  builder_.animate(door);
  const Survey found = survey_of(builder_.finish());
  for (const NodeId id : {door, leaf, handle}) {
    EXPECT_EQ(rule_of(found, id), StayRule::animated);
  }
  EXPECT_EQ(rule_of(found, frame), StayRule::none);
  EXPECT_EQ(found[found.draws[2].key].moving_root, door);
  EXPECT_EQ(found[found.draws[3].key].moving_root, no_node);
  EXPECT_EQ(found.stay_counts[static_cast<std::size_t>(StayRule::animated)], 3U);
}

TEST_F(StayRules, AnimationsThroughPointersCountToo) {
  const NodeId door = add("door");
  builder_.animate(door);
  AnimationChannel& channel = builder_.scene.animations[0].channels[0];
  channel.node = no_node;
  channel.path = "pointer";
  channel.target_extra.ensure().extensions = {
      {"KHR_animation_pointer", R"({"pointer":"/nodes/0/rotation"})"}};
  EXPECT_EQ(rule_of(survey_of(builder_.finish()), door), StayRule::animated);
}

TEST_F(StayRules, SkinsAndJointsAndMorphTargets) {
  const NodeId body = add("body");
  const NodeId bone = builder_.add_node("bone");
  const NodeId hat = add("hat", bone);
  Skin skin;
  skin.joints = {bone};
  builder_.scene.skins.push_back(skin);
  node(body).skin = SkinId{0};
  const NodeId ghost = builder_.add_node("ghost", builder_.add_mesh("ghost", test::make_square()));
  node(ghost).skin = SkinId{0};
  const std::vector<std::uint8_t> joints(4 * 4, 0);
  const test::Floats weights{1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0};
  Primitive& bound = builder_.scene.meshes[to_index(node(body).mesh)].primitives[0];
  bound.attributes.push_back(
      {"JOINTS_0", builder_.add_stream(joints, ElementType::vec4, ComponentType::u8)});
  bound.attributes.push_back(
      {"WEIGHTS_0", builder_.add_stream(weights, ElementType::vec4, ComponentType::f32)});
  Primitive primitive = builder_.make_primitive(test::make_square(), no_material);
  primitive.morph_targets.push_back({primitive.attributes[0]});
  const NodeId face = builder_.add_node("face", builder_.add_mesh("face", {primitive}));
  const Survey found = survey_of(builder_.finish());
  EXPECT_EQ(rule_of(found, body), StayRule::skinned);
  EXPECT_EQ(rule_of(found, ghost), StayRule::bound_apart) << "it has no joints and weights";
  EXPECT_EQ(rule_of(found, hat), StayRule::skinned);
  EXPECT_EQ(rule_of(found, face), StayRule::morphing);
}

TEST_F(StayRules, LightsCamerasAndExtensionsConcernTheirNodeOnly) {
  const NodeId lamp = add("lamp");
  const NodeId shade = add("shade", lamp);
  builder_.scene.lights.emplace_back().type = "point";
  node(lamp).light = LightId{0};
  const NodeId eye = add("eye");
  builder_.scene.cameras.emplace_back();
  node(eye).camera = CameraId{0};
  const NodeId body = add("body");
  node(body).extra.ensure().extensions = {{"X_physics", "{}"}};
  const Survey found = survey_of(builder_.finish());
  EXPECT_EQ(rule_of(found, lamp), StayRule::carries_light);
  EXPECT_EQ(rule_of(found, shade), StayRule::none);
  EXPECT_EQ(rule_of(found, eye), StayRule::carries_camera);
  EXPECT_EQ(rule_of(found, body), StayRule::own_extension);
}

TEST_F(StayRules, ExtensionsOfMeshesAndPrimitivesKeepTheirDraws) {
  const NodeId a = add("a");
  builder_.scene.meshes[0].primitives[0].extra.ensure().extensions = {{"X_variants", "{}"}};
  EXPECT_EQ(rule_of(survey_of(builder_.finish()), a), StayRule::own_extension);
}

TEST_F(StayRules, ExtrasAndGlobsOfTheSettings) {
  const NodeId lift = add("lift");
  const NodeId button = add("button", lift);
  builder_.set_extras(lift, R"({"static":false})");
  const NodeId wall = add("wall");
  builder_.set_extras(wall, R"({"static":true})");
  const NodeId gate = add("gate_01");
  const NodeId proxy = add("wall_collider");
  const NodeId altar = add("altar");
  const NodeId candle = add("candle", altar);
  SurveySettings settings;
  settings.moving_nodes = {"/gate_*"};
  settings.keep_nodes = {"/altar"};
  const Survey found = survey_of(builder_.finish(), settings);
  EXPECT_EQ(rule_of(found, lift), StayRule::marked_moving);
  EXPECT_EQ(rule_of(found, button), StayRule::marked_moving);
  EXPECT_EQ(rule_of(found, wall), StayRule::none);
  EXPECT_EQ(rule_of(found, gate), StayRule::marked_moving);
  EXPECT_EQ(rule_of(found, proxy), StayRule::collider);
  EXPECT_EQ(rule_of(found, altar), StayRule::excluded);
  EXPECT_EQ(rule_of(found, candle), StayRule::excluded);
}

TEST_F(StayRules, NumbersThatAreNotFinite) {
  test::MeshData broken = test::make_square();
  broken.positions[4] = std::numeric_limits<float>::quiet_NaN();
  const NodeId bad = builder_.add_node("bad", builder_.add_mesh("bad", broken));
  const NodeId good = add("good");
  // Its corners are where no float reaches, so that no merge could store them.
  const MeshId square = builder_.add_mesh("square", test::make_square());
  const NodeId huge = builder_.add_node("huge", square, test::scaled(-1e40, 1, 1));
  const NodeId far = builder_.add_node("far", square, test::at(1e39));
  const Survey found = survey_of(builder_.finish());
  EXPECT_EQ(rule_of(found, bad), StayRule::not_finite);
  EXPECT_EQ(rule_of(found, huge), StayRule::not_finite);
  EXPECT_EQ(rule_of(found, far), StayRule::not_finite);
  EXPECT_EQ(rule_of(found, good), StayRule::none);
  EXPECT_EQ(found.bounds.max, (Vec3d{1, 1, 0}));
}

TEST(SurveyThreads, GiveTheSameRows) {
  const Scene scene = test::make_random_scene(21, 200);
  const auto one = survey(scene, {}, {.threads = 1});
  const auto eight = survey(scene, {}, {.threads = 8});
  ASSERT_TRUE(one && eight);
  ASSERT_EQ(one->draws.size(), eight->draws.size());
  for (std::size_t d = 0; d < one->draws.size(); ++d) {
    EXPECT_EQ(one->draws[d].key, eight->draws[d].key);
    EXPECT_EQ(one->draws[d].box.min, eight->draws[d].box.min);
  }
  EXPECT_EQ(one->keys, eight->keys);
}

TEST(KeyText, SaysWhatKeepsDrawsApart) {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("iron");
  MergeKey key;
  key.material = material;
  key.lightmap = "4";
  key.topology = Topology::lines;
  EXPECT_EQ(to_string(builder.scene, key), "iron, lines, lightmap 4");
  EXPECT_EQ(to_string(builder.scene, MergeKey{}), "default material");
}

TEST_F(StayRules, SayWhereTheyBeginAndWhy) {
  const NodeId door = add("door");
  const NodeId leaf = add("leaf", door);
  builder_.animate(door);
  builder_.scene.animations[0].name = "swing";
  const NodeId gate = add("gate");
  const NodeId lamp = add("lamp");
  builder_.set_extras(lamp, R"({"static":false})");
  SurveySettings settings;
  settings.keep_nodes = {"/none", "/ga*"};
  const Survey found = survey_of(builder_.finish(), settings);
  const auto cause_of = [&](NodeId id) {
    const auto hit = std::find_if(found.draws.begin(), found.draws.end(),
                                  [&](const Draw& d) { return d.node == id; });
    return found.causes[hit->cause];
  };
  EXPECT_EQ(cause_of(leaf).at, door);
  EXPECT_EQ(cause_of(leaf).why, "moved by the animation \"swing\"");
  EXPECT_EQ(cause_of(gate).why, "matches \"/ga*\"");
  EXPECT_EQ(cause_of(lamp).why, "its extras say \"static\": false");
  for (const Draw& draw : found.draws) {
    EXPECT_EQ(draw.stay == StayRule::none, draw.cause == no_index);
  }
}

TEST_F(StayRules, PhysicsExtensionsMoveWhatIsNoStaticBody) {
  const auto add_with = [&](const char* name, const char* json) {
    const NodeId id = add("body");
    node(id).extra.ensure().extensions.push_back({name, json});
    return id;
  };
  const NodeId rigid = add_with("KHR_physics_rigid_bodies", R"({"motion":{"mass":2}})");
  const NodeId fixed = add_with("KHR_physics_rigid_bodies", R"({"collider":{}})");
  const NodeId dynamic = add_with("OMI_physics_body", R"({"motion":{"type":"dynamic"}})");
  const NodeId still = add_with("OMI_physics_body", R"({"motion":{"type":"static"}})");
  const NodeId below = add("below", rigid);
  const Survey found = survey_of(builder_.finish());
  EXPECT_EQ(rule_of(found, rigid), StayRule::physics);
  EXPECT_EQ(rule_of(found, below), StayRule::physics);
  EXPECT_EQ(rule_of(found, dynamic), StayRule::physics);
  EXPECT_EQ(rule_of(found, fixed), StayRule::own_extension);
  EXPECT_EQ(rule_of(found, still), StayRule::own_extension);
}

TEST_F(StayRules, TracksThatHoldANodeWhereItStandsCanBeSetAside) {
  const NodeId still = add("still");
  const NodeId moved_aside = add("moved aside");
  const NodeId moving = add("moving");
  builder_.animate(still);
  builder_.animate(moved_aside);
  builder_.animate(moving);
  const auto hold = [&](std::size_t animation, test::Floats values) {
    builder_.scene.animations[animation].samplers[0].output =
        builder_.add_stream(values, ElementType::vec4, ComponentType::f32);
  };
  hold(0, {0, 0, 0, 1, 0, 0, 0, 1});
  hold(1, {0, 1, 0, 0, 0, 1, 0, 0});
  const Scene scene = builder_.finish();
  const Survey careful = survey_of(scene);
  EXPECT_EQ(rule_of(careful, still), StayRule::animated);
  EXPECT_EQ(careful.constant_nodes, (std::vector<NodeId>{still, moved_aside}));
  SurveySettings settings;
  settings.constant_tracks = ConstantTracks::stand_still;
  const Survey bold = survey_of(scene, settings);
  EXPECT_EQ(rule_of(bold, still), StayRule::none);
  EXPECT_EQ(rule_of(bold, moved_aside), StayRule::animated) << "held, but elsewhere";
  EXPECT_EQ(rule_of(bold, moving), StayRule::animated);
}

TEST_F(StayRules, CubicTracksHoldStillOnlyWithLevelTangents) {
  const NodeId still = add("still");
  const NodeId wavy = add("wavy");
  for (const NodeId id : {still, wavy}) {
    builder_.animate(id);
    Animation& animation = builder_.scene.animations.back();
    animation.channels[0].path = "translation";
    animation.samplers[0].interpolation = "CUBICSPLINE";
    test::Floats values(18, 0);
    values[0] = id == wavy ? 1.0F : 0.0F;
    animation.samplers[0].output =
        builder_.add_stream(values, ElementType::vec3, ComponentType::f32);
  }
  EXPECT_EQ(survey_of(builder_.finish()).constant_nodes, std::vector<NodeId>{still});
}

TEST_F(StayRules, CollidersAreMarkedByExtrasToo) {
  const NodeId hull = add("hull");
  builder_.set_extras(hull, R"({"collider":true})");
  const NodeId below = add("below", hull);
  const NodeId not_one = add("wall");
  builder_.set_extras(not_one, R"({"collider":false})");
  const Survey found = survey_of(builder_.finish());
  EXPECT_EQ(rule_of(found, hull), StayRule::collider);
  EXPECT_EQ(rule_of(found, below), StayRule::collider);
  EXPECT_EQ(rule_of(found, not_one), StayRule::none);
}

TEST_F(StayRules, LevelsAndTagsHoldForAllBelow) {
  const NodeId cellar = add("cellar");
  builder_.set_extras(cellar, R"({"level":"cellar","tag":"damp"})");
  const NodeId shelf = add("shelf", cellar);
  const NodeId lamp = add("lamp", shelf);
  builder_.set_extras(lamp, R"({"tag":"light"})");
  const Survey found = survey_of(builder_.finish());
  EXPECT_EQ(found[found.draws[1].key].level, "cellar");
  EXPECT_EQ(found[found.draws[1].key].tags, (std::vector<Tag>{{"tag", "tag", "damp"}}));
  EXPECT_EQ(found[found.draws[2].key].level, "cellar");
  EXPECT_EQ(found[found.draws[2].key].tags, (std::vector<Tag>{{"tag", "tag", "light"}}));
}

TEST(SurveyBoxes, GoAroundAllInstancesOfASet) {
  SceneBuilder builder;
  const NodeId node =
      builder.add_node("set", builder.add_mesh("square", test::make_square()), test::at(0, 0, 1));
  Instancing instancing;
  instancing.attributes.push_back(
      {"TRANSLATION",
       builder.add_stream(test::Floats{-5, 0, 0, 7, 2, 0}, ElementType::vec3, ComponentType::f32)});
  builder.scene.nodes[to_index(node)].instancing = instancing;
  const Survey found = survey_of(builder.finish());
  EXPECT_EQ(found.draws[0].box.min, (Vec3d{-5, 0, 1}));
  EXPECT_EQ(found.draws[0].box.max, (Vec3d{8, 3, 1}));
}

TEST(SurveyShapes, MeasureOnlyTheVerticesTheyUse) {
  SceneBuilder builder;
  test::MeshData data = test::make_square();
  data.positions[6] = 100;  // of the third vertex
  data.indices = {0, 1, 3};
  builder.add_node("part", builder.add_mesh("part", data));
  const Survey found = survey_of(builder.finish());
  EXPECT_EQ(found.shapes[0].box.max[0], 1);
  EXPECT_EQ(found.shapes[0].triangles, 1U);
}

/// Triangles over `count` vertices, whose stream is packed or lies between other bytes.
MeshId add_strewn(SceneBuilder& builder, const test::Floats& positions, bool packed) {
  const std::size_t count = positions.size() / 3;
  std::vector<std::uint32_t> indices;
  for (std::size_t i = 0; i < (count + 2) / 3 * 3; ++i) {
    indices.push_back(static_cast<std::uint32_t>(i % count));
  }
  test::Floats wide;
  for (std::size_t i = 0; i < positions.size(); ++i) {
    wide.push_back(positions[i]);
    if (i % 3 == 2) {
      wide.insert(wide.end(), {1e30F, -1e30F});
    }
  }
  Stream stream;
  stream.element = ElementType::vec3;
  stream.component = ComponentType::f32;
  stream.count = count;
  Primitive primitive;
  primitive.attributes.push_back(
      {"POSITION", packed ? builder.add_stream(positions, ElementType::vec3, ComponentType::f32)
                          : builder.add_bytes(wide.data(), wide.size() * 4, stream, 20)});
  primitive.indices = builder.add_stream(indices, ElementType::scalar, ComponentType::u32);
  return builder.add_mesh("strewn", {primitive});
}

TEST(SurveyShapes, AreMeasuredAlikePackedOrNot) {
  std::mt19937 random(5);
  for (const std::size_t count : {1U, 2U, 3U, 4U, 5U, 11U, 300U, 9000U}) {
    test::Floats positions;
    Box3d box;
    for (std::size_t v = 0; v < count; ++v) {
      Vec3d at{};
      for (double& x : at) {
        positions.push_back(static_cast<float>(random() % 100'000) / 777 - 60);
        x = static_cast<double>(positions.back());
      }
      box.include(at);
    }
    SceneBuilder builder;
    builder.add_node("a", add_strewn(builder, positions, true));
    builder.add_node("b", add_strewn(builder, positions, false));
    const Survey found = survey_of(builder.finish());
    EXPECT_EQ(found.shapes[0].family, found.shapes[1].family) << count << " vertices";
    for (const Shape& shape : found.shapes) {
      EXPECT_EQ(shape.box.min, box.min) << count << " vertices";
      EXPECT_EQ(shape.box.max, box.max) << count << " vertices";
      EXPECT_TRUE(shape.finite);
    }
  }
}

TEST(SurveyShapes, FindASingleNumberThatIsNotFinite) {
  for (const float bad :
       {std::numeric_limits<float>::quiet_NaN(), std::numeric_limits<float>::infinity(),
        -std::numeric_limits<float>::infinity()}) {
    for (std::size_t at = 0; at < 39; ++at) {
      test::Floats positions(39, 1);
      positions[at] = bad;
      SceneBuilder builder;
      builder.add_node("a", add_strewn(builder, positions, true));
      EXPECT_FALSE(survey_of(builder.finish()).shapes[0].finite) << bad << " at " << at;
    }
  }
}

TEST(SurveyShapes, TellUvRangesAndWhatAShiftCanDo) {
  const auto range = [](double low, double high) {
    UvRange uv;
    uv.min = {low, 0};
    uv.max = {high, 1};
    return uv;
  };
  EXPECT_TRUE(range(0, 1).inside_tile());
  EXPECT_TRUE(range(-0.00005, 1.00005).inside_tile());
  EXPECT_FALSE(range(0, 1.1).inside_tile());
  EXPECT_TRUE(range(-3, -2).shift_fixes());
  EXPECT_TRUE(range(7.2, 7.9).shift_fixes());
  EXPECT_FALSE(range(0.5, 1.4).shift_fixes()) << "across the edge of a tile";
  EXPECT_FALSE(range(0, 1).shift_fixes()) << "nothing to fix";
  EXPECT_EQ(range(0, 2.5).count_tiles(), 2.5);
  EXPECT_EQ(range(0.2, 0.3).count_tiles(), 1);
}

}  // namespace
}  // namespace wakuzume
