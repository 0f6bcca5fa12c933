// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <chrono>

#include "glasshouse.h"
#include "support/process.h"
#include "wakuzume/io.h"

/// A build that is killed leaves what was there, or all of what it makes.
namespace wakuzume {
namespace {

using std::chrono::microseconds;

class Killed : public testing::Test {
 protected:
  Killed() : folder_(test::make_scratch()) {
    EXPECT_TRUE(write_scene(demo::make_glasshouse(), path("s.glb")));
    EXPECT_EQ(run({"propose", path("s.glb"), "--repeats", "merge", "-o", path("old.json")}), 0);
    EXPECT_EQ(run({"propose", path("s.glb"), "-o", path("new.json")}), 0);
  }
  [[nodiscard]] std::string path(const std::string& name) const {
    return (folder_ / name).string();
  }
  static int run(const std::vector<std::string>& line) { return test::run_tool(line).exit_code; }

  std::filesystem::path folder_;
};

/// At thirty-six moments over the time that the whole takes, and a bit beyond.
TEST_F(Killed, BuildLeavesTheOldFilesOrTheNewOnes) {
  const std::vector<std::string> build{"build", path("new.json"), "-o", path("r.glb")};
  ASSERT_EQ(run({"build", path("old.json"), "-o", path("r.glb")}), 0);
  const std::string old_scene = test::read_all(path("r.glb"));
  const std::string old_ledger = test::read_all(path("r.ledger.json"));
  const auto begin = std::chrono::steady_clock::now();
  ASSERT_EQ(run(build), 0);
  const auto whole =
      std::chrono::duration_cast<microseconds>(std::chrono::steady_clock::now() - begin);
  const std::string new_scene = test::read_all(path("r.glb"));
  const std::string new_ledger = test::read_all(path("r.ledger.json"));
  ASSERT_NE(old_scene, new_scene);

  constexpr int moments = 36;
  int killed = 0;
  int finished = 0;
  for (int moment = 0; moment < moments; ++moment) {
    test::write_all(path("r.glb"), old_scene);
    test::write_all(path("r.ledger.json"), old_ledger);
    const int code = test::kill_tool(build, whole * 3 * moment / (2 * moments));
    (code == 0 ? finished : killed) += 1;
    EXPECT_TRUE(code == 0 || code == 128 + 9) << code;
    const std::string scene = test::read_all(path("r.glb"));
    const std::string ledger = test::read_all(path("r.ledger.json"));
    EXPECT_TRUE(scene == old_scene || scene == new_scene) << "torn at moment " << moment;
    EXPECT_TRUE(ledger == old_ledger || ledger == new_ledger) << "torn at moment " << moment;
    // A new scene beside an old ledger is noticed, not believed.
    const auto built = read_scene(path("r.glb"));
    const auto rows = read_ledger(path("r.ledger.json"));
    ASSERT_TRUE(built && rows);
    EXPECT_EQ(make_content_hash(*built) == rows->result_hash,
              (scene == new_scene) == (ledger == new_ledger));
  }
  EXPECT_GT(killed, moments / 4);
  EXPECT_EQ(run(build), 0) << "and what was left behind is in nobody's way";
  EXPECT_TRUE(test::read_all(path("r.glb")) == new_scene);
  EXPECT_TRUE(finished + killed == moments);
}

}  // namespace
}  // namespace wakuzume
