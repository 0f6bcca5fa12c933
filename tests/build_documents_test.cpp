// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"
#include "wakuzume/restore.h"
#include "wakuzume/revise.h"

/// Plans and ledgers with everything that a build can be asked for, through their files.
namespace wakuzume {
namespace {

struct Rich {
  Scene scene;
  Plan plan;
  Built built;
};

/// Split, joined, with colliders and a carried source.
Rich make_rich(std::uint32_t seed) {
  const SplitSettings pieces{
      .nodes = {"*"}, .by = static_cast<SplitBy>(seed % 2), .cell_size_m = 0.5};
  Rich out;
  out.scene = std::move(split(test::make_random_scene(seed, 40), pieces)->scene);
  out.plan = *propose(out.scene, *survey(out.scene),
                      {.repeats = static_cast<Repeats>(seed % 3),
                       .cell_size_m = 20,
                       .mesh_unit = MeshUnit::place,
                       .colliders = static_cast<ColliderShape>(1 + seed % 3),
                       .cluster_names = "{material}-{number}"});
  out.plan.split = pieces;
  BuildSettings how;
  how.carry_source = CarrySource::hidden;
  out.built = *build(out.scene, out.plan, how);
  out.built.ledger.split = pieces;
  return out;
}

class RichDocuments : public testing::TestWithParam<int> {
 protected:
  RichDocuments() : made_(make_rich(static_cast<std::uint32_t>(GetParam()))) {}
  std::string write(const char* name, const std::string& text) {
    static const std::filesystem::path folder = test::make_scratch();
    const std::string path = (folder / name).string();
    EXPECT_TRUE(write_text(path, text));
    return path;
  }
  Rich made_;
};

TEST_P(RichDocuments, ComeBackAsTheyWere) {
  const std::string plan = to_json(made_.scene, made_.plan);
  const auto plan_again = read_plan(write("a.plan.json", plan));
  ASSERT_TRUE(plan_again) << to_string(plan_again.error());
  EXPECT_TRUE(to_json(made_.scene, *plan_again) == plan);
  EXPECT_EQ(plan_again->split, made_.plan.split);
  EXPECT_EQ(plan_again->settings, made_.plan.settings);
  const std::string ledger = to_json(made_.built.ledger);
  const auto ledger_again = read_ledger(write("a.ledger.json", ledger));
  ASSERT_TRUE(ledger_again) << to_string(ledger_again.error());
  EXPECT_TRUE(to_json(*ledger_again) == ledger);
  EXPECT_EQ(ledger_again->split, made_.built.ledger.split);
  EXPECT_EQ(ledger_again->source_copy.node_there, made_.built.ledger.source_copy.node_there);
  // What was read does what was written.
  BuildSettings how;
  how.carry_source = CarrySource::hidden;
  const auto rebuilt = build(made_.scene, *plan_again, how);
  ASSERT_TRUE(rebuilt) << to_string(rebuilt.error());
  EXPECT_EQ(rebuilt->ledger.result_hash, made_.built.ledger.result_hash);
  const auto carried = find_carried_source(made_.built.scene, *ledger_again);
  ASSERT_TRUE(carried);
  EXPECT_EQ(make_content_hash(*carried), make_content_hash(made_.scene));
}

TEST_P(RichDocuments, AreWhatTheirSchemasSay) {
  const std::string schemas = WAKUZUME_SCHEMAS;
  const test::Outcome outcome = test::run_program(
      {WAKUZUME_NODE, WAKUZUME_JUDGES "/schema.mjs", schemas + "/plan.schema.json",
       write("b.plan.json", to_json(made_.scene, made_.plan)), schemas + "/ledger.schema.json",
       write("b.ledger.json", to_json(made_.built.ledger))});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.out << outcome.err;
}

/// A result goes through its file and is what it was, the hidden source included.
TEST_P(RichDocuments, BelongToTheFileThatIsWritten) {
  const std::string path = write("c.glb", "");
  ASSERT_TRUE(write_scene(made_.built.scene, path));
  const auto again = read_scene(path);
  ASSERT_TRUE(again) << to_string(again.error());
  EXPECT_EQ(make_content_hash(*again), made_.built.ledger.result_hash);
  const auto verdict = verify(made_.scene, *again, made_.built.ledger);
  ASSERT_TRUE(verdict);
  EXPECT_TRUE(verdict->passed) << verdict->mismatches[0].what;
  const auto carried = find_carried_source(*again, made_.built.ledger);
  ASSERT_TRUE(carried);
  const auto all = restore(*again, made_.built.ledger, *carried, {.everything = true});
  ASSERT_TRUE(all) << to_string(all.error());
  EXPECT_EQ(make_content_hash(all->scene), make_content_hash(made_.scene));
}

INSTANTIATE_TEST_SUITE_P(Seeds, RichDocuments, testing::Range(0, 6));

/// A ledger that was spoilt by hand gives an error with its place, or at least nothing else.
TEST(RichLedger, IsHeldAgainstTheScenesItSpeaksOf) {
  const Rich made = make_rich(1);
  const auto spoil = [&](const auto& change) {
    Ledger ledger = made.built.ledger;
    change(ledger);
    return restore(made.built.scene, ledger, made.scene, {.everything = true});
  };
  ASSERT_TRUE(spoil([](Ledger&) {}));
  const auto expect_out_of_bounds = [](const Result<Built>& result, const char* what) {
    ASSERT_FALSE(result) << what;
    EXPECT_EQ(result.error().code, ErrorCode::out_of_bounds) << what;
  };
  expect_out_of_bounds(spoil([](Ledger& ledger) { ledger.results[0].primitive = 99; }),
                       "a primitive that is not there");
  expect_out_of_bounds(
      spoil([](Ledger& ledger) { ledger.results[0].collider = NodeId{1U << 30U}; }),
      "a collider that is not there");
  expect_out_of_bounds(spoil([](Ledger& ledger) { ledger.results.push_back(ledger.results[0]); }),
                       "a result that is there twice");
  Ledger ledger = made.built.ledger;
  ledger.source_copy.first_node = NodeId{1U << 30U};
  EXPECT_FALSE(find_carried_source(made.built.scene, ledger));
  ledger = made.built.ledger;
  ledger.source_copy.meshes = 1U << 30U;
  EXPECT_FALSE(find_carried_source(made.built.scene, ledger));
  ledger = made.built.ledger;
  ledger.source_copy.node_there[0] = NodeId{1U << 30U};
  EXPECT_FALSE(find_carried_source(made.built.scene, ledger));
}

}  // namespace
}  // namespace wakuzume
