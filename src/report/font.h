// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <memory>
#include <string_view>

#include "wakuzume/picture.h"

/// Text in pictures, by FreeType and a font that travels inside of the library.
namespace wakuzume {

enum class Weight : std::uint8_t { regular, bold };

class Font {
 public:
  Font();
  ~Font();
  Font(const Font&) = delete;
  Font& operator=(const Font&) = delete;

  /// Width of UTF-8 text in pixels.
  [[nodiscard]] double measure(std::string_view text, double size_px, Weight weight) const;
  /// \param x, y  left end of its base line
  void draw(Pixels& on,
            std::string_view text,
            double x,
            double y,
            double size_px,
            Weight weight,
            const Color& color) const;

 private:
  struct Faces;
  std::unique_ptr<Faces> faces_;
};

/// No wider than `width_px`, with two dots where something went.
std::string shorten(
    const Font& font, std::string_view text, double size_px, Weight weight, double width_px);

}  // namespace wakuzume
