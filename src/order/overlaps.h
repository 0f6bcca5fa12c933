// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/survey.h"
#include "wakuzume/views.h"

/// Which blended draws lie behind which, as views see them.
namespace wakuzume {

/// Somewhere in a view a layer of one draw lies behind one of another.
struct Overlap {
  std::uint32_t behind = 0;  ///< draws, by position in the survey
  std::uint32_t before = 0;
  std::uint32_t pixels = 0;
  /// They lie in one place: what shows is the one that is drawn last, whichever that is.
  bool tied = false;
  auto operator<=>(const Overlap&) const = default;
};

/// By view: the pairs, ascending, without layers that opaque surfaces hide. Of draws that look
/// alike in any order none is told. Skins and morph targets stand as they are stored.
/// \error cancelled
/// \cost a picture a view of what is blended, and where several draws of it overlap, of the rest;
/// in parallel over the views
Result<std::vector<std::vector<Overlap>>> find_overlaps(const Scene& scene,
                                                        const Survey& survey,
                                                        std::span<const Mat4d> world,
                                                        std::span<const Viewpoint> views,
                                                        const RunControl& run);

}  // namespace wakuzume
