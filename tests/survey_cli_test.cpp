// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>
#include <simdjson.h>

#include <algorithm>
#include <map>

#include "glasshouse.h"
#include "support/process.h"
#include "support/rig_scene.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"

/// The survey command through the real binary, on the demo scene.
namespace wakuzume {
namespace {

namespace fs = std::filesystem;

using test::Outcome;
using test::run_tool;

class SurveyTool : public testing::Test {
 protected:
  SurveyTool() : folder_(test::make_scratch()), scene_((folder_ / "glasshouse.glb").string()) {
    EXPECT_TRUE(write_scene(demo::make_glasshouse(), scene_));
  }
  [[nodiscard]] std::string path(const char* name) const { return (folder_ / name).string(); }
  Outcome run(std::vector<std::string> more) {
    more.insert(more.begin(), {"survey", scene_});
    return run_tool(more);
  }

  fs::path folder_;
  std::string scene_;
};

void expect_narrow(const std::string& text) {
  std::size_t at = 0;
  while (at < text.size()) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    EXPECT_LE(end - at, 100U) << text.substr(at, end - at);
    at = end + 1;
  }
}

TEST_F(SurveyTool, TellsFirstWhatToDoFirst) {
  const Outcome outcome = run({});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  expect_narrow(outcome.out);
  EXPECT_LT(outcome.out.find("Do first: draw repeats of one shape as instances"), 200U)
      << outcome.out;
  for (const char* words : {"How low it could go", "A frame on \"desk\", from 6 cameras",
                            "What keeps draws apart", "Draws that stay", "findings"}) {
    EXPECT_NE(outcome.out.find(words), std::string::npos) << words;
  }
}

TEST_F(SurveyTool, PrintsEveryTableWithinThePage) {
  for (const std::vector<std::string>& line :
       std::vector<std::vector<std::string>>{{"--table", "draws"},
                                             {"--table", "views"},
                                             {"--table", "findings"},
                                             {"--table", "near"},
                                             {"--by", "key"},
                                             {"--by", "material"},
                                             {"--by", "family"},
                                             {"--by", "mesh"},
                                             {"--by", "level"},
                                             {"--by", "subtree", "--depth", "3"}}) {
    const Outcome outcome = run(line);
    EXPECT_EQ(outcome.exit_code, 0) << line[1] << outcome.err;
    expect_narrow(outcome.out);
    EXPECT_NE(outcome.out.find(" row"), std::string::npos);
  }
}

TEST_F(SurveyTool, WritesTheWholeTableAsCsvAndJson) {
  const Outcome csv = run({"--table", "draws", "--format", "csv"});
  EXPECT_EQ(std::count(csv.out.begin(), csv.out.end(), '\n'), 1562);
  const Outcome json = run({"--where", "node=*/bench_0*", "--where", "triangles>10", "--sort",
                            "vertices", "--top", "7", "--format", "json"});
  simdjson::dom::parser parser;
  const simdjson::dom::element root = parser.parse(json.out);
  EXPECT_EQ(std::string_view(root["format"]), "wakuzume-table");
  const auto rows = root["rows"].get_array();
  EXPECT_EQ(rows.size(), 7U);
  double last = 1e9;
  for (const auto row : rows) {
    EXPECT_NE(std::string_view(row["node"]).find("/bench_0"), std::string_view::npos);
    EXPECT_LE(double(row["vertices"]), last);
    last = double(row["vertices"]);
  }
}

TEST_F(SurveyTool, EndsWithOneWhereABudgetFails) {
  EXPECT_EQ(run({"--budget", "draws=1561"}).exit_code, 0);
  const Outcome failed = run({"--budget", "draws=1560", "--budget", "materials=100"});
  EXPECT_EQ(failed.exit_code, 1);
  EXPECT_NE(failed.out.find("FAILS  draws"), std::string::npos) << failed.out;
  EXPECT_NE(failed.out.find("passes materials"), std::string::npos);
  EXPECT_EQ(run({"--budget", "drows=3"}).exit_code, 2);
  EXPECT_NE(run({"--budget", "drows=3"}).err.find("did you mean draws?"), std::string::npos);
  EXPECT_EQ(run({"--budget", "draws=few"}).exit_code, 2);
  test::write_all(path("s.toml"),
                  "[[tier]]\nname = \"desk\"\ndraws = 5000\n[[tier]]\nname = \"pocket\"\n"
                  "draws = 300\n");
  const Outcome tiers = run({"--settings", path("s.toml")});
  EXPECT_EQ(tiers.exit_code, 0);
  EXPECT_NE(tiers.out.find("Tier reached: desk\nWhat stops it from reaching pocket:\n  FAILS"),
            std::string::npos)
      << tiers.out;
  EXPECT_EQ(run({"--settings", path("s.toml"), "--tier", "pocket"}).exit_code, 1);
  EXPECT_EQ(run({"--settings", path("s.toml"), "--tier", "watch"}).exit_code, 2);
}

TEST(SurveyToolOfFigures, RanksAPartByWhatItHolds) {
  const auto folder = test::make_scratch();
  const std::string file = (folder / "figures.glb").string();
  ASSERT_TRUE(
      write_scene(test::make_random_rig(7, {.joints = 30, .parts = 6, .figures = 2}), file));
  const std::string settings = (folder / "s.toml").string();
  const auto rank = [&](const std::string& figure, int limit) {
    test::write_all(
        settings, "[[tier]]\nname = \"poor\"\ndraws = 1000\n[[tier]]\nname = \"good\"\n" + figure +
                      " = " + std::to_string(limit) + "\n");
    return test::run_tool({"survey", file, "--where", "node=/avatar/*", "--where", "draw<10",
                           "--tier", "good", "--settings", settings});
  };
  // 6 parts and 4 that hang on joints, of one figure alone.
  for (const std::string figure : {"draws", "meshes"}) {
    EXPECT_EQ(rank(figure, 10).exit_code, 0) << figure;
    const test::Outcome over = rank(figure, 9);
    EXPECT_EQ(over.exit_code, 1) << figure;
    EXPECT_NE(over.out.find("Tier reached: poor\nWhat stops it from reaching good:\n  FAILS"),
              std::string::npos)
        << over.out;
  }
  EXPECT_EQ(rank("joints", 30).exit_code, 0) << "of one skeleton";
  EXPECT_EQ(rank("influences", 8).exit_code, 0);
  EXPECT_EQ(rank("influences", 0).exit_code, 1);
  EXPECT_EQ(rank("skins", 0).exit_code, 1);
}

TEST_F(SurveyTool, LooksFromTheViewsItIsGiven) {
  ASSERT_EQ(run({"--views", "3", "--view-seed", "9", "--save-views", path("v.json")}).exit_code, 0);
  const auto views = read_views(path("v.json"));
  ASSERT_TRUE(views);
  EXPECT_EQ(views->size(), 9U);
  const Outcome sampled = run({"--views", "3", "--view-seed", "9", "--format", "json"});
  const Outcome listed = run({"--views-file", path("v.json"), "--format", "json"});
  EXPECT_EQ(sampled.out, listed.out) << "the same places, the same costs";
  EXPECT_NE(run({"--views", "3", "--view-seed", "8", "--format", "json"}).out, sampled.out);
  EXPECT_EQ(run({"--views-file", path("none.json")}).exit_code, 3);
  EXPECT_EQ(run({"--views", "70000"}).exit_code, 2);
}

TEST_F(SurveyTool, SaysTheSameForAnyNumberOfThreads) {
  EXPECT_EQ(run({"--threads", "1", "--format", "json"}).out,
            run({"--threads", "3", "--format", "json"}).out);
}

TEST_F(SurveyTool, TakesAnyCostProfile) {
  for (const char* name : {"pocket", "headset", "couch", "desk"}) {
    EXPECT_NE(run({"--profile", name}).out.find(std::string("A frame on \"") + name),
              std::string::npos);
  }
  test::write_all(path("mine.toml"), "name = \"mine\"\n[[pass]]\nkind = \"main\"\n");
  EXPECT_NE(run({"--profile", path("mine.toml")}).out.find("A frame on \"mine\""),
            std::string::npos);
  EXPECT_EQ(run({"--profile", "toaster"}).exit_code, 3);
}

TEST_F(SurveyTool, ComparesSeveralScenes) {
  const std::string other = path("other.glb");
  ASSERT_TRUE(write_scene(test::make_random_scene(3, 30), other));
  const Outcome text = run_tool({"survey", scene_, other, scene_});
  EXPECT_EQ(text.exit_code, 0) << text.err;
  expect_narrow(text.out);
  EXPECT_NE(text.out.find("What belongs together"), std::string::npos);
  const Outcome json = run_tool({"survey", scene_, other, scene_, "--format", "json"});
  simdjson::dom::parser parser;
  const simdjson::dom::element root = parser.parse(json.out);
  EXPECT_EQ(root["packs"].get_array().size(), 2U) << "the first and third share all";
  EXPECT_EQ(run_tool({"survey", scene_, other, "--table", "draws"}).exit_code, 2);
}

/// What the glasshouse holds that costs; a reader in another language counted the same.
TEST_F(SurveyTool, FindsWhatTheDemoSceneContainsAndNothingElse) {
  const Outcome json = run({"--format", "json"});
  simdjson::dom::parser parser;
  const simdjson::dom::element root = parser.parse(json.out);
  std::map<std::string, std::size_t> codes;
  for (const auto finding : root["findings"].get_array()) {
    ++codes[std::string(std::string_view(finding["code"]))];
  }
  const std::map<std::string, std::size_t> expected{
      {"geometry_copied", 69},      // kit parts that were exported again for each place
      {"image_repeats_always", 4},  // stone, gravel, brick, planks
      {"lightmap_pages_small", 1},  // eight pages; engines find their pictures by name
      {"material_copied", 4},  // of the eight plates, sets of three, three and two; of the skin
      {"material_without_image", 1},  // twenty-five of them, told at once
      {"transform_mirrored", 1},      // the western wing, told at once
      {"triangles_degenerate", 32},   // poles of the lathe's pots, lamps, valves and limbs
      {"uv_repeats", 10}};
  EXPECT_EQ(codes, expected);
}

}  // namespace
}  // namespace wakuzume
