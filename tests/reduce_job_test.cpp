// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <random>
#include <set>

#include "support/pictures.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "support/shots.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/render.h"
#include "wakuzume/settings_file.h"

/// Reductions on their whole way: planned, built, proved, restored.
namespace wakuzume {
namespace {

const StandardCodec& reader() {
  static const StandardCodec made;
  return made;
}

Job make_reducing_job(const ReduceSettings& reduce) {
  Job job{.profile = *read_cost_profile("desk")};
  job.settings.reduce = reduce;
  job.settings.verify.picture_width_px = 320;
  job.settings.verify.picture_height_px = 180;
  job.settings.verify.picture_views = 3;
  job.settings.views.count = 8;
  return job;
}

/// Balls, some of one mesh, on two materials, and a crate.
Scene make_balls(std::uint32_t seed) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> place(-8, 8);
  test::SceneBuilder builder;
  const MaterialId materials[] = {builder.add_material("clay"), builder.add_material("tin")};
  for (int m = 0; m < 3; ++m) {
    const MeshId mesh = builder.add_mesh(
        "ball_" + std::to_string(m),
        test::make_ball(12 + 4 * static_cast<std::uint32_t>(m), 0.03 * m), materials[m % 2]);
    for (int n = 0; n <= m; ++n) {
      builder.add_node("node_" + std::to_string(m) + std::to_string(n), mesh,
                       test::at(place(random), place(random), place(random)));
    }
  }
  return builder.finish();
}

/// Positions of all corners that a node's primitive shows.
std::vector<float> list_corners(const Scene& scene, NodeId node) {
  const Primitive& primitive = scene[scene[node].mesh].primitives.front();
  const std::vector<float> positions = make_floats(scene, primitive.find("POSITION"));
  std::vector<float> out;
  for (const std::uint32_t v : make_list_indices(scene, primitive)) {
    out.insert(out.end(), &positions[3 * std::size_t{v}], &positions[3 * std::size_t{v}] + 3);
  }
  return out;
}

NodeId find_named(const Scene& scene, const std::string& name) {
  const auto hit = std::find_if(scene.nodes.begin(), scene.nodes.end(),
                                [&](const Node& node) { return node.name == name; });
  EXPECT_NE(hit, scene.nodes.end()) << name;
  return make_id<NodeId>(static_cast<std::size_t>(hit - scene.nodes.begin()));
}

TEST(ReduceJob, BuildsProvesAndGivesBackEveryTriangle) {
  for (std::uint32_t seed = 0; seed < 4; ++seed) {
    const Scene scene = make_balls(seed);
    RenderShots shots(reader());
    Job job = make_reducing_job({.share = 0.4});
    job.settings.materials.goal = seed % 2 == 0 ? MaterialGoal::keep : MaterialGoal::fewest_draws;
    const JobTools tools{.codec = reader(), .shots = &shots};
    const auto made = run_job(scene, job, tools);
    ASSERT_TRUE(made) << to_string(made.error());
    const Verdict& verdict = made->verdict;
    ASSERT_TRUE(verdict.passed) << seed;
    EXPECT_TRUE(verdict.mends.empty());
    EXPECT_EQ(verdict.reductions.size(), 3U);
    EXPECT_LE(verdict.after.triangles, verdict.before.triangles * 4 / 10);
    EXPECT_EQ(verdict.before.triangles, count_totals(scene).triangles);
    EXPECT_EQ(verdict.views.size(), 3U);
    EXPECT_EQ(made->plan.forecast.before.triangles, verdict.before.triangles);
    EXPECT_EQ(made->plan.forecast.after.triangles, verdict.after.triangles);

    // Documents carry it to whoever has the source.
    const Ledger ledger = test::write_and_read(made->built.ledger);
    const auto source = make_source(scene, ledger);
    ASSERT_TRUE(source);
    EXPECT_EQ(make_content_hash(source->scene), ledger.source_hash);
    EXPECT_TRUE(prove(*source, ledger, made->after, job, tools)->passed);
    const auto all = put_back(scene, ledger, made->after, {.everything = true});
    ASSERT_TRUE(all) << to_string(all.error());
    EXPECT_EQ(make_content_hash(all->scene), make_content_hash(scene));
  }
}

TEST(ReduceJob, GivesOneNodeItsTrianglesBackAndLeavesTheOthers) {
  const Scene scene = make_balls(11);
  const Job job = make_reducing_job({.share = 0.3});
  const auto made = run_job(scene, job, {.codec = reader()});
  ASSERT_TRUE(made);
  const auto part = put_back(scene, made->built.ledger, made->after, {.nodes = {"/node_21"}});
  ASSERT_TRUE(part) << to_string(part.error());
  EXPECT_EQ(list_corners(part->scene, find_named(part->scene, "node_21")),
            list_corners(scene, find_named(scene, "node_21")));
  const std::uint64_t one = 2 * 20 * 20;
  const std::uint64_t now = count_totals(part->scene).triangles;
  EXPECT_GT(now, one);
  EXPECT_LT(now, one + count_totals(scene).triangles * 3 / 10);
  // What is left is a result like any other: it can be proved, and put back in turn.
  const Ledger ledger = test::write_and_read(part->ledger);
  const auto source = make_source(scene, ledger);
  ASSERT_TRUE(source);
  EXPECT_TRUE(prove(*source, ledger, part->scene, job, {.codec = reader()})->passed);
  const auto more = put_back(scene, ledger, part->scene, {.nodes = {"/node_0*", "/node_22"}});
  ASSERT_TRUE(more) << to_string(more.error());
  EXPECT_EQ(more->ledger.reduction.untouched.size(), 3U);
  const auto all = put_back(scene, more->ledger, more->scene, {.everything = true});
  ASSERT_TRUE(all);
  EXPECT_EQ(make_content_hash(all->scene), make_content_hash(scene));
}

TEST(ReduceJob, HoldsTheErrorThatWasAskedForInEveryView) {
  const Scene scene = make_balls(5);
  RenderShots shots(reader());
  const auto made = run_job(scene, make_reducing_job({.error_px = 1.5, .height_px = 180}),
                            {.codec = reader(), .shots = &shots});
  ASSERT_TRUE(made);
  EXPECT_TRUE(made->verdict.passed);
  ASSERT_FALSE(made->verdict.reductions.empty());
  for (const ReductionCheck& check : made->verdict.reductions) {
    EXPECT_GT(check.asked_m, 0) << check.name;
    EXPECT_LE(check.farthest_m, 1.05 * check.asked_m) << check.name;
    EXPECT_LE(check.farthest_px, 1.05 * 1.5) << check.name;
    EXPECT_GE(check.farthest_m, check.mean_m);
    EXPECT_TRUE(check.passed());
  }
  EXPECT_LT(made->verdict.after.triangles, made->verdict.before.triangles);
}

TEST(ReduceJob, TakesMeshesBackThatTheirProofRejects) {
  const Scene scene = make_balls(2);
  RenderShots shots(reader());
  Job job = make_reducing_job({.share = 0.15});
  job.settings.verify.reduced = {0, 0};  // no pixel may look otherwise
  const auto made = run_job(scene, job, {.codec = reader(), .shots = &shots});
  ASSERT_TRUE(made);
  EXPECT_TRUE(made->verdict.passed);
  ASSERT_FALSE(made->verdict.mends.empty());
  EXPECT_EQ(made->verdict.mends.front().became, "the triangles that it had");
  EXPECT_FALSE(made->built.ledger.reduction.untouched.empty());
  const auto all = put_back(scene, made->built.ledger, made->after, {.everything = true});
  EXPECT_EQ(make_content_hash(all->scene), make_content_hash(scene));
}

TEST(ReduceJob, ShowsTrianglesBeforeAndAfterOnItsPage) {
  const auto folder = test::make_scratch();
  ASSERT_TRUE(write_scene(make_balls(3), (folder / "s.glb").string()));
  const auto read_page = [&](const char* reduce) {
    const test::Outcome run = test::run_tool_small(
        {"run", (folder / "s.glb").string(), "-o", (folder / "o").string(), "--reduce", reduce});
    EXPECT_EQ(run.exit_code, 0) << run.err << run.out;
    return test::read_all(folder / "o/s.report.html");
  };
  const std::string reduced = read_page("40%");
  EXPECT_NE(reduced.find("\"wires_before_picture\":\"data:image/jpeg"), std::string::npos);
  EXPECT_NE(reduced.find("\"reductions\":[[\"ball_"), std::string::npos);
  EXPECT_NE(reduced.find("triangles that were to stay are there exactly once"), std::string::npos);
  const std::string plain = read_page("100%");
  EXPECT_EQ(plain.find("\"wires_before_picture\":"), std::string::npos);
  EXPECT_EQ(plain.find("\"reductions\":"), std::string::npos);
}

TEST(ReduceJob, EndsWellOnScenesOfAllKinds) {
  for (std::uint32_t seed = 0; seed < 60; ++seed) {
    const Scene scene = test::make_random_scene(seed, 30);
    ReduceSettings wanted{.share = seed % 3 == 0 ? 0.0 : 0.6};
    if (seed % 3 == 2) {
      wanted = {.error_m = 0.05};
    }
    Job job = make_reducing_job(wanted);
    job.settings.materials.goal = seed % 4 == 1 ? MaterialGoal::fewest_draws : MaterialGoal::keep;
    const JobTools tools{.codec = reader()};
    const auto made = run_job(scene, job, tools);
    ASSERT_TRUE(made) << seed << " " << to_string(made.error());
    EXPECT_TRUE(made->verdict.passed) << seed;
    EXPECT_TRUE(check_scene(made->after)) << seed;
    const Ledger ledger = test::write_and_read(made->built.ledger);
    const auto part = put_back(scene, ledger, made->after, {.nodes = {"*1*"}});
    if (part) {
      const auto source = make_source(scene, part->ledger);
      ASSERT_TRUE(source) << seed << " " << to_string(source.error());
      EXPECT_TRUE(prove(*source, part->ledger, part->scene, job, tools)->passed) << seed;
    } else {
      EXPECT_EQ(part.error().code, ErrorCode::bad_setting) << seed << part.error().message;
    }
    const auto all = put_back(scene, ledger, made->after, {.everything = true});
    ASSERT_TRUE(all) << seed << " " << to_string(all.error());
    EXPECT_EQ(make_content_hash(all->scene), make_content_hash(scene)) << seed;
  }
}

TEST(ReduceJob, GivesTheSameBytesForAnyNumberOfThreads) {
  const Scene scene = make_balls(7);
  const Job job = make_reducing_job({.share = 0.5});
  const auto one = run_job(scene, job, {.codec = reader()}, {.threads = 1});
  const auto many = run_job(scene, job, {.codec = reader()}, {.threads = 5});
  ASSERT_TRUE(one && many);
  EXPECT_EQ(make_content_hash(one->after), make_content_hash(many->after));
  EXPECT_EQ(to_json(one->built.ledger), to_json(many->built.ledger));
}

/// A square of hills, to be cut along a grid.
test::MeshData make_hills(std::uint32_t side, double size) {
  test::MeshData out;
  for (std::uint32_t y = 0; y <= side; ++y) {
    for (std::uint32_t x = 0; x <= side; ++x) {
      const double u = static_cast<double>(x) / side;
      const double v = static_cast<double>(y) / side;
      for (const double value : {size * u, std::sin(7 * u) * std::cos(5 * v), size * v}) {
        out.positions.push_back(static_cast<float>(value));
      }
      out.normals.insert(out.normals.end(), {0, 1, 0});
      out.uvs.insert(out.uvs.end(), {static_cast<float>(u), static_cast<float>(v)});
    }
  }
  for (std::uint32_t y = 0; y < side; ++y) {
    for (std::uint32_t x = 0; x < side; ++x) {
      const std::uint32_t a = y * (side + 1) + x;
      const std::uint32_t b = a + side + 1;
      out.indices.insert(out.indices.end(), {a, b, a + 1, a + 1, b, b + 1});
    }
  }
  return out;
}

TEST(ReduceJob, LeavesNoGapBetweenPiecesThatWereCutApart) {
  test::SceneBuilder builder;
  builder.add_node("land", builder.add_mesh("land", make_hills(48, 24)));
  const Scene scene = builder.finish();
  SourceSteps steps;
  steps.split = {.nodes = {"/land"}, .by = SplitBy::cells, .cell_size_m = 8};
  const auto pieces = split(scene, steps.split);
  ASSERT_TRUE(pieces);
  const auto plan = propose_reduction(pieces->scene, *survey(pieces->scene), {.share = 0.4});
  ASSERT_TRUE(plan);
  steps.reduction = *plan;
  const auto source = make_source(scene, steps);
  ASSERT_TRUE(source);
  EXPECT_GE(count_totals(source->scene).draws, 9U);
  EXPECT_LE(count_totals(source->scene).triangles, count_totals(scene).triangles * 41 / 100);

  using Point = std::array<float, 3>;
  std::map<std::pair<Point, Point>, int> sides;
  for (std::size_t n = 0; n < source->scene.nodes.size(); ++n) {
    if (source->scene.nodes[n].mesh == no_mesh) {
      continue;
    }
    const std::vector<float> corners = list_corners(source->scene, make_id<NodeId>(n));
    for (std::size_t i = 0; i < corners.size(); i += 3) {
      const std::size_t j = i % 9 == 6 ? i - 6 : i + 3;
      const Point a{corners[i], corners[i + 1], corners[i + 2]};
      const Point b{corners[j], corners[j + 1], corners[j + 2]};
      ++sides[{std::min(a, b), std::max(a, b)}];
    }
  }
  const auto at_rim = [](const Point& p) {
    return p[0] == 0 || p[0] == 24 || p[2] == 0 || p[2] == 24;
  };
  for (const auto& [side, count] : sides) {
    EXPECT_LE(count, 2);
    EXPECT_TRUE(count == 2 || (at_rim(side.first) && at_rim(side.second)))
        << side.first[0] << " " << side.first[2];
  }
}

/// A disc of one draw before a wall of another, as it was and as it is.
class ReducedEdges : public testing::Test {
 protected:
  static constexpr std::uint32_t side = 64;

  class StillShot final : public ShotMaker {
   public:
    Result<Shot> make_shot(const Viewpoint&, const ShotRequest&) override { return shot; }
    Shot shot;
  };

  ReducedEdges() {
    test::SceneBuilder builder;
    builder.add_node("disc", builder.add_mesh("disc", test::make_square()));
    builder.add_node("wall", builder.add_mesh("wall", test::make_square()), test::at(0, 0, -1));
    scene_ = builder.finish();
    survey_ = *survey(scene_);
    ledger_ = make_untouched(scene_).ledger;
    ledger_.reduction.meshes = {{MeshId{0}, 1, 0, 0}};
    draw(before_, 20);
    draw(after_, 20);
  }

  static void draw(StillShot& maker, double radius) {
    Shot& shot = maker.shot;
    shot.width_px = shot.height_px = side;
    shot.picture = test::make_flat_picture(side, side, {0, 0, 0, 255});
    shot.hits.resize(std::size_t{side} * side);
    for (std::uint32_t p = 0; p < side * side; ++p) {
      set(shot, p % side, p / side, std::hypot(p % side - 32.0, p / side - 32.0) <= radius);
    }
  }
  static void set(Shot& shot, std::uint32_t x, std::uint32_t y, bool disc) {
    const std::size_t p = std::size_t{y} * side + x;
    shot.hits[p] = disc ? Hit{DrawId{0}, 0, 0, 10} : Hit{DrawId{1}, 0, 0, 11};
    std::fill_n(&shot.picture.rgba[4 * p], 3, static_cast<std::uint8_t>(disc ? 200 : 60));
  }
  /// \param off_px  by which the disc's mesh lies off, in pixels where it stands
  ViewCheck check(double off_px) {
    Viewpoint view = make_viewpoint("v", {0, 0, 10}, {0, 0, 0});
    view.yfov = 2 * std::atan(0.5);  // side pixels are ten metres there
    Verdict verdict;
    verdict.passed = true;
    ReductionCheck disc;
    disc.mesh = MeshId{0};
    disc.farthest_m = off_px * 10 / side;
    verdict.reductions = {disc};
    const std::vector<Viewpoint> views{view};
    EXPECT_TRUE(verify_views({scene_, survey_, before_}, {scene_, survey_, after_}, ledger_, views,
                             {}, verdict));
    return verdict.views.front();
  }

  Scene scene_;
  Survey survey_;
  Ledger ledger_;
  StillShot before_;
  StillShot after_;
};

TEST_F(ReducedEdges, MayGoAsFarAsTheirMeshLiesOff) {
  draw(after_, 17);
  const ViewCheck view = check(3);
  EXPECT_TRUE(view.passed);
  EXPECT_EQ(view.differing, 0U);
  EXPECT_GT(view.shifted_pixels, 300U);
  draw(after_, 23);
  EXPECT_TRUE(check(3).passed) << "outwards too";
}

TEST_F(ReducedEdges, MayNotGoFarther) {
  draw(after_, 14);
  const ViewCheck view = check(2);
  EXPECT_FALSE(view.passed);
  EXPECT_GT(view.faults[static_cast<std::size_t>(PixelFault::other_draw)], 200U);
  draw(after_, 26);
  EXPECT_FALSE(check(2).passed);
}

TEST_F(ReducedEdges, HaveNoHoles) {
  for (std::uint32_t x = 30; x < 34; ++x) {
    for (std::uint32_t y = 30; y < 34; ++y) {
      set(after_.shot, x, y, false);
    }
  }
  const ViewCheck view = check(4);
  EXPECT_FALSE(view.passed);
  EXPECT_EQ(view.faults[static_cast<std::size_t>(PixelFault::other_draw)], 16U);
}

TEST_F(ReducedEdges, OfDrawsThatWerePutBackStayWhereTheyWere) {
  ledger_.reduction.untouched = {{NodeId{0}, 0}};
  draw(after_, 17);
  EXPECT_FALSE(check(3).passed);
}

class ReduceFiles : public testing::Test {
 protected:
  ReduceFiles() {
    EXPECT_TRUE(write_scene(make_balls(3), input_));
    test::write_all(folder_ / "s.toml",
                    "[verify]\npicture_width_px = 160\npicture_height_px = 90\npicture_views = 2\n"
                    "[reduce]\nshare = 0.5\nprotect = [\"/node_10\"]\n"
                    "protect_boxes = [[100, 0, 0, 101, 1, 1]]\n");
  }
  test::Outcome run(std::vector<std::string> args) {
    args.insert(args.end(), {"--settings", (folder_ / "s.toml").string()});
    return test::run_tool(args);
  }
  [[nodiscard]] std::string path(const char* name) const { return (folder_ / name).string(); }

  std::filesystem::path folder_ = test::make_scratch();
  std::string input_ = (folder_ / "s.glb").string();
};

TEST_F(ReduceFiles, RunBySettingsAndByTheLine) {
  const test::Outcome by_file = run({"run", input_, "-o", path("a")});
  ASSERT_EQ(by_file.exit_code, 0) << by_file.err << by_file.out;
  EXPECT_NE(by_file.out.find("Triangles drawn"), std::string::npos);
  EXPECT_NE(by_file.out.find("Reduced meshes, the farthest off first"), std::string::npos);
  const auto plan = read_plan(path("a/s.plan.json"));
  ASSERT_TRUE(plan) << to_string(plan.error());
  EXPECT_EQ(plan->reduction.settings.share, 0.5);
  EXPECT_EQ(plan->reduction.settings.protect_boxes.size(), 1U);
  EXPECT_EQ(plan->reduction.settings.protect_boxes[0].max[0], 101);

  const test::Outcome by_line = run({"run", input_, "-o", path("b"), "--reduce", "900"});
  ASSERT_EQ(by_line.exit_code, 0) << by_line.err;
  EXPECT_LE(count_totals(*read_scene(path("b/s.glb"))).triangles, 1700U);
  EXPECT_EQ(read_plan(path("b/s.plan.json"))->reduction.settings.triangles, 900U);
  EXPECT_NE(by_line.out.find("900 triangles were wanted"), std::string::npos) << by_line.out;
}

TEST_F(ReduceFiles, PlanBuildVerifyAndRestoreOneAfterTheOther) {
  ASSERT_EQ(run({"propose", input_, "-o", path("p.json"), "--error", "0.02m"}).exit_code, 0);
  const auto plan = read_plan(path("p.json"));
  ASSERT_TRUE(plan);
  EXPECT_EQ(plan->reduction.settings.error_m, 0.02);
  ASSERT_EQ(test::run_tool({"build", path("p.json"), "-o", path("b.glb")}).exit_code, 0);
  const test::Outcome verified = run({"verify", input_, path("b.glb")});
  EXPECT_EQ(verified.exit_code, 0) << verified.out;
  ASSERT_EQ(test::run_tool({"restore", path("b.glb"), "-o", path("r.glb")}).exit_code, 0);
  EXPECT_EQ(make_content_hash(*read_scene(path("r.glb"))), make_content_hash(*read_scene(input_)));
  const test::Outcome carried =
      test::run_tool({"build", path("p.json"), "-o", path("c.glb"), "--carry-source"});
  EXPECT_NE(carried.exit_code, 0);
  EXPECT_NE(carried.err.find("keep the source file"), std::string::npos) << carried.err;
}

TEST_F(ReduceFiles, ReuseWhatIsMergedAsLongAsTrianglesStay) {
  const std::vector<std::string> line{"run", input_, "-o", path("a"), "--cache", path("cache")};
  ASSERT_EQ(run(line).exit_code, 0);
  const test::Outcome again = run(line);
  EXPECT_NE(again.out.find("merges reused"), std::string::npos) << again.out;
  EXPECT_EQ(again.out.find("made anew"), std::string::npos);
  std::vector<std::string> other = line;
  other.insert(other.end(), {"--reduce", "30%"});
  EXPECT_NE(run(other).out.find("made anew"), std::string::npos);
}

TEST_F(ReduceFiles, MakeOneMeshOfOneMaterialOfAProp) {
  const Scene prop = test::make_gallery(3, 6);
  ASSERT_TRUE(write_scene(prop, input_));
  const test::Outcome made = test::run_tool({"reduce", input_, "-o", path("p.glb"), "--to", "60%",
                                             "--merge", "--materials", "fewest_draws"});
  ASSERT_EQ(made.exit_code, 0) << made.err << made.out;
  const Totals before = count_totals(prop);
  const Totals after = count_totals(*read_scene(path("p.glb")));
  EXPECT_GE(before.draws, 6U);
  EXPECT_EQ(after.draws, 1U);
  EXPECT_EQ(after.materials, 1U);
  EXPECT_EQ(after.meshes, 1U);
  EXPECT_LE(after.triangles, before.triangles * 6 / 10);
  EXPECT_NE(made.out.find("PASSED"), std::string::npos) << made.out;
  ASSERT_EQ(test::run_tool({"restore", path("p.glb"), "-o", path("r.glb")}).exit_code, 0);
  EXPECT_EQ(make_content_hash(*read_scene(path("r.glb"))), make_content_hash(*read_scene(input_)));
}

TEST_F(ReduceFiles, TellEachMeshAsJson) {
  const test::Outcome made =
      test::run_tool({"reduce", input_, "-o", path("p.glb"), "--to", "50%", "--format", "json"});
  ASSERT_EQ(made.exit_code, 0) << made.err;
  const auto file = folder_ / "verdict.json";
  test::write_all(file, made.out);
  EXPECT_NE(made.out.find("\"reductions\""), std::string::npos);
  EXPECT_NE(made.out.find("\"farthest_m\""), std::string::npos);
  EXPECT_TRUE(std::filesystem::exists(path("p.glb")));
}

TEST_F(ReduceFiles, CarryTheDetailThatIsProtected) {
  ASSERT_EQ(run({"propose", input_, "-o", path("p.json"), "--protect-detail", "0.5"}).exit_code, 0);
  const auto none = read_plan(path("p.json"));
  ASSERT_TRUE(none) << to_string(none.error());
  EXPECT_EQ(none->reduction.settings.protect_detail, 0.5);
  EXPECT_TRUE(none->reduction.detail.empty()) << "there are no pictures";
  Plan plan = *none;
  DetailMask mask{ImageId{3}, std::vector<bool>(64 * 64, false)};
  mask.fine[5] = mask.fine[64 * 64 - 1] = true;
  plan.reduction.detail = {mask};
  test::write_all(folder_ / "q.json", to_json(*read_scene(input_), plan));
  const auto read = read_plan(path("q.json"));
  ASSERT_TRUE(read) << to_string(read.error());
  EXPECT_EQ(read->reduction.detail, plan.reduction.detail);
  std::string text = test::read_all(folder_ / "q.json");
  text.replace(text.find("\"fine\":\"") + 8, 1, "x");
  test::write_all(folder_ / "q.json", text);
  EXPECT_FALSE(read_plan(path("q.json")));
}

TEST_F(ReduceFiles, TakeGroupsToOtherCounts) {
  ASSERT_EQ(test::run_tool({"propose", input_, "-o", path("p.json"), "--reduce", "50%"}).exit_code,
            0);
  const auto plan = read_plan(path("p.json"));
  ASSERT_TRUE(plan);
  ASSERT_FALSE(plan->groups.empty());
  const std::string group = plan->groups.front().name;
  const auto count = [&](const std::string& wish, const char* file) {
    const test::Outcome edited = test::run_tool(
        {"edit", path("p.json"), "-o", path("q.json"), "--triangles", group + "=" + wish});
    EXPECT_EQ(edited.exit_code, 0) << edited.err;
    EXPECT_EQ(test::run_tool({"build", path("q.json"), "-o", path(file)}).exit_code, 0);
    EXPECT_EQ(read_plan(path("q.json"))->groups.size(), plan->groups.size());
    const auto built = read_scene(path(file));
    EXPECT_TRUE(built);
    EXPECT_EQ(test::run_tool({"restore", path(file), "-o", path("r.glb")}).exit_code, 0);
    EXPECT_EQ(make_content_hash(*read_scene(path("r.glb"))),
              make_content_hash(*read_scene(input_)));
    return count_totals(*built).triangles;
  };
  const std::uint64_t half = count("50%", "a.glb");
  const std::uint64_t tenth = count("20%", "b.glb");
  const std::uint64_t whole = count("100%", "c.glb");
  EXPECT_LT(tenth, half);
  EXPECT_LT(half, whole);
  EXPECT_EQ(plan->groups.size() == 1 ? whole : count_totals(*read_scene(input_)).triangles,
            count_totals(*read_scene(input_)).triangles);
  const test::Outcome unknown =
      test::run_tool({"edit", path("p.json"), "-o", path("q.json"), "--triangles", "nobody=50%"});
  EXPECT_EQ(unknown.exit_code, 2);
  EXPECT_NE(unknown.err.find("no group nobody"), std::string::npos) << unknown.err;
}

TEST_F(ReduceFiles, RefuseWhatIsNoCountAndNoLength) {
  for (const auto& [option, value] :
       {std::pair("--reduce", "0"), std::pair("--reduce", "-5"), std::pair("--reduce", "120%"),
        std::pair("--reduce", "many"), std::pair("--error", "0m"), std::pair("--error", "2in")}) {
    const test::Outcome refused = run({"run", input_, "-o", path("x"), option, value});
    EXPECT_EQ(refused.exit_code, 2) << option << " " << value;
    EXPECT_NE(refused.err.find(option), std::string::npos) << refused.err;
  }
  EXPECT_FALSE(std::filesystem::exists(path("x")));
  const test::Outcome nothing = run({"run", input_, "-o", path("x"), "--protect", "/nowhere"});
  EXPECT_EQ(nothing.exit_code, 0) << nothing.err;
  EXPECT_NE(nothing.err.find("reduce.protect: nothing that is drawn matches \"/nowhere\""),
            std::string::npos)
      << nothing.err;
  const test::Outcome idle =
      test::run_tool({"propose", input_, "-o", path("p.json"), "--views", "2", "--only", "*"});
  EXPECT_EQ(idle.exit_code, 0) << idle.err;
  EXPECT_NE(idle.err.find("nothing is reduced at all; --reduce or --error say how far"),
            std::string::npos)
      << idle.err;
}

}  // namespace
}  // namespace wakuzume
