// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

#include "support/layers.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"
#include "wakuzume/restore.h"
#include "wakuzume/revise.h"

/// Blended draws that merge where their order can't be seen.
namespace wakuzume {
namespace {

const ProposeSettings proved{.blended = Blended::proved};
const ProposeSettings merging{.repeats = Repeats::merge, .blended = Blended::proved};

struct Outcome {
  Survey survey;
  Plan plan;
  Built built;
};

Outcome work_out(const Scene& scene,
                 const ProposeSettings& settings = proved,
                 const Outlook& outlook = {}) {
  Outcome out;
  out.survey = *survey(scene);
  auto plan = propose(scene, out.survey, settings, outlook);
  EXPECT_TRUE(plan) << to_string(plan.error());
  out.plan = std::move(*plan);
  auto built = build(scene, out.plan);
  EXPECT_TRUE(built) << to_string(built.error());
  out.built = std::move(*built);
  return out;
}

MaterialId add_glass(test::SceneBuilder& builder, const char* name, bool two_sided = false) {
  const MaterialId id = builder.add_material(name, AlphaMode::blend);
  builder.scene.materials[to_index(id)].double_sided = two_sided;
  return id;
}

/// A turn about y by quarters.
Trs turned(int quarters, const Vec3d& at) {
  Trs trs = test::at(at[0], at[1], at[2]);
  const double half = std::acos(-1.0) * quarters / 4;
  trs.rotation = {0, std::sin(half), 0, std::cos(half)};
  return trs;
}

/// Panes of one metre that face four ways and do not touch, some of them mirrored.
Scene make_panes(std::uint32_t seed, int count, bool two_sided) {
  test::SceneBuilder builder;
  const MaterialId glass = add_glass(builder, "glass", two_sided);
  test::MeshData square = test::make_square();
  square.normals = {0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1};
  square.tangents = {1, 0, 0, 1, 1, 0, 0, 1, 1, 0, 0, 1, 1, 0, 0, 1};
  const MeshId mesh = builder.add_mesh("pane", square, glass);
  std::mt19937 random(seed);
  for (int p = 0; p < count; ++p) {
    Trs trs = turned(static_cast<int>(random() % 4),
                     {3.0 * (p % 5), 0.2 * static_cast<double>(random() % 5), 3.0 * (p / 5)});
    trs.scale[0] = random() % 3 == 0 ? -1 : 1;
    builder.add_node("pane" + std::to_string(p), mesh, trs);
  }
  return builder.finish();
}

/// The triangles of a result's primitive as they are drawn, in the world.
std::vector<FacingTriangle> list_drawn(const Scene& scene, const LedgerResult& result) {
  const Mat4d world = make_world_matrices(scene)[to_index(result.node)];
  const Primitive& primitive = scene[scene[result.node].mesh].primitives[result.primitive];
  const std::vector<float> positions = make_floats(scene, primitive.find("POSITION"));
  const std::vector<std::uint32_t> list = make_list_indices(scene, primitive);
  std::vector<FacingTriangle> out;
  for (std::size_t i = 0; i + 2 < list.size(); i += 3) {
    FacingTriangle& triangle = out.emplace_back();
    for (std::size_t c = 0; c < 3; ++c) {
      for (std::size_t k = 0; k < 3; ++k) {
        const auto row = [&](std::size_t column) { return world[4 * column + k]; };
        triangle.corners[c][k] = row(3);
        for (std::size_t j = 0; j < 3; ++j) {
          triangle.corners[c][k] += row(j) * static_cast<double>(positions[3 * list[i + c] + j]);
        }
      }
    }
  }
  return out;
}

/// \return pairs of layers that were looked at
std::size_t expect_far_to_near(const std::vector<FacingTriangle>& drawn, std::uint32_t seed) {
  std::vector<std::uint32_t> order(drawn.size());
  std::iota(order.begin(), order.end(), 0U);
  test::EyeRays rays(drawn, seed);
  std::size_t pairs = 0;
  for (int r = 0; r < 600; ++r) {
    const auto layers = rays.next();
    pairs += layers.size() > 1 ? layers.size() - 1 : 0;
    EXPECT_EQ(test::find_wrong_layer(layers, order), no_index);
  }
  return pairs;
}

void expect_proved(const Scene& scene, const Built& built) {
  const auto valid = check_scene(built.scene);
  ASSERT_TRUE(valid) << to_string(valid.error());
  const auto verdict = verify(scene, built.scene, built.ledger);
  ASSERT_TRUE(verdict) << to_string(verdict.error());
  EXPECT_TRUE(verdict->passed) << (verdict->mismatches.empty() ? "" : verdict->mismatches[0].what);
  EXPECT_EQ(verdict->triangles_checked, count_totals(scene).triangles);
}

TEST(Blends, OfResultsAreDrawnFarToNearForEveryEye) {
  std::size_t pairs = 0;
  std::size_t merged = 0;
  for (std::uint32_t seed = 0; seed < 40; ++seed) {
    const Scene scene = make_panes(seed, 20, seed % 2 == 1);
    const Outcome out = work_out(scene, merging);
    expect_proved(scene, out.built);
    EXPECT_LT(out.plan.forecast.after.draws, 14U) << seed;
    EXPECT_EQ(out.built.scene.nodes.empty(), false);
    for (const LedgerResult& result : out.built.ledger.results) {
      merged += 1;
      EXPECT_EQ(result.has_backs, seed % 2 == 1);
      pairs += expect_far_to_near(list_drawn(out.built.scene, result), seed);
    }
  }
  EXPECT_GT(merged, 60U);
  EXPECT_GT(pairs, 4'000U);
}

TEST(Blends, OfTwoSidedMaterialsBecomeFrontAndBack) {
  const Scene scene = make_panes(3, 8, true);
  const Outcome out = work_out(scene, merging);
  ASSERT_FALSE(out.built.ledger.results.empty());
  const LedgerResult& result = out.built.ledger.results[0];
  const Primitive& primitive =
      out.built.scene[out.built.scene[result.node].mesh].primitives[result.primitive];
  EXPECT_FALSE(out.built.scene[primitive.material].double_sided);
  const Group& group = out.plan.groups[0];
  EXPECT_EQ(group.order, BlendOrder::every_eye);
  EXPECT_EQ(group.triangles, 4 * group.members.size());
  EXPECT_EQ(count_list_indices(out.built.scene, primitive), 3 * group.triangles);
  // Normals and tangents of what is turned round, hand and all.
  const std::vector<float> normals = make_floats(out.built.scene, primitive.find("NORMAL"));
  const std::vector<float> tangents = make_floats(out.built.scene, primitive.find("TANGENT"));
  for (std::size_t v = 0; v < 4; ++v) {
    for (std::size_t c = 0; c < 3; ++c) {
      EXPECT_FLOAT_EQ(normals[3 * v + c], -normals[3 * (v + 4) + c]);
    }
    for (std::size_t c = 0; c < 4; ++c) {
      EXPECT_FLOAT_EQ(tangents[4 * v + c], -tangents[4 * (v + 4) + c]);
    }
  }
}

TEST(Blends, ComeBackAsTheyWereAllOrOneByOne) {
  const Scene scene = make_panes(5, 20, true);
  const Outcome out = work_out(scene, merging);
  const auto all = restore(out.built.scene, out.built.ledger, scene, {.everything = true});
  ASSERT_TRUE(all);
  EXPECT_EQ(make_content_hash(all->scene), make_content_hash(scene));
  const std::size_t before = out.built.ledger.results.size();
  const auto one = restore(out.built.scene, out.built.ledger, scene, {.nodes = {"/pane7"}});
  ASSERT_TRUE(one) << to_string(one.error());
  expect_proved(scene, *one);
  EXPECT_EQ(one->ledger.results.size(), before);
  for (const LedgerResult& result : one->ledger.results) {
    expect_far_to_near(list_drawn(one->scene, result), 1);
  }
}

TEST(Blends, AreFoundThroughTheLedger) {
  const Scene scene = make_panes(6, 12, true);
  const Outcome out = work_out(scene, merging);
  const Ledger& ledger = out.built.ledger;
  const LedgerIndex index(ledger);
  std::map<DrawRef, int> found;
  for (const LedgerResult& result : ledger.results) {
    const auto drawn = list_drawn(out.built.scene, result);
    for (std::size_t t = 0; t < drawn.size(); ++t) {
      const LedgerRow* row = index.find(result.node, result.primitive, 0, 3 * t);
      ASSERT_NE(row, nullptr);
      ++found[row->source];
      // The triangle lies in its pane's box.
      const Box3d& box = out.survey.draws[to_index(row->source.node)].box;
      for (const Vec3d& corner : drawn[t].corners) {
        for (std::size_t c = 0; c < 3; ++c) {
          EXPECT_GE(corner[c], box.min[c] - 1e-5);
          EXPECT_LE(corner[c], box.max[c] + 1e-5);
        }
      }
    }
    EXPECT_EQ(index.find(result.node, result.primitive, 0, 3 * drawn.size()), nullptr);
  }
  for (const auto& [draw, count] : found) {
    EXPECT_EQ(count, 4);
  }
}

TEST(Blends, SurviveTheirDocuments) {
  const Scene scene = make_panes(7, 20, true);
  const Outcome out = work_out(scene, merging);
  const auto folder = test::make_scratch();
  const std::string ledger_path = (folder / "a.ledger.json").string();
  ASSERT_TRUE(write_text(ledger_path, to_json(out.built.ledger)));
  const auto ledger = read_ledger(ledger_path);
  ASSERT_TRUE(ledger) << to_string(ledger.error());
  for (std::size_t r = 0; r < ledger->results.size(); ++r) {
    EXPECT_EQ(ledger->results[r].order, out.built.ledger.results[r].order);
    EXPECT_EQ(ledger->results[r].has_backs, out.built.ledger.results[r].has_backs);
  }
  const std::string plan_path = (folder / "a.plan.json").string();
  ASSERT_TRUE(write_text(plan_path, to_json(scene, out.plan)));
  const auto plan = read_plan(plan_path);
  ASSERT_TRUE(plan) << to_string(plan.error());
  EXPECT_EQ(to_json(scene, *plan), to_json(scene, out.plan));
  Ledger broken = out.built.ledger;
  broken.results[0].order[0] = broken.results[0].order[1];
  const auto refused = restore(out.built.scene, broken, scene, {.everything = true});
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, ErrorCode::out_of_bounds);
}

TEST(Blends, InOnePlaneAreOneSetOrOneCluster) {
  for (const Repeats repeats : {Repeats::instance, Repeats::merge}) {
    test::SceneBuilder builder;
    const MeshId mesh =
        builder.add_mesh("window", test::make_square(), add_glass(builder, "glass", true));
    for (int w = 0; w < 30; ++w) {
      builder.add_node("window", mesh, test::at(2.0 * (w % 6), 2.0 * (w / 6), 0.7));
    }
    const Scene scene = builder.finish();
    const Outcome out = work_out(scene, {.repeats = repeats, .blended = Blended::proved});
    expect_proved(scene, out.built);
    ASSERT_EQ(out.plan.groups.size(), 1U);
    EXPECT_EQ(out.plan.forecast.after.draws, 1U);
    EXPECT_EQ(out.plan.groups[0].kind,
              repeats == Repeats::merge ? GroupKind::cluster : GroupKind::instance_set);
  }
}

TEST(Blends, OneBehindAnotherAreInstancesFromTheFarthestOn) {
  test::SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("pane", test::make_square(), add_glass(builder, "glass"));
  for (const int z : {4, 1, 3, 0, 2}) {
    builder.add_node("pane", mesh, test::at(0, 0, z));
  }
  const Scene scene = builder.finish();
  const Outcome out = work_out(scene, {.repeats = Repeats::instance, .blended = Blended::proved});
  ASSERT_EQ(out.plan.groups.size(), 1U);
  std::vector<double> places;
  for (const DrawRef& member : out.plan.groups[0].members) {
    places.push_back(scene[member.node].trs.translation[2]);
  }
  EXPECT_EQ(places, (std::vector<double>{0, 1, 2, 3, 4}));
  // A plan in which somebody swapped two of them is refused.
  Plan swapped = out.plan;
  std::swap(swapped.groups[0].members[1], swapped.groups[0].members[2]);
  const auto violations = find_violations(scene, swapped);
  ASSERT_TRUE(violations);
  ASSERT_EQ(violations->size(), 1U);
  EXPECT_EQ((*violations)[0].place, "/groups/0/order");
  EXPECT_EQ((*violations)[0].what, "its instance 1 may be hidden by one that is drawn before it");
}

TEST(Blends, ThroughOneAnotherStayApartUnlessTheyAreOneColour) {
  for (const bool plain : {false, true}) {
    test::SceneBuilder builder;
    const MaterialId glass = add_glass(builder, "glass", true);
    if (plain) {
      builder.scene.materials[to_index(glass)].extra.ensure().extensions.push_back(
          {"KHR_materials_unlit", "{}"});
    }
    const MeshId mesh = builder.add_mesh("pane", test::make_square(), glass);
    builder.add_node("a", mesh, test::at(0, 0, 0));
    builder.add_node("b", mesh, turned(1, {0.5, 0, 0.3}));
    const Scene scene = builder.finish();
    const Outcome out = work_out(scene, merging);
    EXPECT_EQ(out.plan.forecast.after.draws, plain ? 1U : 2U);
    if (plain) {
      EXPECT_EQ(out.plan.groups[0].order, BlendOrder::any);
      expect_proved(scene, out.built);
    } else {
      EXPECT_EQ(out.plan.kept[0].reason, KeepReason::blended);
    }
  }
}

/// Two panes of one material at the ends of a hall, and one of another before the far one: as one
/// draw in the middle of the hall the two would be drawn over it.
Scene make_hall() {
  test::SceneBuilder builder;
  const MeshId clear = builder.add_mesh("clear", test::make_square(), add_glass(builder, "clear"));
  const MaterialId red_glass = add_glass(builder, "red");
  builder.scene.materials[to_index(red_glass)].base_color = {0.8, 0.1, 0.1, 0.6};
  const MeshId red = builder.add_mesh("red", test::make_square(), red_glass);
  builder.add_node("far", clear, test::at(0, 0, 0));
  builder.add_node("near", clear, test::at(3, 0, 20));
  builder.add_node("between", red, test::at(0.2, 0, 4));
  return builder.finish();
}

TEST(Blends, MergeOnlyWhereNoViewSeesAnotherOrder) {
  const Scene scene = make_hall();
  const Viewpoint front = make_viewpoint("front", {1, 0.5, 30}, {1, 0.5, 0});
  const Viewpoint aside = make_viewpoint("aside", {30, 0.5, 2}, {0, 0.5, 2});
  const auto draws_from = [&](const std::vector<Viewpoint>& views) {
    const Outcome out = work_out(scene, merging, {.views = views});
    expect_proved(scene, out.built);
    return out.built.scene.nodes.size();
  };
  EXPECT_EQ(draws_from({aside}), 2U);
  EXPECT_EQ(draws_from({front}), 3U);
  EXPECT_EQ(draws_from({aside, front}), 3U);
  // An opaque wall before the two, and nobody sees them.
  test::SceneBuilder builder;
  builder.scene = scene;
  const MeshId wall = builder.add_mesh("wall", test::make_square(), builder.add_material("brick"));
  builder.add_node("wall", wall, test::scaled(2, 2, 1, {-0.5, -0.5, 6}));
  const Scene walled = builder.finish();
  const Outcome out = work_out(walled, merging, {.views = {front}});
  EXPECT_EQ(out.built.scene.nodes.size(), 3U);
}

/// Two red panes before and behind the middle of a hall, and clear ones at its ends which are drawn
/// together at that middle: as one draw the red ones would be drawn before the far clear one.
struct RedPanes {
  RedPanes() {
    const MaterialId glass = add_glass(builder, "red");
    builder.scene.materials[to_index(glass)].base_color = {0.8, 0.1, 0.1, 0.6};
    const MeshId mesh = builder.add_mesh("red", test::make_square(), glass);
    builder.add_node("red_far", mesh, test::at(0.2, 0, 4));
    builder.add_node("red_near", mesh, test::at(-0.2, 0, 12));
    clear = builder.add_mesh("clear", test::make_square(), add_glass(builder, "clear"));
  }
  test::SceneBuilder builder;
  MeshId clear = no_mesh;
  std::vector<Viewpoint> front{make_viewpoint("front", {1, 0.5, 30}, {1, 0.5, 0})};
};

TEST(Blends, StayApartBesideAPinnedGroupThatWouldHideThem) {
  RedPanes red;
  red.builder.add_node("clear_far", red.clear, test::at(0, 0, 0));
  red.builder.add_node("clear_near", red.clear, test::at(3, 0, 20));
  const Scene scene = red.builder.finish();
  const Survey found = *survey(scene);
  const auto forced = propose(scene, found, {.repeats = Repeats::merge, .blended = Blended::merge});
  ASSERT_TRUE(forced);
  Plan plan = *forced;
  plan.settings = merging;
  std::erase_if(plan.groups,
                [&](const Group& group) { return scene[group.members[0].node].mesh != red.clear; });
  ASSERT_EQ(plan.groups.size(), 1U);
  plan.groups[0].pinned = true;
  plan.groups[0].order = BlendOrder::every_eye;
  for (const std::uint32_t node : {0U, 1U}) {
    plan.kept.push_back({{make_id<NodeId>(node), 0}, KeepReason::blended});
  }
  const auto planned = revise(scene, found, plan, merging, {.views = red.front});
  ASSERT_TRUE(planned) << to_string(planned.error());
  EXPECT_EQ(planned->groups.size(), 1U);
  EXPECT_EQ(planned->kept.size(), 2U);
}

TEST(Blends, StayApartBesideInstancesThatWouldHideThem) {
  for (const bool instanced : {false, true}) {
    RedPanes red;
    if (instanced) {
      const NodeId set = red.builder.add_node("clear", red.clear);
      red.builder.scene.nodes[to_index(set)].instancing.ensure().attributes = {
          {"TRANSLATION", red.builder.add_stream(std::vector<float>{0, 0, 0, 3, 0, 20},
                                                 ElementType::vec3, ComponentType::f32)}};
    }
    const Scene scene = red.builder.finish();
    const Outcome out = work_out(scene, merging, {.views = red.front});
    EXPECT_EQ(out.plan.groups.size(), instanced ? 0U : 1U);
  }
}

/// Rays from anywhere through all that is drawn, each thing sorted by the distance of the middle of
/// its box: without views, layers of a group and of anything else come in their order.
TEST(Blends, WithoutViewsAreCellsWhereAnEngineSortsByDistance) {
  std::size_t groups = 0;
  std::size_t pairs = 0;
  for (std::uint32_t seed = 0; seed < 30; ++seed) {
    test::SceneBuilder builder;
    std::vector<MeshId> meshes;
    for (const char* name : {"clear", "red"}) {
      const MaterialId glass = add_glass(builder, name);
      builder.scene.materials[to_index(glass)].base_color[0] = meshes.empty() ? 1 : 0.5;
      meshes.push_back(builder.add_mesh(name, test::make_square(), glass));
    }
    std::mt19937 random(seed);
    for (int p = 0; p < 24; ++p) {
      builder.add_node(
          "pane" + std::to_string(p), meshes[random() % 2],
          turned(static_cast<int>(random() % 2),
                 {2.5 * (p % 6), 0.1 * static_cast<double>(random() % 5), 2.5 * (p / 6)}));
    }
    const Scene scene = builder.finish();
    Outlook outlook;
    outlook.profile.sorts_blended.by = SortBy::distance;
    const Outcome out = work_out(scene, merging, outlook);
    expect_proved(scene, out.built);
    const Survey found = *survey(out.built.scene);
    std::vector<FacingTriangle> all;
    std::vector<Vec3d> points;
    std::set<std::uint32_t> merged;
    for (const Draw& draw : found.draws) {
      const auto owner = static_cast<std::uint32_t>(points.size());
      LedgerResult result;
      result.node = draw.node;
      result.primitive = draw.primitive;
      std::vector<FacingTriangle> own = list_drawn(out.built.scene, result);
      for (FacingTriangle& triangle : own) {
        triangle.owner = owner;
      }
      if (own.size() > 2) {
        merged.insert(owner);
      }
      all.insert(all.end(), own.begin(), own.end());
      points.push_back(draw.box.centre());
    }
    for (std::size_t g = 0; g < out.plan.groups.size(); ++g) {
      const bool cell =
          out.plan.groups[g].reason.find("in cells: right by distance") != std::string::npos;
      groups += cell ? 1 : 0;
    }
    std::uniform_real_distribution<double> place(-10, 25);
    std::uniform_real_distribution<double> share(0, 0.5);
    for (int r = 0; r < 2'000; ++r) {
      const Vec3d eye{place(random), place(random) / 5, place(random)};
      const auto& [a, b, c] = all[random() % all.size()].corners;
      const Vec3d through =
          test::add(a, test::add(test::scale(test::subtract(b, a), share(random)),
                                 test::scale(test::subtract(c, a), share(random))));
      const auto layers = test::find_layers(all, eye, test::subtract(through, eye));
      for (std::size_t l = 1; l < layers.size(); ++l) {
        const std::uint32_t near = all[layers[l - 1].triangle].owner;
        const std::uint32_t far = all[layers[l].triangle].owner;
        if (near != far && merged.count(near) + merged.count(far) > 0) {
          const auto distance = [&](std::uint32_t owner) {
            const Vec3d off = test::subtract(points[owner], eye);
            return test::dot(off, off);
          };
          ++pairs;
          ASSERT_LT(distance(near), distance(far)) << seed;
        }
      }
    }
  }
  EXPECT_GT(groups, 30U);
  EXPECT_GT(pairs, 5'000U);
}

TEST(Blends, AreNotMergedInAnEditedPlanWithoutAnOrder) {
  test::SceneBuilder builder;
  const MaterialId glass = add_glass(builder, "glass");
  const MeshId mesh = builder.add_mesh("pane", test::make_square(), glass);
  builder.add_node("a", mesh, test::at(0, 0, 0));
  builder.add_node("b", mesh, turned(1, {0.5, 0, 0.3}));
  const Scene scene = builder.finish();
  Outcome out = work_out(scene, {.repeats = Repeats::merge, .blended = Blended::merge});
  ASSERT_EQ(out.plan.groups.size(), 1U);
  out.plan.settings.blended = Blended::proved;
  EXPECT_EQ((*find_violations(scene, out.plan))[0].what,
            "the plan merges blended draws only in an order that can't be seen");
  out.plan.groups[0].order = BlendOrder::any;
  EXPECT_EQ((*find_violations(scene, out.plan))[0].what, "its layers differ, so their order shows");
  out.plan.groups[0].order = BlendOrder::every_eye;
  EXPECT_EQ((*find_violations(scene, out.plan))[0].what,
            "no order of its triangles is right from everywhere");
  const auto refused = build(scene, out.plan);
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, ErrorCode::plan_invalid);
}

/// Rays from eyes: how many see layers in their order, and how many don't.
std::array<std::size_t, 2> count_layers(const std::vector<FacingTriangle>& drawn,
                                        std::span<const OrderEye> eyes,
                                        std::uint32_t seed) {
  std::vector<std::uint32_t> order(drawn.size());
  std::iota(order.begin(), order.end(), 0U);
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> share(0, 0.5);
  std::array<std::size_t, 2> out{};
  for (int r = 0; r < 2'000; ++r) {
    const auto& [a, b, c] = drawn[random() % drawn.size()].corners;
    const Vec3d u = test::scale(test::subtract(b, a), share(random));
    const Vec3d v = test::scale(test::subtract(c, a), share(random));
    const Vec3d& eye = eyes[random() % eyes.size()].at;
    const auto layers =
        test::find_layers(drawn, eye, test::subtract(test::add(a, test::add(u, v)), eye));
    if (layers.size() > 1) {
      ++out[test::find_wrong_layer(layers, order) == no_index ? 0 : 1];
    }
  }
  return out;
}

/// Panes that stand close and do not touch, turned by eighths: many cycles, and few eyes see any.
Scene make_thicket(std::uint32_t seed, bool moves = false) {
  test::SceneBuilder builder;
  const MeshId mesh =
      builder.add_mesh("pane", test::make_square(), add_glass(builder, "glass", true));
  NodeId root = no_node;
  if (moves) {
    root = builder.add_node("door");
    builder.animate(root);
  }
  std::mt19937 random(seed);
  for (int p = 0; p < 16; ++p) {
    Trs trs = test::at(2.1 * (p % 4), 0.3 * static_cast<double>(random() % 4), 2.1 * (p / 4));
    const double half = std::acos(-1.0) * static_cast<double>(random() % 8) / 8;
    trs.rotation = {0, std::sin(half), 0, std::cos(half)};
    builder.add_node("pane" + std::to_string(p), mesh, trs, root);
  }
  return builder.finish();
}

bool is_by_eyes(const Group& group) { return group.order == BlendOrder::given_eyes; }

TEST(Blends, WithCyclesMergeInAnOrderThatIsRightFromTheGivenEyes) {
  std::size_t by_eyes = 0;
  std::array<std::size_t, 2> given{};
  std::array<std::size_t, 2> elsewhere{};
  for (std::uint32_t seed = 0; seed < 12; ++seed) {
    const Scene scene = make_thicket(seed);
    Outlook outlook;
    outlook.eyes = {{{-6, 1.6, 3}}, {{3, 1.6, -8}}, {{2.2, 1.6, 2.1}}};
    const Outcome out = work_out(scene, merging, outlook);
    expect_proved(scene, out.built);
    const Outcome without = work_out(scene, merging);
    EXPECT_TRUE(without.plan.sight.eyes.empty());
    EXPECT_LE(out.plan.groups.size() + out.plan.kept.size(),
              without.plan.groups.size() + without.plan.kept.size());
    for (std::size_t g = 0; g < out.plan.groups.size(); ++g) {
      if (!is_by_eyes(out.plan.groups[g])) {
        continue;
      }
      ++by_eyes;
      EXPECT_EQ(out.plan.sight.eyes, outlook.eyes);
      EXPECT_NE(out.plan.groups[g].reason.find("3 places that were looked from"),
                std::string::npos);
      const auto drawn = list_drawn(out.built.scene, out.built.ledger.results[g]);
      const auto seen_here = count_layers(drawn, outlook.eyes, seed);
      EXPECT_GT(seen_here[0], 100U);
      given[0] += seen_here[0];
      given[1] += seen_here[1];
      const std::vector<OrderEye> others{{{9, 1.6, 9}}, {{-3, 4, -2}}, {{1.4, 1.2, 3.9}}};
      const auto seen = count_layers(drawn, others, seed);
      elsewhere[0] += seen[0];
      elsewhere[1] += seen[1];
    }
  }
  EXPECT_GE(by_eyes, 8U);
  // What draws one by one show wrong may stay so.
  EXPECT_LT(given[1], given[0] / 100);
  // From elsewhere what no eye saw may be wrong, and little is.
  EXPECT_GT(elsewhere[1], 0U);
  EXPECT_LT(elsewhere[1], elsewhere[0] / 10);
}

TEST(Blends, AreLookedAtFromEyesOnlyWhereAskedAndWhereNothingMoves) {
  Outlook outlook;
  outlook.eyes = {{{-6, 1.6, 3}}, {{3, 1.6, -8}}};
  const auto count_by_eyes = [&](const Scene& scene, const ProposeSettings& settings) {
    const Outcome out = work_out(scene, settings, outlook);
    expect_proved(scene, out.built);
    return std::count_if(out.plan.groups.begin(), out.plan.groups.end(), is_by_eyes);
  };
  EXPECT_GT(count_by_eyes(make_thicket(3), merging), 0);
  ProposeSettings everywhere = merging;
  everywhere.blended_from = BlendedFrom::everywhere;
  EXPECT_EQ(count_by_eyes(make_thicket(3), everywhere), 0);
  EXPECT_EQ(count_by_eyes(make_thicket(3, true), merging), 0);
}

TEST(Blends, ThatEyesDecidedSurviveEditsAndPlanningAgain) {
  const Scene scene = make_thicket(3);
  Outlook outlook;
  outlook.eyes = {{{-6, 1.6, 3}}, {{3, 1.6, -8}, {0, 0, 1}, false}};
  const Outcome out = work_out(scene, merging, outlook);
  const auto at = std::find_if(out.plan.groups.begin(), out.plan.groups.end(), is_by_eyes);
  ASSERT_NE(at, out.plan.groups.end());
  const std::string path = (test::make_scratch() / "a.plan.json").string();
  ASSERT_TRUE(write_text(path, to_json(scene, out.plan)));
  const auto read = read_plan(path);
  ASSERT_TRUE(read) << to_string(read.error());
  EXPECT_EQ(read->sight, out.plan.sight);
  // One of them goes; the others keep their order while all else is planned for other eyes.
  const std::string leaving = scene[at->members[1].node].name;
  const Edit edits[] = {{.kind = EditKind::pin, .group = at->name},
                        {.kind = EditKind::keep, .nodes = "/" + leaving}};
  const auto edited = edit_plan(scene, out.survey, *read, edits, outlook);
  ASSERT_TRUE(edited) << to_string(edited.error());
  outlook.eyes = {{{0, 2, 50}}};
  const auto again = revise(scene, out.survey, *edited, merging, outlook);
  ASSERT_TRUE(again) << to_string(again.error());
  EXPECT_EQ(again->sight, out.plan.sight);
  const auto built = build(scene, *again);
  ASSERT_TRUE(built) << to_string(built.error());
  expect_proved(scene, *built);
  // Without its eyes the plan is refused.
  Plan blind = out.plan;
  blind.sight.eyes.clear();
  EXPECT_EQ((*find_violations(scene, blind))[0].what,
            "no order of its triangles is right from everywhere");
  Plan boastful = out.plan;
  boastful.groups[static_cast<std::size_t>(at - out.plan.groups.begin())].order =
      BlendOrder::every_eye;
  EXPECT_NE((*find_violations(scene, boastful))[0].what.find("given_eyes"), std::string::npos);
}

/// Two panes of a lift, and one that hangs still: at rest it is behind both, and when the lift has
/// come down between them. As one draw the two would be drawn before it.
Scene make_lift(const std::string& interpolation, std::vector<float> heights) {
  test::SceneBuilder builder;
  const NodeId lift = builder.add_node("lift");
  AnimationSampler sampler;
  Stream times;
  times.count = 2;
  times.bounds = StreamBounds{{0}, {1}};
  const float seconds[] = {0, 1};
  sampler.input = builder.add_bytes(seconds, sizeof seconds, std::move(times));
  std::vector<float> keys;
  for (const float height : heights) {
    keys.insert(keys.end(), {0, 0, height});
  }
  sampler.output = builder.add_stream(keys, ElementType::vec3, ComponentType::f32);
  sampler.interpolation = interpolation;
  AnimationChannel channel;
  channel.node = lift;
  channel.path = "translation";
  Animation animation;
  animation.samplers.push_back(std::move(sampler));
  animation.channels.push_back(std::move(channel));
  builder.scene.animations.push_back(std::move(animation));
  const MeshId clear = builder.add_mesh("clear", test::make_square(), add_glass(builder, "clear"));
  builder.add_node("floor", clear, test::at(0, 0, 0), lift);
  builder.add_node("roof", clear, test::at(0.1, 0, 6), lift);
  const MaterialId glass = add_glass(builder, "red");
  builder.scene.materials[to_index(glass)].base_color = {0.8, 0.1, 0.1, 0.6};
  builder.add_node("still", builder.add_mesh("red", test::make_square(), glass),
                   test::at(0.2, 0, -12));
  return builder.finish();
}

TEST(Blends, OfMovingPartsAreLookedAtWhileTheyMove) {
  const Viewpoint above = make_viewpoint("above", {0.5, 0.5, 30}, {0.5, 0.5, 0});
  const auto count_groups = [&](const Scene& scene) {
    const Outcome out = work_out(scene, merging, {.views = {above}});
    expect_proved(scene, out.built);
    return out.plan.groups.size();
  };
  EXPECT_EQ(count_groups(make_lift("", {0, -16})), 0U);
  EXPECT_EQ(count_groups(make_lift("STEP", {0, -16})), 0U);
  EXPECT_EQ(count_groups(make_lift("CUBICSPLINE", {0, 0, 0, 0, -16, 0})), 0U);
  // It stops above the still one; or is below it until it is there.
  EXPECT_EQ(count_groups(make_lift("", {0, -9})), 1U);
  EXPECT_EQ(count_groups(make_lift("CUBICSPLINE", {0, 0, 0, 0, -9, 0})), 1U);
  EXPECT_EQ(count_groups(make_lift("STEP", {-16, -9})), 0U);
}

TEST(Blends, OfPanesInAMovingDoorMergeUnderIt) {
  test::SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("pane", test::make_square(), add_glass(builder, "glass"));
  const NodeId door = builder.add_node("door");
  builder.animate(door);
  builder.add_node("upper", mesh, test::at(0, 1.2, 0), door);
  builder.add_node("lower", mesh, test::at(0, 0, 0), door);
  builder.add_node("fixed", mesh, test::at(0, 0, -2));
  builder.add_node("fixed2", mesh, test::at(2, 0, -2));
  const Scene scene = builder.finish();
  const Outcome out = work_out(scene, merging);
  expect_proved(scene, out.built);
  ASSERT_EQ(out.built.ledger.results.size(), 2U);
  EXPECT_EQ(std::count_if(out.built.ledger.results.begin(), out.built.ledger.results.end(),
                          [&](const LedgerResult& result) { return result.below == door; }),
            1);
}

TEST(Blends, StayInTheirCellsOfAGrid) {
  const Scene scene = make_panes(12, 60, true);
  const auto found = survey(scene);
  const Outlook outlook{.views = {make_viewpoint("a", {5, 1, 60}, {5, 1, 0})}};
  constexpr double cell = 6;
  ProposeSettings settings = merging;
  settings.cell_size_m = cell;
  const auto plan = propose(scene, *found, settings, outlook);
  ASSERT_TRUE(plan);
  EXPECT_GT(plan->groups.size(), 3U);
  for (const Group& group : plan->groups) {
    std::set<std::pair<double, double>> cells;
    for (const DrawRef& member : group.members) {
      const Vec3d centre = found->draws[to_index(member.node)].box.centre();
      cells.insert({std::floor(centre[0] / cell), std::floor(centre[2] / cell)});
    }
    EXPECT_EQ(cells.size(), 1U) << group.name;
  }
}

TEST(Blends, OfOneColourAKeyAndSeveralASetKeepTheOrderOfTheSet) {
  test::SceneBuilder builder;
  const test::MeshData square = test::make_square();
  for (int p = 0; p < 6; ++p) {
    const MaterialId glass = add_glass(builder, "glass");
    Material& material = builder.scene.materials[to_index(glass)];
    material.base_color = {p % 2 == 0 ? 1.0 : 0.0, 0, 1, 0.5};
    material.extra.ensure().extensions.push_back({"KHR_materials_unlit", "{}"});
    builder.add_node("pane", builder.add_mesh("pane", square, glass), test::at(0, 0, (5 * p) % 6));
  }
  const Scene scene = builder.finish();
  const Outcome out = work_out(scene, {.repeats = Repeats::instance, .blended = Blended::proved});
  ASSERT_EQ(out.plan.groups.size(), 1U);
  EXPECT_EQ(out.plan.groups[0].tint, "base_color");
  EXPECT_EQ(out.plan.groups[0].order, BlendOrder::every_eye);
  double last = -1;
  for (const DrawRef& member : out.plan.groups[0].members) {
    EXPECT_GT(scene[member.node].trs.translation[2], last);
    last = scene[member.node].trs.translation[2];
  }
}

TEST(Blends, AreNotMergedWhereOnlyRepeatsMayBecomeOne) {
  test::SceneBuilder builder;
  const MaterialId glass = add_glass(builder, "glass");
  builder.add_node("square", builder.add_mesh("a", test::make_square(), glass), test::at(0));
  builder.add_node("body", builder.add_mesh("b", test::make_tetrahedron(), glass), test::at(4));
  const Scene scene = builder.finish();
  const Viewpoint view = make_viewpoint("v", {2, 0.5, 20}, {2, 0.5, 0});
  EXPECT_EQ(work_out(scene, proved, {.views = {view}}).plan.groups.size(), 1U);
  const ProposeSettings only{.repeats = Repeats::only, .blended = Blended::proved};
  EXPECT_EQ(work_out(scene, only, {.views = {view}}).plan.groups.size(), 0U);
}

TEST(Blends, AreTheSameForAnyNumberOfThreads) {
  const Scene scene = make_panes(11, 60, true);
  const auto found = survey(scene);
  const Outlook outlook{.views = {make_viewpoint("a", {5, 1, 60}, {5, 1, 0}),
                                  make_viewpoint("b", {-30, 3, 10}, {5, 1, 20})}};
  std::string first;
  for (const unsigned threads : {1U, 2U, 5U}) {
    const auto plan = propose(scene, *found, proved, outlook, {.threads = threads});
    ASSERT_TRUE(plan);
    const std::string text = to_json(scene, *plan);
    EXPECT_TRUE(first.empty() || first == text);
    first = text;
  }
}

}  // namespace
}  // namespace wakuzume
