// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <cstring>

#include "support/process.h"
#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/io.h"

/// Random scenes against a second, slower way to the same answer.
namespace wakuzume {
namespace {

Result<Built> build_of(const Scene& scene, const ProposeSettings& settings, unsigned threads = 0) {
  const RunControl run{.threads = threads};
  const auto found = survey(scene, {}, run);
  const auto plan = propose(scene, *found, settings, {}, run);
  return build(scene, *plan, {}, run);
}

class RandomScenes : public testing::TestWithParam<int> {};

/// Four hundred scenes in eight lots: the audit of verify and the brute-force soup must agree that
/// everything is there exactly once.
TEST_P(RandomScenes, HoldEverythingExactlyOnceByBothCounts) {
  for (int i = 0; i < 50; ++i) {
    const auto seed = static_cast<std::uint32_t>(GetParam() * 50 + i);
    const Scene scene = test::make_random_scene(seed, 24);
    const ProposeSettings settings{.min_instances = 2 + seed % 3,
                                   .repeats = static_cast<Repeats>(seed % 3),
                                   .max_vertices = seed % 4 == 0 ? 30U : 65'535U,
                                   .cell_size_m = seed % 5 == 0 ? 15.0 : 0.0,
                                   .blended = static_cast<Blended>(seed % 3)};
    const auto built = build_of(scene, settings);
    ASSERT_TRUE(built) << "seed " << seed << ": " << to_string(built.error());
    const auto valid = check_scene(built->scene);
    ASSERT_TRUE(valid) << "seed " << seed << ": " << to_string(valid.error());
    const auto verdict = verify(scene, built->scene, built->ledger);
    ASSERT_TRUE(verdict);
    EXPECT_TRUE(verdict->passed) << "seed " << seed << ": node "
                                 << to_index(verdict->mismatches[0].draw.node) << " "
                                 << verdict->mismatches[0].what;
    const auto before = test::make_soup(scene);
    const auto after = test::make_soup(built->scene);
    ASSERT_EQ(before.size(), after.size()) << "seed " << seed;
    EXPECT_EQ(test::count_unmatched(before, after, 2e-4), 0U) << "seed " << seed;
    EXPECT_LE(verdict->after.draws, verdict->before.draws);
  }
}

INSTANTIATE_TEST_SUITE_P(Lots, RandomScenes, testing::Range(0, 8));

TEST(BuildThreads, GiveTheSameBytes) {
  const auto folder = test::make_scratch();
  const Scene scene = test::make_random_scene(31, 300);
  std::string first;
  for (const unsigned threads : {1U, 2U, 8U}) {
    const auto built = build_of(scene, {.min_instances = 3, .repeats = Repeats::instance}, threads);
    ASSERT_TRUE(built);
    const auto file = folder / (std::to_string(threads) + ".glb");
    ASSERT_TRUE(write_scene(built->scene, file.string()));
    const std::string bytes = test::read_all(file) + to_json(built->ledger);
    first = first.empty() ? bytes : first;
    EXPECT_TRUE(bytes == first) << threads << " threads gave other bytes";
  }
}

TEST(BuildCancel, StopsAtAnyCallOfTheObserverAndNeverTearsAFile) {
  struct Countdown final : Observer {
    explicit Countdown(int calls) : left(calls) {}
    bool advance(std::string_view, double done) override {
      EXPECT_GE(done, 0);
      EXPECT_LE(done, 1);
      return left-- > 0;
    }
    int left;
  };
  const auto folder = test::make_scratch();
  const Scene scene = test::make_random_scene(17, 120);
  const std::string target = (folder / "out.glb").string();
  test::write_all(target, "what was there before");
  int cancelled = 0;
  for (int calls = 0; calls < 400; calls += 7) {
    Countdown countdown(calls);
    const RunControl run{.threads = 2, .observer = &countdown};
    const auto work = [&]() -> Result<void> {
      const auto found = survey(scene, {}, run);
      if (!found) {
        return Failure(found.error());
      }
      const auto plan = propose(scene, *found, {}, {}, run);
      if (!plan) {
        return Failure(plan.error());
      }
      const auto built = build(scene, *plan, {}, run);
      if (!built) {
        return Failure(built.error());
      }
      const auto written = write_scene(built->scene, target, {}, run);
      return written ? Result<void>{} : Failure(written.error());
    };
    const auto done = work();
    if (done) {
      EXPECT_TRUE(read_scene(target)) << "the new file is whole";
      break;
    }
    ++cancelled;
    EXPECT_EQ(done.error().code, ErrorCode::cancelled) << to_string(done.error());
    EXPECT_EQ(test::read_all(target), "what was there before");
    EXPECT_EQ(test::list_folder(folder), (std::vector<std::string>{"out.glb"}));
  }
  EXPECT_GT(cancelled, 10);
}

}  // namespace
}  // namespace wakuzume
