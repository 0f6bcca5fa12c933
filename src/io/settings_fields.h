// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/settings.h"

namespace wakuzume {

/// The settings of what the survey reads and from where it looks.
template <class AnySettings, class Visit>
void for_each_survey_setting(AnySettings& settings, const Visit& visit) {
  auto& survey = settings.survey;
  visit("survey", "moving_nodes", survey.moving_nodes,
        "node paths that may move, with all below; globs, * crosses slashes");
  visit("survey", "keep_nodes", survey.keep_nodes,
        "node paths to leave as they are, with all below");
  visit("survey", "collider_nodes", survey.collider_nodes,
        "node paths of invisible physics helpers, with all below");
  visit("survey", "static_key", survey.static_key,
        "a node whose extras hold this key with false may move, with all below");
  visit("survey", "constant_tracks", survey.constant_tracks,
        "nodes that an animation holds where they stand: \"may_move\" or \"stand_still\"");
  visit("survey", "collider_key", survey.collider_key,
        "a node whose extras hold this key with true is a collider, with all below");
  visit("survey", "lightmap_key", survey.lightmap_key,
        "key in the extras of a node, mesh, primitive or material that names its lightmap page");
  visit("survey", "level_key", survey.level_key,
        "key in a node's extras that says what is loaded together; holds for all below");
  visit("survey", "tag_key", survey.tag_key,
        "key in a node's extras that keeps draws apart at your wish; holds for all below");
  auto& views = settings.views;
  visit("views", "count", views.count,
        "views that are sampled beside the scene's cameras; 0 to 65536");
  visit("views", "seed", views.seed, "another seed stands elsewhere; 0 to 4294967295");
  visit("views", "eye_height_m", views.eye_height_m,
        "height of the eye above the surface it stands on; above 0, to 1e6");
  visit("views", "yfov_deg", views.yfov_deg, "vertical opening of sampled views; 1 to 170");
  visit("views", "aspect", views.aspect,
        "width by height, of cameras without an own too; 0.1 to 10");
  visit("cost", "profile", settings.profile,
        "cost profile: \"pocket\", \"headset\", \"couch\", \"desk\", or the path of a TOML file");
}

/// Where findings begin.
template <class AnySettings, class Visit>
void for_each_finding_setting(AnySettings& settings, const Visit& visit) {
  auto& findings = settings.findings;
  visit("findings", "texels_per_metre", findings.texels_per_metre,
        "texel density that surfaces need; above 0, to 1e6");
  visit("findings", "too_fine_factor", findings.too_fine_factor,
        "an image is too fine from so many times that density on; 1 to 1e6");
  visit("findings", "repeats", findings.repeats,
        "an image that each use repeats so often is a detail image; 1 to 1e9");
  visit("findings", "large_share", findings.large_share,
        "share of the scene's extent that makes a draw too large to cull; above 0, to 1");
  visit("findings", "large_triangles", findings.large_triangles,
        "triangles from which on that matters; 0 to 4294967295");
  visit("findings", "separate_parts", findings.separate_parts,
        "separate parts that make a large draw one merged too coarsely; 2 to 4294967295");
  visit("findings", "far_m", findings.far_m,
        "distance from the origin that is too far; above 0, to 1e12");
  visit("findings", "max_vertices", findings.max_vertices,
        "most vertices of a primitive; 3 to 4294967294");
  visit("findings", "helper_words", findings.helper_words,
        "words in names of nodes, meshes and materials that mark helpers");
}

/// Every setting in one place: calls `visit(table, key, member, meaning)` for each, in file order.
/// Readers, writers and the plan's record all go through this list.
template <class AnySettings, class Visit>
void for_each_setting(AnySettings& settings, const Visit& visit) {
  for_each_survey_setting(settings, visit);
  for_each_finding_setting(settings, visit);
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
inline const char* to_text(ConstantTracks tracks) {
  return tracks == ConstantTracks::may_move ? "may_move" : "stand_still";
}
/// \return false for another word
inline bool from_text(const std::string& text, ConstantTracks& out) {
  out = text == "stand_still" ? ConstantTracks::stand_still : ConstantTracks::may_move;
  return text == "stand_still" || text == "may_move";
}
/// \return false for another word
inline bool from_text(const std::string& text, Blended& out) {
  out = text == "merge" ? Blended::merge : Blended::keep;
  return text == "merge" || text == "keep";
}

}  // namespace wakuzume
