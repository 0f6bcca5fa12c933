// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>

#include "scene_maker.h"

namespace wakuzume::demo {

/// What the glasshouse is made of.
struct Materials {
  MaterialId slabs, worn_slabs, bricks, wood, terracotta, grass, sign;
  MaterialId iron_green, iron_white, iron_black;
  MaterialId glass, copper, brass, red_paint, dial, lamp_shade, bulb;
  MaterialId fronds, broad_leaf, trap_flesh, trap_skin;
  MaterialId gardener_eyes, gardener_hair, gardener_shirt, gardener_denim, gardener_boots,
      gardener_straw;
  std::array<MaterialId, 2> gardener_skin;  ///< equal by value: two kits, two names
  std::array<MaterialId, 3> glazes;
  /// One a species: eight names, three values. Somebody copied the material for each plate.
  std::array<MaterialId, 8> plates;
};

Materials make_materials(SceneMaker& maker);

}  // namespace wakuzume::demo
