// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>

#include "wakuzume/scene.h"

namespace wakuzume {

/// How much of the images is looked at.
enum class ImageDepth : std::uint8_t {
  sizes,   ///< headers alone
  pixels,  ///< all is decoded, one image a thread at a time
  detail,  ///< and it is measured what a smaller picture would lose
};

/// What the core is told about an image: it knows no codecs itself. read_image_facts of
/// wakuzume/image.h makes one for each image of a scene; your own loader may as well.
struct ImageFacts {
  std::uint32_t width_px = 0;  ///< 0: unknown
  std::uint32_t height_px = 0;
  bool decoded = false;  ///< the members below are set
  ContentHash pixels;    ///< of size and RGBA values: equal pictures in any encoding
  bool one_color = false;
  std::array<std::uint8_t, 4> color{};  ///< RGBA, of the first pixel
  /// Shares of pixels: whose alpha is neither nearly 0 nor nearly 1 (8 steps of 255), and whose
  /// alpha is below a half.
  double alpha_between = 0;
  double alpha_low = 0;
  /// Mean distance of alpha from the nearer of 0 and 1, in steps of 8 bits.
  double alpha_off_steps = 0;
  /// What is lost when the picture is halved once, twice, three times: the largest and the mean
  /// square difference of a channel when it is shown as large as before, in steps of 8 bits. Set
  /// with ImageDepth::detail.
  std::array<double, 3> halving_peaks{255, 255, 255};
  std::array<double, 3> halving_losses{255, 255, 255};
  std::string problem;  ///< why it can't be read; empty when it can
};

}  // namespace wakuzume
