// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <vector>

#include "wakuzume/job.h"

/// What makes a source of a file's scene, step by step. Each keeps the scene that was there before.
namespace wakuzume {

/// \param uses  learn what the wishes speak of
/// \error as split; plan_mismatch  triangles are lost
Result<Source> split_source(Scene scene,
                            const SplitSettings& settings,
                            const RunControl& run,
                            std::vector<WishUse>& uses);

/// \param codec  to paint normals with; null: their pictures stay without bytes
/// \error as reduce_with_relief, paint_relief
Result<void> reduce_source(Source& source,
                           const ReducePlan& reduction,
                           const PictureCodec* codec,
                           const RunControl& run);

/// \error as join_lightmaps
Result<void> join_source(Source& source, const LightmapPlan& lightmaps, const RunControl& run);

/// \error as repaint
Result<void> repaint_source(Source& source, const RoutePlan& routes, const RunControl& run);

/// All steps of a plan or a ledger. \param codec, uses  as above
Result<Source> make_source_with(Scene scene,
                                const SourceSteps& steps,
                                const PictureCodec* codec,
                                const RunControl& run,
                                std::vector<WishUse>& uses);

/// One of a source's scenes with its painted normals. \param room  for the copy that has them,
/// where there are any
const Scene& show_relief(const Source& source, const Scene& scene, std::optional<Scene>& room);

}  // namespace wakuzume
