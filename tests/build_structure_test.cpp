// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/build.h"
#include "wakuzume/verify.h"

/// What a build leaves standing: nodes, sets, tables and the ledger.
namespace wakuzume {
namespace {

using test::SceneBuilder;

Built build_as(const Scene& scene,
               const ProposeSettings& settings = {.repeats = Repeats::merge},
               const SurveySettings& rules = {}) {
  const auto found = survey(scene, rules);
  const auto plan = propose(scene, *found, settings);
  auto built = build(scene, *plan);
  EXPECT_TRUE(built) << to_string(built.error());
  const auto valid = check_scene(built->scene);
  EXPECT_TRUE(valid) << to_string(valid.error());
  const auto verdict = verify(scene, built->scene, built->ledger);
  EXPECT_TRUE(verdict && verdict->passed)
      << (verdict->mismatches.empty() ? "" : verdict->mismatches[0].what);
  return std::move(*built);
}

const Node* find_node(const Scene& scene, const std::string& name) {
  const auto hit = std::find_if(scene.nodes.begin(), scene.nodes.end(),
                                [&](const Node& n) { return n.name == name; });
  return hit == scene.nodes.end() ? nullptr : &*hit;
}

class KeptNodes : public testing::Test {
 protected:
  KeptNodes() : material_(builder_.add_material("stone")) {}

  NodeId add(const std::string& name, NodeId parent = no_node, const Trs& trs = {}) {
    return builder_.add_node(name, builder_.add_mesh(name, test::make_square(), material_), trs,
                             parent);
  }

  SceneBuilder builder_;
  MaterialId material_;
};

TEST_F(KeptNodes, KeepNameExtrasAndPlace) {
  add("wall_a");
  add("wall_b", no_node, test::at(2));
  const NodeId hall = builder_.add_node("hall", no_mesh, test::at(1, 2, 3));
  const NodeId door = add("door", hall, test::at(4));
  builder_.set_extras(door, R"({"opens":"slowly"})");
  builder_.animate(door);
  const NodeId light = builder_.add_node("light", no_mesh, test::at(0, 7), hall);
  builder_.scene.lights.emplace_back().type = "point";
  builder_.scene.nodes[to_index(light)].light = LightId{0};
  const NodeId eye = builder_.add_node("eye", no_mesh, test::at(0, 0, 9));
  builder_.scene.cameras.emplace_back();
  builder_.scene.nodes[to_index(eye)].camera = CameraId{0};
  const Built built = build_as(builder_.finish());
  const auto world = make_world_matrices(built.scene);
  const Node* kept = find_node(built.scene, "door");
  ASSERT_NE(kept, nullptr);
  EXPECT_EQ(kept->extra->extras, R"({"opens":"slowly"})");
  const auto index = static_cast<std::size_t>(kept - built.scene.nodes.data());
  EXPECT_EQ((Vec3d{world[index][12], world[index][13], world[index][14]}), (Vec3d{5, 2, 3}));
  EXPECT_EQ(built.scene.animations[0].channels[0].node, make_id<NodeId>(index));
  ASSERT_NE(find_node(built.scene, "light"), nullptr);
  ASSERT_NE(find_node(built.scene, "eye"), nullptr);
  EXPECT_EQ(find_node(built.scene, "eye")->camera, CameraId{0});
  EXPECT_EQ(find_node(built.scene, "wall_a"), nullptr) << "merged and with nothing else to hold";
}

TEST_F(KeptNodes, EmptiedParentsKeepTheirChildrensTransforms) {
  const NodeId bench = add("bench", no_node, test::scaled(2, 2, 2, {3, 0, 0}));
  add("other", no_node, test::at(8));
  const NodeId lamp = add("lamp", bench, test::at(1));
  builder_.scene.lights.emplace_back().type = "point";
  builder_.scene.nodes[to_index(lamp)].light = LightId{0};
  const Built built = build_as(builder_.finish());
  const Node* parent = find_node(built.scene, "bench");
  ASSERT_NE(parent, nullptr);
  EXPECT_EQ(parent->mesh, no_mesh);
  const Node* child = find_node(built.scene, "lamp");
  const auto world = make_world_matrices(built.scene);
  const auto index = static_cast<std::size_t>(child - built.scene.nodes.data());
  EXPECT_EQ(world[index][12], 5);
  EXPECT_EQ(world[index][0], 2);
}

TEST_F(KeptNodes, GroupsThatHeldNothingElseGoUnlessTheyAreMarked) {
  const NodeId plain = builder_.add_node("plain group");
  const NodeId marked = builder_.add_node("marked group");
  builder_.set_extras(marked, R"({"spawn":1})");
  builder_.add_node("empty before");
  for (const NodeId parent : {plain, marked}) {
    add("part", parent);
    add("part", parent);
  }
  const Built built = build_as(builder_.finish());
  EXPECT_EQ(find_node(built.scene, "plain group"), nullptr);
  EXPECT_NE(find_node(built.scene, "marked group"), nullptr);
  EXPECT_NE(find_node(built.scene, "empty before"), nullptr);
}

TEST_F(KeptNodes, CollidersAndExcludedNodesStayWithAllBelow) {
  add("wall");
  add("floor");
  add("wall_collider");
  const NodeId altar = add("altar");
  add("candle", altar);
  SurveySettings rules;
  rules.keep_nodes = {"/altar"};
  const Built built = build_as(builder_.finish(), {.repeats = Repeats::merge}, rules);
  for (const char* name : {"wall_collider", "altar", "candle"}) {
    const Node* node = find_node(built.scene, name);
    ASSERT_NE(node, nullptr) << name;
    EXPECT_NE(node->mesh, no_mesh) << name;
  }
  EXPECT_EQ(make_draw_list(built.scene).size(), 4U);
}

TEST_F(KeptNodes, PartOfAMeshMayGoAndTheRestStaysRight) {
  const MaterialId glass = builder_.add_material("glass", AlphaMode::blend);
  const MeshId window =
      builder_.add_mesh("window", {builder_.make_primitive(test::make_tetrahedron(), material_),
                                   builder_.make_primitive(test::make_square(), glass),
                                   builder_.make_primitive(test::make_square(), material_)});
  for (int i = 0; i < 3; ++i) {
    builder_.add_node("w", window, test::at(i));
  }
  const Scene scene = builder_.finish();
  const Built built = build_as(scene, {.repeats = Repeats::merge, .blended = Blended::keep});
  EXPECT_EQ(make_draw_list(built.scene).size(), 1U + 3U);
  for (const LedgerRow& row : built.ledger.rows) {
    EXPECT_EQ(row.fate, row.source.primitive == 1 ? Fate::kept : Fate::merged);
    EXPECT_EQ(row.primitive, 0U);
  }
  // One remainder serves all three nodes.
  EXPECT_EQ(built.scene.meshes.size(), 2U);
  EXPECT_EQ(test::count_unmatched(test::make_soup(scene), test::make_soup(built.scene), 1e-6), 0U);
}

class InstanceSets : public testing::Test {
 protected:
  SceneBuilder builder_;
};

TEST_F(InstanceSets, StandWhereTheirMembersStood) {
  const MaterialId material = builder_.add_material("clay");
  const MeshId mesh = builder_.add_mesh("pot", test::make_tetrahedron(), material);
  const NodeId far = builder_.add_node("far", no_mesh, test::at(10'000, 0, 0));
  for (int i = 0; i < 12; ++i) {
    const double angle = i * 0.4;
    Trs trs;
    trs.translation = {i * 1.5, std::sin(angle), 2.0};
    trs.rotation = {0, std::sin(angle / 2), 0, std::cos(angle / 2)};
    trs.scale = {1 + 0.1 * i, 1, 1 + 0.05 * i};
    builder_.add_node("p", mesh, trs, far);
  }
  const Scene scene = builder_.finish();
  const Built built = build_as(scene, {.repeats = Repeats::instance});
  const auto draws = make_draw_list(built.scene);
  ASSERT_EQ(draws.size(), 1U);
  const Node& node = built.scene[draws[0].node];
  ASSERT_TRUE(node.instancing);
  EXPECT_EQ(node.instancing->attributes.size(), 3U);
  EXPECT_EQ(node.mesh, MeshId{0}) << "the mesh itself is shared, not copied";
  EXPECT_NEAR(node.trs.translation[0], 10'008.25, 1e-9);
  EXPECT_EQ(test::count_unmatched(test::make_soup(scene), test::make_soup(built.scene), 2e-6), 0U);
  EXPECT_EQ(built.scene.extensions_required, (std::vector<std::string>{"EXT_mesh_gpu_instancing"}));
}

TEST_F(InstanceSets, LeaveOutLanesThatSayNothing) {
  const MeshId mesh = builder_.add_mesh("pot", test::make_tetrahedron());
  for (int i = 0; i < 8; ++i) {
    builder_.add_node("p", mesh, test::at(i));
  }
  const Built built = build_as(builder_.finish(), {.repeats = Repeats::instance});
  const Node& node = built.scene[make_draw_list(built.scene)[0].node];
  ASSERT_EQ(node.instancing->attributes.size(), 1U);
  EXPECT_EQ(node.instancing->attributes[0].semantic, "TRANSLATION");
}

TEST_F(InstanceSets, ShareLanesThatAreEqual) {
  // A model of two materials is two sets that stand alike; a third stands elsewhere.
  const MeshId mesh =
      builder_.add_mesh("pot", test::make_tetrahedron(), builder_.add_material("a"));
  builder_.scene.meshes[to_index(mesh)].primitives.push_back(
      builder_.scene.meshes[to_index(mesh)].primitives[0]);
  const MaterialId glaze = builder_.add_material("b");
  builder_.scene.materials[to_index(glaze)].roughness = 0.5;
  builder_.scene.meshes[to_index(mesh)].primitives[1].material = glaze;
  const MaterialId brass = builder_.add_material("c");
  builder_.scene.materials[to_index(brass)].metallic = 0.25;
  const MeshId other = builder_.add_mesh("lamp", test::make_tetrahedron(), brass);
  for (int i = 0; i < 8; ++i) {
    builder_.add_node("p", mesh, test::scaled(1, 2, 1, {i * 1.5, 0, 0}));
    builder_.add_node("l", other, test::scaled(1, 2, 1, {i * 2.5, 0, 4}));
  }
  const Scene scene = builder_.finish();
  const Built built = build_as(scene, {.repeats = Repeats::instance});
  std::map<std::string, std::multiset<StreamId>> lanes;
  for (const Node& node : built.scene.nodes) {
    for (const Attribute& attribute :
         node.instancing ? node.instancing->attributes : std::vector<Attribute>{}) {
      lanes[attribute.semantic].insert(attribute.stream);
    }
  }
  ASSERT_EQ(lanes["TRANSLATION"].size(), 3U);
  EXPECT_EQ(std::set(lanes["TRANSLATION"].begin(), lanes["TRANSLATION"].end()).size(), 2U);
  EXPECT_EQ(std::set(lanes["SCALE"].begin(), lanes["SCALE"].end()).size(), 1U);
  EXPECT_EQ(test::count_unmatched(test::make_soup(scene), test::make_soup(built.scene), 1e-5), 0U);
}

TEST_F(InstanceSets, MirrorTheNodeAndNotTheInstances) {
  const MeshId mesh = builder_.add_mesh("pot", test::make_tetrahedron());
  for (int i = 0; i < 8; ++i) {
    builder_.add_node("p", mesh, test::scaled(1, 1, -2, {i * 2.0, 0, 0}));
  }
  const Scene scene = builder_.finish();
  const Built built = build_as(scene, {.repeats = Repeats::instance});
  const Node& node = built.scene[make_draw_list(built.scene)[0].node];
  EXPECT_EQ(node.trs.scale, (Vec3d{-1, 1, 1}));
  for (const Attribute& attribute : node.instancing->attributes) {
    if (attribute.semantic == "SCALE") {
      const auto scales = make_floats(built.scene, attribute.stream);
      for (std::size_t i = 0; i < scales.size(); i += 3) {
        EXPECT_GT(scales[i] * scales[i + 1] * scales[i + 2], 0);
      }
    }
  }
  EXPECT_EQ(test::count_unmatched(test::make_soup(scene), test::make_soup(built.scene), 1e-5), 0U);
}

TEST_F(InstanceSets, TakeOnePrimitiveOfSeveral) {
  const MaterialId brass = builder_.add_material("brass");
  const MaterialId red = builder_.add_material("red");
  const MeshId valve =
      builder_.add_mesh("valve", {builder_.make_primitive(test::make_square(), brass),
                                  builder_.make_primitive(test::make_tetrahedron(), red)});
  for (int i = 0; i < 9; ++i) {
    builder_.add_node("v", valve, test::at(i));
  }
  const Built built = build_as(
      builder_.finish(), {.repeats = Repeats::instance, .equal_materials = EqualMaterials::apart});
  EXPECT_EQ(make_draw_list(built.scene).size(), 2U);
  std::array<std::set<std::uint32_t>, 2> numbers;
  for (const LedgerRow& row : built.ledger.rows) {
    EXPECT_EQ(row.fate, Fate::instanced);
    numbers[row.source.primitive].insert(row.instance);
  }
  EXPECT_EQ(numbers[0], (std::set<std::uint32_t>{0, 1, 2, 3, 4, 5, 6, 7, 8}));
  EXPECT_EQ(numbers[0], numbers[1]);
}

class Tables : public testing::Test {
 protected:
  Tables() : material_(builder_.add_material("stone")) {
    for (int i = 0; i < 4; ++i) {
      builder_.add_node("n", builder_.add_mesh("m", test::make_square(), material_), test::at(i));
    }
  }
  SceneBuilder builder_;
  MaterialId material_;
};

TEST_F(Tables, LoseTheDataThatNothingRefersToAnyMore) {
  const Built built = build_as(builder_.finish());
  EXPECT_EQ(built.scene.meshes.size(), 1U);
  EXPECT_EQ(built.scene.streams.size(), 4U);
  EXPECT_EQ(built.scene.views.size(), 4U);
  EXPECT_EQ(built.scene.blocks.size(), 1U);
  EXPECT_EQ(built.scene.nodes.size(), 1U);
}

TEST_F(Tables, KeepWhatWasUnusedBefore) {
  builder_.add_mesh("spare", test::make_tetrahedron(), builder_.add_material("spare"));
  const Built built = build_as(builder_.finish());
  EXPECT_EQ(built.scene.meshes.size(), 2U);
  EXPECT_EQ(built.scene.meshes[0].name, "spare");
  EXPECT_EQ(built.scene.materials.size(), 2U);
}

TEST_F(Tables, CutSharedViewsDownToWhatIsStillRead) {
  // One view for the positions of 100 parts; only the last of them stays as it is.
  SceneBuilder builder;
  std::vector<float> positions;
  for (int part = 0; part < 100; ++part) {
    const auto square = test::make_square().positions;
    positions.insert(positions.end(), square.begin(), square.end());
  }
  builder.add_stream(positions, ElementType::vec3, ComponentType::f32);
  builder.scene.streams.clear();
  builder.scene.views[0].stride = 12;
  for (std::uint32_t part = 0; part < 100; ++part) {
    Stream stream;
    stream.view = ViewId{0};
    stream.offset = part * 48;
    stream.count = 4;
    stream.element = ElementType::vec3;
    builder.scene.streams.push_back(stream);
    Primitive primitive;
    primitive.mode = PrimitiveMode::triangle_strip;
    primitive.attributes = {{"POSITION", make_id<StreamId>(part)}};
    const NodeId node =
        builder.add_node(part == 99 ? "last" : "n", builder.add_mesh("m", {primitive}));
    if (part == 99) {
      builder.set_extras(node, R"({"static":false})");
    }
  }
  const Built built = build_as(builder.finish());
  const Node* last = find_node(built.scene, "last");
  ASSERT_NE(last, nullptr);
  const Primitive& kept = built.scene[last->mesh].primitives[0];
  const Stream& stream = built.scene[kept.find("POSITION")];
  EXPECT_EQ(built.scene[stream.view].length, 48U);
  EXPECT_EQ(built.scene[stream.view].offset, 99U * 48);
  EXPECT_EQ(stream.offset, 0U);
  EXPECT_EQ(make_floats(built.scene, kept.find("POSITION")), test::make_square().positions);
}

TEST_F(Tables, StayNumberedWhileAnUnknownExtensionMayPointIntoThem) {
  builder_.scene.extra.ensure().extensions = {{"X_trigger", R"({"nodes":[2]})"}};
  const Built built = build_as(builder_.finish());
  EXPECT_EQ(built.scene.nodes.size(), 5U);
  EXPECT_EQ(built.scene.meshes.size(), 5U);
  ASSERT_FALSE(built.ledger.left_out.empty());
  EXPECT_NE(built.ledger.left_out[0].find("X_trigger"), std::string::npos);
}

TEST_F(Tables, AreCompactedBesideExtensionsThatCanNotPoint) {
  builder_.scene.extra.ensure().extensions = {{"X_weather", R"({"rain":0.5,"name":"a 7"})"}};
  builder_.scene.materials[0].extra.ensure().extensions = {{"KHR_materials_ior", R"({"ior":2})"}};
  EXPECT_EQ(build_as(builder_.finish()).scene.nodes.size(), 1U);
}

TEST_F(Tables, ReferToTheSameNodesAfterRenumbering) {
  const NodeId bone = builder_.add_node("bone");
  const NodeId body = builder_.add_node(
      "body", builder_.add_mesh("body", test::make_tetrahedron(), material_), test::at(9));
  Skin skin;
  skin.joints = {bone};
  skin.skeleton = bone;
  builder_.scene.skins.push_back(skin);
  builder_.scene.nodes[to_index(body)].skin = SkinId{0};
  const Built built = build_as(builder_.finish());
  EXPECT_EQ(built.scene[built.scene.skins[0].joints[0]].name, "bone");
  EXPECT_EQ(built.scene[built.scene.skins[0].skeleton].name, "bone");
}

TEST(BuildLevels, ShowAResultWhereItsMembersWereShown) {
  SceneBuilder builder;
  std::vector<NodeId> nodes;
  for (int i = 0; i < 4; ++i) {
    nodes.push_back(builder.add_node("n", builder.add_mesh("m", test::make_square()), test::at(i)));
  }
  builder.scene.levels[0].roots = {nodes[0], nodes[1]};
  builder.scene.levels.emplace_back().roots = {nodes[2], nodes[3]};
  const Built built = build_as(builder.finish());
  ASSERT_EQ(built.scene.nodes.size(), 2U);
  EXPECT_EQ(built.scene.levels[0].roots, (std::vector<NodeId>{NodeId{0}}));
  EXPECT_EQ(built.scene.levels[1].roots, (std::vector<NodeId>{NodeId{1}}));
}

TEST(BuildLedger, HasARowForEveryDrawAndItsRangesTileTheResult) {
  for (std::uint32_t seed = 100; seed < 110; ++seed) {
    const Scene scene = test::make_random_scene(seed, 80);
    const Built built = build_as(scene, {.min_instances = 3, .repeats = Repeats::instance});
    const auto draws = make_draw_list(scene);
    ASSERT_EQ(built.ledger.rows.size(), draws.size());
    std::array<std::size_t, fate_count> fates{};
    for (std::size_t d = 0; d < draws.size(); ++d) {
      EXPECT_EQ(built.ledger.rows[d].source, draws[d]);
      ++fates[static_cast<std::size_t>(built.ledger.rows[d].fate)];
    }
    EXPECT_EQ(fates[0] + fates[1] + fates[2], draws.size());
    EXPECT_EQ(fates[3], 0U);
    EXPECT_GT(fates[0], 0U);
  }
}

TEST(BuildAgain, OfABuiltSceneMergesNothingMore) {
  const Scene scene = test::make_random_scene(12, 80);
  const Built once = build_as(scene);
  const auto found = survey(once.scene);
  const auto plan = propose(once.scene, *found, {.repeats = Repeats::merge});
  EXPECT_EQ(plan->groups.size(), 0U);
}

}  // namespace
}  // namespace wakuzume
