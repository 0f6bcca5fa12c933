// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>
#include <vector>

#include "report/palette.h"
#include "wakuzume/picture.h"

/// Shots in colours: of classes, of what was measured, of triangles.
namespace wakuzume {

/// Times as many pixels along each side as a picture has: shots are made finer and averaged.
inline constexpr std::uint32_t fineness = 2;

/// A measured number as a share of the ramp, and what its ends say.
struct Heat {
  double low = 0;
  double high = 1;  ///< both in powers of two
  const char* unit = "";
  std::vector<double> ticks;

  [[nodiscard]] double share(double value) const {
    return (std::log2(std::max(value, 1e-9)) - low) / (high - low);
  }
};

/// Of what is measured; nothing for what is not.
std::optional<Heat> find_heat(Showing showing);
inline constexpr Color right_order_color{72, 148, 92};
inline constexpr Color wrong_order_color{226, 74, 51};
/// Few pixels a triangle are many triangles: there the ramp runs the other way.
Color find_heat_color(Showing showing, const Heat& heat, double value);

/// \param p  counts pixels, not bytes
void put(Pixels& on, std::size_t p, const Color& color);
Pixels make_pixels(std::uint32_t width_px, std::uint32_t height_px, const Color& color);

/// By the shot's values. \pre it was measured with what is shown
Pixels paint_measured(const Shot& shot, Showing showing, const DrawClasses& classes);
/// By how many pixels each triangle covers, here and now.
Pixels paint_triangles(const Shot& shot);
/// How many blended layers pixels show, or where their order is not the true one; all else dim.
/// \pre a shot with Layers::sorted
Pixels paint_layers(const Shot& shot, Showing showing);
/// Edges of triangles over its picture.
Pixels paint_wire(const Shot& shot);

}  // namespace wakuzume
