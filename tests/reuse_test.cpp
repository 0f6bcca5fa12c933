// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <atomic>
#include <map>
#include <mutex>

#include "glasshouse.h"
#include "support/parts.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"
#include "wakuzume/revise.h"

/// Building again from what an earlier build kept.
namespace wakuzume {
namespace {

class MemoryCache final : public BuildCache {
 public:
  Bytes find(const std::string& key) override {
    const std::lock_guard lock(mutex_);
    const auto hit = entries.find(key);
    return hit == entries.end() ? Bytes{} : make_bytes(hit->second);
  }
  void store(const std::string& key, std::span<const std::byte> bytes) override {
    const std::lock_guard lock(mutex_);
    entries[key] = std::vector<std::byte>(bytes.begin(), bytes.end());
  }
  std::map<std::string, std::vector<std::byte>> entries;

 private:
  std::mutex mutex_;
};

std::string bytes_of(const Built& built) {
  static const std::filesystem::path folder = test::make_scratch();
  const auto file = folder / "a.glb";
  EXPECT_TRUE(write_scene(built.scene, file.string()));
  return test::read_all(file) + to_json(built.ledger);
}

std::size_t count_reused(const Built& built) {
  return static_cast<std::size_t>(std::count_if(built.reuse.begin(), built.reuse.end(),
                                                [](const Reuse& reuse) { return reuse.reused; }));
}

/// Rows of parts, each row of its own material: a cluster a row.
Scene make_rows(std::size_t changed_row, double shift, bool other_shape) {
  test::SceneBuilder builder;
  for (std::uint32_t row = 0; row < 6; ++row) {
    const MaterialId material = builder.add_material("row" + std::to_string(row));
    builder.scene.materials.back().roughness = 0.1 * row;
    for (std::uint32_t i = 0; i < 5; ++i) {
      const bool changed = row == changed_row && i == 2;
      const auto part = test::make_part(row * 10 + i + (changed && other_shape ? 100 : 0));
      builder.add_node("p" + std::to_string(row) + std::to_string(i),
                       builder.add_mesh("m", part, material),
                       test::at(3.0 * i + (changed ? shift : 0), 5.0 * row));
    }
  }
  return builder.finish();
}

Plan plan_of(const Scene& scene) {
  return *propose(scene, *survey(scene), {.repeats = Repeats::merge});
}

TEST(Reuse, TakesEverythingOfAnUnchangedScene) {
  const Scene scene = demo::make_glasshouse();
  const Plan plan = *propose(scene, *survey(scene));
  MemoryCache cache;
  BuildSettings settings;
  settings.cache = &cache;
  const auto first = build(scene, plan, settings);
  ASSERT_TRUE(first);
  EXPECT_EQ(count_reused(*first), 0U);
  EXPECT_EQ(first->reuse[0].why, "a group that the cache does not know");
  const auto second = build(scene, plan, settings);
  ASSERT_TRUE(second);
  std::size_t morphing = 0;
  for (const Reuse& reuse : second->reuse) {
    morphing += reuse.why == "its morph targets are made anew each time" ? 1U : 0U;
  }
  EXPECT_EQ(morphing, 1U) << "the gardener's face";
  EXPECT_EQ(count_reused(*second) + morphing, second->reuse.size());
  const std::string wanted = bytes_of(*build(scene, plan));
  EXPECT_TRUE(bytes_of(*first) == wanted);
  EXPECT_TRUE(bytes_of(*second) == wanted);
}

TEST(Reuse, RedoesTheOneGroupThatChangedAndSaysWhy) {
  MemoryCache cache;
  BuildSettings settings;
  settings.cache = &cache;
  const Scene scene = make_rows(9, 0, false);
  const Plan plan = plan_of(scene);
  ASSERT_EQ(plan.groups.size(), 6U);
  ASSERT_TRUE(build(scene, plan, settings));
  const auto rebuild = [&](const Scene& changed, const std::string& why) {
    const Survey found = *survey(changed);
    const auto moved = rebase(changed, found, plan);
    ASSERT_TRUE(moved) << to_string(moved.error());
    const auto built = build(changed, *moved, settings);
    ASSERT_TRUE(built);
    EXPECT_EQ(count_reused(*built), 5U) << why;
    for (const Reuse& reuse : built->reuse) {
      if (!reuse.reused) {
        EXPECT_EQ(reuse.why, why);
        EXPECT_EQ(reuse.group, "merged_row3_001");
      }
    }
    EXPECT_TRUE(bytes_of(*built) == bytes_of(*build(changed, *moved))) << why;
    const auto verdict = verify(changed, built->scene, built->ledger);
    EXPECT_TRUE(verdict->passed) << why;
    ASSERT_TRUE(build(scene, plan, settings)) << "and back";
  };
  rebuild(make_rows(3, 0.25, false), "1 of its members stand elsewhere, seen from its pivot");
  rebuild(make_rows(3, 0, true), "the geometry of 1 of its members changed");
}

TEST(Reuse, NoticesEveryDamage) {
  const Scene scene = make_rows(9, 0, false);
  const Plan plan = plan_of(scene);
  MemoryCache cache;
  BuildSettings settings;
  settings.cache = &cache;
  const std::string wanted = bytes_of(*build(scene, plan, settings));
  const auto whole = cache.entries;
  const auto rebuild = [&](const char* what) {
    const auto built = build(scene, plan, settings);
    ASSERT_TRUE(built) << what;
    EXPECT_LT(count_reused(*built), built->reuse.size()) << what;
    EXPECT_TRUE(bytes_of(*built) == wanted) << what;
    EXPECT_TRUE(cache.entries == whole) << what << ": the cache is whole again";
  };
  for (std::size_t at = 0; at < 400; at += 13) {
    for (auto& [key, entry] : cache.entries) {
      entry[at % entry.size()] ^= std::byte{1};
    }
    rebuild("a bit");
  }
  for (auto& [key, entry] : cache.entries) {
    entry.resize(entry.size() / 2);
  }
  rebuild("cut short");
  for (auto& [key, entry] : cache.entries) {
    entry.assign(64, std::byte{42});
  }
  rebuild("another program's");
  const auto other = cache.entries.begin()->second;
  for (auto& [key, entry] : cache.entries) {
    entry = other;
  }
  rebuild("another key's");
}

TEST(Reuse, IsTheSameForAnyNumberOfThreads) {
  const Scene scene = test::make_random_scene(31, 300);
  const Plan plan = plan_of(scene);
  const std::string wanted = bytes_of(*build(scene, plan));
  std::map<std::string, std::vector<std::byte>> entries;
  for (const unsigned threads : {1U, 2U, 8U}) {
    MemoryCache cache;
    BuildSettings settings;
    settings.cache = &cache;
    for (int round = 0; round < 2; ++round) {
      const auto built = build(scene, plan, settings, {.threads = threads});
      ASSERT_TRUE(built);
      EXPECT_TRUE(bytes_of(*built) == wanted) << threads << " threads, round " << round;
      EXPECT_EQ(count_reused(*built), round == 0 ? 0 : built->reuse.size());
    }
    entries = entries.empty() ? cache.entries : entries;
    EXPECT_TRUE(cache.entries == entries) << threads;
  }
}

TEST(ToolCache, RebuildsFromItsCache) {
  const auto folder = test::make_scratch();
  const auto path = [&](const char* name) { return (folder / name).string(); };
  ASSERT_TRUE(write_scene(make_rows(9, 0, false), path("s.glb")));
  ASSERT_TRUE(write_scene(make_rows(3, 0.25, false), path("t.glb")));
  const auto run = [&](std::vector<std::string> line) {
    const test::Outcome outcome = test::run_tool_small(std::move(line));
    EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
    return outcome.out;
  };
  const std::string cache = path("cache");
  run({"propose", path("s.glb"), "--repeats", "merge", "-o", path("s.json")});
  EXPECT_NE(run({"build", path("s.json"), "--cache", cache, "-o", path("a.glb")})
                .find("Cache: knew none of these groups"),
            std::string::npos);
  run({"propose", path("t.glb"), "--rebase", path("s.json"), "-o", path("t.json")});
  const std::string out = run({"build", path("t.json"), "--cache", cache, "-o", path("b.glb")});
  EXPECT_NE(out.find("Cache: 5 of 6 merges reused"), std::string::npos) << out;
  EXPECT_NE(out.find("merged_row3_001: 1 of its members stand elsewhere"), std::string::npos);
  run({"build", path("t.json"), "-o", path("c.glb")});
  EXPECT_TRUE(test::read_all(path("b.glb")) == test::read_all(path("c.glb")));
  // A folder that can't be written is no reason to fail.
  test::write_all(path("file"), "a file, not a folder");
  const test::Outcome told =
      test::run_tool({"build", path("t.json"), "--cache", path("file"), "-o", path("d.glb")});
  EXPECT_EQ(told.exit_code, 0);
  EXPECT_NE(told.err.find("the cache could not keep everything"), std::string::npos) << told.err;
  EXPECT_TRUE(test::read_all(path("d.glb")) == test::read_all(path("c.glb")));
}

TEST(ToolCarry, CarriesTheSourceInOneFile) {
  const auto folder = test::make_scratch();
  const auto path = [&](const char* name) { return (folder / name).string(); };
  ASSERT_TRUE(write_scene(demo::make_glasshouse(), path("s.glb")));
  const auto run = [&](std::vector<std::string> line) {
    const test::Outcome outcome = test::run_tool_small(std::move(line));
    EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  };
  run({"propose", path("s.glb"), "-o", path("p.json")});
  run({"build", path("p.json"), "--carry-source", "-o", path("r.glb")});
  run({"verify", path("s.glb"), path("r.glb")});
  EXPECT_EQ(test::ask_validator(path("r.glb")).substr(0, 2), "0 ");
  const std::string source = test::read_all(path("s.glb"));
  std::filesystem::remove(path("s.glb"));
  run({"restore", path("r.glb"), "-o", path("back.glb")});
  EXPECT_TRUE(test::read_all(path("back.glb")) == source) << "from the one file, to the byte";
  run({"restore", path("r.glb"), "--node", "/*bench*", "-o", path("some.glb")});
  run({"restore", path("some.glb"), "-o", path("again.glb")});
  EXPECT_TRUE(test::read_all(path("again.glb")) == source);
}

/// Sets whose triangles stand in an order of their own, and a merge beside them.
TEST(BuildReuse, TakesSetsInTheirOwnOrder) {
  test::SceneBuilder builder;
  const MaterialId tin = builder.add_material("tin");
  test::MeshData ball = test::make_ball(16, 0.1);
  // Every other triangle, then the rest: nothing is remembered between them.
  std::vector<std::uint32_t> apart;
  for (const std::size_t begin : {std::size_t{0}, std::size_t{3}}) {
    for (std::size_t i = begin; i < ball.indices.size(); i += 6) {
      apart.insert(apart.end(), &ball.indices[i], &ball.indices[i] + 3);
    }
  }
  ball.indices = apart;
  const MeshId mesh = builder.add_mesh("ball", ball, tin);
  for (int n = 0; n < 6; ++n) {
    builder.add_node("ball" + std::to_string(n), mesh, test::at(3 * n, 0, 0));
  }
  const Scene scene = builder.finish();
  const auto plan = propose(scene, *survey(scene), {.repeats = Repeats::only});
  ASSERT_TRUE(plan);
  MemoryCache cache;
  BuildSettings how;
  how.cache = &cache;
  const auto first = build(scene, *plan, how);
  ASSERT_TRUE(first) << to_string(first.error());
  ASSERT_TRUE(first->ledger.results.at(0).in_shading_order);
  EXPECT_EQ(count_reused(*first), 0U);
  const auto again = build(scene, *plan, how);
  ASSERT_TRUE(again);
  EXPECT_EQ(count_reused(*again), 1U);
  EXPECT_EQ(bytes_of(*again), bytes_of(*first));
  EXPECT_EQ(bytes_of(*build(scene, *plan)), bytes_of(*first));
  // The same vertices merged are stored otherwise, and never taken for these.
  const auto merged = propose(scene, *survey(scene), {.repeats = Repeats::merge});
  const auto built = build(scene, *merged, how);
  ASSERT_TRUE(built);
  EXPECT_EQ(count_reused(*built), 0U);
}

}  // namespace
}  // namespace wakuzume
