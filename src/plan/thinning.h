// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "wakuzume/geometry.h"

namespace wakuzume {

/// Positions in an order of which any beginning is spread evenly over the whole.
/// \cost O(n log n)
/// \source along a space-filling curve, with the bits of the rank reversed (J. G. van der Corput,
///         1935)
std::vector<std::uint32_t> make_thinning(const std::vector<Vec3d>& places);

}  // namespace wakuzume
