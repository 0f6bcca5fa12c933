// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/surface.h"

/// deviation: how far two surfaces lie apart, and how much what they carry differs.
///
/// In: two surfaces with the same traits. Out: distances from points all over the one to the
/// nearest of the other, and back.
/// 1. Distances are exact for the points that are looked at: all vertices, and places spread
///    evenly over the triangles. What lies between is not looked at.
/// 2. Same input: same output, for any number of threads.
namespace wakuzume {

struct DeviationSettings {
  /// Places that are looked at on each surface, beside its vertices. \range [0, 1e8]
  std::uint32_t samples = 100'000;
};

/// Of a surface from another.
struct Distances {
  double max_m = 0;
  double mean_m = 0;           ///< over the area
  std::vector<double> traits;  ///< means over the area: degrees of a direction, distances of others
  std::vector<double> traits_max;
};

struct Deviation {
  Distances there;  ///< of the first surface's points from the second
  Distances back;

  [[nodiscard]] double max_m() const { return there.max_m > back.max_m ? there.max_m : back.max_m; }
  [[nodiscard]] double mean_m() const { return (there.mean_m + back.mean_m) / 2; }
  [[nodiscard]] double trait(std::size_t t) const { return (there.traits[t] + back.traits[t]) / 2; }
};

/// \pre both have the same traits; neither is empty
/// \error cancelled
/// \cost O(log triangles) for each place, in parallel
Result<Deviation> measure_deviation(const Surface& first,
                                    const Surface& second,
                                    const DeviationSettings& settings = {},
                                    const RunControl& run = {});

}  // namespace wakuzume
