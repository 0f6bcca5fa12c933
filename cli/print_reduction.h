// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>

#include "wakuzume/job.h"
#include "wakuzume/reduce.h"
#include "wakuzume/verify.h"

/// What became of meshes that were reduced.
namespace wakuzume::cli {

/// How many triangles are drawn now, and why not as few as were wanted.
/// \param before, after  totals of the scenes \param source  whose meshes were reduced
std::string tell_triangles(const Totals& before,
                           const Totals& after,
                           const Source& source,
                           const ReduceSettings& wanted);

/// A row a mesh: how far it lies off. \param meshes  to tell why some gave no more; may be empty
std::string print_reductions(std::span<const ReductionCheck> checks,
                             std::size_t most,
                             std::span<const ReducedMesh> meshes,
                             const ReduceSettings& wanted);

}  // namespace wakuzume::cli
