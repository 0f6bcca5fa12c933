// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "edit_reduction.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace wakuzume::cli {
namespace {

std::uint64_t count_triangles(const Scene& scene, const Mesh& mesh) {
  std::uint64_t sum = 0;
  for (const Primitive& primitive : mesh.primitives) {
    sum +=
        primitive.mode == PrimitiveMode::triangles ? count_list_indices(scene, primitive) / 3 : 0;
  }
  return sum;
}

/// Triangles of each mesh that a group shows, and how often members show it.
std::map<MeshId, std::uint64_t> count_shown(const Scene& scene, const Group& group) {
  std::map<MeshId, std::uint64_t> shown;
  NodeId last = no_node;
  for (const DrawRef& draw : group.members) {
    if (draw.node != last) {
      last = draw.node;
      ++shown[scene[draw.node].mesh];
    }
  }
  return shown;
}

void put(MeshTarget target, std::uint64_t today, std::vector<MeshTarget>& targets) {
  std::erase_if(targets, [&](const MeshTarget& of) { return of.mesh == target.mesh; });
  if (target.triangles < today) {
    targets.insert(
        std::upper_bound(targets.begin(), targets.end(), target,
                         [](const MeshTarget& a, const MeshTarget& b) { return a.mesh < b.mesh; }),
        target);
  }
}

}  // namespace

Result<ReducePlan> edit_reduction(
    const Scene& before,
    const Plan& plan,
    const std::vector<std::pair<std::string, ReduceSettings>>& wishes) {
  ReducePlan out = plan.reduction;
  for (const auto& [name, wanted] : wishes) {
    const auto group =
        std::find_if(plan.groups.begin(), plan.groups.end(),
                     [&, wish = &name](const Group& of) { return of.name == *wish; });
    if (group == plan.groups.end()) {
      return Failure(Error{
          ErrorCode::bad_setting, fmt::format("--triangles: the plan has no group {}", name), {}});
    }
    const auto shown = count_shown(before, *group);
    std::uint64_t today = 0;
    for (const auto& [mesh, times] : shown) {
      today += times * count_triangles(before, before[mesh]);
    }
    const double share = wanted.triangles > 0
                             ? static_cast<double>(wanted.triangles) /
                                   static_cast<double>(std::max<std::uint64_t>(today, 1))
                             : wanted.share;
    for (const auto& [mesh, times] : shown) {
      const std::uint64_t triangles = count_triangles(before, before[mesh]);
      MeshTarget target;
      target.mesh = mesh;
      target.triangles = static_cast<std::uint64_t>(share * static_cast<double>(triangles));
      put(target, triangles, out.meshes);
    }
  }
  // A copy whose first one stays as it is goes its own way.
  for (MeshTarget& target : out.meshes) {
    const bool first = std::any_of(out.meshes.begin(), out.meshes.end(), [&](const MeshTarget& of) {
      return of.mesh == target.like && of.like == no_mesh;
    });
    if (!first) {
      target.like = no_mesh;
      target.fit = identity_matrix;
    }
  }
  return out;
}

}  // namespace wakuzume::cli
