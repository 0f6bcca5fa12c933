// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/limit_search.h"

#include <algorithm>
#include <limits>

namespace wakuzume {
namespace {

constexpr double no_limit = std::numeric_limits<double>::infinity();

}  // namespace

bool GrowthSearch::go_on(double over) {
  const Tried last = exceeded_;
  (over <= 1 ? held_ : exceeded_) = {mean_, over};
  const double width = exceeded_.mean - held_.mean;
  if (over <= 1 && (exceeded_.over == 0 || over > near_enough || width < 0.05 * allowed_)) {
    return false;
  }
  // On a line through two means: one on each side if there are, else the last that exceeded it,
  // and then further than to where it crosses the limit.
  const bool known = held_.mean > 0 || last.over <= exceeded_.over;
  const Tried& other = known ? held_ : last;
  const double across = (exceeded_.mean - other.mean) / (exceeded_.over - other.over);
  const double aim = held_.mean > 0 ? 0.97 : 0.85;
  mean_ = std::clamp(exceeded_.mean + across * (aim - exceeded_.over), held_.mean + 0.1 * width,
                     exceeded_.mean - 0.1 * width);
  return exceeded_.mean > 0;
}

LimitSearch::LimitSearch(const ProposeSettings& settings,
                         const Outcome& today,
                         double triangle_us,
                         double mean_triangles)
    : settings_(settings),
      today_(today),
      triangle_us_(triangle_us),
      mean_triangles_(mean_triangles),
      // Cells are what was asked for, however many triangles they submit.
      limits_triangles_(settings.triangle_growth > 0 && settings.cell_size_m <= 0),
      bytes_(settings.memory_growth > 0
                 ? std::max(settings.memory_growth * static_cast<double>(today.bytes),
                            settings.few_megabytes * 1e6)
                 : no_limit),
      growth_(settings.triangle_growth) {}

MixLimits LimitSearch::limits() const {
  MixLimits out{no_limit, bytes_ - bytes_beside_};
  if (limits_triangles_) {
    out.triangles = std::max(growth_.mean() * mean_triangles_,
                             settings_.few_triangles_ms * 1000 / triangle_us_);
  }
  return out;
}

/// Triangles of the median view on top of today's, in parts of what the limit allows; none where
/// they do not matter.
double LimitSearch::find_triangle_excess(const CutTotals& totals, const Outcome& after) const {
  if (!limits_triangles_ || totals.gpu_us <= settings_.few_triangles_ms * 1000) {
    return 0;
  }
  const double today = today_.view_triangles.median;
  const double over = after.view_triangles.median - today;
  return over / std::max((settings_.triangle_growth - 1) * today, 1e-3 * today);
}

double LimitSearch::judge(const CutTotals& totals, const Outcome& after) {
  const double triangles = find_triangle_excess(totals, after);
  const double bytes = static_cast<double>(after.bytes) / bytes_;
  if (!any_ || bytes < least_bytes_) {
    // Shapes that only some of their draws leave are stored all the same.
    bytes_beside_ = static_cast<double>(after.bytes) - totals.bytes;
  }
  least_triangles_ = any_ ? std::min(least_triangles_, triangles) : triangles;
  least_bytes_ = any_ ? std::min(least_bytes_, bytes) : bytes;
  any_ = true;
  return std::max(triangles, bytes);
}

bool LimitSearch::go_on() {
  any_ = false;
  const bool triangles = limits_triangles_ && growth_.go_on(least_triangles_);
  return triangles || least_bytes_ > 1;
}

}  // namespace wakuzume
