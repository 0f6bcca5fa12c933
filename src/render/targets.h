// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "render/gl_objects.h"
#include "wakuzume/shot.h"

namespace wakuzume {

/// What is drawn into, and read back from. Row nought is the top one.
class Targets {
 public:
  /// Clears what a request needs, and sets the state that its drawing begins from.
  void begin(std::uint32_t width_px, std::uint32_t height_px, const ShotRequest& request);
  /// From here on it is kept which element is the nearest. \pre not Measure::surfaces
  void find_elements();
  /// From here on pictures and measures are made of those elements.
  void shade_elements();
  /// From here on both are made at once of what is nearer than those, and leaves their depth.
  void blend_elements();
  /// From here on nothing is drawn, of what is nearer than those.
  void collect_layers();
  /// From here on surfaces are counted. \pre Measure::surfaces
  void count_surfaces();

  [[nodiscard]] std::uint32_t width_px() const { return width_px_; }
  [[nodiscard]] std::uint32_t height_px() const { return height_px_; }
  /// One a pixel, 1 near to 0 far or nothing.
  [[nodiscard]] std::vector<float> read_depth() const;
  /// Record and element of each pixel; no_index: nothing.
  [[nodiscard]] std::vector<std::array<std::uint32_t, 2>> read_elements() const;
  /// Distance and measure of each pixel.
  [[nodiscard]] std::vector<std::array<float, 2>> read_measures() const;
  [[nodiscard]] Pixels read_picture() const;
  [[nodiscard]] std::vector<float> read_surfaces() const;

 private:
  template <class Pixel>
  [[nodiscard]] std::vector<Pixel> read(const GlFramebuffer& from,
                                        GLenum attachment,
                                        GLenum format,
                                        GLenum type) const;
  void make(std::uint32_t width_px, std::uint32_t height_px);

  GlFramebuffer finding_;     ///< elements and depth
  GlFramebuffer shading_;     ///< picture, measures and depth, where elements are read
  GlFramebuffer blending_;    ///< all of them
  GlFramebuffer collecting_;  ///< depth alone
  GlFramebuffer counting_;
  GlTexture elements_;
  GlTexture picture_;
  GlTexture measures_;
  GlTexture depth_;
  GlTexture surfaces_;
  std::uint32_t width_px_ = 0;
  std::uint32_t height_px_ = 0;
};

}  // namespace wakuzume
