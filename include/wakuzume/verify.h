// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/build.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

/// verify: prove that a result still holds everything its source held.
///
/// In: both scenes and the ledger between them. Out: a verdict.
/// The audit decodes both scenes afresh, element by element, and follows each ledger row:
/// 1. every source triangle, line and point is in the result exactly once, wound the same way;
/// 2. positions, normals, UVs, colours, tangents and custom attributes agree within tolerance;
/// 3. the material is the same one; nothing is drawn that no row accounts for.
namespace wakuzume {

struct VerifySettings {
  /// Allowed distance between a source and a result position, as a share of the output
  /// primitive's extent; half a float ulp of the coordinate comes on top. \range [0, 1]
  double position_tolerance = 1e-6;
  /// Allowed difference of a component of a normal or tangent. \range [0, 2]
  double direction_tolerance = 1e-4;
  /// Where an instance shows another's geometry in place of its own: allowed distance as a share of
  /// the diagonal of the draw's box. \range [0, 1]
  double repeat_tolerance = 2e-4;
  /// There too: allowed difference of UVs and colours, and a hundred times that of a direction's
  /// component. \range [0, 1]
  double repeat_attribute_tolerance = 1e-4;
  /// Semantics that may differ there, as FamilySettings has them. \default none
  std::vector<std::string> ignored_attributes{};
};
/// \error bad_setting
Result<void> validate(const VerifySettings& settings);

/// One thing that is wrong, with its place in the source.
struct Mismatch {
  DrawRef draw;  ///< source draw; no_node for something drawn that has no source
  std::string what;
};

struct Verdict {
  bool passed = false;
  Totals before;
  Totals after;
  std::uint64_t triangles_checked = 0;
  std::uint64_t elements_checked = 0;  ///< lines and points
  std::uint64_t mismatch_count = 0;
  std::vector<Mismatch> mismatches;  ///< the first hundred
  double largest_position_error_m = 0;
  /// Source draws that another's geometry stands for, vertex by vertex within the tolerance.
  std::uint64_t fitted_draws = 0;
  std::array<std::uint64_t, fate_count> fates{};  ///< source draws, indexed by Fate
};

/// \pre check_scene holds for both
/// \error plan_mismatch  the ledger was written for other scenes
/// \cost O(triangles + vertices) of both scenes, parallel over the source draws
Result<Verdict> verify(const Scene& before,
                       const Scene& after,
                       const Ledger& ledger,
                       const VerifySettings& settings = {},
                       const RunControl& run = {});

}  // namespace wakuzume
