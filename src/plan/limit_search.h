// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "plan/mix.h"
#include "wakuzume/propose.h"

/// Limits are on what a forecast says; arrangements are found by means and sums that come near it.
namespace wakuzume {

/// The limit on triangles is on the median view, what an arrangement holds is a mean: looks for the
/// mean growth at which the median just holds.
class GrowthSearch {
 public:
  explicit GrowthSearch(double limit) : allowed_(limit - 1), mean_(allowed_) {}

  /// Times the triangles of today.
  [[nodiscard]] double mean() const { return 1 + mean_; }
  /// \param over  growth of the median at this mean, in parts of what is allowed
  /// \return whether another mean is worth a try
  bool go_on(double over);

 private:
  struct Tried {
    double mean = 0;
    double over = 0;
  };
  static constexpr double near_enough = 0.9;
  double allowed_;
  double mean_;
  Tried held_;
  Tried exceeded_;
};

class LimitSearch {
 public:
  /// Borrows the settings.
  /// \param triangle_us      price of a triangle
  /// \param mean_triangles   of today's mean frame
  LimitSearch(const ProposeSettings& settings,
              const Outcome& today,
              double triangle_us,
              double mean_triangles);

  /// What the next arrangements are to hold.
  [[nodiscard]] MixLimits limits() const;
  /// \return what the forecast takes in parts of the limits, of that which is exceeded most; up to
  /// 1
  ///         all are held
  double judge(const CutTotals& totals, const Outcome& after);
  /// After all arrangements of a round were judged. \return whether another round is worth it
  bool go_on();

 private:
  [[nodiscard]] double find_triangle_excess(const CutTotals& totals, const Outcome& after) const;

  const ProposeSettings& settings_;
  Outcome today_;
  double triangle_us_;
  double mean_triangles_;
  bool limits_triangles_;
  double bytes_;             ///< the limit; infinite: none
  double bytes_beside_ = 0;  ///< stored beside what arrangements count
  GrowthSearch growth_;
  double least_triangles_ = 0;  ///< of this round's excesses
  double least_bytes_ = 0;
  bool any_ = false;
};

}  // namespace wakuzume
