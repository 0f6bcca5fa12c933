// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "source.h"
#include "wakuzume/verify_views.h"

/// The part of a verdict that takes drawing.
namespace wakuzume::cli {

/// Views that were compared before, and what has changed since.
struct KnownViews {
  std::vector<ViewCheck> views;
  std::vector<DrawRef> changed;  ///< ascending
};

/// Draws source and result from the same views, compares them, and counts their passes. Where
/// nothing can draw, the verdict says so and stays what it was.
/// \param after  whole, with the bytes of its pages
/// \param known  views of which those are taken over that passed and see nothing that has changed
Result<void> compare_views(Command& command,
                           const Scene& before,
                           const Scene& after,
                           const Ledger& ledger,
                           const KnownViews& known,
                           Verdict& verdict,
                           ViewAudience* audience);

/// Holds the result against the budgets of settings and line, if there are any.
Result<void> check_budgets(Command& command, const Scene& after, Verdict& verdict);

/// The views of a verdict as text: the worst first.
std::string print_views(const Verdict& verdict);
/// What was taken back before it passed, or did not; empty where nothing was.
std::string print_mends(const Verdict& verdict);

}  // namespace wakuzume::cli
