// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/settings.h"

namespace wakuzume {

/// Every setting in one place: calls `visit(table, key, member, meaning)` for each, in file order.
/// Readers, writers and the plan's record all go through this list.
template <class AnySettings, class Visit>
void for_each_setting(AnySettings& settings, Visit&& visit) {
  auto& survey = settings.survey;
  visit("survey", "moving_nodes", survey.moving_nodes,
        "node paths that may move, with all below; globs, * crosses slashes");
  visit("survey", "keep_nodes", survey.keep_nodes,
        "node paths to leave as they are, with all below");
  visit("survey", "collider_nodes", survey.collider_nodes,
        "node paths of invisible physics helpers, with all below");
  visit("survey", "static_key", survey.static_key,
        "a node whose extras hold this key with false may move, with all below");
  visit("survey", "lightmap_key", survey.lightmap_key,
        "key in the extras of a node, mesh, primitive or material that names its lightmap page");
  visit("survey", "tag_key", survey.tag_key,
        "key in a node's extras; draws with different values are never merged");
  auto& propose = settings.propose;
  visit("propose", "min_instances", propose.min_instances,
        "repeats of a mesh primitive become an instance set from this many on; 2 to 1e9");
  visit("propose", "max_vertices", propose.max_vertices,
        "most vertices in a cluster; 65535 fits 16-bit indices; 3 to 4294967294");
  visit("propose", "cell_size_m", propose.cell_size_m,
        "edge of the grid cells in metres, from the world origin; 0: chosen by fewer_draws");
  visit("propose", "fewer_draws", propose.fewer_draws,
        "with cell_size_m = 0: how many times fewer draws to aim for; 1 to 1e6");
  visit("propose", "blended", propose.blended,
        "draws with alpha blending: \"keep\" their own order, or \"merge\" them too");
  auto& verify = settings.verify;
  visit("verify", "position_tolerance", verify.position_tolerance,
        "allowed distance as a share of the result's extent; 0 to 1");
  visit("verify", "direction_tolerance", verify.direction_tolerance,
        "allowed difference of a normal's or tangent's component; 0 to 2");
}

inline const char* to_text(Blended blended) { return blended == Blended::keep ? "keep" : "merge"; }
/// \return false for another word
inline bool from_text(const std::string& text, Blended& out) {
  out = text == "merge" ? Blended::merge : Blended::keep;
  return text == "merge" || text == "keep";
}

}  // namespace wakuzume
