// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/job.h"

/// The part of a proof that takes drawing.
namespace wakuzume {

/// Views that were compared before, and what has changed since.
struct KnownViews {
  std::vector<ViewCheck> views;
  std::vector<DrawRef> changed;  ///< ascending
};

/// Draws source and result from the same views, compares them, and counts their passes. Where
/// nothing can draw, the verdict says so and stays what it was.
/// \param after  with the bytes of its pages
/// \param known  views of which those are taken over that passed and see nothing that has changed
Result<void> compare_views(const Scene& before,
                           const Scene& after,
                           const Ledger& ledger,
                           const KnownViews& known,
                           Verdict& verdict,
                           const Job& job,
                           const JobTools& tools,
                           const RunControl& run);

}  // namespace wakuzume
