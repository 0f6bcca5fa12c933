// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// EXAMPLE: 03_survey SCENE
// SHOWS: what a frame costs, how low it could go, what was noticed, and a budget that can fail.
// READ FIRST: 01_read_plan_build.cpp

#include <cstdio>

#include "example.h"
#include "wakuzume/wakuzume.h"

int main(int argc, char** argv) {
  if (argc != 2) {
    return fail_usage("03_survey SCENE");
  }
  const auto scene = wakuzume::read_scene(argv[1]);
  if (!scene) {
    return fail(scene.error());
  }
  const auto survey = wakuzume::survey(*scene);
  if (!survey) {
    return fail(survey.error());
  }
  // The core knows no codecs: what it is told of pictures, this reader tells.
  const auto images = wakuzume::read_image_facts(*scene, wakuzume::ImageDepth::pixels);
  if (!images) {
    return fail(images.error());
  }
  wakuzume::AssessSettings settings;
  settings.profile = *wakuzume::read_cost_profile("pocket");
  settings.views.count = 16;
  settings.budgets = {{"materials", 40}, {"draws_per_view", 500}};
  const auto told = wakuzume::assess(*scene, *survey, *images, settings);
  if (!told) {
    return fail(told.error());
  }
  for (const wakuzume::Rung rung : {wakuzume::Rung::today, wakuzume::Rung::instancing,
                                    wakuzume::Rung::merging, wakuzume::Rung::floor}) {
    std::printf("%-10s %5llu draws\n", std::string(to_string(rung)).c_str(),
                static_cast<unsigned long long>(told->ladder[rung].draws));
  }
  for (const wakuzume::BudgetResult& result : told->budgets) {
    std::printf("%s %s: %.0f of %.0f\n", result.passed() ? "passes" : "fails ",
                result.budget.figure.c_str(), result.value, result.budget.limit);
  }
  std::size_t copies = 0;
  for (const wakuzume::Finding& finding : told->findings) {
    copies += finding.code == wakuzume::FindingCode::geometry_copied ? 1U : 0U;
  }
  std::printf("%zu shapes are stored more than once\n", copies);
  return 0;
}
