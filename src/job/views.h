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

/// A source and its result. All are borrowed.
struct Compared {
  const Scene& before;
  const Scene& after;  ///< with the bytes of its pages
  const Ledger& ledger;
  /// Views of which those are taken over that passed and see nothing that has changed.
  const KnownViews& known;
};

/// Draws source and result from the same views, compares them, and counts their passes. Where
/// nothing can draw, the verdict says so and stays what it was.
Result<void> compare_views(const Compared& scenes,
                           const Job& job,
                           const JobTools& tools,
                           const RunControl& run,
                           Verdict& verdict);

/// The same of what is deformed, in poses of the animations and with morph targets by themselves.
/// \pre compare_views
Result<void> compare_poses(const Compared& scenes,
                           const Job& job,
                           const JobTools& tools,
                           const RunControl& run,
                           Verdict& verdict);

}  // namespace wakuzume
