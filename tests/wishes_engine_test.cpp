// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include "support/engine.h"
#include "support/pictures.h"
#include "support/process.h"
#include "support/rooms.h"
#include "wakuzume/assess.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/settings_file.h"

/// What wishes make, as two engines of others see it.
namespace wakuzume {
namespace {

struct Wished {
  const char* file;
  void (*set)(Settings& settings);
};

const std::vector<Wished>& list_wished() {
  static const std::vector<Wished> wished{
      {"signs_of_their_own.glb", [](Settings& s) { s.materials.together = {"sign_*=signs"}; }},
      {"hut_by_its_layout.glb",
       [](Settings& s) { s.materials.layouts = {"node=/hut/*=hut:1:64px"}; }},
      {"paints_and_wear.glb",
       [](Settings& s) {
         s.propose.repeats = Repeats::instance;
         s.propose.instance_values = {"extras.paint", "extras.wear"};
       }},
      {"small_and_static.glb",
       [](Settings& s) { s.survey.keep_nodes = {"triangles>=60 or static=no"}; }},
      {"signs_whole_walls_half.glb",
       [](Settings& s) {
         s.materials.goal = MaterialGoal::fewest_draws;
         s.materials.scales = {"sign_*=1", "wall_*=0.5"};
       }},
  };
  return wished;
}

/// From the front: all of the rooms first.
std::vector<Viewpoint> list_front_views() {
  const auto look_from = [](const char* name, double x, double z) {
    Viewpoint out;
    out.name = name;
    out.world[12] = x;
    out.world[14] = z;
    return out;
  };
  return {look_from("all", 28, 40), look_from("the hut", 2, 6), look_from("the hall", 22, 8)};
}

TEST(WishedResults, AreSeenAlikeByTwoEnginesAndComeBackToTheByte) {
  const auto folder = test::make_scratch();
  const Scene source = test::make_rooms();
  const StandardCodec codec;
  std::vector<std::string> files{"source.glb"};
  ASSERT_TRUE(write_scene(source, (folder / files[0]).string()));
  for (const Wished& wished : list_wished()) {
    Job job{.profile = *read_cost_profile("desk")};
    job.settings.verify.picture_width_px = 160;
    job.settings.verify.picture_height_px = 90;
    job.settings.verify.picture_views = 2;
    wished.set(job.settings);
    const auto made = run_job(source, job, {.codec = codec});
    ASSERT_TRUE(made) << wished.file << ": " << to_string(made.error());
    EXPECT_TRUE(made->verdict.passed) << wished.file;
    EXPECT_FALSE(made->plan.groups.empty()) << wished.file;
    files.push_back(wished.file);
    ASSERT_TRUE(write_scene(made->after, (folder / files.back()).string()));
    const auto back = put_back(source, made->built.ledger, made->built.scene, {.everything = true});
    ASSERT_TRUE(back) << wished.file << ": " << to_string(back.error());
    EXPECT_EQ(make_content_hash(back->scene), make_content_hash(source)) << wished.file;
  }
  const std::vector<Viewpoint> views = list_front_views();
  AssessSettings assessed;
  assessed.listed_views = views;
  assessed.profile.passes = {{"main", PassKind::main}};
  for (const bool babylon : {false, true}) {
    const auto engine = test::ask_engine(
        folder, views, 240, files,
        babylon ? std::vector<std::string>{"--babylon"} : std::vector<std::string>{});
    assessed.profile.instances_repeats = babylon;
    for (std::size_t f = 1; f < files.size(); ++f) {
      const Scene read = *read_scene((folder / files[f]).string());
      const auto forecast = assess(read, *survey(read), {}, assessed);
      ASSERT_TRUE(forecast);
      for (std::size_t v = 0; v < views.size(); ++v) {
        EXPECT_EQ(forecast->frames.views[v].total.draws, engine[f][v].calls)
            << files[f] << " from " << views[v].name;
        // Babylon.js draws meshes that several nodes show as one by itself.
        EXPECT_LE(engine[f][v].calls, engine[0][v].calls - (v == 0 && !babylon ? 1 : 0))
            << files[f];
        EXPECT_GE(engine[0][v].calls, 4U) << views[v].name;
        EXPECT_GT(test::find_psnr(engine[0][v].picture, engine[f][v].picture), 34)
            << files[f] << " from " << views[v].name;
      }
    }
  }
}

}  // namespace
}  // namespace wakuzume
