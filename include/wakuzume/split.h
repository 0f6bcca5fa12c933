// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/ids.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

/// split: take meshes that are too large to cull to pieces.
///
/// In: a scene and which nodes. Out: a scene to survey and plan in place of the first, in which
/// each such node has its pieces as children.
/// 1. Every triangle of a split draw is in exactly one piece; none is cut through.
/// 2. The node keeps its name, extras, transform and children; its pieces are named after it.
/// 3. Pieces show the vertices of the mesh they come from: no vertex is copied or changed.
/// 4. Same scene, same settings: the same scene out, so the source is all that has to be kept.
namespace wakuzume {

enum class SplitBy : std::uint8_t {
  parts,  ///< triangles that hang together by the places of their corners
  cells   ///< by the cell of a grid, from the world origin, that a triangle's centre is in
};

struct SplitSettings {
  /// Nodes whose own mesh is split: wishes of wakuzume/wishes.h. \default none
  std::vector<std::string> nodes{};
  /// Those with terms that have been asked before. Others are asked of a survey by its own rules.
  std::vector<WishAnswer> answers{};
  SplitBy by = SplitBy::parts;
  /// Edge of the cells, metres. \range above 0, to 1e9
  double cell_size_m = 16;
  bool operator==(const SplitSettings&) const = default;
};
/// \error bad_setting  names the member and its range
Result<void> validate(const SplitSettings& settings);

/// What one draw of the source became.
struct SplitRow {
  NodeId node = no_node;  ///< the same in both scenes
  std::uint32_t primitive = 0;
  std::vector<NodeId> pieces;  ///< children of the node; each shows one primitive
};

struct Split {
  Scene scene;
  std::vector<SplitRow> rows;        ///< by node and primitive
  std::vector<std::string> left_as;  ///< nodes that match and stay whole, and why
  std::vector<WishUse> wishes;       ///< one a wish
};

/// Without nodes in the settings the scene comes back as it is.
/// \pre check_scene(scene)
/// \error bad_setting  of the settings
/// \error too_large    more than 16,777,216 pieces
/// \error cancelled
/// \cost O(nodes x globs) and O(triangles log triangles) of what is split, parallel over the draws
Result<Split> split(const Scene& scene, const SplitSettings& settings, const RunControl& run = {});

/// The index data alone, held against each other: true when each row's pieces together draw each
/// triangle of their source once, wound the same way, on the same streams with the same material.
/// \cost O(triangles log triangles)
bool is_whole(const Scene& source, const Split& split);

}  // namespace wakuzume
