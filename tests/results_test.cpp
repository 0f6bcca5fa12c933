// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <algorithm>
#include <map>
#include <set>

#include "glasshouse.h"
#include "support/parts.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/io.h"
#include "wakuzume/restore.h"
#include "wakuzume/revise.h"

/// What a group becomes beside a merged mesh: objects, single instances, colliders, assets, names.
namespace wakuzume {
namespace {

struct Made {
  Plan plan;
  Built built;
};

Made make(const Scene& scene, const ProposeSettings& settings, const BuildSettings& how = {}) {
  auto plan = propose(scene, *survey(scene), settings);
  EXPECT_TRUE(plan) << to_string(plan.error());
  auto built = build(scene, *plan, how);
  EXPECT_TRUE(built) << to_string(built.error());
  return {std::move(*plan), std::move(*built)};
}

void expect_proved(const Scene& source, const Built& built, const std::string& what) {
  const auto valid = check_scene(built.scene);
  ASSERT_TRUE(valid) << what << ": " << to_string(valid.error());
  const auto verdict = verify(source, built.scene, built.ledger);
  ASSERT_TRUE(verdict) << what;
  EXPECT_TRUE(verdict->passed) << what << ": " << verdict->mismatches[0].what;
  EXPECT_EQ(test::count_unmatched(test::make_soup(source), test::make_soup(built.scene), 2e-4), 0U)
      << what;
}

NodeId find_node(const Scene& scene, const std::string& name) {
  const auto hit = std::find_if(scene.nodes.begin(), scene.nodes.end(),
                                [&](const Node& node) { return node.name == name; });
  return hit == scene.nodes.end()
             ? no_node
             : make_id<NodeId>(static_cast<std::size_t>(hit - scene.nodes.begin()));
}

/// A door of two materials, four parts each, on a hinge that turns.
struct Door {
  Door() {
    hinge = builder.add_node("hinge", no_mesh, test::at(3, 0, 1));
    builder.animate(hinge);
    for (const char* name : {"wood", "iron"}) {
      const MaterialId material = builder.add_material(name);
      builder.scene.materials.back().metallic = to_index(material) == 0 ? 0 : 1;
      for (std::uint32_t i = 0; i < 4; ++i) {
        const auto mesh = builder.add_mesh(
            name, test::make_part(10 * static_cast<std::uint32_t>(material) + i), material);
        builder.add_node(std::string(name) + std::to_string(i), mesh,
                         test::at(2.0 * i, 5.0 * static_cast<double>(to_index(material))), hinge);
      }
    }
  }
  test::SceneBuilder builder;
  NodeId hinge;
};

TEST(Objects, AreOneMeshWithAPrimitiveAMaterial) {
  Door door;
  const Scene scene = door.builder.finish();
  const Made made = make(scene, {.mesh_unit = MeshUnit::place});
  expect_proved(scene, made.built, "door");
  ASSERT_EQ(made.plan.groups.size(), 2U);
  EXPECT_EQ(made.plan.groups[0].object, "object_hinge_001");
  EXPECT_EQ(made.plan.groups[1].object, "object_hinge_001");
  const NodeId node = find_node(made.built.scene, "object_hinge_001");
  ASSERT_NE(node, no_node);
  EXPECT_EQ(made.built.scene[node].parent, door.hinge) << "and still swings";
  EXPECT_EQ(made.built.scene[made.built.scene[node].mesh].primitives.size(), 2U);
  ASSERT_EQ(made.built.ledger.results.size(), 2U);
  EXPECT_EQ(made.built.ledger.results[1].primitive, 1U);

  // One of the two back: the other stays, and then it is alone.
  const auto some =
      restore(made.built.scene, made.built.ledger, scene, {.groups = {made.plan.groups[0].name}});
  ASSERT_TRUE(some) << to_string(some.error());
  expect_proved(scene, *some, "one group back");
  ASSERT_EQ(some->ledger.results.size(), 1U);
  EXPECT_EQ(some->ledger.results[0].group, made.plan.groups[1].name);
  EXPECT_EQ(some->ledger.results[0].primitive, 0U);
  // One part of each: both primitives are cut.
  const auto parts = restore(made.built.scene, made.built.ledger, scene,
                             {.nodes = {"/hinge/wood1", "/hinge/iron2"}});
  ASSERT_TRUE(parts);
  expect_proved(scene, *parts, "parts back");
  const auto all = restore(parts->scene, parts->ledger, scene, {.everything = true});
  ASSERT_TRUE(all);
  EXPECT_EQ(make_content_hash(all->scene), make_content_hash(scene));
  const auto by_object =
      restore(made.built.scene, made.built.ledger, scene, {.groups = {"object_*"}});
  ASSERT_TRUE(by_object);
  EXPECT_TRUE(by_object->ledger.results.empty());
}

TEST(Objects, AreWhatThePlanIsEditedTo) {
  Door door;
  const Scene scene = door.builder.finish();
  const Survey found = *survey(scene);
  const Plan plan = *propose(scene, found);
  ASSERT_EQ(plan.groups.size(), 2U);
  const std::string& a = plan.groups[0].name;
  const std::string& b = plan.groups[1].name;
  const Edit edits[] = {
      {.kind = EditKind::join, .group = a, .value = "door"},
      {.kind = EditKind::join, .group = b, .value = "door"},
      {.kind = EditKind::pivot, .group = b, .pivot_at = PivotAt::node, .pivot_node = door.hinge}};
  const auto joined = edit_plan(scene, found, plan, edits);
  ASSERT_TRUE(joined) << to_string(joined.error());
  const auto built = build(scene, *joined);
  ASSERT_TRUE(built);
  expect_proved(scene, *built, "joined");
  const NodeId node = find_node(built->scene, "door");
  ASSERT_NE(node, no_node);
  for (const double value : built->scene[node].trs.translation) {
    EXPECT_NEAR(value, 0, 1e-12) << "at the hinge, for both";
  }
  const Edit name[] = {{.kind = EditKind::join, .group = a, .value = b}};
  EXPECT_EQ(edit_plan(scene, found, plan, name).error().code, ErrorCode::plan_invalid);
}

TEST(Objects, OfPartsThatMoveApartAreRefused) {
  Door door;
  for (std::uint32_t i = 0; i < 3; ++i) {
    door.builder.add_node("wall", door.builder.add_mesh("wall", test::make_part(50 + i)),
                          test::at(20.0 + i));
  }
  const Scene scene = door.builder.finish();
  const Survey found = *survey(scene);
  const Plan plan = *propose(scene, found);
  ASSERT_EQ(plan.groups.size(), 3U);
  std::vector<Edit> edits;
  for (const Group& group : plan.groups) {
    edits.push_back({.kind = EditKind::join, .group = group.name, .value = "all"});
  }
  const auto joined = edit_plan(scene, found, plan, edits);
  ASSERT_FALSE(joined);
  EXPECT_NE(joined.error().message.find("can't be one object"), std::string::npos)
      << joined.error().message;
}

class RandomResults : public testing::TestWithParam<int> {};

/// Objects, colliders and a carried source at once, in scenes with all there is.
TEST_P(RandomResults, HoldEverythingAndComeBack) {
  for (int i = 0; i < 40; ++i) {
    const auto seed = static_cast<std::uint32_t>(GetParam() * 40 + i);
    const Scene scene = test::make_random_scene(seed, 24);
    ProposeSettings settings{.repeats = static_cast<Repeats>(seed % 3),
                             .cell_size_m = seed % 2 == 0 ? 20.0 : 0.0,
                             .mesh_unit = MeshUnit::place,
                             .colliders = static_cast<ColliderShape>(seed % 4)};
    BuildSettings how;
    how.carry_source = seed % 3 == 0 ? CarrySource::no : CarrySource::hidden;
    const Made made = make(scene, settings, how);
    expect_proved(scene, made.built, "seed " + std::to_string(seed));
    const auto carried = find_carried_source(made.built.scene, made.built.ledger);
    ASSERT_EQ(carried.has_value(), seed % 3 != 0);
    if (carried) {
      EXPECT_EQ(make_content_hash(*carried), make_content_hash(scene)) << "seed " << seed;
    }
    std::vector<std::string> nodes;
    for (std::size_t r = 0; r < made.built.ledger.rows.size(); r += 3) {
      const LedgerRow& row = made.built.ledger.rows[r];
      if (row.fate == Fate::merged || row.fate == Fate::instanced) {
        nodes.push_back(make_node_path(scene, row.source.node));
      }
    }
    const auto some = restore(made.built.scene, made.built.ledger, scene, {.nodes = nodes});
    ASSERT_TRUE(some) << "seed " << seed << ": " << to_string(some.error());
    expect_proved(scene, *some, "some of seed " + std::to_string(seed));
    const auto all = restore(some->scene, some->ledger, scene, {.everything = true});
    ASSERT_TRUE(all);
    EXPECT_EQ(make_content_hash(all->scene), make_content_hash(scene)) << "seed " << seed;
  }
}

INSTANTIATE_TEST_SUITE_P(Lots, RandomResults, testing::Range(0, 6));

TEST(SingleInstances, AreOrdinaryNodes) {
  test::SceneBuilder builder;
  const MaterialId red = builder.add_material("red");
  const MaterialId blue = builder.add_material("blue");
  builder.scene.materials[1].base_color = {0, 0, 1, 1};
  const auto part = test::make_part(1);
  const MeshId mesh = builder.add_mesh("lamp", part, red);
  const MeshId other = builder.add_mesh("lamp", part, blue);
  for (int i = 0; i < 4; ++i) {
    builder.add_node("lamp", i % 2 == 0 ? mesh : other,
                     test::scaled(i == 3 ? -1 : 1, 1, 1, {5.0 * i, 0, 0}));
  }
  const Scene scene = builder.finish();
  Plan plan = *propose(scene, *survey(scene), {.repeats = Repeats::instance});
  ASSERT_FALSE(plan.groups.empty());
  Group& group = plan.groups[0];
  ASSERT_EQ(group.tint, "base_color");
  // By hand: all but one of its instances stay as they are, and be it a blue one.
  while (group.members.size() > 1) {
    plan.kept.push_back({group.members.front(), KeepReason::by_hand, StayRule::none});
    group.members.erase(group.members.begin());
    if (!group.fits.empty()) {
      group.fits.erase(group.fits.begin());
    }
  }
  const auto built = build(scene, plan);
  ASSERT_TRUE(built) << to_string(built.error());
  expect_proved(scene, *built, "one left");
  const NodeId node = find_node(built->scene, group.name);
  ASSERT_NE(node, no_node);
  EXPECT_FALSE(built->scene[node].instancing);
  EXPECT_TRUE(std::find(built->scene.extensions_required.begin(),
                        built->scene.extensions_required.end(),
                        "EXT_mesh_gpu_instancing") == built->scene.extensions_required.end() ||
              plan.groups.size() > 1);
  const auto all = restore(built->scene, built->ledger, scene, {.everything = true});
  ASSERT_TRUE(all) << to_string(all.error());
  EXPECT_EQ(make_content_hash(all->scene), make_content_hash(scene));
}

// ---- colliders --------------------------------------------------------------------------------

std::vector<Eigen::Vector3d> places_of(const Scene& scene, const Primitive& primitive) {
  const std::vector<float> values = make_floats(scene, primitive.find("POSITION"));
  std::vector<Eigen::Vector3d> out;
  for (const std::uint32_t v : make_list_indices(scene, primitive)) {
    out.emplace_back(values[3 * v], values[3 * v + 1], values[3 * v + 2]);
  }
  return out;
}

/// Signed volume, and how far a point may be outside of the planes of the triangles.
double find_volume(const std::vector<Eigen::Vector3d>& corners) {
  double sum = 0;
  for (std::size_t i = 0; i < corners.size(); i += 3) {
    sum += corners[i].dot(corners[i + 1].cross(corners[i + 2])) / 6;
  }
  return sum;
}

double find_farthest_outside(const std::vector<Eigen::Vector3d>& body,
                             const std::vector<Eigen::Vector3d>& points) {
  double out = 0;
  for (std::size_t i = 0; i < body.size(); i += 3) {
    const Eigen::Vector3d across = (body[i + 1] - body[i]).cross(body[i + 2] - body[i]);
    for (const Eigen::Vector3d& point : points) {
      out = std::max(out, across.normalized().dot(point - body[i]));
    }
  }
  return out;
}

class Colliders : public testing::TestWithParam<ColliderShape> {};

TEST_P(Colliders, StandInForTheirGroups) {
  Door door;
  const Scene scene = door.builder.finish();
  const Made made = make(scene, {.colliders = GetParam()});
  expect_proved(scene, made.built, "colliders");
  EXPECT_EQ(make_draw_list(made.built.scene).size(), 2U) << "nobody sees a collider";
  ASSERT_EQ(made.built.ledger.results.size(), 2U);
  for (const LedgerResult& result : made.built.ledger.results) {
    ASSERT_NE(result.collider, no_node);
    const Node& node = made.built.scene[result.collider];
    EXPECT_EQ(node.parent, result.node);
    EXPECT_EQ(node.name, result.group + "_collider");
    EXPECT_EQ(node.extra->extras, R"({"collider":true})");
    const auto shown = places_of(
        made.built.scene, made.built.scene[made.built.scene[result.node].mesh].primitives[0]);
    const Primitive& body = made.built.scene[node.mesh].primitives[0];
    const auto corners = places_of(made.built.scene, body);
    if (GetParam() == ColliderShape::triangles) {
      EXPECT_EQ(corners, shown);
      continue;
    }
    EXPECT_LE(find_farthest_outside(corners, shown), 1e-4);
    Eigen::AlignedBox3d box;
    for (const Eigen::Vector3d& place : shown) {
      box.extend(place);
    }
    const double volume = find_volume(corners);
    if (GetParam() == ColliderShape::box) {
      EXPECT_EQ(corners.size(), 36U);
      EXPECT_NEAR(volume, box.volume(), 1e-4 * box.volume());
    } else {
      EXPECT_GT(volume, 0.1 * box.volume());
      EXPECT_LT(volume, 0.95 * box.volume());
      EXPECT_LE(find_farthest_outside(corners, corners), 1e-4) << "convex";
      EXPECT_EQ(body.material, no_material);
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Shapes,
                         Colliders,
                         testing::Values(ColliderShape::triangles,
                                         ColliderShape::box,
                                         ColliderShape::hull));

TEST(ColliderHulls, OfFlatThingsAreTheirBox) {
  test::SceneBuilder builder;
  for (int i = 0; i < 3; ++i) {
    builder.add_node("flat",
                     builder.add_mesh("flat", test::make_fan(5 + static_cast<std::size_t>(i))),
                     test::at(i));
  }
  const Scene scene = builder.finish();
  const Made made = make(scene, {.repeats = Repeats::merge, .colliders = ColliderShape::hull});
  ASSERT_EQ(made.built.ledger.results.size(), 1U);
  const LedgerResult& result = made.built.ledger.results[0];
  ASSERT_NE(result.collider, no_node);
  const Node& node = made.built.scene[result.collider];
  EXPECT_EQ(places_of(made.built.scene, made.built.scene[node.mesh].primitives[0]).size(), 36U);
}

TEST(ColliderNodes, OfInstanceSetsHaveTheInstances) {
  const Scene scene = demo::make_glasshouse();
  const Made made = make(scene, {.repeats = Repeats::instance, .colliders = ColliderShape::box});
  std::size_t sets = 0;
  for (const LedgerResult& result : made.built.ledger.results) {
    const Node& shown = made.built.scene[result.node];
    if (!result.joints.empty()) {
      continue;  // what is deformed has none
    }
    const Node& collider = made.built.scene[result.collider];
    ASSERT_EQ(static_cast<bool>(shown.instancing), static_cast<bool>(collider.instancing));
    if (shown.instancing) {
      ++sets;
      EXPECT_EQ(collider.instancing->attributes[0].stream, shown.instancing->attributes[0].stream);
    }
  }
  EXPECT_GT(sets, 5U);
  EXPECT_EQ(survey(made.built.scene)->draws.size(), make_draw_list(made.built.scene).size());
}

// ---- assets and names ---------------------------------------------------------------------------

TEST(Assets, AreTheGroupAtItsPivot) {
  Door door;
  const Scene scene = door.builder.finish();
  BuildSettings how;
  how.assets = {"merged_wood_*"};
  const Made made = make(scene, {.colliders = ColliderShape::box}, how);
  ASSERT_EQ(made.built.assets.size(), 1U);
  const AssetScene& asset = made.built.assets[0];
  EXPECT_EQ(asset.name, "merged_wood_001.glb");
  EXPECT_TRUE(check_scene(asset.scene));
  EXPECT_EQ(asset.scene.materials.size(), 1U);
  EXPECT_EQ(asset.scene.nodes.size(), 2U) << "with its collider";
  EXPECT_EQ(make_draw_list(asset.scene).size(), 1U);
  const Survey found = *survey(asset.scene);
  for (const double c : found.bounds.centre()) {
    EXPECT_NEAR(c, 0, 1e-5) << "the plan's pivot is the centre of the box";
  }
  const NodeId node = find_node(made.built.scene, "merged_wood_001");
  EXPECT_EQ(made.built.scene[node].extra->extras, R"({"asset":"merged_wood_001.glb"})");
  expect_proved(scene, made.built, "with an asset");
  how.assets = {"nothing*"};
  const auto plain = build(scene, made.plan, how);
  ASSERT_TRUE(plain);
  EXPECT_TRUE(plain->assets.empty());
  EXPECT_NE(plain->ledger.left_out.back().find("'nothing*'"), std::string::npos);
  how.assets = {"colour=red"};
  EXPECT_EQ(build(scene, made.plan, how).error().code, ErrorCode::bad_setting);
}

class AssetPivots : public testing::TestWithParam<PivotAt> {};

/// The file holds one prop, the scene its instances; together they are what there was.
TEST_P(AssetPivots, OfPropsGoIntoTheirInstances) {
  const Scene scene = demo::make_glasshouse();
  BuildSettings how;
  how.assets = {"set_*"};
  how.asset_pivot = GetParam();
  const Made made = make(scene, {.repeats = Repeats::instance}, how);
  const auto verdict = verify(scene, made.built.scene, made.built.ledger);
  ASSERT_TRUE(verdict);
  EXPECT_TRUE(verdict->passed) << verdict->mismatches[0].what;
  EXPECT_GT(made.built.assets.size(), 5U);
  const auto folder = test::make_scratch();
  for (std::size_t a = 0; a < made.built.assets.size(); ++a) {
    const AssetScene& asset = made.built.assets[a];
    ASSERT_TRUE(check_scene(asset.scene)) << asset.name;
    EXPECT_FALSE(asset.scene.nodes[0].instancing);
    std::uint64_t bytes = 0;
    for (const Block& block : asset.scene.blocks) {
      bytes += block.bytes.size();
    }
    EXPECT_LE(bytes,
              40 * count_totals(asset.scene).vertices + 16 * count_totals(asset.scene).triangles)
        << asset.name << " holds nothing of others";
    const Box3d box = survey(asset.scene)->bounds;
    if (GetParam() == PivotAt::bounds_base) {
      EXPECT_NEAR(box.min[1], 0, 1e-5) << asset.name;
      EXPECT_NEAR(box.centre()[0], 0, 1e-5) << asset.name;
    }
    if (a < 3) {
      ASSERT_TRUE(write_scene(asset.scene, (folder / asset.name).string()));
      EXPECT_EQ(test::ask_validator(folder / asset.name).substr(0, 2), "0 ") << asset.name;
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Places,
                         AssetPivots,
                         testing::Values(PivotAt::world_origin,
                                         PivotAt::bounds_centre,
                                         PivotAt::bounds_base));

TEST(GroupNames, FollowThePattern) {
  Door door;
  const Scene scene = door.builder.finish();
  const auto names = [&](const std::string& pattern) {
    ProposeSettings settings;
    settings.cluster_names = pattern;
    const auto plan = propose(scene, *survey(scene), settings);
    std::vector<std::string> out;
    if (!plan) {
      return std::vector<std::string>{to_string(plan.error().code) == "" ? "" : "refused"};
    }
    for (const Group& group : plan->groups) {
      out.push_back(group.name);
    }
    return out;
  };
  using Names = std::vector<std::string>;
  EXPECT_EQ(names("merged_{material}_{number}"), (Names{"merged_wood_001", "merged_iron_001"}));
  EXPECT_EQ(names("{root}.{material}"), (Names{"hinge.wood", "hinge.iron"}));
  EXPECT_EQ(names("x{number}-{lightmap}"), (Names{"x001-none", "x002-none"}));
  EXPECT_EQ(names("all"), (Names{"all", "all_002"})) << "unique all the same";
  EXPECT_EQ(names("hinge"), (Names{"hinge_002", "hinge_003"})) << "a node has that one";
  EXPECT_EQ(names("{nonsense}"), Names{"refused"});
  EXPECT_EQ(names(""), Names{"refused"});
  EXPECT_EQ(names("}{"), Names{"refused"});
}

}  // namespace
}  // namespace wakuzume
