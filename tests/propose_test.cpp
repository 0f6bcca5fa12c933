// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/propose.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <set>

#include "support/scene_builder.h"

namespace wakuzume {
namespace {

using test::SceneBuilder;

Plan plan_of(const Scene& scene,
             const ProposeSettings& settings = {},
             const SurveySettings& rules = {}) {
  const auto found = survey(scene, rules);
  EXPECT_TRUE(found);
  auto plan = propose(scene, *found, settings);
  EXPECT_TRUE(plan) << to_string(plan.error());
  const auto checked = check_plan(scene, *plan);
  EXPECT_TRUE(checked) << to_string(checked.error());
  return std::move(*plan);
}

KeepReason reason_of(const Plan& plan, NodeId node) {
  const auto hit = std::find_if(plan.kept.begin(), plan.kept.end(),
                                [&](const KeptDraw& k) { return k.draw.node == node; });
  EXPECT_NE(hit, plan.kept.end()) << "node " << to_index(node) << " is not kept";
  return hit == plan.kept.end() ? KeepReason::must_stay : hit->reason;
}

/// A row of squares along x, each with a mesh of its own.
Scene make_row(std::size_t count, double step, MaterialId* material_out = nullptr) {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("stone");
  for (std::size_t i = 0; i < count; ++i) {
    const MeshId mesh = builder.add_mesh("square", test::make_square(), material);
    builder.add_node("part", mesh, test::at(static_cast<double>(i) * step));
  }
  if (material_out != nullptr) {
    *material_out = material;
  }
  return builder.finish();
}

TEST(Propose, PutsEachDrawIntoExactlyOnePlace) {
  for (std::uint32_t seed = 0; seed < 30; ++seed) {
    const Scene scene = test::make_random_scene(seed, 60);
    const Plan plan = plan_of(scene, {.min_instances = 3, .repeats = Repeats::instance});
    std::map<DrawRef, int> seen;
    for (const Group& group : plan.groups) {
      EXPECT_GT(group.members.size(), 1U);
      for (const DrawRef& ref : group.members) {
        ++seen[ref];
      }
    }
    for (const KeptDraw& kept : plan.kept) {
      ++seen[kept.draw];
    }
    const auto draws = make_draw_list(scene);
    ASSERT_EQ(seen.size(), draws.size()) << "seed " << seed;
    for (const auto& [ref, count] : seen) {
      EXPECT_EQ(count, 1);
    }
    EXPECT_EQ(plan.forecast.before.draws, draws.size());
    EXPECT_EQ(plan.forecast.after.draws, plan.groups.size() + plan.kept.size());
  }
}

TEST(Propose, IsTheSameEveryTimeAndForAnyThreads) {
  const Scene scene = test::make_random_scene(9, 80);
  const auto found = survey(scene);
  const auto one = propose(scene, *found, {}, {}, {.threads = 1});
  const auto two = propose(scene, *found, {}, {}, {.threads = 2});
  ASSERT_TRUE(one && two);
  ASSERT_EQ(one->groups.size(), two->groups.size());
  for (std::size_t g = 0; g < one->groups.size(); ++g) {
    EXPECT_EQ(one->groups[g].id, two->groups[g].id);
    EXPECT_EQ(one->groups[g].name, two->groups[g].name);
    EXPECT_EQ(one->groups[g].members, two->groups[g].members);
  }
}

TEST(Propose, GivesGroupsUniqueNamesAndIds) {
  const Plan plan = plan_of(test::make_random_scene(4, 200),
                            {.min_instances = 3, .repeats = Repeats::instance, .cell_size_m = 8});
  std::set<std::string> names;
  std::set<std::string> ids;
  for (const Group& group : plan.groups) {
    EXPECT_TRUE(names.insert(group.name).second) << group.name;
    EXPECT_TRUE(ids.insert(group.id).second) << group.id;
    EXPECT_EQ(group.name.find('/'), std::string::npos);
    EXPECT_FALSE(group.reason.empty());
  }
  EXPECT_GT(names.size(), 5U);
}

TEST(ProposeInstances, StartAtTheSetNumberOfRepeats) {
  SceneBuilder builder;
  const MeshId seven = builder.add_mesh("seven", test::make_tetrahedron());
  const MeshId eight = builder.add_mesh("eight", test::make_square());
  for (int i = 0; i < 8; ++i) {
    builder.add_node("e", eight, test::at(i));
    if (i < 7) {
      builder.add_node("s", seven, test::at(i, 2));
    }
  }
  const Scene scene = builder.finish();
  const Plan plan = plan_of(scene, {.min_instances = 8, .repeats = Repeats::instance});
  ASSERT_EQ(plan.groups.size(), 2U);
  EXPECT_EQ(plan.groups[0].kind, GroupKind::instance_set);
  EXPECT_EQ(plan.groups[0].members.size(), 8U);
  EXPECT_EQ(plan.groups[1].kind, GroupKind::cluster);
  EXPECT_EQ(plan.groups[1].members.size(), 7U);
  const Plan lower = plan_of(scene, {.min_instances = 7, .repeats = Repeats::instance});
  EXPECT_EQ(lower.groups[1].kind, GroupKind::instance_set);
}

TEST(ProposeInstances, KeepMirroredRepeatsInASetOfTheirOwn) {
  SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("pot", test::make_tetrahedron());
  for (int i = 0; i < 6; ++i) {
    builder.add_node("p", mesh, test::scaled(i % 2 == 0 ? 1 : -1, 1, 1, {i * 2.0, 0, 0}));
  }
  const Plan plan = plan_of(builder.finish(), {.min_instances = 3, .repeats = Repeats::instance});
  ASSERT_EQ(plan.groups.size(), 2U);
  EXPECT_EQ(plan.groups[0].members.size(), 3U);
  EXPECT_EQ(plan.groups[1].members.size(), 3U);
  EXPECT_NE(plan.groups[1].reason.find("mirrored"), std::string::npos);
}

TEST(ProposeInstances, LeaveShearedRepeatsToMerging) {
  SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("leaf", test::make_square());
  for (int i = 0; i < 4; ++i) {
    const NodeId node = builder.add_node("l", mesh);
    Mat4d matrix = identity_matrix;
    matrix[4] = 0.5 + 0.1 * i;
    matrix[12] = i;
    builder.scene.nodes[to_index(node)].matrix = matrix;
  }
  const Plan plan = plan_of(builder.finish(), {.min_instances = 2, .repeats = Repeats::instance});
  ASSERT_EQ(plan.groups.size(), 1U);
  EXPECT_EQ(plan.groups[0].kind, GroupKind::cluster);
}

TEST(ProposeClusters, FollowTheCellsOfAFixedGridFromTheOrigin) {
  // Centres at -3.5, -1.5, 0.5 ... 14.5: cells of 8 m from the origin hold 2, 4 and 4 of them.
  SceneBuilder builder;
  const MaterialId material = builder.add_material("stone");
  for (int i = 0; i < 10; ++i) {
    const MeshId mesh = builder.add_mesh("square", test::make_square(), material);
    builder.add_node("part", mesh, test::at(-4 + 2 * i));
  }
  const Plan plan = plan_of(builder.finish(), {.cell_size_m = 8});
  ASSERT_EQ(plan.groups.size(), 3U);
  EXPECT_EQ(plan.groups[0].members.size(), 2U);
  EXPECT_EQ(plan.groups[1].members.size(), 4U);
  EXPECT_EQ(plan.groups[2].members.size(), 4U);
  EXPECT_EQ(plan.settings.cell_size_m, 8);
}

TEST(ProposeClusters, AreOneADrawKeyWithoutViews) {
  const Plan plan = plan_of(make_row(6, 10), {.repeats = Repeats::merge});
  EXPECT_EQ(plan.forecast.after.draws, 1U);
}

TEST(ProposeClusters, SplitAlongSpaceAtTheVertexLimit) {
  const Scene scene = make_row(64, 1);
  const Plan plan = plan_of(scene, {.repeats = Repeats::merge, .max_vertices = 40});
  EXPECT_EQ(plan.groups.size(), 8U) << "64 squares of 4 vertices, halved until at most 10 fit";
  for (const Group& group : plan.groups) {
    ASSERT_EQ(group.members.size(), 8U);
    for (std::size_t m = 1; m < group.members.size(); ++m) {
      EXPECT_EQ(to_index(group.members[m].node), to_index(group.members[m - 1].node) + 1)
          << "a part that is not one stretch of the row";
    }
  }
}

TEST(ProposeClusters, CountCornersWhereFlatNormalsMayBeMade) {
  SceneBuilder builder;
  test::MeshData bare = test::make_square();
  bare.normals.clear();
  builder.add_node("a", builder.add_mesh("a", bare));
  builder.add_node("b", builder.add_mesh("b", bare), test::at(1));
  const Scene scene = builder.finish();
  EXPECT_EQ(plan_of(scene, {.repeats = Repeats::merge, .max_vertices = 11}).groups.size(), 0U)
      << "2 x 6 corners, not 2 x 4";
  EXPECT_EQ(plan_of(scene, {.repeats = Repeats::merge, .max_vertices = 12}).groups.size(), 1U);
}

TEST(ProposeKept, HasAReasonForEachDraw) {
  SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  const MaterialId glass = builder.add_material("glass", AlphaMode::blend);
  const MaterialId lone = builder.add_material("lone");
  const auto add = [&](MaterialId material, double x) {
    return builder.add_node("n", builder.add_mesh("m", test::make_square(), material), test::at(x));
  };
  add(stone, 0);
  add(stone, 1);
  const NodeId far = add(stone, 500);
  const NodeId pane = add(glass, 0);
  add(glass, 1);
  const NodeId alone = add(lone, 0);
  const NodeId door = add(stone, 2);
  builder.animate(door);
  test::MeshData huge = test::make_square();
  for (int i = 0; i < 6; ++i) {
    huge.indices.insert(huge.indices.end(), {0, 1, 2});
    huge.positions.insert(huge.positions.end(), {0, 0, 1});
  }
  huge.normals.clear();
  huge.uvs.clear();
  const NodeId large = builder.add_node("huge", builder.add_mesh("huge", huge, stone));
  const Plan plan = plan_of(builder.finish(), {.repeats = Repeats::merge,
                                               .max_vertices = 20,
                                               .cell_size_m = 100,
                                               .blended = Blended::keep,
                                               .equal_materials = EqualMaterials::apart});
  EXPECT_EQ(reason_of(plan, far), KeepReason::alone_in_its_cell);
  EXPECT_EQ(reason_of(plan, pane), KeepReason::blended);
  EXPECT_EQ(reason_of(plan, alone), KeepReason::only_one_of_its_key);
  EXPECT_EQ(reason_of(plan, door), KeepReason::only_one_of_its_key) << "moves alone";
  EXPECT_EQ(reason_of(plan, large), KeepReason::above_vertex_limit);
  EXPECT_EQ(plan.groups.size(), 1U);
}

TEST(ProposeKept, BlendedDrawsMergeWhenAsked) {
  SceneBuilder builder;
  const MaterialId glass = builder.add_material("glass", AlphaMode::blend);
  for (int i = 0; i < 3; ++i) {
    builder.add_node("n", builder.add_mesh("m", test::make_square(), glass), test::at(i));
  }
  const Scene scene = builder.finish();
  EXPECT_EQ(plan_of(scene, {.blended = Blended::keep}).groups.size(), 0U);
  const Plan plan = plan_of(scene, {.blended = Blended::merge});
  ASSERT_EQ(plan.groups.size(), 1U);
  // Their own order: as the source drew them.
  EXPECT_EQ(plan.groups[0].members,
            (std::vector<DrawRef>{{NodeId{0}, 0}, {NodeId{1}, 0}, {NodeId{2}, 0}}));
}

TEST(ProposeSettingsCheck, NamesTheSettingAndItsRange) {
  const Scene scene = make_row(2, 1);
  const auto found = survey(scene);
  for (const auto& [settings, name] :
       {std::pair{ProposeSettings{.min_instances = 1, .repeats = Repeats::instance},
                  "min_instances"},
        std::pair{ProposeSettings{.max_vertices = 2}, "max_vertices"},
        std::pair{ProposeSettings{.cell_size_m = -1}, "cell_size_m"},
        std::pair{ProposeSettings{.max_extent_m = -1}, "max_extent_m"},
        std::pair{ProposeSettings{.triangle_growth = 0.5}, "triangle_growth"},
        std::pair{ProposeSettings{.few_triangles_ms = -1}, "few_triangles_ms"},
        std::pair{ProposeSettings{.memory_growth = 0.5}, "memory_growth"},
        std::pair{ProposeSettings{.tints = {"shine"}}, "tints"},
        std::pair{ProposeSettings{.instance_values = {"name"}}, "instance_values"},
        std::pair{ProposeSettings{.families = {.tolerance = 1}}, "families.tolerance"}}) {
    const auto plan = propose(scene, *found, settings);
    ASSERT_FALSE(plan);
    EXPECT_EQ(plan.error().code, ErrorCode::bad_setting);
    EXPECT_NE(plan.error().message.find(name), std::string::npos);
  }
}

class CheckPlan : public testing::Test {
 protected:
  CheckPlan() : scene_(make_row(6, 1)), plan_(plan_of(scene_)) {}

  std::string violation() {
    const auto checked = check_plan(scene_, plan_);
    EXPECT_FALSE(checked);
    EXPECT_TRUE(checked || checked.error().code == ErrorCode::plan_invalid);
    return checked ? "" : checked.error().place.pointer + ": " + checked.error().message;
  }

  Scene scene_;
  Plan plan_;
};

TEST_F(CheckPlan, SaysHowEachDrawIsCovered) {
  const auto coverage = check_plan(scene_, plan_);
  ASSERT_TRUE(coverage);
  EXPECT_EQ(coverage->draws, 6U);
  EXPECT_EQ(coverage->clustered, 6U);
  EXPECT_EQ(coverage->instanced + coverage->kept, 0U);
}

TEST_F(CheckPlan, NamesMissingRepeatedAndUnknownDraws) {
  plan_.groups[0].members.pop_back();
  EXPECT_NE(violation().find("/part primitive 0 is in no group and not kept"), std::string::npos);
  plan_.groups[0].members.push_back({NodeId{0}, 0});
  EXPECT_NE(violation().find("/groups/0/members/5: /part primitive 0 is in the plan twice"),
            std::string::npos);
  plan_.groups[0].members.back() = {NodeId{40}, 0};
  EXPECT_NE(violation().find("node 40 primitive 0 is no draw of the scene"), std::string::npos);
}

TEST_F(CheckPlan, NamesDrawsOfAnotherKeyWithBothKeys) {
  SceneBuilder builder;
  for (const char* name : {"iron", "wood"}) {
    const MaterialId material = builder.add_material(name);
    builder.scene.materials[to_index(material)].roughness =
        0.1 * static_cast<double>(name[0] - 'a');
    builder.add_node(name, builder.add_mesh("m", test::make_square(), material));
  }
  scene_ = builder.finish();
  plan_ = plan_of(scene_);
  Group group;
  group.name = "both";
  group.material = MaterialId{0};
  group.members = {plan_.kept[0].draw, plan_.kept[1].draw};
  plan_.groups = {group};
  plan_.kept.clear();
  EXPECT_EQ(violation(),
            "/groups/0/members/1: /wood primitive 0 (wood) can't be drawn with /iron primitive 0 "
            "(iron)");
}

TEST_F(CheckPlan, HoldsTheLimitsAndTheKindOfAGroup) {
  plan_.settings.max_vertices = 23;
  EXPECT_NE(violation().find("may get 24 vertices, the limit is 23"), std::string::npos);
  plan_.settings.max_vertices = 24;
  plan_.groups[0].kind = GroupKind::instance_set;
  EXPECT_NE(violation().find("no whole number of instances of 0 draws"), std::string::npos);
}

TEST_F(CheckPlan, ListsTenViolationsAndCountsTheRest) {
  scene_ = make_row(30, 1);
  plan_ = plan_of(scene_);
  plan_.groups.clear();
  const std::string text = violation();
  EXPECT_NE(text.find("and 20 more"), std::string::npos) << text;
}

TEST_F(CheckPlan, RefusesThePlanOfAnotherScene) {
  scene_.nodes[3].trs.translation[1] = 1;
  const auto checked = check_plan(scene_, plan_);
  ASSERT_FALSE(checked);
  EXPECT_EQ(checked.error().code, ErrorCode::plan_mismatch);
}

}  // namespace
}  // namespace wakuzume
