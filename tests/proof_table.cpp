// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/proof_table.h"

#include <CLI/CLI.hpp>
#include <cstdio>
#include <filesystem>

#include "wakuzume/io.h"

/// Prints how often a proof is wrong, over as many made-up scenes as one likes and over files.
int main(int argc, char** argv) {
  using namespace wakuzume;
  std::uint32_t scenes = 8;
  std::uint32_t first = 1;
  std::string only;
  std::vector<std::string> files;
  test::TableSettings settings;
  CLI::App line("Counts right results that are rejected, and broken ones that are accepted");
  line.add_option("files", files, "Scenes to look at as well");
  line.add_option("--scenes", scenes, "Made-up scenes of each recipe");
  line.add_option("--first", first, "Seed of the first of them");
  line.add_option("--recipe", only, "Only scenes of this one");
  line.add_option("--views", settings.views, "Views of each scene");
  line.add_option("--width", settings.width_px, "Of a view, in pixels");
  line.add_option("--height", settings.height_px, "Of a view, in pixels");
  CLI11_PARSE(line, argc, argv);
  test::ProofTable table(settings);
  for (std::uint32_t seed = first; seed < first + scenes; ++seed) {
    for (std::size_t r = 0; r < test::recipe_count; ++r) {
      const auto recipe = static_cast<test::Recipe>(r);
      if (!only.empty() && only != to_string(recipe)) {
        continue;
      }
      table.add("scene " + std::to_string(seed), test::make_kit_scene(seed, recipe), recipe, seed);
    }
  }
  for (const std::string& file : files) {
    const auto scene = read_scene(file);
    if (!scene) {
      std::fprintf(stderr, "%s\n", to_string(scene.error()).c_str());
      return 3;
    }
    for (const auto recipe :
         {test::Recipe::merges, test::Recipe::instances, test::Recipe::shared}) {
      table.add(std::filesystem::path(file).filename().string(), *scene, recipe, first);
    }
  }
  std::fputs(table.print().c_str(), stdout);
  for (const std::string& wrong : table.wrong()) {
    std::printf("%s\n", wrong.c_str());
  }
  return table.wrong().empty() ? 0 : 1;
}
