// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <vector>

#include "wakuzume/budget.h"

/// Figures of a part of a scene, such as a character that a platform ranks by what it holds.
namespace wakuzume {

/// Of some draws: draws, meshes (nodes that show something), materials, textures, images,
/// texture_megabytes, triangles, vertices_per_draw, triangles_per_draw, skins, joints (that skins
/// name), influences (the most that a vertex has), targets (of all meshes). Not those of views,
/// files and findings, which are of a whole scene.
/// \pre the draws are of the survey, which is of the scene; `images` may be empty
/// \cost O(draws), and O(influences) of what skins deform
std::vector<Figure> make_figures_of(std::span<const DrawId> draws,
                                    const Scene& scene,
                                    const Survey& survey,
                                    std::span<const ImageFacts> images,
                                    const CostProfile& profile);

}  // namespace wakuzume
