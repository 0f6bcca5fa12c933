// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/build.h"

/// Leaving out materials and pictures that nothing shows any more.
namespace wakuzume {

/// What a source was made from.
struct LookOrigins {
  const Scene* origin = nullptr;     ///< before it was repainted; null: it was not
  const Scene* unreduced = nullptr;  ///< before its meshes were reduced; null: they were not
  const SourceSteps& steps;
};

/// Removes the materials, textures, samplers and images that something in the scenes that a source
/// was made from refers to and nothing in `built` does; and of joined lightmaps the pages that
/// nothing is on any more. The ledger gets the numbers that it then has to tell.
/// An extension that may name them by number keeps everything in place.
/// \pre the first materials, textures, samplers and images of `built` are those of these scenes
void drop_unshown(const LookOrigins& from, Built& built);

}  // namespace wakuzume
