// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/spread.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "support/process.h"
#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/assess.h"
#include "wakuzume/io.h"
#include "wakuzume/restore.h"
#include "wakuzume/settings_file.h"
#include "wakuzume/verify.h"

// Instance sets as ordinary nodes.
namespace wakuzume {
namespace {

namespace fs = std::filesystem;

/// Forty balls, turned and scaled, some on a lightmap page with places of their own.
Scene make_balls() {
  test::SceneBuilder builder;
  const MeshId ball =
      builder.add_mesh("ball", test::make_ball(12, 0.1), builder.add_material("clay"));
  for (int i = 0; i < 40; ++i) {
    Trs trs = test::scaled(1, 1 + i % 3, 1, {3.0 * (i % 8), 0, 3.0 * (i / 8)});
    trs.rotation = {0, std::sin(0.1 * i), 0, std::cos(0.1 * i)};
    builder.add_node("ball", ball, trs);
  }
  return builder.finish();
}

/// As a plan for an engine that instances equal meshes has it.
Built build_sets(const Scene& scene, const std::vector<std::string>& values = {}) {
  const Survey found = *survey(scene);
  const auto plan =
      propose(scene, found, {.repeats = Repeats::instance, .instance_values = values});
  Built built = *build(scene, *plan);
  built.ledger.instances = InstanceForm::nodes;
  return built;
}

TEST(SpreadInstances, MakesANodeOfEachOnTheOneMesh) {
  const Scene source = make_balls();
  Built built = build_sets(source, {"id", "random"});
  const auto soup = test::make_soup(built.scene);
  const std::size_t before = built.scene.nodes.size();
  ASSERT_EQ(built.ledger.results.size(), 1U);
  spread_instances(built.scene, built.ledger);
  const LedgerResult& result = built.ledger.results[0];
  EXPECT_EQ(to_index(result.first_instance), before);
  EXPECT_EQ(result.instances, 40U);
  EXPECT_EQ(built.scene.nodes.size(), before + 40);
  EXPECT_TRUE(check_scene(built.scene));
  EXPECT_TRUE(built.scene.extensions_required.empty()) << "any loader reads it";
  EXPECT_EQ(built.scene[result.node].mesh, no_mesh);
  const MeshId mesh = built.scene[result.first_instance].mesh;
  for (std::size_t i = 0; i < 40; ++i) {
    EXPECT_EQ(built.scene.nodes[before + i].mesh, mesh);
  }
  EXPECT_NE(built.scene.nodes[before + 3].extra->extras.find("\"id\":"), std::string::npos);
  EXPECT_EQ(test::count_unmatched(soup, test::make_soup(built.scene), 1e-5), 0U);
  const auto verdict = verify(source, built.scene, built.ledger);
  ASSERT_TRUE(verdict);
  EXPECT_TRUE(verdict->passed) << (verdict->mismatches.empty() ? "" : verdict->mismatches[0].what);
}

TEST(SpreadInstances, IsUndoneByGathering) {
  Built built = build_sets(make_balls());
  const Scene sets = built.scene;
  spread_instances(built.scene, built.ledger);
  const Scene gathered = gather_instances(built.scene, built.ledger);
  EXPECT_EQ(count_totals(gathered).draws, count_totals(sets).draws);
  EXPECT_EQ(test::count_unmatched(test::make_soup(sets), test::make_soup(gathered), 0), 0U);
  // Once more changes nothing.
  EXPECT_EQ(make_content_hash(gather_instances(gathered, built.ledger)),
            make_content_hash(gathered));
}

TEST(SpreadInstances, AreFoundWrongOneByOne) {
  const Scene source = make_balls();
  Built built = build_sets(source);
  spread_instances(built.scene, built.ledger);
  const std::size_t first = to_index(built.ledger.results[0].first_instance);
  const auto fails = [&](const auto& spoil) {
    Scene broken = built.scene;
    spoil(broken.nodes[first + 7], broken);
    Ledger told = built.ledger;
    told.result_hash = make_content_hash(gather_instances(broken, told));
    return !verify(source, broken, told)->passed;
  };
  EXPECT_TRUE(fails([](Node& node, Scene&) { node.trs.translation[0] += 0.01; }));
  EXPECT_TRUE(fails([](Node& node, Scene&) { node.trs.scale[1] = -node.trs.scale[1]; }));
  EXPECT_TRUE(fails([](Node& node, Scene&) { node.mesh = no_mesh; }));
  EXPECT_TRUE(fails([](Node& node, Scene& scene) {
    scene.meshes.push_back(scene[node.mesh]);
    node.mesh = make_id<MeshId>(scene.meshes.size() - 1);
  })) << "a mesh of its own is no instance";
  EXPECT_TRUE(fails([](Node& node, Scene& scene) {
    scene.nodes.push_back(node);
    scene.levels[0].roots.push_back(make_id<NodeId>(scene.nodes.size() - 1));
  })) << "one too many";
  EXPECT_FALSE(fails([](Node& node, Scene&) { node.name = "renamed"; }));
}

TEST(LedgerIndex, FindsNodesThatAreInstances) {
  Built built = build_sets(make_balls());
  spread_instances(built.scene, built.ledger);
  const LedgerIndex index(built.ledger);
  const NodeId first = built.ledger.results[0].first_instance;
  for (std::uint32_t i = 0; i < 40; ++i) {
    const LedgerRow* const row = index.find(make_id<NodeId>(to_index(first) + i), 0, 0, 5);
    ASSERT_NE(row, nullptr);
    EXPECT_EQ(row->instance, i);
  }
  EXPECT_EQ(index.find(make_id<NodeId>(to_index(first) + 40), 0, 0, 5), nullptr);
}

TEST(Propose, PlansNoSetsOfNodesWhereTheEngineDrawsEach) {
  const Scene scene = make_balls();
  const Survey found = *survey(scene);
  Outlook outlook;
  outlook.profile = *read_cost_profile("desk");
  outlook.views = *make_views(scene, found, {.count = 8});
  const auto count_sets = [&](InstanceForm form) {
    const auto plan = propose(scene, found, {.instances = form}, outlook);
    return std::count_if(plan->groups.begin(), plan->groups.end(), [](const Group& group) {
      return group.kind == GroupKind::instance_set && group.members.size() > 1;
    });
  };
  EXPECT_GT(count_sets(InstanceForm::extension), 0);
  EXPECT_EQ(count_sets(InstanceForm::nodes), 0);
  outlook.profile.instances_repeats = true;
  EXPECT_LE(count_sets(InstanceForm::nodes), count_sets(InstanceForm::extension));
}

/// The whole way by the tool, for an engine that instances what is equal.
class NodesResult : public testing::TestWithParam<const char*> {};

TEST_P(NodesResult, IsProvedCountedAndPutBack) {
  const auto folder = test::make_scratch();
  const std::string source = (folder / "scene.glb").string();
  ASSERT_TRUE(write_scene(make_balls(), source));
  // The plan of an engine that takes sets, for one that instances equal nodes.
  const std::string plan = (folder / "plan.json").string();
  ASSERT_EQ(
      test::run_tool_small({"propose", source, "-o", plan, "--repeats", "instance"}).exit_code, 0);
  std::string text = test::read_all(plan);
  const std::string form = R"("instances": "extension")";
  ASSERT_NE(text.find(form), std::string::npos);
  test::write_all(plan, text.replace(text.find(form), form.size(), R"("instances": "nodes")"));
  const std::string result = (folder / "out.glb").string();
  const auto built = test::run_tool({"build", plan, "-o", result, "--geometry", GetParam()});
  ASSERT_EQ(built.exit_code, 0) << built.err;
  const Ledger ledger = *read_ledger((folder / "out.ledger.json").string());
  EXPECT_EQ(ledger.instances, InstanceForm::nodes);
  ASSERT_EQ(ledger.results.size(), 1U);
  EXPECT_EQ(ledger.results[0].instances, 40U);
  const Scene read = *read_scene(result);
  EXPECT_TRUE(std::find(read.extensions_required.begin(), read.extensions_required.end(),
                        "EXT_mesh_gpu_instancing") == read.extensions_required.end());
  EXPECT_EQ(test::ask_validator(result).substr(0, 2), "0 ");
  EXPECT_EQ(count_totals(read).draws, 40U) << "for an engine that draws each node";
  EXPECT_EQ(test::run_tool_small({"verify", source, result}).exit_code, 0);
  // Half of them back: the others are nodes again.
  const std::string part = (folder / "part.glb").string();
  ASSERT_EQ(test::run_tool({"restore", result, "-o", part, "--node", "/ball"}).exit_code, 0);
  const std::string back = (folder / "back.glb").string();
  ASSERT_EQ(test::run_tool({"restore", result, "-o", back}).exit_code, 0);
  EXPECT_EQ(test::read_all(back), test::read_all(source));
}

INSTANTIATE_TEST_SUITE_P(Forms, NodesResult, testing::Values("plain", "packed"));

}  // namespace
}  // namespace wakuzume
