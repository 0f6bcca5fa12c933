// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/mend.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "support/parts.h"
#include "support/pictures.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"
#include "wakuzume/revise.h"

/// What a proof rejects is taken back, and what is planned then holds.
namespace wakuzume {
namespace {

/// Frozen copies of one part, and squares of one material: repeats and a merge.
Scene make_mixed_scene() {
  test::SceneBuilder builder;
  const MaterialId brass = builder.add_material("brass");
  const MaterialId oak = builder.add_material("oak");
  for (std::uint32_t i = 0; i < 6; ++i) {
    const auto trs = test::make_random_trs(i, test::Scaling::uniform);
    builder.add_node(
        "copy_" + std::to_string(i),
        builder.add_mesh("copy", test::transform_part(test::make_part(1), trs), brass));
    builder.add_node("square_" + std::to_string(i),
                     builder.add_mesh("square", test::make_square(), oak), test::at(i));
  }
  return builder.finish();
}

Fate fate_of(const Ledger& ledger, const DrawRef& draw) {
  const auto hit = std::find_if(ledger.rows.begin(), ledger.rows.end(),
                                [&](const LedgerRow& row) { return row.source == draw; });
  return hit == ledger.rows.end() ? Fate::dropped : hit->fate;
}

class Mending : public testing::Test {
 protected:
  Mending() : scene_(make_mixed_scene()), survey_(*survey(scene_)) {
    settings_.repeats = Repeats::instance;
    plan_ = *propose(scene_, survey_, settings_);
    built_ = *build(scene_, plan_);
  }
  Verdict reject(const DrawRef& draw, RejectedFor about) const {
    Verdict verdict;
    verdict.rejected.push_back({draw, no_material, about, "off by a hair"});
    return verdict;
  }

  Scene scene_;
  Survey survey_;
  ProposeSettings settings_;
  Plan plan_;
  Built built_;
};

TEST_F(Mending, TakesARepeatBackToItselfAndAMergeToItsDraws) {
  const DrawRef copy{NodeId{2}, 0};
  ASSERT_EQ(fate_of(built_.ledger, copy), Fate::instanced);
  MendStep step = choose_mends(scene_, scene_, built_.ledger, reject(copy, RejectedFor::look));
  ASSERT_EQ(step.draws.size(), 1U) << "nothing is shared, so the look is the repeat's fault";
  EXPECT_EQ(step.draws[0].draw, copy);
  EXPECT_EQ(step.draws[0].from, TakenFrom::repeats);
  EXPECT_TRUE(step.materials.empty());

  std::vector<TakenBack> draws;
  std::vector<MaterialTakenBack> materials;
  add_mends(step, draws, materials);
  const auto plan = propose_without(draws, scene_, survey_, settings_);
  ASSERT_TRUE(plan) << to_string(plan.error());
  ASSERT_TRUE(check_plan(scene_, *plan));
  EXPECT_EQ(plan->taken_back.size(), 1U);
  const auto built = build(scene_, *plan);
  ASSERT_TRUE(built);
  EXPECT_NE(fate_of(built->ledger, copy), Fate::instanced);
  EXPECT_TRUE(verify(scene_, built->scene, built->ledger)->passed);

  // A draw that was merged stays alone from then on.
  const DrawRef square{NodeId{3}, 0};
  settings_.repeats = Repeats::merge;
  const Plan merged = *propose(scene_, survey_, settings_);
  const Built of_merged = *build(scene_, merged);
  ASSERT_EQ(fate_of(of_merged.ledger, square), Fate::merged);
  step = choose_mends(scene_, scene_, of_merged.ledger, reject(square, RejectedFor::shape));
  ASSERT_EQ(step.draws.size(), 1U);
  EXPECT_EQ(step.draws[0].from, TakenFrom::merges);
  const auto alone = propose_without(step.draws, scene_, survey_, settings_);
  ASSERT_TRUE(alone);
  const auto kept = std::find_if(alone->kept.begin(), alone->kept.end(),
                                 [&](const KeptDraw& k) { return k.draw == square; });
  ASSERT_NE(kept, alone->kept.end());
  EXPECT_EQ(kept->reason, KeepReason::taken_back);
  EXPECT_EQ(check_plan(scene_, *alone)->kept, 1U);
  const auto reasons = explain(scene_, survey_, *alone, "/square_1");
  ASSERT_TRUE(reasons);
  ASSERT_EQ(reasons->size(), 1U);
  EXPECT_TRUE(std::any_of(
      reasons->front().numbers.begin(), reasons->front().numbers.end(),
      [](const std::string& line) { return line.find("off by a hair") != std::string::npos; }));
}

TEST_F(Mending, FindsNothingWhereNothingIsLeft) {
  EXPECT_TRUE(choose_mends(scene_, scene_, built_.ledger, Verdict{}).empty());
  const DrawRef square{NodeId{3}, 0};
  settings_.repeats = Repeats::merge;
  const std::vector<TakenBack> taken{{square, TakenFrom::merges, "why"}};
  const Plan plan = *propose_without(taken, scene_, survey_, settings_);
  const Built built = *build(scene_, plan);
  EXPECT_TRUE(
      choose_mends(scene_, scene_, built.ledger, reject(square, RejectedFor::shape)).empty())
      << "it is as it was";
}

TEST_F(Mending, IsRememberedByPlansAndLedgersInFiles) {
  const std::vector<TakenBack> taken{{{NodeId{2}, 0}, TakenFrom::repeats, "a \"reason\""},
                                     {{NodeId{3}, 0}, TakenFrom::merges, "another"}};
  const Plan plan = *propose_without(taken, scene_, survey_, settings_);
  const auto folder = test::make_scratch();
  const std::string json = to_json(scene_, plan);
  ASSERT_TRUE(write_document((folder / "a.plan.json").string(), json));
  const auto again = read_plan((folder / "a.plan.json").string());
  ASSERT_TRUE(again) << to_string(again.error());
  EXPECT_EQ(to_json(scene_, *again), json);
  ASSERT_EQ(again->taken_back.size(), 2U);
  EXPECT_EQ(again->taken_back[0].why, "a \"reason\"");
  // Planning around it keeps what was taken back.
  const auto revised = revise(scene_, survey_, *again, settings_);
  ASSERT_TRUE(revised) << to_string(revised.error());
  EXPECT_EQ(revised->taken_back.size(), 2U);
  const Built built = *build(scene_, *again);
  ASSERT_TRUE(write_document((folder / "a.ledger.json").string(), to_json(built.ledger)));
  const auto ledger = read_ledger((folder / "a.ledger.json").string());
  ASSERT_TRUE(ledger) << to_string(ledger.error());
  EXPECT_EQ(to_json(*ledger), to_json(built.ledger));
  EXPECT_EQ(ledger->taken_back.size(), 2U);
}

/// What is proved again is what shows something else, and no more.
TEST_F(Mending, NamesTheDrawsThatAreBuiltOtherwise) {
  const Changes none = find_changes(scene_, built_.ledger, built_.ledger);
  EXPECT_TRUE(none.draws.empty() && none.materials.empty());
  const std::vector<TakenBack> taken{{{NodeId{2}, 0}, TakenFrom::repeats, "why"}};
  const Built later = *build(scene_, *propose_without(taken, scene_, survey_, settings_));
  const Changes changes = find_changes(scene_, built_.ledger, later.ledger);
  EXPECT_TRUE(changes.materials.empty());
  ASSERT_EQ(changes.draws.size(), 6U) << "the copies, of which one left the set of all";
  for (const DrawRef& draw : changes.draws) {
    EXPECT_EQ(scene_[draw.node].name.substr(0, 4), "copy");
  }
}

constexpr MaterialSettings fewest{.goal = MaterialGoal::fewest_draws};

TEST(MendingMaterials, ChangeWithTheirPageAndNoOther) {
  const Scene scene = test::make_gallery(5, 8);
  Ledger earlier;
  earlier.routes = test::route(scene, fewest);
  ASSERT_FALSE(earlier.routes.pages.empty());
  Ledger later = earlier;
  EXPECT_TRUE(find_changes(scene, earlier, later).materials.empty());
  later.routes.pages[0].tiles[0].x += 4;
  std::vector<MaterialId> of_page;
  for (const MaterialRoute& route : earlier.routes.routes) {
    if (route.page == 0) {
      of_page.push_back(route.material);
    }
  }
  EXPECT_EQ(find_changes(scene, earlier, later).materials, of_page);
}

TEST(MendingMaterials, GoesToALargerTileAndThenToTheMaterialAsItWas) {
  test::SceneBuilder builder;
  for (std::uint32_t m = 0; m < 12; ++m) {
    const MaterialId rock = builder.add_material("rock_" + std::to_string(m));
    builder.scene.materials[m].base_color_texture.texture =
        test::add_picture(builder, test::make_picture(128, 128, m));
    builder.add_node("rock", builder.add_mesh("rock", test::make_patch(0, 0, 1, 1), rock),
                     test::at(2.0 * m));
  }
  const Scene scene = builder.finish();
  const Survey found = *survey(scene);
  const auto images = *read_image_facts(scene, ImageDepth::detail);
  MaterialSettings settings = fewest;
  settings.max_page_px = 512;  // too little for all as they are
  settings.clean_mips = 2;
  settings.allowed_loss = 255;
  Ledger ledger;
  ledger.routes = *propose_routes(scene, found, images, settings);
  const auto shrunk = [](const RoutePlan& routes, const MaterialRoute& route) {
    if (route.page == no_index) {
      return false;
    }
    const Tile& tile = routes.pages[route.page].tiles[route.tile];
    return !tile.solid() && !tile.baked() &&
           static_cast<std::int64_t>(tile.size.width_px) < tile.used.width;
  };
  const auto route = std::find_if(
      ledger.routes.routes.begin(), ledger.routes.routes.end(),
      [&](const MaterialRoute& r) { return shrunk(ledger.routes, r) && r.onto == no_material; });
  ASSERT_NE(route, ledger.routes.routes.end());
  const MaterialId id = route->material;
  Verdict verdict;
  verdict.rejected.push_back({{no_node, 0}, id, RejectedFor::look, "30 dB"});
  std::vector<TakenBack> draws;
  std::vector<MaterialTakenBack> materials;
  MendStep step = choose_mends(scene, scene, ledger, verdict);
  ASSERT_EQ(step.materials.size(), 1U);
  EXPECT_EQ(step.materials[0].material, id);
  EXPECT_EQ(step.materials[0].to, TakenTo::larger);
  add_mends(step, draws, materials);

  ledger.routes = *propose_routes(scene, found, images, settings, {}, {{}, materials});
  ASSERT_EQ(ledger.routes.taken_back.size(), 1U);
  EXPECT_FALSE(shrunk(ledger.routes, *ledger.routes.find(id)));
  step = choose_mends(scene, scene, ledger, verdict);
  if (!step.empty()) {  // a page could take it as it is
    EXPECT_EQ(step.materials[0].to, TakenTo::stay);
    add_mends(step, draws, materials);
    ASSERT_EQ(materials.size(), 1U) << "one each";
    ledger.routes = *propose_routes(scene, found, images, settings, {}, {{}, materials});
  }
  EXPECT_EQ(ledger.routes.find(id)->route, Route::stay);
  EXPECT_TRUE(choose_mends(scene, scene, ledger, verdict).empty());
}

TEST(MendingRuns, EndWithAResultThatHolds) {
  const auto folder = test::make_scratch();
  const std::string scene = (folder / "s.glb").string();
  ASSERT_TRUE(write_scene(test::make_gallery(5, 6), scene));
  // A proof that accepts no difference of shared materials rejects all of them that can be seen.
  test::write_all(folder / "s.toml",
                  "[verify]\npicture_width_px = 480\npicture_height_px = 270\ndraw_pixels = 1\n"
                  "refiltered_draw_pixels = 1\nrefiltered_draw_share = 0.0001\n"
                  "[pixels]\natlas_steps = 0\natlas_share = 0\nlayers_steps = 0\n"
                  "layers_share = 0\nrebake_steps = 0\nrebake_share = 0\n");
  const auto run = [&](const std::string& mend, const std::string& out) {
    return test::run_tool({"run", scene, "-o", (folder / out).string(), "--materials",
                           "fewest_draws", "--settings", (folder / "s.toml").string(), "--mend",
                           mend});
  };
  const test::Outcome never = run("never", "never");
  EXPECT_EQ(never.exit_code, 1) << never.out << never.err;
  EXPECT_EQ(never.out.find("Taken back"), std::string::npos);
  const test::Outcome always = run("always", "always");
  EXPECT_EQ(always.exit_code, 0) << always.out << always.err;
  EXPECT_NE(always.out.find("Taken back, because the proof had rejected it"), std::string::npos)
      << always.out;
  const std::string verdict = test::read_all(folder / "always" / "s.verdict.json");
  EXPECT_NE(verdict.find("\"mended\""), std::string::npos);
  EXPECT_NE(verdict.find("its own material, as it was"), std::string::npos);
  const std::string plan = test::read_all(folder / "always" / "s.plan.json");
  EXPECT_NE(plan.find("taken back: "), std::string::npos) << "as the reason of its route";
  const auto ledger = read_ledger((folder / "always" / "s.ledger.json").string());
  ASSERT_TRUE(ledger);
  EXPECT_FALSE(ledger->routes.taken_back.empty());
  EXPECT_EQ(test::run_tool({"build", (folder / "always" / "s.plan.json").string(), "-o",
                            (folder / "again.glb").string()})
                .exit_code,
            0)
      << "the plan that was mended builds what the run built";
  EXPECT_TRUE(test::read_all(folder / "again.glb") == test::read_all(folder / "always" / "s.glb"));
  EXPECT_EQ(test::run_tool({"verify", scene, (folder / "always" / "s.glb").string(), "--settings",
                            (folder / "s.toml").string()})
                .exit_code,
            0)
      << "what was taken over from earlier rounds holds when all is proved at once";
}

}  // namespace
}  // namespace wakuzume
