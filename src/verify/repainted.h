// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <set>
#include <tuple>

#include "survey/draws.h"

namespace wakuzume {

/// Calls `visit(draw, before, after)` with the primitives of each draw that shows another material
/// than before, once for all draws that show the same ones, in draw order.
/// \pre nodes of `after` have the numbers of `before`
template <class Visit>
void for_each_repainted(const Scene& before, const Scene& after, const Visit& visit) {
  std::set<std::tuple<MeshId, MeshId, std::uint32_t>> seen;
  for (const DrawRef& draw : make_draw_list(before)) {
    const MeshId from = before[draw.node].mesh;
    const MeshId to = after[draw.node].mesh;
    if (from == to || !seen.emplace(from, to, draw.primitive).second) {
      continue;
    }
    const Primitive& a = before[from].primitives[draw.primitive];
    const Primitive& b = after[to].primitives[draw.primitive];
    if (a.material != b.material) {
      visit(draw, a, b);
    }
  }
}

}  // namespace wakuzume
