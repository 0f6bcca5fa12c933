// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <vector>

#include "texture/uses.h"
#include "wakuzume/views.h"

/// Which mip levels of their textures views look at.
namespace wakuzume {

/// Of each material the deepest level that enough pixels of some view need, for textures of one
/// texel a tile: the logarithm to base two of how many tiles a pixel spans, in the direction in
/// which that is more. Add that of the texture's side. Where no view sees a material, very little.
/// \pre `uses` were measured
/// \cost O(views x draws), in parallel over the views
std::vector<double> find_deepest_levels(const Survey& survey,
                                        const MaterialUses& uses,
                                        std::span<const Viewpoint> views,
                                        const RunControl& run);

}  // namespace wakuzume
