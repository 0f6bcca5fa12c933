// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>

#include "wakuzume/job.h"

/// Steps of preparing a source that a job goes again after its proof rejected something.
namespace wakuzume {

/// Repaints a source that is surveyed by what settings say of its materials, and surveys what comes
/// of it. Measures its images where they are not yet.
Result<void> share_materials(Prepared& prepared,
                             const MaterialSettings& settings,
                             const Job& job,
                             const JobTools& tools,
                             const RunControl& run,
                             std::span<const MaterialTakenBack> taken_back);

/// The same once more, without what was taken back. \pre materials are shared
Result<void> share_again(Prepared& prepared,
                         std::span<const MaterialTakenBack> taken_back,
                         const Job& job,
                         const JobTools& tools,
                         const RunControl& run);

/// All from the reduction on once more, with draws that get the triangles back that they had.
/// \pre meshes are reduced \param whole  ascending
Result<void> reduce_again(Prepared& prepared,
                          std::span<const DrawRef> whole,
                          std::span<const MaterialTakenBack> taken_back,
                          const Job& job,
                          const JobTools& tools,
                          const RunControl& run);

/// Draws of a list with others. \param a, b  ascending, as what comes back
std::vector<DrawRef> unite(std::span<const DrawRef> a, std::span<const DrawRef> b);

/// A plan without what was taken back, with the split and the routes of its source.
Result<Plan> propose_without(std::span<const TakenBack> taken,
                             const Prepared& source,
                             const Job& job,
                             const RunControl& run);

/// Sizes of images, for what plans are measured by.
Result<void> measure_outlook(Prepared& prepared, const JobTools& tools, const RunControl& run);

}  // namespace wakuzume
