// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "wakuzume/geometry.h"
#include "wakuzume/picture.h"

/// Colours of pictures.
namespace wakuzume {

inline constexpr Color nothing_color{24, 27, 31};       ///< where nothing is
inline constexpr Color unclassed_color{128, 130, 134};  ///< what is in no class

/// The n-th of colours that are as far apart as can be; they come again after the last.
Color make_class_color(std::size_t n);

/// A colour a box: those that overlap it and are much larger, and those nearest to it, have others
/// that are easy to tell from it. Depends on the boxes alone. Beyond 50,000 boxes colours are
/// spread by number. \cost O(n log n)
std::vector<Color> make_neighbour_colors(std::span<const Box3d> boxes);

/// From little to much: dark blue, green, yellow, red. \param share  clamped to [0, 1]
Color make_heat_color(double share);

/// Darker, in linear light.
Color make_dimmed(const Color& color, double factor);

}  // namespace wakuzume
