// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "plan/keys.h"
#include "wakuzume/families.h"
#include "wakuzume/order.h"

/// What arranging draws into items and assemblies needs to know of them.
namespace wakuzume {

/// What the draws of a shape take in a result.
struct ShapeSize {
  std::uint64_t vertices = 0;  ///< the most one can add to a cluster
  double bytes = 0;            ///< of those and their indices
  std::uint32_t uses = 0;      ///< draws that show it
  DrawId first = no_draw;      ///< of these
};
/// One a shape of the survey. \cost O(shapes + draws)
std::vector<ShapeSize> make_shape_sizes(const Scene& scene, const Survey& survey);

/// All borrowed.
struct ItemInput {
  const Scene& scene;
  const Survey& survey;
  const PlanKeys& keys;
  const Families& families;
  const std::vector<Mat4d>& world;
  const std::vector<ShapeSize>& sizes;
  const std::vector<DrawId>& draws;  ///< free to be planned, ascending
  const std::vector<bool>& itself;   ///< by draw: shown by its own geometry and no other's
  const ProposeSettings& settings;
  const CostProfile& profile;
  const BlendSight& sight;
};

/// World placement of a draw's family prototype: the draw's node, then its fit.
Mat4d make_placement(const ItemInput& input, DrawId draw);

}  // namespace wakuzume
