// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/shaded.h"

#include <map>

#include "scene/running.h"
#include "survey/draws.h"
#include "wakuzume/shading_order.h"

namespace wakuzume {

double find_shaded_per_triangle(const Scene& scene, const RunControl& run) {
  struct Shown {
    const Primitive* primitive = nullptr;
    std::uint64_t times = 0;
    std::uint64_t triangles = 0;
    std::uint64_t shaded = 0;
  };
  std::vector<Shown> shown;
  std::map<std::pair<MeshId, std::uint32_t>, std::size_t> known;
  for (const DrawRef& draw : make_draw_list(scene)) {
    const Node& node = scene[draw.node];
    const Primitive& primitive = primitive_of(scene, draw);
    if (find_topology(primitive.mode) != Topology::triangles) {
      continue;
    }
    const auto [slot, added] = known.try_emplace({node.mesh, draw.primitive}, shown.size());
    if (added) {
      shown.push_back({&primitive});
    }
    shown[slot->second].times += count_instances(scene, node);
  }
  for_each_index(shown.size(), run, "counting", [&](std::size_t s) {
    Shown& of = shown[s];
    const std::vector<std::uint32_t> list = make_list_indices(scene, *of.primitive);
    of.triangles = list.size() / 3;
    of.shaded =
        count_shaded(list, static_cast<std::uint32_t>(count_vertices(scene, *of.primitive)));
  });
  double triangles = 0;
  double shaded = 0;
  for (const Shown& of : shown) {
    triangles += static_cast<double>(of.times * of.triangles);
    shaded += static_cast<double>(of.times * of.shaded);
  }
  return triangles > 0 ? shaded / triangles : 0;
}

}  // namespace wakuzume
