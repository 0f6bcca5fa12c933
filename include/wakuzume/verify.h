// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/build.h"
#include "wakuzume/picture_codec.h"
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
  /// Where materials became shared ones: least signal-to-noise ratio of what draws show, over an
  /// area of two texels of the page. \range [0, 100]
  double look_psnr_db = 30;
};
/// \error bad_setting
Result<void> validate(const VerifySettings& settings);

/// One thing that is wrong, with its place in the source.
struct Mismatch {
  DrawRef draw;  ///< source draw; no_node for something drawn that has no source
  std::string what;
};

/// How well a shared material shows what one of the source showed.
struct LookCheck {
  MaterialId material = no_material;  ///< of the source
  /// Of the worst of its channels, as they are encoded; 100 where all is equal.
  double psnr_db = 100;
  std::uint64_t samples = 0;  ///< places on its draws
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
  std::vector<LookCheck> looks;                   ///< by material; of verify_looks
};

/// \pre check_scene holds for both
/// \error plan_mismatch  the ledger was written for other scenes
/// \cost O(triangles + vertices) of both scenes, parallel over the source draws
Result<Verdict> verify(const Scene& before,
                       const Scene& after,
                       const Ledger& ledger,
                       const VerifySettings& settings = {},
                       const RunControl& run = {});

/// Holds a repainted scene against the one before, material by material: at places strewn over its
/// draws all channels are looked up in both, by what each material says and nothing else, and
/// compared. Adds to the verdict what differs.
/// \param after  repaint(before, ...) with the pictures of its pages as they were written
/// \error bad_image, too_large  of a picture; cancelled
/// \cost decodes each picture once for each material that shows it, side by side
Result<void> verify_looks(const Scene& before,
                          const Scene& after,
                          const PictureCodec& codec,
                          const VerifySettings& settings,
                          Verdict& verdict,
                          const RunControl& run = {});

}  // namespace wakuzume
