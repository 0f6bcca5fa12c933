// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "render/gl_objects.h"
#include "wakuzume/run_control.h"
#include "wakuzume/shot.h"

/// Every blended layer of every pixel, and what it looks like with these in their true order.
namespace wakuzume {

/// As `Layer` in view.frag.
struct GpuLayer {
  std::array<float, 4> color;  ///< linear, times the alpha, which comes last
  float distance_m = 0;        ///< along the view's axis
  std::uint32_t record = 0;
  std::uint32_t element = 0;
  std::uint32_t next = 0;  ///< of the same pixel, counted from one; 0: there is none
};

/// Where a pass with Pass::collect puts them.
class LayerBuffers {
 public:
  /// \param room  layers of all pixels
  void begin(std::uint32_t width_px, std::uint32_t height_px, std::uint32_t room);
  /// How many there were, if more than there was room for too.
  [[nodiscard]] std::uint32_t count() const;
  [[nodiscard]] std::uint32_t room() const { return room_; }
  [[nodiscard]] std::vector<std::uint32_t> read_heads() const;
  [[nodiscard]] std::vector<GpuLayer> read_layers() const;

 private:
  GlBuffer heads_{};
  GlBuffer layers_{};
  std::size_t pixels_ = 0;
  std::uint32_t room_ = 0;
};

/// What layers say of a pixel.
struct LayeredPixel {
  std::uint16_t count = 0;
  std::uint16_t misplaced = 0;  ///< pairs that are drawn the wrong way round
  std::uint32_t record = 0;     ///< of the nearest
  std::uint32_t element = 0;
  float distance_m = 0;
  std::array<std::uint8_t, 3> exact{};  ///< with `misplaced`
};

/// Pixel by pixel. \param behind  what there is without the layers
/// \cost O(layers log layers) a pixel, in parallel
std::vector<LayeredPixel> sort_layers(const std::vector<std::uint32_t>& heads,
                                      const std::vector<GpuLayer>& layers,
                                      const Pixels& behind,
                                      const RunControl& run);

}  // namespace wakuzume
