// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// What a plan does with repeats, tints, assemblies, moving parts, limits and views, built and
// proved.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "support/parts.h"
#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/assess.h"
#include "wakuzume/build.h"
#include "wakuzume/propose.h"
#include "wakuzume/settings_file.h"
#include "wakuzume/verify.h"

namespace wakuzume {
namespace {

using test::SceneBuilder;

struct Planned {
  Scene scene;
  Plan plan;
  Built built;
};

/// Plans and builds, and demands that the proof and the brute-force soup agree.
Planned carry_out(Scene scene, const ProposeSettings& settings, const Outlook& outlook = {}) {
  Planned out;
  out.scene = std::move(scene);
  const auto found = survey(out.scene);
  auto plan = propose(out.scene, *found, settings, outlook);
  EXPECT_TRUE(plan) << to_string(plan.error());
  out.plan = std::move(*plan);
  auto built = build(out.scene, out.plan);
  EXPECT_TRUE(built) << to_string(built.error());
  out.built = std::move(*built);
  const auto verdict = verify(out.scene, out.built.scene, out.built.ledger);
  EXPECT_TRUE(verdict && verdict->passed)
      << (verdict->mismatches.empty() ? "" : verdict->mismatches[0].what);
  EXPECT_EQ(
      test::count_unmatched(test::make_soup(out.scene), test::make_soup(out.built.scene), 2e-3),
      0U);
  EXPECT_EQ(verdict->after.draws, out.plan.forecast.after.draws);
  return out;
}

Outlook look_at(const Scene& scene, std::uint32_t views) {
  const auto found = survey(scene);
  return {*make_views(scene, *found, {.count = views}), *read_cost_profile("desk")};
}

TEST(ProposeFamilies, InstanceCopiesWhateverWayTheyAreStored) {
  SceneBuilder builder;
  const test::MeshData part = test::make_part(4);
  for (std::uint32_t i = 0; i < 18; ++i) {
    Trs trs = test::make_random_trs(i, static_cast<test::Scaling>(i % 3));
    trs.scale[0] *= i % 4 == 3 ? -1 : 1;
    const test::MeshData copy = i % 3 == 0 ? part
                                : i % 3 == 1
                                    ? test::transform_part(part, trs)
                                    : test::shuffle_part(test::transform_part(part, trs), i);
    builder.add_node("part", builder.add_mesh("part", copy), test::at(30.0 * i));
  }
  const Planned made = carry_out(builder.finish(), {.repeats = Repeats::instance});
  std::size_t instanced = 0;
  for (const Group& group : made.plan.groups) {
    instanced += group.kind == GroupKind::instance_set ? group.members.size() : 0;
    EXPECT_LE(group.residual, 1e-4);
  }
  EXPECT_EQ(instanced, 18U);
  EXPECT_LE(made.plan.groups.size(), 4U) << "by axes and by the side that faces out";
  ASSERT_EQ(made.plan.families.size(), 1U);
  EXPECT_EQ(made.plan.families[0].members.size(), 17U);
}

TEST(ProposeTints, OneSetForMaterialsThatDifferByColourAlone) {
  SceneBuilder builder;
  const test::MeshData part = test::make_part(2);
  for (int i = 0; i < 6; ++i) {
    const MaterialId material = builder.add_material("paint");
    builder.scene.materials[to_index(material)].base_color = {0.1 * i, 0.5, 0.25, 1};
    builder.add_node("p", builder.add_mesh("m", part, material), test::at(4 * i));
  }
  const Scene scene = builder.finish();
  for (const ValueStorage storage : {ValueStorage::floats, ValueStorage::bytes}) {
    const auto found = survey(scene);
    const auto plan =
        propose(scene, *found, {.repeats = Repeats::instance, .value_storage = storage});
    ASSERT_EQ(plan->groups.size(), 1U);
    EXPECT_EQ(plan->groups[0].tint, "base_color");
    const auto built = build(scene, *plan);
    const auto verdict = verify(scene, built->scene, built->ledger);
    EXPECT_TRUE(verdict->passed);
    const Node& node = built->scene[built->ledger.rows[0].node];
    const auto& lanes = node.instancing->attributes;
    const auto color = std::find_if(lanes.begin(), lanes.end(),
                                    [](const Attribute& a) { return a.semantic == "_COLOR_0"; });
    ASSERT_NE(color, lanes.end());
    const auto values = make_floats(built->scene, color->stream);
    const std::size_t width = storage == ValueStorage::bytes ? 4 : 3;
    for (std::size_t i = 0; i < 6; ++i) {
      const std::uint32_t at = built->ledger.rows[i].instance;
      EXPECT_NEAR(values[at * width], 0.1F * static_cast<float>(i), 0.003F);
      EXPECT_NEAR(values[at * width + 2], 0.25F, 0.003F);
    }
    const MaterialId white = built->scene[node.mesh].primitives[0].material;
    EXPECT_EQ(built->scene[white].base_color, (Vec4d{1, 1, 1, 1}));
  }
  EXPECT_EQ(
      propose(scene, *survey(scene), {.repeats = Repeats::instance, .tints = {}})->groups.size(),
      0U);
}

TEST(ProposeTints, FindsARepaintedInstance) {
  SceneBuilder builder;
  const test::MeshData part = test::make_part(2);
  for (int i = 0; i < 4; ++i) {
    const MaterialId material = builder.add_material("paint");
    builder.scene.materials[to_index(material)].base_color = {0.2 * i, 0.5, 0.25, 1};
    builder.add_node("p", builder.add_mesh("m", part, material), test::at(4 * i));
  }
  Planned made = carry_out(builder.finish(), {.repeats = Repeats::instance});
  std::swap(made.built.ledger.rows[0].instance, made.built.ledger.rows[1].instance);
  const auto verdict = verify(made.scene, made.built.scene, made.built.ledger);
  EXPECT_FALSE(verdict->passed);
  EXPECT_NE(verdict->mismatches[0].what.find("looks different"), std::string::npos);
}

TEST(ProposeValues, AreStableAndInRange) {
  SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("pot", test::make_tetrahedron());
  for (int i = 0; i < 9; ++i) {
    builder.add_node("pot_" + std::to_string(i), mesh, test::at(2 * i));
  }
  const Planned made = carry_out(
      builder.finish(), {.repeats = Repeats::instance, .instance_values = {"id", "random"}});
  const Node& node = made.built.scene[made.built.ledger.rows[0].node];
  std::map<std::string, std::vector<float>> lanes;
  for (const Attribute& attribute : node.instancing->attributes) {
    lanes[attribute.semantic] = make_floats(made.built.scene, attribute.stream);
  }
  ASSERT_EQ(lanes["_ID"].size(), 9U);
  std::set<float> random(lanes["_RANDOM"].begin(), lanes["_RANDOM"].end());
  EXPECT_EQ(random.size(), 9U);
  EXPECT_GE(*random.begin(), 0);
  EXPECT_LT(*random.rbegin(), 1);
  for (const LedgerRow& row : made.built.ledger.rows) {
    EXPECT_EQ(lanes["_ID"][row.instance], static_cast<float>(to_index(row.source.node)));
  }
}

TEST(ProposeInstanceOrder, IsAnEvenThinningFromTheFirstOn) {
  SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("tree", test::make_tetrahedron());
  for (int i = 0; i < 1024; ++i) {
    builder.add_node("t", mesh, test::at(3 * (i % 32), 0, 3 * (i / 32)));
  }
  const Planned made = carry_out(builder.finish(), {.repeats = Repeats::instance});
  ASSERT_EQ(made.plan.groups.size(), 1U);
  // Of the first 64, each of 16 squares of the ground has four, give or take two.
  std::map<std::pair<int, int>, int> squares;
  for (std::size_t m = 0; m < 64; ++m) {
    const auto i = static_cast<int>(to_index(made.plan.groups[0].members[m].node));
    ++squares[{i % 32 / 8, i / 32 / 8}];
  }
  EXPECT_EQ(squares.size(), 16U);
  for (const auto& [square, count] : squares) {
    EXPECT_NEAR(count, 4, 2);
  }
}

/// Benches of nine parts in two materials, each copy below a node of its own.
Scene make_benches(std::size_t benches, bool in_rooms) {
  SceneBuilder builder;
  const MaterialId wood = builder.add_material("wood");
  const MaterialId iron = builder.add_material("iron");
  builder.scene.materials[to_index(iron)].metallic = 0.5;
  std::vector<MeshId> parts;
  for (std::uint32_t p = 0; p < 9; ++p) {
    parts.push_back(builder.add_mesh("part", test::make_part(p), p < 5 ? wood : iron));
  }
  NodeId room = no_node;
  for (std::uint32_t b = 0; b < benches; ++b) {
    if (in_rooms && b % 4 == 0) {
      room = builder.add_node("room", no_mesh, test::at(100.0 * b));
    }
    Trs trs = test::make_random_trs(b % (in_rooms ? 4 : 100), test::Scaling::uniform);
    const NodeId bench = builder.add_node("bench", no_mesh, trs, room);
    for (std::uint32_t p = 0; p < 9; ++p) {
      Trs place = test::make_random_trs(p + 50, test::Scaling::none);
      builder.add_node("part", parts[p], place, bench);
    }
  }
  return builder.finish();
}

TEST(ProposeAssemblies, AreMergedInsideAndInstancedAsAWhole) {
  const Planned made = carry_out(make_benches(12, false), {.repeats = Repeats::instance});
  ASSERT_EQ(made.plan.groups.size(), 2U) << "one a material";
  for (const Group& group : made.plan.groups) {
    EXPECT_EQ(group.kind, GroupKind::instance_set);
    EXPECT_EQ(group.instance_count(), 12U);
  }
  EXPECT_EQ(made.plan.groups[0].prototype.size() + made.plan.groups[1].prototype.size(), 9U);
  EXPECT_EQ(made.plan.forecast.after.draws, 2U);
  EXPECT_EQ(make_draw_list(made.built.scene).size(), 2U);
}

TEST(ProposeAssemblies, InsideLargerOnesStandForThemselves) {
  // Three equal rooms of four benches: twelve benches need less memory than three rooms.
  const Planned made = carry_out(make_benches(12, true), {.repeats = Repeats::instance});
  ASSERT_EQ(made.plan.groups.size(), 2U);
  EXPECT_EQ(made.plan.groups[0].instance_count(), 12U);
}

TEST(ProposeAssemblies, WithAPartOutOfPlaceAreNoRepeat) {
  Scene scene = make_benches(6, false);
  scene.nodes[14].trs.translation[1] += 0.5;
  const Planned made = carry_out(std::move(scene), {.repeats = Repeats::instance});
  std::size_t largest = 0;
  for (const Group& group : made.plan.groups) {
    largest = std::max(largest, group.prototype.size() > 1 ? group.instance_count() : 0);
  }
  EXPECT_EQ(largest, 5U);
}

TEST(ProposeMoving, PartsMergeUnderTheirOwnRoot) {
  SceneBuilder builder;
  const MaterialId paint = builder.add_material("paint");
  for (std::uint32_t door = 0; door < 2; ++door) {
    const NodeId hinge =
        builder.add_node("hinge", no_mesh, test::scaled(2, 1, 1, {5.0 * door, 0, 0}));
    for (std::uint32_t p = 0; p < 4; ++p) {
      builder.add_node("part", builder.add_mesh("m", test::make_part(p + 10 * door), paint),
                       test::make_random_trs(p, test::Scaling::none), hinge);
    }
    builder.animate(hinge);
  }
  const Planned made = carry_out(builder.finish(), {});
  ASSERT_EQ(made.plan.groups.size(), 2U);
  for (const LedgerRow& row : made.built.ledger.rows) {
    EXPECT_EQ(row.fate, Fate::merged);
    const NodeId parent = made.built.scene[row.node].parent;
    ASSERT_NE(parent, no_node);
    EXPECT_EQ(made.built.scene[parent].name, "hinge");
  }
  const auto kept = propose(made.scene, *survey(made.scene), {.moving_parts = MovingParts::keep});
  EXPECT_EQ(kept->groups.size(), 0U);
}

TEST(ProposeMoving, ASkinOrAKeptNodeBelowAMoverStaysAsItIs) {
  SceneBuilder builder;
  const NodeId hinge = builder.add_node("hinge");
  const auto add = [&](const char* name) {
    return builder.add_node(name, builder.add_mesh("m", test::make_square()), test::at(1), hinge);
  };
  add("a");
  add("b");
  const NodeId helper = add("c_collider");
  builder.animate(hinge);
  const Scene scene = builder.finish();
  const auto found = survey(scene);
  const auto plan = propose(scene, *found, {.repeats = Repeats::merge});
  ASSERT_EQ(plan->groups.size(), 1U);
  EXPECT_EQ(plan->groups[0].members.size(), 2U);
  ASSERT_EQ(plan->kept.size(), 1U);
  EXPECT_EQ(plan->kept[0].draw.node, helper);
  EXPECT_EQ(plan->kept[0].rule, StayRule::collider);
}

/// Blocks of flats in a row: many small things of a few materials, seen from among them.
Scene make_street(std::size_t houses) {
  SceneBuilder builder;
  std::vector<MaterialId> materials;
  for (int m = 0; m < 4; ++m) {
    materials.push_back(builder.add_material("finish"));
    builder.scene.materials.back().roughness = 0.1 * m;
  }
  const MaterialId ground = builder.add_material("ground");
  builder.scene.materials.back().roughness = 0.9;
  builder.add_node("ground", builder.add_mesh("ground", test::make_square(), ground),
                   {{0, 0, 0}, {-0.7071067811865476, 0, 0, 0.7071067811865476}, {500, 50, 1}});
  for (std::uint32_t h = 0; h < houses; ++h) {
    for (std::uint32_t p = 0; p < 24; ++p) {
      Trs trs = test::make_random_trs(h * 24 + p, test::Scaling::none);
      trs.translation = {20.0 * h + p % 4, 1.0 + p / 8, -20.0 - p / 4 % 2};
      builder.add_node("thing", builder.add_mesh("m", test::make_part(p % 12), materials[p % 4]),
                       trs);
    }
  }
  return builder.finish();
}

TEST(ProposeByCost, ForecastIsWhatASurveyOfTheResultFinds) {
  Scene scene = make_street(6);
  const Outlook outlook = look_at(scene, 40);
  const Planned made = carry_out(std::move(scene), {}, outlook);
  AssessSettings settings;
  settings.listed_views = outlook.views;
  settings.profile = outlook.profile;
  const auto after = survey(made.built.scene);
  const auto assessment = assess(made.built.scene, *after, {}, settings);
  ASSERT_TRUE(assessment);
  const Outcome& forecast = made.plan.forecast.after;
  const Spread draws = assessment->frames.find_spread(
      [](const FrameCost& frame) { return static_cast<double>(frame.total.draws); });
  EXPECT_EQ(forecast.draws, after->totals.draws);
  // The forecast takes the boxes of the members, which are no smaller than that of the result.
  EXPECT_GE(forecast.frame_draws.median, draws.median);
  EXPECT_LE(forecast.frame_draws.median, 1.1 * draws.median + 2);
  const Spread ms =
      assessment->frames.find_spread([](const FrameCost& frame) { return frame.total.ms(); });
  EXPECT_NEAR(forecast.frame_ms.median, ms.median, 0.06 * ms.median + 0.01);
}

TEST(ProposeByCost, HoldsTheLimitOnTriangles) {
  const Scene scene = make_street(40);
  const Outlook outlook = look_at(scene, 60);
  const auto found = survey(scene);
  const auto free = propose(scene, *found, {}, outlook);
  const auto held = propose(scene, *found, {.triangle_growth = 1.25}, outlook);
  ASSERT_TRUE(free && held);
  const auto growth = [](const Plan& plan) {
    return plan.forecast.after.view_triangles.median / plan.forecast.before.view_triangles.median;
  };
  EXPECT_GT(growth(*free), 1.5);
  EXPECT_LE(growth(*held), 1.25 * 1.0001);
  EXPECT_LT(held->forecast.after.view_draws.median, held->forecast.before.view_draws.median / 4);
}

TEST(ProposeByCost, HoldsTheLimitOnMemory) {
  // Meshes of one use each, and benches that share theirs and are assemblies.
  const Scene scenes[] = {make_street(40), make_benches(60, false)};
  for (const Scene& scene : scenes) {
    Outlook outlook = look_at(scene, 60);
    outlook.profile.geometry_megabyte_us = 0;
    const auto found = survey(scene);
    for (const double growth : {1.0, 1.5, 3.0}) {
      for (const Repeats repeats : {Repeats::by_cost, Repeats::merge}) {
        const auto plan =
            propose(scene, *found, {.repeats = repeats, .memory_growth = growth}, outlook);
        ASSERT_TRUE(plan);
        const Forecast& forecast = plan->forecast;
        EXPECT_LE(static_cast<double>(forecast.after.bytes),
                  growth * static_cast<double>(forecast.before.bytes))
            << growth;
      }
    }
  }
}

TEST(ProposeByCost, NoViewTakesMoreOfTheGpuThanTheProfileAllows) {
  const Scene scene = make_street(12);
  Outlook outlook = look_at(scene, 24);
  const auto found = survey(scene);
  const auto free = propose(scene, *found, {}, outlook);
  outlook.profile.few_gpu_ms = 0.002;
  for (const double growth : {1.25, 2.0}) {
    outlook.profile.gpu_growth = growth;
    const Planned made = carry_out(make_street(12), {}, outlook);
    EXPECT_LE(made.plan.forecast.gpu_growth, growth * 1.0001);
    EXPECT_GE(made.plan.forecast.after.draws, free->forecast.after.draws);
    EXPECT_LT(made.plan.forecast.after.draws, made.plan.forecast.before.draws);
    // The result itself, view by view.
    AssessSettings settings;
    settings.listed_views = outlook.views;
    settings.profile = outlook.profile;
    const auto before = assess(made.scene, *survey(made.scene), {}, settings);
    const auto after = assess(made.built.scene, *survey(made.built.scene), {}, settings);
    ASSERT_TRUE(before && after);
    double most = 0;
    for (std::size_t v = 0; v < before->frames.views.size(); ++v) {
      const double now = before->frames.views[v].total.gpu_ms;
      const double then = after->frames.views[v].total.gpu_ms;
      EXPECT_LE(then, std::max(growth * now, outlook.profile.few_gpu_ms) * 1.0001) << v;
      most = std::max(most, then / now);
    }
    EXPECT_GT(most, 1) << "merging always draws something in vain";
  }
}

TEST(ProposeByCost, DearerMemoryNeverTakesMoreOfIt) {
  const Scene scene = make_benches(80, false);
  Outlook outlook = look_at(scene, 60);
  const auto found = survey(scene);
  std::uint64_t bytes = std::numeric_limits<std::uint64_t>::max();
  std::uint64_t draws = 0;
  for (const double price : {0.0, 1e3, 1e5, 1e8}) {
    outlook.profile.geometry_megabyte_us = price;
    const auto plan = propose(scene, *found, {}, outlook);
    ASSERT_TRUE(plan);
    EXPECT_LE(plan->forecast.after.bytes, bytes) << price;
    EXPECT_GE(plan->forecast.after.draws, draws) << price;
    bytes = plan->forecast.after.bytes;
    draws = plan->forecast.after.draws;
  }
  EXPECT_LE(bytes, propose(scene, *found, {}, outlook)->forecast.before.bytes);
}

TEST(ProposeByCost, LeavesToTheEngineWhatItInstancesByItself) {
  // A field of one stone, whose sets in space take an engine more than all of it at once.
  SceneBuilder builder;
  const MeshId stone = builder.add_mesh("stone", test::make_part(3), builder.add_material("rock"));
  for (std::uint32_t n = 0; n < 900; ++n) {
    builder.add_node("stone", stone, test::at(4.0 * (n % 30), 0, 4.0 * (n / 30)));
  }
  const Scene scene = builder.finish();
  const auto found = survey(scene);
  Outlook outlook = look_at(scene, 40);
  for (const bool by_itself : {false, true}) {
    outlook.profile.instances_repeats = by_itself;
    const auto plan = propose(scene, *found, {}, outlook);
    ASSERT_TRUE(plan);
    const Forecast& forecast = plan->forecast;
    EXPECT_LE(forecast.after.price_ms, forecast.before.price_ms * 1.0001) << by_itself;
    EXPECT_EQ(forecast.before.view_draws.median < 2, by_itself);
    EXPECT_EQ(plan->groups.empty(), by_itself);
  }
}

TEST(ProposeByCost, PriceIsTheMeanOfFramesAShareOfTheFasterAndMemory) {
  const Scene scene = make_street(6);
  Outlook outlook = look_at(scene, 20);
  outlook.profile.faster_share = 0.5;
  outlook.profile.geometry_megabyte_us = 70;
  const auto found = survey(scene);
  const auto plan = propose(scene, *found, {}, outlook);
  AssessSettings settings;
  settings.listed_views = outlook.views;
  settings.profile = outlook.profile;
  const auto assessed = assess(scene, *found, {}, settings);
  ASSERT_TRUE(plan && assessed);
  double sum = 0;
  for (const FrameCost& frame : assessed->frames.views) {
    const auto [faster, slower] = std::minmax(frame.total.cpu_ms, frame.total.gpu_ms);
    sum += slower + 0.5 * faster;
  }
  const Outcome& before = plan->forecast.before;
  EXPECT_NEAR(before.price_ms,
              sum / static_cast<double>(assessed->frames.views.size()) +
                  static_cast<double>(before.bytes) / 1e6 * 0.07,
              1e-9);
}

TEST(ProposeRepeats, OnlyMergesNothing) {
  const Scene scene = make_benches(6, false);
  const auto found = survey(scene);
  const auto plan = propose(scene, *found, {.repeats = Repeats::only});
  ASSERT_TRUE(plan);
  EXPECT_FALSE(plan->groups.empty());
  for (const Group& group : plan->groups) {
    EXPECT_EQ(group.kind, GroupKind::instance_set);
    EXPECT_EQ(group.prototype.size(), 1U);
  }
  EXPECT_TRUE(check_plan(scene, *plan));
  const Scene street = make_street(2);
  const auto alone = propose(street, *survey(street), {.repeats = Repeats::only});
  ASSERT_TRUE(alone);
  ASSERT_FALSE(alone->kept.empty());
  EXPECT_TRUE(std::all_of(alone->kept.begin(), alone->kept.end(), [](const KeptDraw& kept) {
    return kept.reason == KeepReason::not_repeated;
  }));
}

TEST(Alternatives, AreWhatTheirSettingsWouldPropose) {
  const Scene scene = make_street(8);
  const Outlook outlook = look_at(scene, 30);
  const auto found = survey(scene);
  const auto list = list_alternatives(scene, *found, {.min_instances = 3}, outlook);
  ASSERT_TRUE(list);
  ASSERT_EQ(list->size(), 5U);
  EXPECT_EQ(list->front().outcome.draws, found->draws.size());
  for (std::size_t a = 1; a < list->size(); ++a) {
    const Alternative& one = (*list)[a];
    EXPECT_EQ(one.settings.min_instances, 3U);
    const auto plan = propose(scene, *found, one.settings, outlook);
    EXPECT_EQ(plan->forecast.after.price_ms, one.outcome.price_ms) << one.name;
    EXPECT_GE(one.outcome.price_ms, (*list)[1].outcome.price_ms * 0.9999) << one.name;
  }
  EXPECT_GT((*list)[4].settings.cell_size_m, 0);
}

TEST(ProposeByCost, IsNeverWorseThanAGrid) {
  const Scene scene = make_street(30);
  const Outlook outlook = look_at(scene, 60);
  const auto found = survey(scene);
  const auto plan = propose(scene, *found, {}, outlook);
  for (double cell = 1200; cell > 4; cell /= 1.5) {
    const auto grid = propose(scene, *found, {.cell_size_m = cell}, outlook);
    EXPECT_LE(plan->forecast.after.price_ms, grid->forecast.after.price_ms * 1.0001)
        << "cells of " << cell << " m";
  }
}

TEST(ProposeByCost, PlansForEveryProfileAndNeverMakesAFrameSlower) {
  const Scene scene = make_street(12);
  const auto found = survey(scene);
  for (const CostProfile& profile : shipped_profiles()) {
    const auto plan = propose(scene, *found, {}, {*make_views(scene, *found), profile});
    ASSERT_TRUE(plan) << profile.name;
    EXPECT_EQ(plan->profile, profile.name);
    EXPECT_LE(plan->forecast.after.price_ms, plan->forecast.before.price_ms) << profile.name;
    EXPECT_LT(plan->forecast.after.draws, plan->forecast.before.draws) << profile.name;
    EXPECT_TRUE(check_plan(scene, *plan)) << profile.name;
  }
}

TEST(ProposeByCost, HoldsTheExtentOfGroups) {
  const Scene scene = make_street(12);
  const auto found = survey(scene);
  const auto plan = propose(scene, *found, {.max_extent_m = 30});
  ASSERT_TRUE(plan);
  EXPECT_TRUE(check_plan(scene, *plan));
  EXPECT_GT(plan->groups.size(), 8U) << "240 m of street in groups of 30";
  Plan tighter = *plan;
  tighter.settings.max_extent_m = 1;
  const auto violations = find_violations(scene, tighter);
  ASSERT_TRUE(violations);
  EXPECT_FALSE(violations->empty());
  EXPECT_NE(violations->front().what.find("m long, the limit is 1"), std::string::npos);
}

TEST(FindViolations, ListsEveryOneWithItsPlace) {
  const Scene scene = make_benches(6, false);
  const auto found = survey(scene);
  Plan plan = *propose(scene, *found, {.repeats = Repeats::instance});
  ASSERT_EQ(plan.groups.size(), 2U);
  EXPECT_TRUE(find_violations(scene, plan)->empty());
  // One part of an instance goes, and another instance's fit is off by a centimetre.
  const DrawRef lost = plan.groups[0].members.back();
  plan.groups[0].members.pop_back();
  plan.groups[1].fits.assign(plan.groups[1].instance_count(), identity_matrix);
  plan.groups[1].fits[2][12] = 0.01;
  plan.groups[1].name = plan.groups[0].name;
  const auto violations = find_violations(scene, plan);
  ASSERT_TRUE(violations);
  std::string all;
  for (const Violation& violation : *violations) {
    all += violation.place + ": " + violation.what + "\n";
  }
  EXPECT_NE(all.find("/groups/0: "), std::string::npos) << all;
  EXPECT_NE(all.find("are no whole number of instances"), std::string::npos) << all;
  EXPECT_NE(all.find("/groups/1: the name"), std::string::npos) << all;
  EXPECT_NE(all.find(make_node_path(scene, lost.node) + " primitive 0 is in no group"),
            std::string::npos)
      << all;
}

TEST(FindViolations, SeesAnInstanceThatWouldStandElsewhere) {
  const Scene scene = make_benches(6, false);
  const auto found = survey(scene);
  Plan plan = *propose(scene, *found, {.repeats = Repeats::instance});
  Group& group = plan.groups[1];
  group.fits.assign(group.instance_count(), identity_matrix);
  group.fits[2][12] = 0.01;
  const auto violations = find_violations(scene, plan);
  ASSERT_TRUE(violations);
  ASSERT_EQ(violations->size(), group.prototype.size()) << "each part of that one instance";
  EXPECT_EQ(violations->front().place,
            "/groups/1/members/" + std::to_string(2 * group.prototype.size()));
  EXPECT_NE(violations->front().what.find("does not show what the prototype would show there"),
            std::string::npos);
}

}  // namespace
}  // namespace wakuzume
