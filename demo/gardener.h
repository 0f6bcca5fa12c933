// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "materials.h"
#include "scene_maker.h"

/// What moves in the glasshouse by itself: somebody who waters, and the crank of the vents.
namespace wakuzume::demo {

/// A figure as exporters write it: a skinned mesh a part, each with a skin of its own on one
/// skeleton, some in other units; a face and eyes with morph targets; hat, can, buckles and trowel
/// on joints.
void add_gardener(SceneMaker& maker, const Materials& materials, NodeId parent, const Trs& trs);

/// A wheel with a grip that turns against it, and a gear that turns as the wheel does.
void add_crank(SceneMaker& maker, const Materials& materials, NodeId parent, const Trs& trs);

}  // namespace wakuzume::demo
