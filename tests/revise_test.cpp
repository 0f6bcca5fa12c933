// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/revise.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "support/parts.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/build.h"
#include "wakuzume/io.h"
#include "wakuzume/verify.h"

namespace wakuzume {
namespace {

/// Twelve stones in two heaps, eight equal posts, and something of another material.
Scene make_yard() {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  const MaterialId iron = builder.add_material("iron");
  builder.scene.materials[to_index(iron)].roughness = 0.3;
  const MaterialId gold = builder.add_material("gold");
  builder.scene.materials[to_index(gold)].roughness = 0.1;
  for (std::uint32_t i = 0; i < 12; ++i) {
    builder.add_node("stone_" + std::to_string(i),
                     builder.add_mesh("stone", test::make_part(i), stone),
                     test::at(i < 6 ? 4.0 * i : 400 + 4.0 * i));
  }
  const MeshId post = builder.add_mesh("post", test::make_part(30), iron);
  for (int i = 0; i < 8; ++i) {
    builder.add_node("post_" + std::to_string(i), post, test::at(3 * i, 0, 9));
  }
  builder.add_node("cup", builder.add_mesh("cup", test::make_part(31), gold), test::at(1, 1, 1));
  return builder.finish();
}

class Revise : public testing::Test {
 protected:
  Revise() : scene_(make_yard()), survey_(*survey(scene_)) {
    plan_ = *propose(scene_, survey_, {.repeats = Repeats::instance});
  }

  Plan edit(const Edit& change) {
    auto made = edit_plan(scene_, survey_, plan_, {&change, 1});
    EXPECT_TRUE(made) << to_string(made.error());
    return made ? std::move(*made) : plan_;
  }
  std::string refusal(const Edit& change) {
    const auto made = edit_plan(scene_, survey_, plan_, {&change, 1});
    EXPECT_FALSE(made);
    EXPECT_TRUE(made || made.error().code == ErrorCode::plan_invalid);
    return made ? "" : made.error().message;
  }
  const Group& group_of(const Plan& plan, const char* name) {
    const auto hit = std::find_if(plan.groups.begin(), plan.groups.end(),
                                  [&](const Group& group) { return group.name == name; });
    EXPECT_NE(hit, plan.groups.end()) << name;
    return hit == plan.groups.end() ? plan.groups.front() : *hit;
  }
  void expect_proof(const Plan& plan) {
    const auto built = build(scene_, plan);
    ASSERT_TRUE(built) << to_string(built.error());
    EXPECT_TRUE(verify(scene_, built->scene, built->ledger)->passed);
  }

  Scene scene_;
  Survey survey_;
  Plan plan_;
};

TEST_F(Revise, StartsFromAClusterASetAndALonelyDraw) {
  ASSERT_EQ(plan_.groups.size(), 2U);
  EXPECT_EQ(group_of(plan_, "merged_stone_001").members.size(), 12U);
  EXPECT_EQ(group_of(plan_, "set_post_001").instance_count(), 8U);
  EXPECT_EQ(plan_.kept.size(), 1U);
}

TEST_F(Revise, KeepsNodesAndGivesThemBack) {
  const Plan kept = edit({.kind = EditKind::keep, .nodes = "/stone_*"});
  EXPECT_EQ(std::count_if(kept.kept.begin(), kept.kept.end(),
                          [](const KeptDraw& k) { return k.reason == KeepReason::by_hand; }),
            12);
  expect_proof(kept);
  const auto again = revise(scene_, survey_, kept, kept.settings);
  ASSERT_TRUE(again);
  EXPECT_EQ(again->groups.size(), 1U) << "what was kept by hand stays kept";
  plan_ = *again;
  plan_ = edit({.kind = EditKind::release, .nodes = "/stone_*"});
  EXPECT_EQ(revise(scene_, survey_, plan_, plan_.settings)->groups.size(), 2U);
}

TEST_F(Revise, LeavesPinnedGroupsAsTheyAre) {
  const Plan cut = edit({.kind = EditKind::keep, .nodes = "/stone_1*"});
  plan_ = cut;
  plan_ = edit({.kind = EditKind::pin, .group = "merged_stone_001"});
  plan_ = edit({.kind = EditKind::release, .nodes = "*"});
  const auto again = revise(scene_, survey_, plan_, plan_.settings);
  ASSERT_TRUE(again);
  EXPECT_EQ(group_of(*again, "merged_stone_001").members.size(), 9U);
  EXPECT_TRUE(group_of(*again, "merged_stone_001").pinned);
  plan_ = *again;
  plan_ = edit({.kind = EditKind::unpin, .group = "merged_stone_001"});
  const auto whole = revise(scene_, survey_, plan_, plan_.settings);
  EXPECT_EQ(group_of(*whole, "merged_stone_001").members.size(), 12U);
}

TEST_F(Revise, MovesDrawsBetweenGroups) {
  plan_ = edit({.kind = EditKind::keep, .nodes = "/post_7"});
  EXPECT_EQ(group_of(plan_, "set_post_001").instance_count(), 7U);
  const Plan back = edit({.kind = EditKind::move, .nodes = "/post_7", .group = "set_post_001"});
  EXPECT_EQ(group_of(back, "set_post_001").instance_count(), 8U);
  EXPECT_TRUE(group_of(back, "set_post_001").pinned);
  expect_proof(back);
  EXPECT_NE(refusal({.kind = EditKind::move, .nodes = "/cup", .group = "merged_stone_001"})
                .find("(gold) can't be drawn with /stone_0 primitive 0 (stone)"),
            std::string::npos);
  EXPECT_NE(refusal({.kind = EditKind::move, .nodes = "/stone_3", .group = "set_post_001"})
                .find("(stone) can't be drawn with /post_"),
            std::string::npos);
}

TEST_F(Revise, ForcesAKind) {
  const Plan merged = edit({.kind = EditKind::merge, .group = "set_post_001"});
  EXPECT_EQ(group_of(merged, "set_post_001").kind, GroupKind::cluster);
  expect_proof(merged);
  plan_ = merged;
  const Plan instanced = edit({.kind = EditKind::instance, .group = "set_post_001"});
  EXPECT_EQ(group_of(instanced, "set_post_001").kind, GroupKind::instance_set);
  expect_proof(instanced);
  EXPECT_NE(refusal({.kind = EditKind::instance, .group = "merged_stone_001"})
                .find("nothing in \"merged_stone_001\" can be drawn as instances"),
            std::string::npos);
}

TEST_F(Revise, SetsPivotsByTheirRule) {
  const auto pivot = [&](PivotAt at, NodeId node = no_node, Vec3d point = {0, 0, 0}) {
    Edit change;
    change.kind = EditKind::pivot;
    change.group = "set_post_001";
    change.pivot_at = at;
    change.pivot_node = node;
    change.point = point;
    const Plan made = edit(change);
    expect_proof(made);
    const auto built = build(scene_, made);
    const LedgerRow& row = built->ledger.rows[12];
    EXPECT_EQ(built->scene[row.node].trs.translation, group_of(made, "set_post_001").pivot);
    return group_of(made, "set_post_001").pivot;
  };
  EXPECT_EQ(pivot(PivotAt::world_origin), (Vec3d{0, 0, 0}));
  EXPECT_EQ(pivot(PivotAt::point, no_node, {1, 2, 3}), (Vec3d{1, 2, 3}));
  EXPECT_EQ(pivot(PivotAt::node, NodeId{13}), (Vec3d{3, 0, 9}));
  const Vec3d base = pivot(PivotAt::bounds_base);
  const Vec3d centre = pivot(PivotAt::bounds_centre);
  EXPECT_EQ(base[0], centre[0]);
  EXPECT_LT(base[1], centre[1]);
}

TEST_F(Revise, RenamesAndRefusesATakenName) {
  Edit change{.kind = EditKind::rename, .group = "set_post_001", .value = "fence"};
  EXPECT_EQ(group_of(edit(change), "fence").instance_count(), 8U);
  change.value = "merged_stone_001";
  EXPECT_NE(refusal(change).find("another group's"), std::string::npos);
  EXPECT_NE(refusal({.kind = EditKind::pin, .group = "nobody"}).find("no group \"nobody\""),
            std::string::npos);
  EXPECT_NE(refusal({.kind = EditKind::keep, .nodes = "/nothing"}).find("nothing that is drawn"),
            std::string::npos);
}

TEST_F(Revise, NamesWhatChangedAndTakesThePlanOver) {
  Scene changed = scene_;
  changed.nodes[2].name = "stone_new";
  changed.nodes[5].trs.translation[1] += 1;
  changed.levels[0].roots.erase(changed.levels[0].roots.begin() + 13);
  const Survey found = *survey(changed);
  const auto changes = list_changes(changed, found, plan_);
  std::vector<std::string> told;
  std::transform(changes.begin(), changes.end(), std::back_inserter(told),
                 [](const PlanChange& c) { return c.path + " " + c.what; });
  EXPECT_EQ(told, (std::vector<std::string>{"/stone_2 gone", "/stone_5 moved", "/post_1 gone",
                                            "/stone_new new"}));
  EXPECT_EQ(revise(changed, found, plan_, plan_.settings).error().code, ErrorCode::plan_mismatch);
  const auto moved = rebase(changed, found, plan_);
  ASSERT_TRUE(moved) << to_string(moved.error());
  EXPECT_EQ(group_of(*moved, "set_post_001").instance_count(), 7U);
  const auto built = build(changed, *moved);
  ASSERT_TRUE(built) << to_string(built.error());
  EXPECT_TRUE(verify(changed, built->scene, built->ledger)->passed);
  EXPECT_EQ(built->ledger.rows.size(), found.draws.size());
}

TEST_F(Revise, SurvivesTheFile) {
  plan_ =
      edit({.kind = EditKind::pivot, .group = "set_post_001", .pivot_at = PivotAt::bounds_base});
  const auto folder = test::make_scratch();
  const std::string path = (folder / "a.plan.json").string();
  ASSERT_TRUE(write_text(path, to_json(scene_, plan_)));
  const auto read = read_plan(path);
  ASSERT_TRUE(read) << to_string(read.error());
  EXPECT_EQ(to_json(scene_, *read), to_json(scene_, plan_));
  EXPECT_TRUE(list_changes(scene_, survey_, *read).empty());
}

TEST_F(Revise, ExplainsEveryDraw) {
  const auto stone = explain(scene_, survey_, plan_, "/stone_3");
  ASSERT_TRUE(stone);
  ASSERT_EQ(stone->size(), 1U);
  EXPECT_NE(stone->front().where.find("merged into \"merged_stone_001\" with 11 other draws"),
            std::string::npos);
  EXPECT_GE(stone->front().numbers.size(), 3U);
  const auto cup = explain(scene_, survey_, plan_, "/cup");
  ASSERT_EQ(cup->size(), 1U);
  EXPECT_NE(cup->front().where.find("nothing else has its merge key (gold)"), std::string::npos);
  EXPECT_FALSE(cup->front().remedies.empty());
  EXPECT_EQ(explain(scene_, survey_, plan_, "*")->size(), survey_.draws.size());
  EXPECT_TRUE(explain(scene_, survey_, plan_, "/nobody")->empty());
  // Terms reach the same draws, and such that can't be read are told.
  const auto gold = explain(scene_, survey_, plan_, "material=gold");
  ASSERT_EQ(gold->size(), 1U);
  EXPECT_EQ(gold->front().draw, cup->front().draw);
  EXPECT_EQ(explain(scene_, survey_, plan_, "colour=gold").error().code, ErrorCode::bad_setting);
}

}  // namespace
}  // namespace wakuzume
