// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "drawing.h"

/// The pictures of the glasshouse.
namespace wakuzume::demo {

Canvas draw_stone_slabs();    ///< 512: four slabs with joints
Canvas draw_stone_normals();  ///< 512: tangent-space normals of the same joints
Canvas draw_bricks();         ///< 512
Canvas draw_wood();           ///< 256
Canvas draw_terracotta();     ///< 256
Canvas draw_paint(const Color& color, std::uint32_t seed);  ///< 64: brushed paint
Canvas draw_grass();                                        ///< 1024
Canvas draw_fronds();                                       ///< 256, alpha: a feathered leaf
Canvas draw_broad_leaf();                  ///< 256, alpha: a single blade with veins
Canvas draw_dial();                        ///< 128: a gauge's face
Canvas draw_worn_metal();                  ///< 128: roughness in green, metalness in blue
Canvas draw_sign();                        ///< 1024 x 128: the house's name
Canvas draw_lightmap(std::uint32_t page);  ///< 128: pools of light; four pages are a wing

}  // namespace wakuzume::demo
