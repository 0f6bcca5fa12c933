// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/build.h"
#include "wakuzume/bytes.h"
#include "wakuzume/job.h"
#include "wakuzume/repaint.h"

/// Painted pages on their way from one scene to another.
namespace wakuzume {

/// \pre one entry a picture of the pages, in their order, as take_pages gives them
void give_pages(const PageImages& images, const std::vector<Bytes>& bytes, Scene& scene);

/// Painted normals to where a result still has them. \param images  of the result
void give_relief(const Source& source, const PageImages& images, Scene& built);

/// Quantises a result and its assets as its ledger says, and gives it the hash of what came of it.
/// \pre its pages have no bytes
/// \error cancelled
Result<void> store_geometry(Built& built, const RunControl& run);

/// Pictures of joined lightmap pages to where a result has them.
/// \return those that are files
std::vector<LightmapFile> give_lightmaps(const LightmapPlan& plan,
                                         const Ledger& ledger,
                                         std::vector<Bytes> pictures,
                                         Scene& built);

}  // namespace wakuzume
