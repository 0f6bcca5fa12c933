// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

/// Polygons of kits as triangles.
namespace wakuzume {

/// Cuts a polygon into triangles by its ears (G. H. Meisters, 1975), one with more than 1,000
/// corners into a fan. Corners that cross themselves end in triangles as well.
/// \param corners  in space, at least three
/// \return three positions in `corners` a triangle, corners - 2 triangles
/// \cost O(corners^2) up to 1,000 corners
std::vector<std::uint32_t> cut_polygon(std::span<const std::array<double, 3>> corners);

}  // namespace wakuzume
