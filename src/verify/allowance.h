// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cmath>
#include <numbers>
#include <string_view>

#include "scene/semantics.h"
#include "wakuzume/quantise.h"

namespace wakuzume {

/// By how much more than by rounding a result may be off, as its vertex data was quantised.
struct Allowance {
  double position_m = 0;
  double direction = 0;  ///< of a component of a unit vector
  double uv = 0;
  double color = 0;

  [[nodiscard]] double find(std::string_view semantic) const {
    return find_uv_number(semantic) ? uv : is_color(semantic) ? color : 0;
  }
};

inline Allowance find_allowance(const GeometrySettings& geometry) {
  if (geometry.form == GeometryForm::plain) {
    return {};
  }
  const double turn = geometry.direction_error_deg * std::numbers::pi / 180;
  return {geometry.position_error_m, 2 * std::sin(turn / 2),
          geometry.uv_error_texels / widest_texture_px, geometry.color_error};
}

}  // namespace wakuzume
