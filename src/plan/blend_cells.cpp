// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/blend_cells.h"

#include <algorithm>
#include <cmath>

#include "order/draw_triangles.h"
#include "plan/blends.h"
#include "scene/matrix.h"

namespace wakuzume {

bool are_cells(const SortedThing& a, const SortedThing& b, double precision_m) {
  Vec3d towards{};
  Vec3d back{};
  double length = 0;
  double middle = 0;
  for (std::size_t c = 0; c < 3; ++c) {
    towards[c] = b.point[c] - a.point[c];
    back[c] = -towards[c];
    length += towards[c] * towards[c];
    middle += towards[c] * (a.point[c] + b.point[c]) / 2;
  }
  const double allowed = precision_m * std::sqrt(length);
  return length > precision_m * precision_m && find_reach(a.box, towards) <= middle + allowed &&
         find_reach(b.box, back) <= -middle + allowed;
}

SortedThing find_sorted_thing(const Scene& scene,
                              const Survey& survey,
                              std::span<const Mat4d> world,
                              SortAt at,
                              const Group& group) {
  SortedThing out;
  for (const DrawId id : find_draws(survey, group.members)) {
    const Draw& draw = survey[id];
    out.box.include(group.kind == GroupKind::cluster ? find_tight_box(scene, draw, world)
                                                     : draw.box);
  }
  out.point = at == SortAt::origin || out.box.empty() ? group.pivot : out.box.centre();
  return out;
}

std::vector<bool> find_cells(const Scene& scene,
                             const Survey& survey,
                             std::span<const Mat4d> world,
                             SortAt at,
                             const Plan& plan) {
  std::vector<bool> out(plan.groups.size(), false);
  const double precision_m = find_order_precision(survey);
  const std::vector<Vec3d> points = find_sorting_points(survey, world, at);
  std::vector<SortedThing> things;
  std::vector<std::size_t> groups;  // of the first things
  std::vector<bool> grouped(survey.draws.size(), false);
  for (std::size_t g = 0; g < plan.groups.size(); ++g) {
    const Group& group = plan.groups[g];
    const std::vector<DrawId> draws = find_draws(survey, group.members);
    if (!survey[draws.front()].blended) {
      continue;
    }
    for (const DrawId id : draws) {
      grouped[to_index(id)] = true;
    }
    things.push_back(find_sorted_thing(scene, survey, world, at, group));
    groups.push_back(g);
  }
  for (std::size_t d = 0; d < survey.draws.size(); ++d) {
    if (survey.draws[d].blended && !grouped[d]) {
      things.push_back({survey.draws[d].box, points[d]});
    }
  }
  for (std::size_t i = 0; i < groups.size(); ++i) {
    out[groups[i]] = std::all_of(things.begin(), things.end(), [&](const SortedThing& other) {
      return &other == &things[i] || are_cells(things[i], other, precision_m);
    });
  }
  return out;
}

}  // namespace wakuzume
