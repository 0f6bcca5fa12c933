// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>

#include "wakuzume/packing.h"

/// Rectangles in rows, as they are listed: a page that people can find their way on.
namespace wakuzume {

/// Of some widths that one is taken which gives the fewest pages, and of those the smallest.
/// \pre each rectangle fits a page \param most  longest side of a page, steps of the grid
/// \cost O(n) for each of 64 widths
Packing pack_rows(std::span<const RectSize> sizes,
                  std::uint32_t most,
                  const PackSettings& settings);

}  // namespace wakuzume
