// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

namespace wakuzume {

/// Vertices that a GPU shades for a triangle that a scene draws; 0 where it draws none.
/// \cost O(indices) of each primitive that is shown, in parallel
double find_shaded_per_triangle(const Scene& scene, const RunControl& run);

}  // namespace wakuzume
