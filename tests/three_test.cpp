// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <cmath>
#include <sstream>

#include "glasshouse.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/assess.h"
#include "wakuzume/io.h"
#include "wakuzume/settings_file.h"

/// A real engine culls the same scene from the same views.
namespace wakuzume {
namespace {

struct ThreeCount {
  std::uint64_t by_sphere = 0;
  std::uint64_t by_box = 0;
};

std::vector<ThreeCount> ask_three(const std::filesystem::path& scene,
                                  const std::filesystem::path& views) {
  const test::Outcome outcome = test::run_program(
      {WAKUZUME_NODE, WAKUZUME_JUDGES "/frustum.mjs", scene.string(), views.string()});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  std::vector<ThreeCount> counts;
  std::istringstream lines(outcome.out);
  for (std::string line; std::getline(lines, line);) {
    std::istringstream words(line);
    ThreeCount count;
    words >> count.by_sphere >> count.by_box;
    counts.push_back(count);
  }
  return counts;
}

void expect_agreement(const Scene& scene) {
  const auto folder = test::make_scratch();
  ASSERT_TRUE(write_scene(scene, (folder / "scene.glb").string()));
  // What the engine reads is what is surveyed: names and single precision included.
  const auto read = read_scene((folder / "scene.glb").string());
  ASSERT_TRUE(read);
  const Survey found = *survey(*read);
  AssessSettings settings;
  settings.profile.passes = {{"main", PassKind::main}};
  settings.views.count = 64;
  const auto assessment = assess(*read, found, {}, settings);
  ASSERT_TRUE(assessment);
  ASSERT_TRUE(write_text((folder / "views.json").string(), to_json(assessment->views)));
  const auto three = ask_three(folder / "scene.glb", folder / "views.json");
  ASSERT_EQ(three.size(), assessment->views.size());
  std::uint64_t seen = 0;
  for (std::size_t v = 0; v < three.size(); ++v) {
    const std::uint64_t draws = assessment->frames.views[v].total.draws;
    EXPECT_EQ(draws, three[v].by_box) << assessment->views[v].name;
    EXPECT_LE(draws, three[v].by_sphere) << "a sphere around the box is seen from farther off";
    seen += draws;
  }
  EXPECT_GT(seen, found.draws.size()) << "the views see something";
  EXPECT_LT(seen, found.draws.size() * three.size()) << "and not everything";
}

TEST(ThreeJs, SeesTheSameDrawsOfTheGlasshouse) { expect_agreement(demo::make_glasshouse()); }

TEST(ThreeJs, SeesTheSameDrawsOfAScatteredScene) {
  test::SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("part", test::make_tetrahedron());
  NodeId above = no_node;
  for (int i = 0; i < 600; ++i) {
    const double turn = 0.37 * i;
    Trs trs = test::scaled(i % 5 == 0 ? -1 : 1, 1 + i % 3, 2,
                           {std::sin(turn) * i / 4.0, (i % 9) / 4.0, std::cos(turn) * i / 4.0});
    trs.rotation = {0, std::sin(turn), 0, std::cos(turn)};
    const NodeId node = builder.add_node("part", mesh, trs, i % 7 == 3 ? above : no_node);
    above = i % 7 == 2 ? node : above;
  }
  expect_agreement(builder.finish());
}

}  // namespace
}  // namespace wakuzume
