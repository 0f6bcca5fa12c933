// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <vector>

#include "texture/uses.h"
#include "wakuzume/packing.h"
#include "wakuzume/views.h"

/// Which mip levels of their textures views look at.
namespace wakuzume {

/// The deepest mip levels that views look at, of one material.
struct SeenLevels {
  /// That some pixels of a view need, so many that a hole or its edge could be told.
  double by_some = lowest_level;
  /// That a patch of some twenty pixels a side needs.
  double by_many = lowest_level;
  static constexpr double lowest_level = -24;  ///< where no view sees it
};

/// By material. A level is the logarithm to base two of the texels that a pixel spans, in the
/// direction in which they are more.
/// \param sizes  of the materials' textures, by material; 0 x 0: it has none
/// \pre `uses` were measured
/// \cost O(views x draws), in parallel over the views
std::vector<SeenLevels> find_seen_levels(const Survey& survey,
                                         const MaterialUses& uses,
                                         std::span<const RectSize> sizes,
                                         std::span<const Viewpoint> views,
                                         const RunControl& run);

}  // namespace wakuzume
