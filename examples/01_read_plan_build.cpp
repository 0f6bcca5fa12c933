// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
//
// EXAMPLE: 01_read_plan_build SCENE RESULT
// SHOWS: reading a scene, planning, adjusting the plan by hand, building, proving, writing.
// READ FIRST: nothing.

#include <algorithm>
#include <cstdio>
#include <string>

#include "wakuzume/wakuzume.h"

namespace {

int fail(const wakuzume::Error& error) {
  std::fprintf(stderr, "%s\n", to_string(error).c_str());
  return 1;
}

/// Takes every draw below a node out of its group, so that it stays as it is.
void keep_below(const wakuzume::Scene& scene, wakuzume::Plan& plan, const std::string& path) {
  for (wakuzume::Group& group : plan.groups) {
    std::erase_if(group.members, [&](const wakuzume::DrawRef& draw) {
      const bool below = make_node_path(scene, draw.node).starts_with(path + "/");
      if (below) {
        plan.kept.push_back({draw, wakuzume::KeepReason::must_stay, wakuzume::StayRule::excluded});
      }
      return below;
    });
  }
  std::erase_if(plan.groups, [](const wakuzume::Group& group) { return group.members.empty(); });
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 3) {
    std::fprintf(stderr, "usage: 01_read_plan_build SCENE RESULT\n");
    return 2;
  }
  const auto scene = wakuzume::read_scene(argv[1]);
  if (!scene) {
    return fail(scene.error());
  }
  const auto survey = wakuzume::survey(*scene);
  if (!survey) {
    return fail(survey.error());
  }
  auto plan = wakuzume::propose(*scene, *survey, {.min_instances = 12});
  if (!plan) {
    return fail(plan.error());
  }
  // Somebody still works on this bench: it stays a bench of separate parts.
  keep_below(*scene, *plan, "/glasshouse/wing_east/bench_0_north");

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
                  [](const auto& kept) { return kept.rule == wakuzume::StayRule::excluded; })),
              verdict->passed ? "passed" : "failed");
  return verdict->passed ? 0 : 1;
}
