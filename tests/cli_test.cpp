// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>
#include <signal.h>
#include <simdjson.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <regex>
#include <thread>

#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"

/// The command line through the real binary.
namespace wakuzume {
namespace {

namespace fs = std::filesystem;

using test::Outcome;
using test::run_tool;

class Tool : public testing::Test {
 protected:
  Tool() : folder_(test::make_scratch()), scene_((folder_ / "scene.glb").string()) {
    EXPECT_TRUE(write_scene(test::make_random_scene(70, 60), scene_));
  }
  [[nodiscard]] std::string path(const char* name) const { return (folder_ / name).string(); }

  fs::path folder_;
  std::string scene_;
};

TEST_F(Tool, HelpsWithEveryCommandAndItsExitCodes) {
  const Outcome help = run_tool({"--help"});
  EXPECT_EQ(help.exit_code, 0);
  for (const char* word :
       {"survey", "propose", "build", "verify", "run", "demo", "settings", "0 done", "1 done, but",
        "2 the command line", "3 the input", "4 the output", "130 cancelled"}) {
    EXPECT_NE(help.out.find(word), std::string::npos) << word;
  }
  for (const char* command : {"survey", "propose", "build", "verify", "run", "demo", "settings"}) {
    const Outcome one = run_tool({command, "--help"});
    EXPECT_EQ(one.exit_code, 0);
    EXPECT_NE(one.out.find("--threads"), std::string::npos) << command;
  }
  EXPECT_EQ(run_tool({"--version"}).out, "wakuzume 0.1.0\n");
}

TEST_F(Tool, EndsWithTwoOnAWrongLine) {
  for (const std::vector<std::string>& line : std::vector<std::vector<std::string>>{
           {},
           {"inspect"},
           {"survey"},
           {"survey", scene_, "--frmat", "json"},
           {"survey", scene_, "--format", "yaml"},
           {"propose", scene_},
           {"propose", scene_, "-o", path("p"), "--min-instances", "many"},
           {"propose", scene_, "-o", path("p"), "--min-instances", "1"},
           {"propose", scene_, "-o", path("p"), "--cell-size", "-4"},
           {"propose", scene_, "-o", path("p"), "--blended", "maybe"},
           {"build", path("p"), "-o", path("scene.fbx")},
           {"run", scene_, "-o", path("out"), "--threads", "-1"}}) {
    const Outcome outcome = run_tool(line);
    EXPECT_EQ(outcome.exit_code, 2) << (line.empty() ? "nothing" : line.back()) << outcome.err;
    EXPECT_FALSE(outcome.err.empty());
  }
  EXPECT_EQ(test::list_folder(folder_), (std::vector<std::string>{"scene.glb"}));
}

TEST_F(Tool, EndsWithTwoOnWrongSettingsAndSaysWhere) {
  test::write_all(path("s.toml"), "[propose]\nmax_vertixes = 4\n");
  const Outcome outcome = run_tool({"survey", scene_, "--settings", path("s.toml")});
  EXPECT_EQ(outcome.exit_code, 2);
  EXPECT_NE(outcome.err.find("s.toml: line 2: there is no setting propose.max_vertixes; did you "
                             "mean propose.max_vertices?"),
            std::string::npos)
      << outcome.err;
}

TEST_F(Tool, EndsWithThreeOnBadInputAndWritesNothing) {
  const std::string whole = test::read_all(scene_);
  test::write_all(path("cut.glb"), whole.substr(0, whole.size() / 2));
  test::write_all(path("empty.glb"), "");
  test::write_all(path("cycle.gltf"),
                  R"({"asset":{"version":"2.0"},"nodes":[{"children":[1]},{"children":[0]}]})");
  test::write_all(path("index.gltf"), R"({"asset":{"version":"2.0"},"nodes":[{"mesh":1}]})");
  test::write_all(path("gone.gltf"),
                  R"({"asset":{"version":"2.0"},"buffers":[{"byteLength":4,"uri":"gone.bin"}]})");
  const auto before = test::list_folder(folder_);
  const std::pair<const char*, const char*> cases[] = {
      {"none.glb", "can't be read"},      {"cut.glb", "cut short"},
      {"empty.glb", "the file is empty"}, {"cycle.gltf", "/nodes/0: node 0 is its own"},
      {"index.gltf", "/nodes/0/mesh"},    {"gone.gltf", "gone.bin"}};
  for (const auto& [name, text] : cases) {
    for (const std::vector<std::string>& line :
         std::vector<std::vector<std::string>>{{"survey", path(name)},
                                               {"propose", path(name), "-o", path("new.plan.json")},
                                               {"run", path(name), "-o", path("new")}}) {
      const Outcome outcome = run_tool(line);
      EXPECT_EQ(outcome.exit_code, 3) << name;
      EXPECT_NE(outcome.err.find(text), std::string::npos) << outcome.err;
      EXPECT_EQ(std::count(outcome.err.begin(), outcome.err.end(), '\n'), 1) << outcome.err;
      EXPECT_TRUE(outcome.out.empty());
    }
  }
  EXPECT_EQ(test::list_folder(folder_), before);
}

TEST_F(Tool, EndsWithFourWhereItCanNotWrite) {
  test::write_all(path("file"), "no folder");
  EXPECT_EQ(run_tool({"run", scene_, "-o", path("file")}).exit_code, 4);
  EXPECT_EQ(run_tool({"propose", scene_, "-o", path("file/p.json")}).exit_code, 4);
  EXPECT_EQ(run_tool({"survey", scene_, "-o", path("file/s.txt")}).exit_code, 4);
  EXPECT_EQ(test::read_all(path("file")), "no folder");
}

TEST_F(Tool, WritesNothingWhereTheCostProfileIsWrong) {
  test::write_all(path("s.toml"), "[cost]\nprofile = \"toaster\"\n");
  const auto before = test::list_folder(folder_);
  EXPECT_EQ(run_tool({"run", scene_, "-o", path("new"), "--settings", path("s.toml")}).exit_code,
            3);
  EXPECT_EQ(test::list_folder(folder_), before);
}

TEST_F(Tool, NeverWritesOverItsInput) {
  const std::string before = test::read_all(scene_);
  const Outcome same = run_tool({"run", scene_, "-o", folder_.string()});
  EXPECT_EQ(same.exit_code, 4);
  EXPECT_NE(same.err.find("is an input"), std::string::npos);
  ASSERT_EQ(run_tool({"propose", scene_, "-o", path("a.plan.json")}).exit_code, 0);
  EXPECT_EQ(run_tool({"build", path("a.plan.json"), "-o", scene_}).exit_code, 4);
  EXPECT_EQ(run_tool({"survey", scene_, "-o", scene_}).exit_code, 4);
  EXPECT_EQ(run_tool({"survey", scene_, "--save-views", scene_}).exit_code, 4);
  EXPECT_EQ(run_tool({"propose", scene_, "-o", scene_}).exit_code, 4);
  EXPECT_EQ(test::read_all(scene_), before);
}

TEST_F(Tool, SurveysAsTextAndJson) {
  const Outcome text = run_tool({"survey", scene_});
  EXPECT_EQ(text.exit_code, 0);
  EXPECT_NE(text.out.find("Do first: "), std::string::npos);
  std::size_t at = 0;
  while (at < text.out.size()) {
    const std::size_t end = text.out.find('\n', at);
    EXPECT_LE(end - at, 100U) << text.out.substr(at, end - at);
    at = end + 1;
  }
  const Outcome json = run_tool({"survey", scene_, "--format", "json"});
  simdjson::dom::parser parser;
  EXPECT_EQ(std::string_view(parser.parse(json.out)["format"]), "wakuzume-survey");
  EXPECT_TRUE(json.err.empty()) << "progress belongs to terminals only: " << json.err;
  ASSERT_EQ(run_tool({"survey", scene_, "--format", "json", "-o", path("s.json")}).exit_code, 0);
  EXPECT_EQ(test::read_all(path("s.json")), json.out);
}

TEST_F(Tool, GoesStepByStepFromSceneToVerdict) {
  ASSERT_EQ(
      run_tool({"propose", scene_, "-o", path("a.plan.json"), "--min-instances", "2"}).exit_code,
      0);
  const Outcome built = run_tool({"build", path("a.plan.json"), "-o", path("b.glb")});
  EXPECT_EQ(built.exit_code, 0) << built.err;
  EXPECT_NE(built.out.find("exactly once"), std::string::npos);
  EXPECT_EQ(test::list_folder(folder_),
            (std::vector<std::string>{"a.plan.json", "b.glb", "b.ledger.json", "scene.glb"}));
  const Outcome verdict = run_tool({"verify", scene_, path("b.glb")});
  EXPECT_EQ(verdict.exit_code, 0) << verdict.out;
  EXPECT_NE(verdict.out.find("PASSED"), std::string::npos);
  const Outcome json = run_tool({"verify", scene_, path("b.glb"), "--format", "json"});
  simdjson::dom::parser parser;
  EXPECT_TRUE(bool(parser.parse(json.out)["passed"]));
}

TEST_F(Tool, FindsTheSceneBesideAPlanThatMovedWithIt) {
  ASSERT_EQ(run_tool({"propose", scene_, "-o", path("a.plan.json")}).exit_code, 0);
  fs::create_directories(folder_ / "moved");
  fs::rename(scene_, folder_ / "moved" / "scene.glb");
  fs::rename(path("a.plan.json"), folder_ / "moved" / "a.plan.json");
  EXPECT_EQ(run_tool({"build", path("moved/a.plan.json"), "-o", path("b.glb")}).exit_code, 0);
  fs::rename(folder_ / "moved" / "scene.glb", folder_ / "elsewhere.glb");
  EXPECT_EQ(run_tool({"build", path("moved/a.plan.json"), "-o", path("b.glb")}).exit_code, 3);
  EXPECT_EQ(run_tool({"build", path("moved/a.plan.json"), "-o", path("b.glb"), "--scene",
                      path("elsewhere.glb")})
                .exit_code,
            0);
}

TEST_F(Tool, RefusesAPlanForAnotherScene) {
  ASSERT_EQ(run_tool({"propose", scene_, "-o", path("a.plan.json")}).exit_code, 0);
  ASSERT_TRUE(write_scene(test::make_random_scene(71, 60), scene_));
  const Outcome outcome = run_tool({"build", path("a.plan.json"), "-o", path("b.glb")});
  EXPECT_EQ(outcome.exit_code, 3);
  EXPECT_NE(outcome.err.find("a.plan.json: "), std::string::npos) << outcome.err;
  EXPECT_NE(outcome.err.find("make it again for this scene"), std::string::npos);
  EXPECT_FALSE(fs::exists(path("b.glb")));
}

TEST_F(Tool, EndsWithOneWhenTheProofFails) {
  ASSERT_EQ(run_tool({"run", scene_, "-o", path("out")}).exit_code, 0);
  // Another result under the same ledger.
  ASSERT_TRUE(write_scene(test::make_random_scene(72, 10), path("out/scene.glb")));
  const Outcome verdict = run_tool({"verify", scene_, path("out/scene.glb")});
  EXPECT_EQ(verdict.exit_code, 1);
  EXPECT_NE(verdict.out.find("FAILED"), std::string::npos);
}

TEST_F(Tool, RunsTheWholeJobTheSameWayForAnyThreads) {
  const Outcome one = run_tool({"run", scene_, "-o", path("one"), "--threads", "1"});
  const Outcome two = run_tool({"run", scene_, "-o", path("two"), "--threads", "2"});
  EXPECT_EQ(one.exit_code, 0);
  const auto names = test::list_folder(path("one"));
  EXPECT_EQ(names, (std::vector<std::string>{"scene.glb", "scene.ledger.json", "scene.plan.json",
                                             "scene.report.html", "scene.survey.json",
                                             "scene.verdict.json"}));
  for (const std::string& name : names) {
    // How long it took is another thing each time.
    const auto read = [&](const char* folder) {
      static const std::regex measured(
          R"x("submit_ms":[0-9.e-]+|"submit_(before|after)":[0-9.e-]+|"timings":\[[^{}]*\]\])x");
      return std::regex_replace(test::read_all(folder_ / folder / name), measured, "");
    };
    EXPECT_TRUE(read("one") == read("two")) << name;
  }
}

TEST_F(Tool, TakesSettingsFromAFileAndTheLineOverIt) {
  test::write_all(path("s.toml"), "[propose]\nmin_instances = 2\ntriangle_growth = 3\n");
  ASSERT_EQ(run_tool({"propose", scene_, "-o", path("a.json"), "--settings", path("s.toml"),
                      "--min-instances", "5"})
                .exit_code,
            0);
  const auto plan = read_plan(path("a.json"));
  ASSERT_TRUE(plan);
  EXPECT_EQ(plan->settings.min_instances, 5U);
  EXPECT_EQ(plan->settings.triangle_growth, 3);
  const Outcome printed = run_tool({"settings", "--settings", path("s.toml")});
  EXPECT_NE(printed.out.find("triangle_growth = 3\n"), std::string::npos);
}

TEST_F(Tool, ChangesAPlanAndBuildsIt) {
  ASSERT_EQ(run_tool({"propose", scene_, "-o", path("a.json")}).exit_code, 0);
  const auto plan = read_plan(path("a.json"));
  ASSERT_TRUE(plan);
  ASSERT_FALSE(plan->groups.empty());
  const std::string group = plan->groups[0].name;
  const std::string node = plan->marks[0].path;
  const Outcome edited = run_tool({"edit", path("a.json"), "-o", path("b.json"), "--pivot",
                                   group + "=base", "--rename", group + "=mine", "--keep", node});
  ASSERT_EQ(edited.exit_code, 0) << edited.err;
  EXPECT_NE(edited.out.find("taken out of the plan by hand"), std::string::npos);
  EXPECT_NE(edited.out.find("mine"), std::string::npos);
  const Outcome revised = run_tool({"propose", "--revise", path("b.json"), "-o", path("c.json")});
  ASSERT_EQ(revised.exit_code, 0) << revised.err;
  const auto again = read_plan(path("c.json"));
  ASSERT_TRUE(again);
  EXPECT_TRUE(std::any_of(again->groups.begin(), again->groups.end(), [](const Group& g) {
    return g.name == "mine" && g.pinned && g.pivot_at == PivotAt::bounds_base;
  }));
  ASSERT_EQ(run_tool({"build", path("c.json"), "-o", path("c.glb")}).exit_code, 0);
  EXPECT_EQ(run_tool({"verify", scene_, path("c.glb")}).exit_code, 0);
}

TEST_F(Tool, PutsAllOrPartsBack) {
  ASSERT_EQ(run_tool({"run", scene_, "-o", path("out")}).exit_code, 0);
  const std::string stem = std::filesystem::path(scene_).stem().string();
  const std::string built = path(("out/" + stem + ".glb").c_str());
  const Outcome all = run_tool({"restore", built, "-o", path("all.glb")});
  ASSERT_EQ(all.exit_code, 0) << all.err;
  EXPECT_TRUE(all.out.starts_with("Put back ")) << all.out;
  EXPECT_EQ(make_content_hash(*read_scene(path("all.glb"))),
            make_content_hash(*read_scene(scene_)));

  const auto ledger = read_ledger(path(("out/" + stem + ".ledger.json").c_str()));
  ASSERT_TRUE(ledger);
  ASSERT_FALSE(ledger->results.empty());
  const std::string group = (*read_scene(built))[ledger->results[0].node].name;
  const Outcome some =
      run_tool({"restore", built, "-o", path("some.gltf"), "--group", group, "--scene", scene_});
  ASSERT_EQ(some.exit_code, 0) << some.err;
  EXPECT_EQ(run_tool({"verify", scene_, path("some.gltf")}).exit_code, 0);
  EXPECT_EQ(read_ledger(path("some.ledger.json"))->results.size() + 1, ledger->results.size());

  EXPECT_EQ(run_tool({"restore", built, "-o", path("x.glb"), "--node", "/nobody"}).exit_code, 2);
  EXPECT_EQ(run_tool({"restore", built, "-o", built}).exit_code, 4) << "that is its input";
  EXPECT_EQ(run_tool({"restore", built, "-o", path("x.glb"), "--scene", built}).exit_code, 3);
  EXPECT_FALSE(std::filesystem::exists(path("x.glb")));
}

TEST_F(Tool, CarriesEditsOutInTheOrderOfTheLine) {
  ASSERT_EQ(run_tool({"propose", scene_, "-o", path("a.json")}).exit_code, 0);
  const std::string group = read_plan(path("a.json"))->groups[0].name;
  // The second edit knows the group by the name that the first one gave, twice.
  const Outcome edited =
      run_tool({"edit", path("a.json"), "-o", path("b.json"), "--rename", group + "=mine", "--pin",
                "mine", "--rename", "mine=ours", "--pivot", "ours=origin"});
  ASSERT_EQ(edited.exit_code, 0) << edited.err;
  const auto plan = read_plan(path("b.json"));
  ASSERT_TRUE(plan);
  const Group& changed = plan->groups[0];
  EXPECT_EQ(changed.name, "ours");
  EXPECT_TRUE(changed.pinned);
  EXPECT_EQ(changed.pivot_at, PivotAt::world_origin);
  EXPECT_EQ(run_tool({"edit", path("a.json"), "-o", path("c.json"), "--pin", "mine", "--rename",
                      group + "=mine"})
                .exit_code,
            3)
      << "not yet its name";
}

TEST_F(Tool, HoldsALimitOnTrianglesThatTheLineNames) {
  const auto growth = [&](const std::vector<std::string>& more) {
    std::vector<std::string> line{"propose", scene_, "-o", path("a.json")};
    line.insert(line.end(), more.begin(), more.end());
    EXPECT_EQ(run_tool(line).exit_code, 0);
    const auto plan = read_plan(path("a.json"));
    return plan->forecast.after.view_triangles.median / plan->forecast.before.view_triangles.median;
  };
  EXPECT_GT(growth({}), 1.25) << "few triangles do not matter by themselves";
  EXPECT_LE(growth({"--triangle-growth", "1.25"}), 1.25 + 1e-9);
  EXPECT_LE(growth({"--triangle-growth", "1.1"}), 1.1 + 1e-9);
}

TEST_F(Tool, SaysWhyAndWhatIsMissing) {
  ASSERT_EQ(run_tool({"propose", scene_, "-o", path("a.json")}).exit_code, 0);
  const std::string node = read_plan(path("a.json"))->marks[0].path;
  const Outcome why = run_tool({"propose", "--revise", path("a.json"), "--why", node});
  EXPECT_EQ(why.exit_code, 0);
  EXPECT_TRUE(why.out.starts_with(node + " primitive")) << why.out;
  EXPECT_NE(why.out.find("on its own it takes"), std::string::npos);
  EXPECT_EQ(run_tool({"propose", scene_, "--why", "/nobody"}).exit_code, 2);
  EXPECT_EQ(run_tool({"propose", scene_}).exit_code, 2);
  EXPECT_EQ(run_tool({"propose", "-o", path("b.json")}).exit_code, 2);
  EXPECT_EQ(run_tool({"edit", path("a.json"), "-o", path("b.json"), "--pin", "nobody"}).exit_code,
            3);
  EXPECT_EQ(run_tool({"edit", path("a.json"), "-o", path("b.json"), "--pivot", "a=b"}).exit_code,
            2);
  EXPECT_FALSE(std::filesystem::exists(path("b.json")));
}

TEST_F(Tool, ListsWhatChangedAndRebasesThePlan) {
  ASSERT_EQ(run_tool({"propose", scene_, "-o", path("a.json")}).exit_code, 0);
  auto scene = read_scene(scene_);
  ASSERT_TRUE(scene);
  const std::string node = read_plan(path("a.json"))->marks[0].path;
  scene->nodes[to_index(read_plan(path("a.json"))->marks[0].draw.node)].trs.translation[1] += 3;
  ASSERT_TRUE(write_scene(*scene, path("moved.glb")));
  const Outcome refused =
      run_tool({"build", path("a.json"), "--scene", path("moved.glb"), "-o", path("x.glb")});
  EXPECT_EQ(refused.exit_code, 3);
  EXPECT_NE(refused.err.find(node + ": moved"), std::string::npos) << refused.err;
  EXPECT_NE(refused.err.find("--rebase"), std::string::npos);
  const Outcome rebased =
      run_tool({"propose", path("moved.glb"), "--rebase", path("a.json"), "-o", path("b.json")});
  ASSERT_EQ(rebased.exit_code, 0) << rebased.err;
  EXPECT_EQ(run_tool({"build", path("b.json"), "-o", path("x.glb")}).exit_code, 0);
  EXPECT_EQ(run_tool({"verify", path("moved.glb"), path("x.glb")}).exit_code, 0);
}

TEST_F(Tool, IsQuietWhenAskedAndTalksWhenAsked) {
  const Outcome quiet = run_tool({"run", scene_, "-o", path("out"), "--quiet"});
  EXPECT_EQ(quiet.exit_code, 0);
  EXPECT_TRUE(quiet.out.empty());
  EXPECT_TRUE(quiet.err.empty());
  const Outcome verbose = run_tool({"run", scene_, "-o", path("out"), "--verbose"});
  EXPECT_NE(verbose.err.find("surveyed: "), std::string::npos);
  const Outcome normal = run_tool({"run", scene_, "-o", path("out")});
  EXPECT_EQ(normal.err.find("\r"), std::string::npos) << "progress on something not a terminal";
}

TEST_F(Tool, ReadsGltfWithSideFilesToo) {
  const auto made = read_scene(scene_);
  ASSERT_TRUE(write_scene(*made, path("side.gltf")));
  EXPECT_EQ(run_tool({"run", path("side.gltf"), "-o", path("out")}).exit_code, 0);
  EXPECT_TRUE(fs::exists(path("out/side.glb")));
}

TEST_F(Tool, DiesOfAnInterruptWithoutATornFile) {
  const std::string source = path("large.glb");
  const std::string tool = test::find_tool();
  ASSERT_TRUE(write_scene(test::make_random_scene(5, 6'000), source));
  fs::create_directories(folder_ / "out");
  int status = 0;
  // A slow start may meet the signal before the tool can take it; then it is sent later.
  for (int delay_ms = 30; delay_ms < 2000; delay_ms *= 3) {
    const pid_t child = ::fork();
    if (child == 0) {
      ::execl(tool.c_str(), "wakuzume", "run", source.c_str(), "-o", path("out").c_str(), "--quiet",
              static_cast<char*>(nullptr));
      ::_exit(99);
    }
    std::this_thread::sleep_for(std::chrono::milliseconds(delay_ms));
    ::kill(child, SIGINT);
    ::waitpid(child, &status, 0);
    if (WIFEXITED(status)) {
      break;
    }
    ASSERT_EQ(WTERMSIG(status), SIGINT);
  }
  ASSERT_TRUE(WIFEXITED(status));
  // Done before the signal came, or cancelled by it; never anything between.
  EXPECT_TRUE(WEXITSTATUS(status) == 130 || WEXITSTATUS(status) == 0) << WEXITSTATUS(status);
  for (const std::string& name : test::list_folder(folder_ / "out")) {
    EXPECT_EQ(name.find(".part"), std::string::npos) << name;
    if (name.ends_with(".glb")) {
      EXPECT_TRUE(read_scene((folder_ / "out" / name).string()));
    }
  }
}

}  // namespace
}  // namespace wakuzume
