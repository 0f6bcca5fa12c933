// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/job.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <set>
#include <string>

#include "support/pictures.h"
#include "support/process.h"
#include "wakuzume/delivery.h"
#include "wakuzume/io.h"
#include "wakuzume/render.h"
#include "wakuzume/settings_file.h"

// The whole job as calls on values, beside the tool that does the same in files.
namespace wakuzume {
namespace {

const StandardCodec& codec() {
  static const StandardCodec made;
  return made;
}

/// Small pictures of few views: what is proved here is the job, not the proof.
Job make_job(MaterialGoal goal = MaterialGoal::fewest_draws) {
  Job job{.profile = *read_cost_profile("desk")};
  job.settings.materials.goal = goal;
  job.settings.verify.picture_width_px = 160;
  job.settings.verify.picture_height_px = 90;
  job.settings.verify.picture_views = 2;
  return job;
}

/// Keeps what it is given, and may hand back something else.
class KeptDelivery final : public Delivery {
 public:
  Result<Scene> deliver(Built& built, const RunControl&) override {
    ++rounds;
    delivered = built.scene;
    Scene read = built.scene;
    if (breaks) {
      read.nodes.back().trs.translation[0] += 1;
    }
    return read;
  }
  int rounds = 0;
  bool breaks = false;
  Scene delivered;
};

TEST(Job, GivesTheVeryBytesThatTheToolWrites) {
  const auto folder = test::make_scratch();
  const std::string input = (folder / "s.glb").string();
  ASSERT_TRUE(write_scene(test::make_gallery(5, 8), input));
  test::write_all(folder / "s.toml",
                  "[verify]\npicture_width_px = 160\npicture_height_px = 90\npicture_views = 2\n");
  const test::Outcome tool =
      test::run_tool({"run", input, "-o", (folder / "tool").string(), "--materials", "fewest_draws",
                      "--settings", (folder / "s.toml").string()});
  ASSERT_EQ(tool.exit_code, 0) << tool.err;

  const std::string target = (folder / "job" / "s.glb").string();
  FileDelivery delivery(input, target, {input});
  RenderShots shots(codec());
  auto made = run_job(*read_scene(input), make_job(),
                      {.codec = codec(), .shots = &shots, .delivery = &delivery});
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed);
  EXPECT_EQ(made->verdict.views.size(), 2U);
  ASSERT_TRUE(write_documents(*made, input, target));
  for (const char* file : {"s.glb", "s.ledger.json", "s.plan.json", "s.survey.json"}) {
    EXPECT_TRUE(test::read_all(folder / "job" / file) == test::read_all(folder / "tool" / file))
        << file;
  }
}

TEST(Job, IsTheSameInMemoryAndOnOneThread) {
  const Scene scene = test::make_gallery(7, 6);
  KeptDelivery kept;
  const auto delivered = run_job(scene, make_job(), {.codec = codec(), .delivery = &kept});
  const auto in_memory = run_job(scene, make_job(), {.codec = codec()}, {.threads = 1});
  ASSERT_TRUE(delivered && in_memory);
  EXPECT_EQ(to_json(scene, delivered->plan), to_json(scene, in_memory->plan));
  EXPECT_EQ(to_json(delivered->built.ledger), to_json(in_memory->built.ledger));
  EXPECT_EQ(kept.rounds, 1);
  std::vector<std::string> steps;
  for (const auto& [step, seconds] : in_memory->timings_s) {
    steps.push_back(step);
    EXPECT_GE(seconds, 0);
  }
  EXPECT_EQ(steps,
            (std::vector<std::string>{"survey and propose", "assess: views, ladder, findings",
                                      "build and paint", "verify: audit, looks and views"}));
}

TEST(Job, ProvesWhatWasDelivered) {
  const Scene scene = test::make_gallery(7, 6);
  KeptDelivery delivery;
  delivery.breaks = true;
  Job job = make_job(MaterialGoal::keep);
  job.settings.verify.mend_rounds = 0;
  const auto made = run_job(scene, job, {.codec = codec(), .delivery = &delivery});
  ASSERT_TRUE(made);
  EXPECT_FALSE(made->verdict.passed);
  EXPECT_GT(made->verdict.mismatch_count, 0U);
  delivery.breaks = false;
  EXPECT_TRUE(run_job(scene, job, {.codec = codec(), .delivery = &delivery})->verdict.passed);
}

struct WrongSetting {
  const char* toml;
  void (*set)(Settings&);
};

TEST(Job, RefusesWhatTheSettingsFileRefusesAndTouchesNothing) {
  const WrongSetting wrong[] = {
      {"[split]\ncell_size_m = -1", [](Settings& s) { s.split.cell_size_m = -1; }},
      {"[materials]\nmax_layers = 1", [](Settings& s) { s.materials.max_layers = 1; }},
      {"[propose]\nmin_instances = 1", [](Settings& s) { s.propose.min_instances = 1; }},
      {"[propose]\ntriangle_growth = 0.5", [](Settings& s) { s.propose.triangle_growth = 0.5; }},
      {"[verify]\nposition_tolerance = 2", [](Settings& s) { s.verify.position_tolerance = 2; }},
      {"[views]\nyfov_deg = 180", [](Settings& s) { s.views.yfov_deg = 180; }},
      {"[budget]\ndraw = 3",
       [](Settings& s) {
         s.budgets = {{"draw", 3}};
       }},
      {"[[tier]]\nname = \"a\"\ndraws = -3", [](Settings& s) {
         s.tiers = {{"a", {{"draws", -3}}}};
       }}};
  const Scene scene = test::make_gallery(7, 6);
  for (const WrongSetting& one : wrong) {
    const auto file = parse_settings(one.toml, "mine.toml");
    ASSERT_FALSE(file) << one.toml;
    KeptDelivery delivery;
    Job job = make_job();
    one.set(job.settings);
    const auto made = run_job(scene, job, {.codec = codec(), .delivery = &delivery});
    ASSERT_FALSE(made) << one.toml;
    EXPECT_EQ(made.error().code, ErrorCode::bad_setting) << one.toml;
    EXPECT_EQ(made.error().message, file.error().message);
    EXPECT_EQ(validate(job.settings).error().message, file.error().message);
    EXPECT_EQ(delivery.rounds, 0);
  }
  EXPECT_TRUE(validate(Settings{}));
}

TEST(Job, TakesBackWhatItsProofRejectsAndDeliversAgain) {
  Job job = make_job();
  VerifySettings& verify = job.settings.verify;
  verify.picture_width_px = 480;
  verify.picture_height_px = 270;
  verify.draw_pixels = 1;
  verify.refiltered_draw_pixels = 1;
  verify.refiltered_draw_share = 0.0001;
  for (const Route route : {Route::atlas, Route::layers, Route::rebake}) {
    verify.pixels[static_cast<std::size_t>(route)] = {0, 0};
  }
  const Scene scene = test::make_gallery(5, 6);
  KeptDelivery delivery;
  RenderShots shots(codec());
  const JobTools tools{.codec = codec(), .shots = &shots, .delivery = &delivery};
  const auto made = run_job(scene, job, tools);
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed);
  ASSERT_FALSE(made->verdict.mends.empty());
  EXPECT_EQ(delivery.rounds, static_cast<int>(made->verdict.mends.back().round) + 1);
  EXPECT_FALSE(made->plan.routes.taken_back.empty());
  EXPECT_EQ(made->timings_s.back().first, "assess what is left");

  job.settings.verify.mend_rounds = 0;
  delivery.rounds = 0;
  const auto rejected = run_job(scene, job, tools);
  EXPECT_FALSE(rejected->verdict.passed);
  EXPECT_TRUE(rejected->verdict.mends.empty());
  EXPECT_EQ(delivery.rounds, 1);
}

/// Has nothing to draw with, or breaks down.
class NoShots final : public ShotMakers {
 public:
  explicit NoShots(ErrorCode code) : code_(code) {}
  Result<std::unique_ptr<ShotMaker>> make(const ShownScene&,
                                          const ShotSize&,
                                          const RunControl&) override {
    return Failure(Error{code_, "the screen is dark", {}});
  }
  [[nodiscard]] std::string name() const override { return "nothing"; }

 private:
  ErrorCode code_;
};

TEST(Job, SaysWhatItDidNotCheck) {
  const Scene scene = test::make_gallery(3, 3);
  const auto check = [&](const Job& job, ShotMakers* shots) {
    return run_job(scene, job, {.codec = codec(), .shots = shots})->verdict;
  };
  const Verdict undrawn = check(make_job(), nullptr);
  EXPECT_TRUE(undrawn.passed);
  EXPECT_EQ(undrawn.not_checked,
            std::vector<std::string>{"pictures: there is nothing to draw with"});
  NoShots dark(ErrorCode::cannot_render);
  EXPECT_EQ(check(make_job(), &dark).not_checked,
            std::vector<std::string>{"pictures: the screen is dark"});
  Job unseen = make_job();
  unseen.settings.verify.picture_views = 0;
  EXPECT_EQ(check(unseen, &dark).not_checked,
            std::vector<std::string>{"pictures: verify.picture_views is 0"});
  NoShots broken(ErrorCode::bad_setting);
  const auto failed = run_job(scene, make_job(), {.codec = codec(), .shots = &broken});
  ASSERT_FALSE(failed) << "what is no lack of a device is an error";
  EXPECT_EQ(failed.error().code, ErrorCode::bad_setting);
}

/// Stops at the first sign of one stage; or at none, and lists them all.
class StageStopper final : public Observer {
 public:
  explicit StageStopper(std::string stage = {}) : stage_(std::move(stage)) {}
  bool advance(std::string_view stage, double done) override {
    EXPECT_GE(done, 0);
    EXPECT_LE(done, 1);
    stages.insert(std::string(stage));
    return stage_.empty() || stage != stage_;
  }
  void tell(std::string_view line) override { told.emplace_back(line); }
  std::set<std::string> stages;
  std::vector<std::string> told;

 private:
  std::string stage_;
};

TEST(Job, StopsInEveryStageThatItTellsOf) {
  const Scene scene = test::make_gallery(5, 6);
  RenderShots shots(codec());
  StageStopper all;
  ASSERT_TRUE(run_job(scene, make_job(), {.codec = codec(), .shots = &shots}, {.observer = &all}));
  EXPECT_GT(all.stages.size(), 10U);
  for (const std::string& stage : all.stages) {
    StageStopper stopper(stage);
    const auto made =
        run_job(scene, make_job(), {.codec = codec(), .shots = &shots}, {.observer = &stopper});
    ASSERT_FALSE(made) << stage;
    EXPECT_EQ(made.error().code, ErrorCode::cancelled) << stage;
  }
  const auto told = [&](const char* begin) {
    return std::any_of(all.told.begin(), all.told.end(),
                       [&](const std::string& line) { return line.starts_with(begin); });
  };
  for (const char* line : {"surveyed: ", "routed ", "proposed: ", "assessed from ", "painted ",
                           "built", "ready to draw by ", "verified"}) {
    EXPECT_TRUE(told(line)) << line;
  }
}

TEST(JobParts, LookAtOrdersFromMorePlacesThanAtCosts) {
  test::SceneBuilder builder;
  const MeshId floor =
      builder.add_mesh("floor", test::make_square(), builder.add_material("stone"));
  Trs flat = test::scaled(20, 20, 1, {-10, 0, 10});
  flat.rotation = {-std::sqrt(0.5), 0, 0, std::sqrt(0.5)};
  builder.add_node("floor", floor, flat);
  const Scene opaque = builder.finish();
  builder.add_node("pane", builder.add_mesh("pane", test::make_square(),
                                            builder.add_material("glass", AlphaMode::blend)));
  const Scene blended = builder.finish();
  const auto count_eyes = [](const Scene& scene, std::uint32_t views) {
    Job job = make_job();
    job.settings.views.count = views;
    const auto outlook = make_outlook(scene, *survey(scene), job);
    EXPECT_TRUE(outlook);
    EXPECT_EQ(outlook->views.size(), views);
    return outlook->eyes.size();
  };
  EXPECT_EQ(count_eyes(opaque, 16), 0U);
  EXPECT_EQ(count_eyes(blended, 16), 128U);
  EXPECT_EQ(count_eyes(blended, 100), 512U);
  EXPECT_EQ(count_eyes(blended, 600), 0U);
  EXPECT_EQ(count_eyes(blended, 0), 0U);
  // Who lists views is asked for no others.
  Job job = make_job();
  job.views = {make_viewpoint("here", {0, 1.6, 5}, {0, 1, 0})};
  const auto listed = make_outlook(blended, *survey(blended), job);
  EXPECT_TRUE(listed->eyes.empty());
  EXPECT_EQ(make_sight(*listed).eyes.size(), 1U);
}

TEST(JobParts, PutBackWhatWasBuilt) {
  const Scene scene = test::make_gallery(5, 6);
  const auto made = run_job(scene, make_job(), {.codec = codec()});
  ASSERT_TRUE(made);
  ASSERT_TRUE(made->source.source.origin) << "materials were shared";
  const Ledger& ledger = made->built.ledger;
  const auto whole = put_back(scene, ledger, made->after, {.everything = true});
  ASSERT_TRUE(whole);
  EXPECT_EQ(make_content_hash(whole->scene), make_content_hash(scene));

  const std::string one = make_node_path(scene, NodeId{1});
  const auto part = put_back(scene, ledger, made->after, {.nodes = {one}});
  ASSERT_TRUE(part) << to_string(part.error());
  EXPECT_EQ(part->ledger.rows[1].fate, Fate::kept);
  EXPECT_EQ(part->ledger.routes.untouched.size(), 1U);
  const auto source = make_source(scene, part->ledger);
  EXPECT_TRUE(prove(*source, part->ledger, part->scene, make_job(), {.codec = codec()})->passed);

  const auto lost = put_back(std::nullopt, ledger, made->after, {.everything = true});
  ASSERT_FALSE(lost);
  EXPECT_EQ(lost.error().code, ErrorCode::plan_mismatch);
  EXPECT_EQ(lost.error().place.pointer, "/source_copy");
}

TEST(JobParts, PutBackASourceThatWentAlong) {
  const Scene scene = test::make_gallery(5, 6);
  Job job = make_job(MaterialGoal::keep);
  job.build.carry_source = CarrySource::hidden;
  const auto made = run_job(scene, job, {.codec = codec()});
  ASSERT_TRUE(made);
  const auto back = put_back(std::nullopt, made->built.ledger, made->after, {.everything = true});
  ASSERT_TRUE(back) << to_string(back.error());
  EXPECT_EQ(make_content_hash(back->scene), make_content_hash(scene));

  job.settings.materials.goal = MaterialGoal::fewest_draws;
  const auto shared = run_job(scene, job, {.codec = codec()});
  ASSERT_FALSE(shared);
  EXPECT_EQ(shared.error().code, ErrorCode::bad_setting);
}

TEST(JobParts, RefreshPicturesAndNothingElse) {
  const Scene scene = test::make_gallery(5, 6);
  const auto made = run_job(scene, make_job(), {.codec = codec()});
  ASSERT_TRUE(made);
  const JobTools tools{.codec = codec()};
  const auto refresh = [&](const Scene& now, Ledger& ledger, Scene& built) {
    return refresh_pictures(*make_source(now, ledger), ledger, built, tools);
  };
  Ledger ledger = made->built.ledger;
  Scene built = made->after;
  EXPECT_TRUE(refresh(scene, ledger, built)->images.empty()) << "nothing changed";

  Scene other = scene;
  const ImageId image = other.textures[0].image;
  const Pixels was = *decode_image(encoded_bytes(other, image));
  other.images[to_index(image)].bytes =
      make_bytes(*encode_png(test::make_picture(was.width_px, was.height_px, 99)));
  other.images[to_index(image)].view = no_view;
  const auto changed = refresh(other, ledger, built);
  ASSERT_TRUE(changed) << to_string(changed.error());
  EXPECT_FALSE(changed->images.empty());
  const auto source = make_source(other, ledger);
  EXPECT_TRUE(prove(*source, ledger, built, make_job(), tools)->passed);

  Scene moved = scene;
  moved.nodes[0].trs.translation[0] += 3;
  const auto refused = refresh(moved, ledger, built);
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, ErrorCode::plan_mismatch);

  const auto plain = make_untouched(scene);
  Ledger none = plain.ledger;
  Scene same = plain.scene;
  EXPECT_EQ(refresh(scene, none, same).error().code, ErrorCode::bad_setting);
}

TEST(JobParts, PrepareForAnEarlierPlan) {
  const Scene scene = test::make_gallery(5, 6);
  const JobTools tools{.codec = codec()};
  const auto first = prepare(scene, make_job(), tools);
  ASSERT_TRUE(first);
  const auto plan = propose(*first, make_job());
  ASSERT_TRUE(plan);
  EXPECT_FALSE(plan->routes.empty());
  const auto again = prepare_for(*plan, scene, make_job(MaterialGoal::keep), tools);
  ASSERT_TRUE(again);
  EXPECT_TRUE(check_plan(again->source.scene, *plan)) << "it is the scene of the plan";

  // Of a material more, routes are proposed anew.
  Scene more = scene;
  more.materials.push_back(more.materials[0]);
  more.materials.back().name = "new";
  const MaterialSettings settings = plan->routes.settings;
  const auto anew = prepare_for(*plan, more, make_job(), tools, {}, &settings);
  ASSERT_TRUE(anew) << to_string(anew.error());
  EXPECT_TRUE(anew->source.origin);
  EXPECT_EQ(anew->routes.settings.goal, MaterialGoal::fewest_draws);
}

}  // namespace
}  // namespace wakuzume
