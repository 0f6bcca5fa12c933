// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cmath>

namespace wakuzume {

/// The exponent of a highlight as roughness: sqrt(2 / (exponent + 2)) is its square.
/// \param shininess  below 0: not given, fully rough
/// \source B. Karis, Specular BRDF Reference, 2013
inline double find_roughness(double shininess) {
  return shininess < 0 ? 1 : std::min(1.0, std::pow(2 / (shininess + 2), 0.25));
}

}  // namespace wakuzume
