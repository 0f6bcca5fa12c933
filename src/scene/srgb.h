// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>

/// Colours as they are stored and as light adds up. \source IEC 61966-2-1
namespace wakuzume {

/// Both from 0 to 1.
double to_linear(double srgb);
double to_srgb(double linear);

/// Linear light of an 8-bit sRGB value, by a table.
const std::array<float, 256>& srgb_to_linear();
/// And back, by a table of 65,536 steps. Clamped.
std::uint8_t linear_to_srgb(float value);
/// Without the curve: from 0 to 1, clamped.
std::uint8_t to_byte(float value);

}  // namespace wakuzume
