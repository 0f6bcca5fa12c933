// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/build.h"

/// Leaving out materials and pictures that nothing shows any more.
namespace wakuzume {

/// New numbers of the old entries; null handles for those that went.
struct LookNumbers {
  std::vector<MaterialId> materials;
  std::vector<ImageId> images;
};

/// Removes the materials, textures, samplers and images of `built` that something in `origin`
/// refers to and nothing in `built` does.
/// An extension that may name them by number keeps everything in place.
/// \pre the first materials, textures, samplers and images of `built` are those of `origin`
LookNumbers drop_looks(const Scene& origin, Scene& built);

/// The same for what a build made, and of joined lightmaps the pages that nothing is on any more,
/// with the numbers that its ledger then has to tell.
/// \param origin  null: nothing but pages goes
void drop_unshown(const Scene* origin, const LightmapPlan& lightmaps, Built& built);

}  // namespace wakuzume
