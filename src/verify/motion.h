// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/verify.h"

/// Source and result in motion: every corner of what is deformed, or hangs on what became a joint,
/// where both scenes put it.
namespace wakuzume {

/// A place that is wrong, or the farthest off.
struct MotionFinding {
  DrawRef draw;
  std::string what;  ///< empty: nothing is wrong
};

struct MotionAudit {
  std::uint32_t poses = 0;
  std::uint64_t places = 0;  ///< corners held against each other, over all poses
  double largest_error_m = 0;
  std::vector<MotionFinding> findings;  ///< by row of the ledger
};

/// Moments of every animation, and each morph target of a result by itself at 1.
/// \param vertices  by row: pairs of vertices, of the source and of the result; empty: not looked
/// at \error cancelled \cost the poses times the vertices and their influences, in parallel over
/// rows
Result<MotionAudit> audit_motion(
    const Scene& before,
    const Scene& after,
    const Ledger& ledger,
    const std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>>& vertices,
    const VerifySettings& settings,
    const RunControl& run);

/// The row's result is deformed, and not as a whole.
bool is_in_motion(const Scene& before, const Scene& after, const LedgerRow& row);

}  // namespace wakuzume
