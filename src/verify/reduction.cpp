// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "wakuzume/verify.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t most_reduction_samples = 20'000;

/// Every draw of the mesh has its own triangles again.
bool is_all_whole(const Survey& survey, MeshId mesh, const ReducePlan& plan) {
  return std::all_of(survey.draws.begin(), survey.draws.end(), [&](const Draw& draw) {
    return draw.mesh != mesh || std::binary_search(plan.untouched.begin(), plan.untouched.end(),
                                                   DrawRef{draw.node, draw.primitive});
  });
}

/// What a mesh is off by, as it is shown.
ReductionCheck make_check(const Scene& before,
                          const ReducedMesh& mesh,
                          const MeshDeviation& deviation,
                          const ShownSize& size,
                          const ReducePlan& plan) {
  ReductionCheck out;
  out.mesh = mesh.mesh;
  out.name = before[mesh.mesh].name;
  out.draws = mesh.draws;
  out.triangles_before = mesh.triangles_before;
  out.triangles = mesh.triangles;
  out.farthest_m = size.scale * deviation.surface.max_m();
  out.mean_m = size.scale * deviation.surface.mean_m();
  out.farthest_px = out.farthest_m * size.px_per_m;
  out.turned_deg = deviation.turned_deg;
  out.texture = deviation.texture;
  out.color = deviation.color;
  const auto target = std::find_if(plan.meshes.begin(), plan.meshes.end(),
                                   [&](const MeshTarget& of) { return of.mesh == mesh.mesh; });
  out.asked_m = target == plan.meshes.end() ? 0 : size.scale * target->error_m;
  return out;
}

}  // namespace

Result<void> verify_reduction(const Scene& before,
                              const Survey& survey,
                              const Scene& after,
                              std::span<const ReducedMesh> meshes,
                              const ReducePlan& plan,
                              std::span<const Viewpoint> views,
                              Verdict& verdict,
                              const RunControl& run) {
  const auto deviations =
      measure_reduction(before, after, meshes, {.samples = most_reduction_samples}, run);
  if (!deviations) {
    return Failure(deviations.error());
  }
  const std::vector<ShownSize> sizes =
      find_shown_sizes(before, survey, views, plan.settings.height_px);
  for (std::size_t m = 0; m < meshes.size(); ++m) {
    if (!meshes[m].gave() || is_all_whole(survey, meshes[m].mesh, plan)) {
      continue;
    }
    const ReductionCheck& check = verdict.reductions.emplace_back(
        make_check(before, meshes[m], (*deviations)[m], sizes[to_index(meshes[m].mesh)], plan));
    if (!check.passed()) {
      verdict.passed = false;
      ++verdict.mismatch_count;
      const std::string what =
          fmt::format("mesh {} lies {:.3g} m off where it lies farthest, {:.3g} m were allowed",
                      check.name, check.farthest_m, check.asked_m);
      verdict.mismatches.push_back({{no_node, 0}, what});
      for (const Draw& draw : survey.draws) {
        if (draw.mesh == check.mesh) {
          verdict.rejected.push_back(
              {{draw.node, draw.primitive}, draw.material, RejectedFor::shape, what});
        }
      }
    }
  }
  std::stable_sort(verdict.reductions.begin(), verdict.reductions.end(),
                   [](const ReductionCheck& a, const ReductionCheck& b) {
                     return a.farthest_px != b.farthest_px ? a.farthest_px > b.farthest_px
                                                           : a.farthest_m > b.farthest_m;
                   });
  return {};
}

}  // namespace wakuzume
