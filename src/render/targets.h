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
  /// Binds and clears what a request needs, with the state that its drawing begins from.
  void begin(std::uint32_t width_px, std::uint32_t height_px, const ShotRequest& request);

  [[nodiscard]] std::vector<std::array<std::uint32_t, 4>> read_hits() const;
  [[nodiscard]] Pixels read_picture() const;
  [[nodiscard]] std::vector<float> read_surfaces() const;

 private:
  void make(std::uint32_t width_px, std::uint32_t height_px);

  GlFramebuffer framebuffer_;
  GlFramebuffer counting_;
  GlTexture hits_;
  GlTexture picture_;
  GlTexture depth_;
  GlTexture surfaces_;
  std::uint32_t width_px_ = 0;
  std::uint32_t height_px_ = 0;
};

}  // namespace wakuzume
