// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>

#include "glasshouse.h"
#include "support/process.h"
#include "wakuzume/io.h"
#include "wakuzume/restore.h"

/// Objects, colliders, assets and names through the tool, on the demo scene.
namespace wakuzume {
namespace {

class ToolResults : public testing::Test {
 protected:
  ToolResults() : folder_(test::make_scratch()) {
    EXPECT_TRUE(write_scene(demo::make_glasshouse(), path("s.glb")));
  }
  [[nodiscard]] std::string path(const std::string& name) const {
    return (folder_ / name).string();
  }
  std::string run(const std::vector<std::string>& line, int wanted = 0) {
    const test::Outcome outcome = test::run_tool_small(line);
    EXPECT_EQ(outcome.exit_code, wanted) << line[0] << ": " << outcome.err;
    return wanted == 0 ? outcome.out : outcome.err;
  }
  void plan(const std::vector<std::string>& more = {}) {
    std::vector<std::string> line{"propose", path("s.glb"), "-o", path("p.json")};
    line.insert(line.end(), more.begin(), more.end());
    run(line);
  }
  static NodeId find_node(const Scene& scene, const std::string& name) {
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
      if (scene.nodes[n].name == name) {
        return make_id<NodeId>(n);
      }
    }
    return no_node;
  }

  std::filesystem::path folder_;
};

TEST_F(ToolResults, JoinsAndCollidesByHand) {
  plan();
  run({"edit", path("p.json"), "-o", path("q.json"), "--join", "merged_copper_001=pipes", "--join",
       "merged_brass_001=pipes", "--collider", "merged_copper_001=hull", "--join",
       "merged_stone_slabs_001=pipes", "--unjoin", "merged_stone_slabs_001"});
  run({"build", path("q.json"), "-o", path("r.glb")});
  run({"verify", path("s.glb"), path("r.glb")});
  const auto scene = read_scene(path("r.glb"));
  ASSERT_TRUE(scene);
  const NodeId pipes = find_node(*scene, "pipes");
  ASSERT_NE(pipes, no_node);
  EXPECT_EQ((*scene)[(*scene)[pipes].mesh].primitives.size(), 2U);
  EXPECT_NE(find_node(*scene, "merged_copper_001_collider"), no_node);
  EXPECT_NE(find_node(*scene, "merged_stone_slabs_001"), no_node) << "a node of its own again";
  // The ledger finds what is picked on the second primitive, and where a source node is now.
  const auto ledger = read_ledger(path("r.ledger.json"));
  ASSERT_TRUE(ledger);
  const LedgerIndex index(*ledger);
  std::size_t checked = 0;
  for (const LedgerRow& row : ledger->rows) {
    if (row.node == pipes) {
      EXPECT_EQ(index.find(pipes, row.primitive, 0, row.first_index), &row);
      EXPECT_EQ(index.find(pipes, row.primitive, 0, row.first_index + row.index_count - 1), &row);
      const auto now = index.find_source(row.source.node);
      EXPECT_TRUE(std::any_of(now.begin(), now.end(),
                              [&](const LedgerRow& other) { return other.node == pipes; }));
      ++checked;
    }
  }
  EXPECT_EQ(checked, 72U);
  run({"restore", path("r.glb"), "-o", path("back.glb")});
  EXPECT_TRUE(test::read_all(path("back.glb")) == test::read_all(path("s.glb")));

  EXPECT_NE(run({"edit", path("p.json"), "-o", path("x.json"), "--collider", "a=ball"}, 2)
                .find("'ball' is no triangles, box, hull or none"),
            std::string::npos);
  EXPECT_NE(run({"edit", path("p.json"), "-o", path("x.json"), "--join", "set_plate_0_001=a"}, 3)
                .find("can't be part of an object"),
            std::string::npos);
  EXPECT_FALSE(std::filesystem::exists(path("x.json")));
}

TEST_F(ToolResults, WritesAssetsBesideTheScene) {
  plan();
  ASSERT_FALSE(std::filesystem::exists(path("out"))) << "the build makes its folder";
  const std::string told = run({"build", path("p.json"), "-o", path("out/r.gltf"), "--as-asset",
                                "set_plate_0_001", "--asset-pivot", "base"});
  EXPECT_NE(told.find("set_plate_0_001.gltf"), std::string::npos) << told;
  const auto files = test::list_folder(folder_ / "out");
  EXPECT_EQ(std::count_if(files.begin(), files.end(),
                          [](const std::string& file) {
                            return file.starts_with("set_plate") && file.ends_with(".bin");
                          }),
            1)
      << "one file of data";
  const auto asset = read_scene(path("out/set_plate_0_001.gltf"));
  ASSERT_TRUE(asset) << to_string(asset.error());
  EXPECT_EQ(make_draw_list(*asset).size(), 1U);
  EXPECT_NEAR(survey(*asset)->bounds.min[1], 0, 1e-6);
  const auto scene = read_scene(path("out/r.gltf"));
  ASSERT_TRUE(scene);
  const Node& set = (*scene)[find_node(*scene, "set_plate_0_001")];
  EXPECT_TRUE(set.instancing);
  EXPECT_NE(set.extra->extras.find(R"("asset":"set_plate_0_001.gltf")"), std::string::npos);
  run({"verify", path("s.glb"), path("out/r.gltf")});
  const test::Outcome idle =
      test::run_tool({"build", path("p.json"), "-o", path("out/x.glb"), "--as-asset", "nobody*"});
  EXPECT_EQ(idle.exit_code, 0);
  EXPECT_NE(idle.err.find("no group of the plan matches the asset 'nobody*'"), std::string::npos)
      << idle.err;
  EXPECT_TRUE(std::filesystem::exists(path("out/x.glb")));
  // The asset would be the scene itself.
  EXPECT_NE(run({"build", path("p.json"), "-o", path("out/set_plate_0_001.glb"), "--as-asset",
                 "set_plate_0_001"},
                4)
                .find("an asset has this name too"),
            std::string::npos);
}

TEST_F(ToolResults, NamesAndJoinsByTheSettings) {
  const std::string named =
      "[propose]\ncluster_names = \"{root}-{material}\"\nset_names = \"{mesh}.set\"\n"
      "mesh_unit = \"place\"\ncell_size_m = 15.0\nobject_names = \"block{number}\"\n"
      "colliders = \"box\"\ncollider_names = \"body of {name}\"\n";
  test::write_all(path("a.toml"), named + test::read_all(test::small_proof()));
  run({"run", path("s.glb"), "--settings", path("a.toml"), "-o", path("out"), "--quiet"});
  const auto scene = read_scene(path("out/s.glb"));
  ASSERT_TRUE(scene);
  EXPECT_NE(find_node(*scene, "block001"), no_node);
  const auto ledger = read_ledger(path("out/s.ledger.json"));
  ASSERT_TRUE(ledger);
  for (const LedgerResult& result : ledger->results) {
    EXPECT_TRUE(result.group.find('-') != std::string::npos ||
                result.group.find(".set") != std::string::npos)
        << result.group;
    if (!result.joints.empty() || !result.targets.empty()) {
      EXPECT_EQ(result.collider, no_node) << "it is deformed";
      continue;
    }
    ASSERT_NE(result.collider, no_node);
    EXPECT_EQ((*scene)[result.collider].name, "body of " + result.group);
  }
  test::write_all(path("b.toml"), "[propose]\ncluster_names = \"{colour}\"\n");
  EXPECT_NE(run({"run", path("s.glb"), "--settings", path("b.toml"), "-o", path("out2")}, 2)
                .find("propose.cluster_names must be text with {number}, {material}"),
            std::string::npos);
  EXPECT_FALSE(std::filesystem::exists(path("out2")));
}

TEST_F(ToolResults, SaysWhatOtherOptionsWouldSaveWhereTheyWould) {
  test::write_all(path("a.toml"), "[verify]\npicture_views = 0\n");
  const std::string out = run(
      {"run", path("s.glb"), "--settings", path("a.toml"), "--blended", "keep", "-o", path("out")});
  const std::size_t next = out.find("Next, from 90 draws");
  ASSERT_NE(next, std::string::npos) << out;
  EXPECT_NE(out.find("  --materials fewest_draws", next), std::string::npos);
  EXPECT_NE(out.find("  and --blended proved", next), std::string::npos);
  EXPECT_NE(out.find("  and --lightmaps join", next), std::string::npos);
  // Who has taken all of them hears no more of it.
  const std::string all =
      run({"run", path("s.glb"), "--settings", path("a.toml"), "--materials", "fewest_draws",
           "--blended", "merge", "--lightmaps", "join", "-o", path("all")});
  EXPECT_EQ(all.find("Next, from"), std::string::npos);
  EXPECT_NE(all.find("Lightmap pages joined"), std::string::npos);
  EXPECT_NE(all.find(" lookups of lightmaps read the texels that they read before"),
            std::string::npos);
}

TEST_F(ToolResults, RefusesALedgerWhoseCarriedSourceIsNotThere) {
  plan();
  run({"build", path("p.json"), "-o", path("r.glb"), "--carry-source"});
  std::string ledger = test::read_all(path("r.ledger.json"));
  const std::size_t at = ledger.find("\"first_node\": ");
  ASSERT_NE(at, std::string::npos);
  ledger.insert(at + 14, "9");
  test::write_all(path("r.ledger.json"), ledger);
  std::filesystem::remove(path("s.glb"));
  EXPECT_NE(run({"restore", path("r.glb"), "-o", path("back.glb")}, 3)
                .find("does not hold the source that the ledger tells of"),
            std::string::npos);
  EXPECT_FALSE(std::filesystem::exists(path("back.glb")));
}

}  // namespace
}  // namespace wakuzume
