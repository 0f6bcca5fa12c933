// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include "support/process.h"

/// The scripts that hold a change to what it may change.
namespace wakuzume {
namespace {

namespace fs = std::filesystem;

class CompareTools : public testing::Test {
 protected:
  CompareTools() : folder_(test::make_scratch()) {
    test::write_all(folder_ / "scene.glb", "a scene");
  }
  /// A stand-in for a tool: `writes` is the body of a shell script whose folder is "$out".
  std::string make_tool(const std::string& name, const std::string& writes) {
    const fs::path path = folder_ / name;
    test::write_all(path, "#!/bin/sh\nout=$4\nmkdir -p \"$out\"\n" + writes + "\n");
    fs::permissions(path, fs::perms::owner_all);
    return path.string();
  }
  test::Outcome compare(const std::string& first, const std::string& second) {
    return test::run_program({WAKUZUME_SOURCE "/scripts/compare-tools", first, second,
                              (folder_ / "scene.glb").string()});
  }
  static std::size_t count(const std::string& text, const std::string& what) {
    std::size_t out = 0;
    for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + 1)) {
      ++out;
    }
    return out;
  }

  fs::path folder_;
};

constexpr auto a_run =
    "echo 'views  12 -> 3   1.25 -> 0.75'; echo geometry >\"$out/r.glb\"; echo $$ "
    ">\"$out/r.report.html\"";

TEST_F(CompareTools, TakesToolsThatWriteTheSameForTheSame) {
  const test::Outcome same = compare(make_tool("a", a_run), make_tool("b", a_run));
  EXPECT_EQ(same.exit_code, 0) << same.out << same.err;
  EXPECT_EQ(count(same.out, "same  "), 10U) << "every way to plan: " << same.out;
  EXPECT_EQ(count(same.out, "different"), 0U);
}

TEST_F(CompareTools, LooksAwayFromTimesAndFromThePageThatShowsThem) {
  const std::string faster =
      "echo 'views  12 -> 3   1.00 -> 0.50'; echo geometry >\"$out/r.glb\"; echo other "
      ">\"$out/r.report.html\"";
  EXPECT_EQ(compare(make_tool("a", a_run), make_tool("b", faster)).exit_code, 0);
}

TEST_F(CompareTools, TellsWhatDiffers) {
  const std::string first = make_tool("a", a_run);
  const std::vector<std::pair<std::string, std::string>> others{
      {"other bytes", std::string(a_run) + "; echo more >>\"$out/r.glb\""},
      {"one file more", std::string(a_run) + "; echo x >\"$out/x.json\""},
      {"other words", std::string(a_run) + "; echo 'took back 1'"},
      {"another end", std::string(a_run) + "; exit 1"}};
  for (const auto& [what, writes] : others) {
    const test::Outcome different = compare(first, make_tool("b", writes));
    EXPECT_EQ(different.exit_code, 1) << what;
    EXPECT_EQ(count(different.out, "different  scene.glb"), 10U) << what << ": " << different.out;
  }
}

TEST_F(CompareTools, TellsWhichWayDiffers) {
  const std::string one_way =
      std::string(a_run) + "; case \"$*\" in *--cells*) echo more >>\"$out/r.glb\";; esac";
  const test::Outcome different = compare(make_tool("a", a_run), make_tool("b", one_way));
  EXPECT_EQ(different.exit_code, 1);
  EXPECT_EQ(count(different.out, "different"), 1U) << different.out;
  EXPECT_NE(different.out.find("different  scene.glb --cells 10"), std::string::npos)
      << different.out;
}

TEST_F(CompareTools, WantsTwoToolsAndAScene) {
  const test::Outcome none = test::run_program({WAKUZUME_SOURCE "/scripts/compare-tools", "a"});
  EXPECT_EQ(none.exit_code, 2);
  EXPECT_NE(none.err.find("FIRST SECOND SCENE"), std::string::npos) << none.err;
}

}  // namespace
}  // namespace wakuzume
