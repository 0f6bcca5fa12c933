// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/restore.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>
#include <set>

#include "glasshouse.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

ProposeSettings settings_of(std::uint32_t seed) {
  return {.min_instances = 2 + seed % 3,
          .repeats = static_cast<Repeats>(seed % 3),
          .cell_size_m = seed % 5 == 0 ? 15.0 : 0.0,
          .blended = static_cast<Blended>(seed % 3),
          .moving_parts = seed % 2 == 0 ? MovingParts::merge : MovingParts::keep};
}

Built build_of(const Scene& scene, const ProposeSettings& settings) {
  const auto found = survey(scene);
  const auto plan = propose(scene, *found, settings, {});
  return *build(scene, *plan);
}

/// As a file has them: every property that glTF can say, in its place.
std::string bytes_of(const Scene& scene, const std::string& name) {
  static const std::filesystem::path folder = test::make_scratch();
  const auto file = folder / name;
  EXPECT_TRUE(write_scene(scene, file.string()));
  return test::read_all(file);
}

class RestoredScenes : public testing::TestWithParam<int> {};

TEST_P(RestoredScenes, AreTheSourceToTheByteWhenAllComesBack) {
  for (int i = 0; i < 150; ++i) {
    const auto seed = static_cast<std::uint32_t>(GetParam() * 150 + i);
    const Scene scene = test::make_random_scene(seed, 16);
    const Built built = build_of(scene, settings_of(seed));
    const auto all = restore(built.scene, built.ledger, scene, {.everything = true});
    ASSERT_TRUE(all) << "seed " << seed << ": " << to_string(all.error());
    ASSERT_EQ(to_string(make_content_hash(all->scene)), to_string(make_content_hash(scene)))
        << "seed " << seed;
    if (i % 25 == 0) {
      ASSERT_TRUE(bytes_of(all->scene, "a.gltf") == bytes_of(scene, "a.gltf")) << "seed " << seed;
    }
    EXPECT_TRUE(all->ledger.results.empty());
    EXPECT_TRUE(std::all_of(all->ledger.rows.begin(), all->ledger.rows.end(),
                            [](const LedgerRow& row) { return row.fate == Fate::kept; }));
  }
}

/// Some nodes of each scene come back: the audit and the soup find everything exactly once, what
/// came back stands as it stood, and the geometry of the other groups is the same bytes.
TEST_P(RestoredScenes, HoldEverythingWhenAPartComesBack) {
  std::mt19937 random(static_cast<std::uint32_t>(GetParam()));
  std::size_t partial = 0;
  for (int i = 0; i < 100; ++i) {
    const auto seed = static_cast<std::uint32_t>(GetParam() * 100 + i);
    const Scene scene = test::make_random_scene(seed, 24);
    const Built built = build_of(scene, settings_of(seed));
    RestoreChoice choice;
    std::set<NodeId> wanted;
    for (const LedgerRow& row : built.ledger.rows) {
      if ((row.fate == Fate::merged || row.fate == Fate::instanced) && random() % 4 == 0) {
        choice.nodes.push_back(make_node_path(scene, row.source.node));
        wanted.insert(row.source.node);
      }
    }
    const auto some = restore(built.scene, built.ledger, scene, choice);
    ASSERT_TRUE(some) << "seed " << seed << ": " << to_string(some.error());
    const auto valid = check_scene(some->scene);
    ASSERT_TRUE(valid) << "seed " << seed << ": " << to_string(valid.error());
    const auto verdict = verify(scene, some->scene, some->ledger);
    ASSERT_TRUE(verdict);
    EXPECT_TRUE(verdict->passed) << "seed " << seed << ": " << verdict->mismatches[0].what;
    EXPECT_EQ(test::count_unmatched(test::make_soup(scene), test::make_soup(some->scene), 2e-4), 0U)
        << "seed " << seed;
    for (const LedgerRow& row : some->ledger.rows) {
      if (!wanted.contains(row.source.node)) {
        continue;
      }
      ASSERT_EQ(row.fate, Fate::kept) << "seed " << seed;
      const Node& before = scene[row.source.node];
      const Node& after = some->scene[row.node];
      EXPECT_EQ(after.name, before.name);
      EXPECT_EQ(make_node_path(some->scene, row.node), make_node_path(scene, row.source.node));
      EXPECT_EQ(after.extra ? after.extra->extras : "", before.extra ? before.extra->extras : "");
      EXPECT_EQ(some->scene[after.mesh].primitives[row.primitive].material,
                scene[before.mesh].primitives[row.source.primitive].material);
    }
    partial += some->ledger.results.empty() || wanted.empty() ? 0U : 1U;

    // The rest of it, from there, is the source again.
    const auto all = restore(some->scene, some->ledger, scene, {.everything = true});
    ASSERT_TRUE(all) << "seed " << seed << ": " << to_string(all.error());
    EXPECT_EQ(to_string(make_content_hash(all->scene)), to_string(make_content_hash(scene)));
  }
  EXPECT_GT(partial, 15U);
}

INSTANTIATE_TEST_SUITE_P(Lots, RestoredScenes, testing::Range(0, 8));

TEST(Restore, GivesTheDemoSceneBackToTheByte) {
  const Scene scene = demo::make_glasshouse();
  const Built built = build_of(scene, {});
  const auto all = restore(built.scene, built.ledger, scene, {.everything = true});
  ASSERT_TRUE(all);
  EXPECT_TRUE(bytes_of(all->scene, "b.glb") == bytes_of(scene, "b.glb"));
}

TEST(Restore, LeavesOtherGroupsAsTheyAre) {
  const Scene scene = demo::make_glasshouse();
  const Built built = build_of(scene, {});
  const std::string name = built.scene[built.ledger.results.front().node].name;
  const auto some = restore(built.scene, built.ledger, scene, {.groups = {name}});
  ASSERT_TRUE(some);
  ASSERT_EQ(some->ledger.results.size() + 1, built.ledger.results.size());
  for (std::size_t r = 0; r < some->ledger.results.size(); ++r) {
    const Node& before = built.scene[built.ledger.results[r + 1].node];
    const Node& after = some->scene[some->ledger.results[r].node];
    EXPECT_EQ(after.name, before.name);
    EXPECT_EQ(after.trs.translation, before.trs.translation);
    const Primitive& had = built.scene[before.mesh].primitives[0];
    const Primitive& has = some->scene[after.mesh].primitives[0];
    for (const char* semantic : {"POSITION", "NORMAL", "TEXCOORD_0"}) {
      if (had.find(semantic) != no_stream) {
        EXPECT_EQ(make_packed(some->scene, has.find(semantic)),
                  make_packed(built.scene, had.find(semantic)))
            << after.name << " " << semantic;
      }
    }
  }
}

TEST(Restore, BringsAllPartsOfAnInstanceBack) {
  test::SceneBuilder builder;
  const MeshId leg = builder.add_mesh("leg", test::make_tetrahedron());
  const MeshId seat = builder.add_mesh("seat", test::make_square());
  for (int i = 0; i < 12; ++i) {
    const NodeId bench = builder.add_node("bench_" + std::to_string(i), no_mesh, test::at(9 * i));
    builder.add_node("leg", leg, test::at(0, 1), bench);
    builder.add_node("seat", seat, test::at(0, 2), bench);
  }
  const Scene scene = builder.finish();
  const Built built = build_of(scene, {.repeats = Repeats::instance, .max_extent_m = 0});
  ASSERT_EQ(built.ledger.results.size(), 1U);
  const auto some =
      restore(built.scene, built.ledger, scene, {.nodes = {"/bench_3/leg", "/bench_8"}});
  ASSERT_TRUE(some) << to_string(some.error());
  std::set<std::string> back;
  for (const LedgerRow& row : some->ledger.rows) {
    if (row.fate == Fate::kept) {
      back.insert(make_node_path(scene, row.source.node));
    }
  }
  EXPECT_EQ(back, (std::set<std::string>{"/bench_3/leg", "/bench_3/seat", "/bench_8/leg",
                                         "/bench_8/seat"}));
  EXPECT_TRUE(verify(scene, some->scene, some->ledger)->passed);
}

TEST(Restore, RefusesWhatTheLedgerWasNotWrittenFor) {
  const Scene scene = test::make_random_scene(3, 16);
  const Built built = build_of(scene, {});
  const auto code = [&](const Scene& after, const Ledger& ledger, const Scene& source,
                        const RestoreChoice& choice) {
    const auto done = restore(after, ledger, source, choice);
    return done ? "done" : std::string(to_string(done.error().code));
  };
  Scene edited = built.scene;
  edited.nodes.back().trs.translation[0] += 1;
  EXPECT_EQ(code(edited, built.ledger, scene, {.everything = true}), "plan_mismatch");
  EXPECT_EQ(code(built.scene, built.ledger, test::make_random_scene(4, 16), {.everything = true}),
            "plan_mismatch");
  EXPECT_EQ(code(built.scene, built.ledger, scene, {.groups = {"nobody"}}), "bad_setting");
  EXPECT_EQ(code(built.scene, built.ledger, scene, {.nodes = {"/nowhere/*"}}), "bad_setting");
}

TEST(Restore, ChecksALedgerThatWasSpoilt) {
  const Scene scene = test::make_random_scene(3, 16);
  const Built built = build_of(scene, {.repeats = Repeats::instance});
  ASSERT_FALSE(built.ledger.results.empty());
  const auto moved = static_cast<std::size_t>(
      std::find_if(built.ledger.rows.begin(), built.ledger.rows.end(),
                   [](const LedgerRow& row) { return row.fate != Fate::kept; }) -
      built.ledger.rows.begin());
  ASSERT_LT(moved, built.ledger.rows.size());
  const auto refuses = [&](const auto& spoil) {
    Ledger ledger = built.ledger;
    spoil(ledger, ledger.rows[moved]);
    const auto done = restore(built.scene, ledger, scene, {.everything = true});
    return !done && done.error().code == ErrorCode::out_of_bounds;
  };
  EXPECT_TRUE(refuses([](Ledger&, LedgerRow& row) { row.first_index = ~std::uint64_t{0}; }));
  EXPECT_TRUE(refuses([](Ledger&, LedgerRow& row) { row.vertex_count += 1'000'000; }));
  EXPECT_TRUE(refuses([](Ledger&, LedgerRow& row) { row.node = no_node; }));
  EXPECT_TRUE(refuses([](Ledger&, LedgerRow& row) { row.primitive = 99; }));
  EXPECT_TRUE(refuses([](Ledger&, LedgerRow& row) { row.source.primitive = 99; }));
  EXPECT_TRUE(refuses([](Ledger&, LedgerRow& row) { row.source.node = NodeId{9999}; }));
  EXPECT_TRUE(refuses([](Ledger& ledger, LedgerRow&) { ledger.rows.push_back(ledger.rows[0]); }));
  EXPECT_TRUE(refuses([](Ledger& ledger, LedgerRow&) { ledger.results[0].node = NodeId{9999}; }));
  EXPECT_TRUE(refuses([](Ledger& ledger, LedgerRow&) { ledger.results[0].below = NodeId{9999}; }));
  EXPECT_TRUE(refuses([](Ledger& ledger, LedgerRow&) {
    ledger.results[0].shown = {NodeId{9999}, 0};
  }));
  EXPECT_TRUE(refuses([](Ledger& ledger, LedgerRow&) { ledger.results.clear(); }));
}

// ---- looking up -------------------------------------------------------------------------------

/// Where a list index is drawn that a row's range counts.
std::uint64_t find_drawn(const Ledger& ledger, const LedgerRow& row, std::uint64_t place) {
  for (const LedgerResult& result : ledger.results) {
    const auto at = std::find(result.order.begin(), result.order.end(), place / 3);
    if (result.node == row.node && result.primitive == row.primitive && at != result.order.end()) {
      return 3 * static_cast<std::uint64_t>(at - result.order.begin()) + place % 3;
    }
  }
  return place;
}

TEST(LedgerIndex, FindsWhatAWalkOverAllRowsFinds) {
  std::size_t found = 0;
  for (std::uint32_t seed = 0; seed < 12; ++seed) {
    const Scene scene = test::make_random_scene(seed, 24);
    const Built built = build_of(scene, settings_of(seed));
    const LedgerIndex index(built.ledger);
    for (const LedgerRow& row : built.ledger.rows) {
      const std::uint64_t last = row.first_index + std::max<std::uint64_t>(1, row.index_count) - 1;
      for (const std::uint64_t place : {row.first_index, last}) {
        const std::uint64_t at = find_drawn(built.ledger, row, place);
        const LedgerRow* hit = index.find(row.node, row.primitive, row.instance, at);
        ASSERT_NE(hit, nullptr) << "seed " << seed;
        EXPECT_EQ(hit->source, row.source) << "seed " << seed;
        ++found;
      }
      const auto rows = index.find_source(row.source.node);
      ASSERT_EQ(rows.size(), scene[scene[row.source.node].mesh].primitives.size());
      EXPECT_EQ(rows[row.source.primitive].node, row.node);
    }
    EXPECT_EQ(index.find(NodeId{100'000}, 0, 0, 0), nullptr);
    EXPECT_TRUE(index.find_source(NodeId{100'000}).empty());
    for (const LedgerResult& result : built.ledger.results) {
      EXPECT_EQ(index.find(result.node, 0, 0, 1U << 30U), nullptr) << "beyond the last triangle";
      EXPECT_EQ(index.find(result.node, 1, 0, 0), nullptr) << "there is one primitive";
    }
  }
  EXPECT_GT(found, 400U);
}

}  // namespace
}  // namespace wakuzume
