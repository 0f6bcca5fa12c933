// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "plan/cut.h"
#include "wakuzume/propose.h"

/// From items to an arrangement that keeps within the limits.
namespace wakuzume {

/// Items with their trees, and what was decided.
struct Arranged {
  Forest by_key;
  Forest by_repeat;
  Prices prices;
  Arrangement arrangement;
  /// Others within the limits that may turn out cheaper when their frames are measured.
  std::vector<Arrangement> alternatives;
};

/// Prices of a profile. \param triangles, vertices  of the scene: how many of these come with those
Prices make_prices(const CostProfile& profile,
                   std::size_t views,
                   std::uint64_t triangles,
                   std::uint64_t vertices);

/// \param frusta  that count; empty: everything is always in sight
/// \param growth  times the triangles of today; 0: any number
/// \error cancelled
Result<Arranged> arrange(const Items& items,
                         std::span<const WeighedFrustum> frusta,
                         const Prices& prices,
                         const ProposeSettings& settings,
                         const RunControl& run);
/// Once more, with another limit on the triangles of a mean frame.
void arrange_again(const Items& items,
                   const ProposeSettings& settings,
                   double growth,
                   Arranged& out,
                   const RunControl& run);

}  // namespace wakuzume
