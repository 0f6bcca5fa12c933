// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "plan/cut.h"
#include "plan/mix.h"
#include "wakuzume/propose.h"

/// From items to an arrangement that keeps within the limits.
namespace wakuzume {

/// Prices of a profile. \param triangles, vertices  of the scene: how many of these come with those
Prices make_prices(const CostProfile& profile,
                   const ProposeSettings& settings,
                   std::size_t views,
                   std::uint64_t triangles,
                   std::uint64_t vertices);

/// \param frusta  that count; empty: everything is always in sight
/// \error cancelled
Result<Trees> make_trees(const Items& items,
                         std::span<const WeighedFrustum> frusta,
                         const Prices& prices,
                         const ProposeSettings& settings,
                         const RunControl& run);

/// Finds arrangements within the limits on triangles and memory. All are borrowed.
class Arranger {
 public:
  Arranger(const Items& items,
           const Trees& trees,
           const ProposeSettings& settings,
           const RunControl& run);

  /// The cheapest first; others may turn out cheaper when their frames are measured.
  /// \error cancelled  between any two cuts
  /// \cost some ten cuts; fewer when asked again
  Result<std::vector<Arrangement>> find(const MixLimits& limits);
  /// From now on. The next arrangements are looked for anew.
  void bar(const Barred& barred) {
    cutter_.bar(barred);
    offers_.clear();
  }
  /// Of a mean frame.
  [[nodiscard]] double triangles_today() const { return triangles_today_; }

 private:
  /// \return false when it was cancelled
  bool add_offer(const CutTerms& terms);
  [[nodiscard]] bool is_offered(const CutTerms& terms) const;
  Result<Mix> search(const MixLimits& limits);
  void add_rivals(const MixLimits& limits, std::vector<Mix>& mixes) const;
  [[nodiscard]] Arrangement take(const Mix& mix);

  const Prices& prices_;
  MixPrices mix_prices_;
  const RunControl& run_;
  Cutter cutter_;
  CutRule rule_;
  std::vector<Offer> offers_;
  double triangles_today_ = 0;
};

}  // namespace wakuzume
