// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// EXAMPLE: 05_whole_job SCENE
// SHOWS: everything that the tool's run does, in memory: materials shared, built, drawn, proved.
// READ FIRST: 01_read_plan_build.cpp

#include <cstdio>

#include "example.h"
#include "wakuzume/render.h"
#include "wakuzume/wakuzume.h"

int main(int argc, char** argv) {
  if (argc != 2) {
    return fail_usage("05_whole_job SCENE");
  }
  auto scene = wakuzume::read_scene(argv[1]);
  auto profile = wakuzume::read_cost_profile("desk");
  if (!scene || !profile) {
    return fail(scene ? profile.error() : scene.error());
  }
  wakuzume::Job job{.profile = *profile};
  job.settings.materials.goal = wakuzume::MaterialGoal::fewest_draws;
  job.settings.lightmaps.goal = wakuzume::LightmapGoal::join;
  job.settings.verify.picture_views = 3;

  // With a FileDelivery among the tools the result would be written, and proved as it was written.
  const wakuzume::StandardCodec codec;
  wakuzume::RenderShots shots(codec);
  const auto made = wakuzume::run_job(std::move(*scene), job, {.codec = codec, .shots = &shots});
  if (!made) {
    return fail(made.error());
  }
  const wakuzume::Verdict& verdict = made->verdict;
  std::printf("%llu draws became %llu in %zu groups, %llu materials became %llu\n",
              static_cast<unsigned long long>(verdict.before.draws),
              static_cast<unsigned long long>(verdict.after.draws), made->plan.groups.size(),
              static_cast<unsigned long long>(verdict.before.materials),
              static_cast<unsigned long long>(verdict.after.materials));
  std::printf("%llu triangles were compared, and %zu views\n",
              static_cast<unsigned long long>(verdict.triangles_checked), verdict.views.size());
  std::printf("proof %s after %zu steps\n", verdict.passed ? "passed" : "failed",
              made->timings_s.size());
  return verdict.passed ? 0 : 1;
}
