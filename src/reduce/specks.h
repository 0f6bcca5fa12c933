// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/surface.h"

namespace wakuzume {

/// Takes separate parts away as a whole, the smallest first, until as few triangles are left as
/// were wanted. What has a held vertex stays. \cost O(n log n)
void drop_specks(const Surface& surface, const SurfaceTarget& target, ReducedSurface& reduced);

}  // namespace wakuzume
