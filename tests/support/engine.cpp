// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/engine.h"

#include <gtest/gtest.h>

#include <sstream>

#include "support/process.h"
#include "wakuzume/io.h"

namespace wakuzume::test {

std::vector<std::vector<EngineShot>> ask_engine(const std::filesystem::path& folder,
                                                const std::vector<Viewpoint>& views,
                                                std::uint32_t width_px,
                                                const std::vector<std::string>& scenes,
                                                const std::vector<std::string>& options,
                                                std::size_t times) {
  EXPECT_TRUE(write_text((folder / "views.json").string(), to_json(views)));
  std::vector<std::string> command{WAKUZUME_NODE, WAKUZUME_JUDGES "/engine.mjs",
                                   (folder / "views.json").string(), std::to_string(width_px),
                                   folder.string()};
  command.insert(command.end(), options.begin(), options.end());
  for (const std::string& scene : scenes) {
    command.push_back((folder / scene).string());
  }
  const Outcome outcome = run_program(command);
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  std::istringstream lines(outcome.out);
  std::vector<std::vector<EngineShot>> out(scenes.size());
  for (std::size_t s = 0; s < scenes.size(); ++s) {
    for (std::size_t v = 0; v < views.size() * times; ++v) {
      EngineShot shot;
      lines >> shot.calls >> shot.triangles >> shot.picture.width_px >> shot.picture.height_px;
      const std::string bytes =
          read_all(folder / (std::to_string(v) + "_" + std::to_string(s) + ".rgba"));
      shot.picture.rgba.assign(bytes.begin(), bytes.end());
      out[s].push_back(std::move(shot));
    }
  }
  return out;
}

}  // namespace wakuzume::test
