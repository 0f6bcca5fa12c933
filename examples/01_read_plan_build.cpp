// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// EXAMPLE: 01_read_plan_build SCENE RESULT
// SHOWS: reading a scene, planning, adjusting the plan by hand, building, proving, writing.
// READ FIRST: nothing.

#include <algorithm>
#include <cstdio>
#include <string>

#include "example.h"
#include "wakuzume/wakuzume.h"

int main(int argc, char** argv) {
  if (argc != 3) {
    return fail_usage("01_read_plan_build SCENE RESULT");
  }
  const auto scene = wakuzume::read_scene(argv[1]);
  if (!scene) {
    return fail(scene.error());
  }
  const auto survey = wakuzume::survey(*scene);
  if (!survey) {
    return fail(survey.error());
  }
  // Merging is weighed by what frames cost, from these views and at these prices.
  const auto views = wakuzume::make_views(*scene, *survey);
  const auto profile = wakuzume::read_cost_profile("desk");
  if (!views || !profile) {
    return fail(views ? profile.error() : views.error());
  }
  const wakuzume::Outlook outlook{*views, *profile};
  const auto proposed = wakuzume::propose(*scene, *survey, {}, outlook);
  if (!proposed) {
    return fail(proposed.error());
  }
  // Somebody still works on this bench: it stays a bench of separate parts.
  const wakuzume::Edit keep{.kind = wakuzume::EditKind::keep,
                            .nodes = "/glasshouse/wing_east/bench_0_north/*"};
  const auto plan = wakuzume::edit_plan(*scene, *survey, *proposed, {&keep, 1}, outlook);
  if (!plan) {
    return fail(plan.error());
  }

  const auto built = wakuzume::build(*scene, *plan);
  if (!built) {
    return fail(built.error());
  }
  const auto verdict = wakuzume::verify(*scene, built->scene, built->ledger);
  if (!verdict) {
    return fail(verdict.error());
  }
  if (const auto written = wakuzume::write_scene(built->scene, argv[2], {argv[1]}); !written) {
    return fail(written.error());
  }
  std::printf("%llu draws became %llu; the bench kept %zu parts; proof %s\n",
              static_cast<unsigned long long>(verdict->before.draws),
              static_cast<unsigned long long>(verdict->after.draws),
              static_cast<std::size_t>(std::count_if(
                  plan->kept.begin(), plan->kept.end(),
                  [](const auto& kept) { return kept.reason == wakuzume::KeepReason::by_hand; })),
              verdict->passed ? "passed" : "failed");
  return verdict->passed ? 0 : 1;
}
