// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/routes.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

/// The audit of UVs that were moved onto tiles and layers.
namespace wakuzume {

struct UvMismatch {
  DrawRef draw;
  std::string what;
};

/// Follows every corner of every draw that shows a tile or a layer back to the texel that its route
/// says, and holds that against the one it looked at before. What is rebaked has no such rule.
/// \param after  repaint(before, routes)
/// \return one a primitive, in draw order
/// \error cancelled
/// \cost O(indices) of what changed its material, in parallel
Result<std::vector<UvMismatch>> audit_uvs(const Scene& before,
                                          const Scene& after,
                                          const RoutePlan& routes,
                                          const RunControl& run);

}  // namespace wakuzume
