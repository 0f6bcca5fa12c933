// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// EXAMPLE: 07_reduce SCENE TARGET
// SHOWS: fewer triangles for a scene, what is protected, and how far the result lies off.
// READ FIRST: 03_survey.cpp

#include <algorithm>
#include <cstdio>

#include "example.h"
#include "wakuzume/wakuzume.h"

int main(int argc, char** argv) {
  if (argc != 3) {
    return fail_usage("07_reduce SCENE TARGET");
  }
  const auto scene = wakuzume::read_scene(argv[1]);
  if (!scene) {
    return fail(scene.error());
  }
  const auto survey = wakuzume::survey(*scene);
  if (!survey) {
    return fail(survey.error());
  }
  // Views tell what shows least: that gives most.
  const auto views = wakuzume::make_views(*scene, *survey, {.count = 16});
  if (!views) {
    return fail(views.error());
  }
  const wakuzume::ReduceSettings settings{.share = 0.5, .protect = {"lamp"}};
  const auto plan = wakuzume::propose_reduction(*scene, *survey, settings, *views);
  if (!plan) {
    return fail(plan.error());
  }
  const auto reduced = wakuzume::reduce(*scene, *plan);
  if (!reduced) {
    return fail(reduced.error());
  }
  const auto deviations = wakuzume::measure_reduction(*scene, reduced->scene, reduced->meshes);
  if (!deviations) {
    return fail(deviations.error());
  }
  double farthest_m = 0;
  bool lamp = false;
  for (std::size_t m = 0; m < reduced->meshes.size(); ++m) {
    const wakuzume::ReducedMesh& mesh = reduced->meshes[m];
    farthest_m = std::max(farthest_m, (*deviations)[m].surface.max_m());
    lamp = lamp || ((*scene)[mesh.mesh].name == "lamp" && mesh.triangles < mesh.triangles_before);
  }
  const auto before = wakuzume::count_totals(*scene);
  const auto after = wakuzume::count_totals(reduced->scene);
  std::printf("%llu draws before, %llu after\n", static_cast<unsigned long long>(before.draws),
              static_cast<unsigned long long>(after.draws));
  std::printf("half of the triangles: %s\n",
              2 * after.triangles <= before.triangles ? "yes" : "no");
  std::printf("farthest from where it was: %s\n", farthest_m < 0.5 ? "under 50 cm" : "farther");
  std::printf("the lamp is as it was: %s\n", lamp ? "no" : "yes");
  const auto written = wakuzume::write_scene(reduced->scene, argv[2], {argv[1]});
  return written ? 0 : fail(written.error());
}
