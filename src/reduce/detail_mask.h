// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>

#include "wakuzume/reduce.h"

namespace wakuzume {

/// Whether a cell that is fine shows on a triangle, its picture repeated.
/// \param corners  in UVs, transformed
bool covers_detail(const DetailMask& mask, const std::array<Vec2d, 3>& corners);

}  // namespace wakuzume
