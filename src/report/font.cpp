// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "report/font.h"

#include <ft2build.h>
#include FT_FREETYPE_H

#include <algorithm>
#include <cmath>
#include <string>

#include "report/assets.h"

namespace wakuzume {
namespace {

/// Takes one character off the front; what is no UTF-8 counts as U+FFFD.
char32_t take_character(std::string_view& text) {
  const auto first = static_cast<unsigned char>(text.front());
  const std::size_t length = first < 0x80        ? 1
                             : first >> 5U == 6  ? 2
                             : first >> 4U == 14 ? 3
                             : first >> 3U == 30 ? 4
                                                 : 0;
  if (length == 0 || length > text.size()) {
    text.remove_prefix(1);
    return U'\uFFFD';
  }
  auto out = static_cast<char32_t>(length == 1 ? first : first & (0xFFU >> (length + 1)));
  for (std::size_t i = 1; i < length; ++i) {
    out = (out << 6U) | (static_cast<unsigned char>(text[i]) & 0x3FU);
  }
  text.remove_prefix(length);
  return out < 0x20 ? U' ' : out;
}

void blend(std::uint8_t* at, const Color& color, unsigned share) {
  for (std::size_t c = 0; c < 3; ++c) {
    at[c] = static_cast<std::uint8_t>((at[c] * (255 - share) + color[c] * share + 127) / 255);
  }
}

}  // namespace

struct Font::Faces {
  FT_Library library = nullptr;
  FT_Face regular = nullptr;
  FT_Face bold = nullptr;

  /// Null where FreeType does not take the font: text is then left out.
  [[nodiscard]] FT_Face choose(Weight weight, double size_px) const {
    const FT_Face face = weight == Weight::bold ? bold : regular;
    if (face != nullptr) {
      FT_Set_Char_Size(face, 0, static_cast<FT_F26Dot6>(std::lround(size_px * 64)), 72, 72);
    }
    return face;
  }
};

Font::Font() : faces_(std::make_unique<Faces>()) {
  const auto open = [&](std::string_view bytes, FT_Face& face) {
    FT_New_Memory_Face(faces_->library, reinterpret_cast<const FT_Byte*>(bytes.data()),
                       static_cast<FT_Long>(bytes.size()), 0, &face);
  };
  if (FT_Init_FreeType(&faces_->library) == 0) {
    open(assets::font_regular(), faces_->regular);
    open(assets::font_bold(), faces_->bold);
  }
}

Font::~Font() {
  if (faces_->library != nullptr) {
    FT_Done_FreeType(faces_->library);  // takes its faces along
  }
}

double Font::measure(std::string_view text, double size_px, Weight weight) const {
  const FT_Face face = faces_->choose(weight, size_px);
  double width = 0;
  while (face != nullptr && !text.empty()) {
    if (FT_Load_Char(face, take_character(text), FT_LOAD_DEFAULT) == 0) {
      width += static_cast<double>(face->glyph->advance.x) / 64;
    }
  }
  return width;
}

void Font::draw(Pixels& on,
                std::string_view text,
                double x,
                double y,
                double size_px,
                Weight weight,
                const Color& color) const {
  const FT_Face face = faces_->choose(weight, size_px);
  while (face != nullptr && !text.empty()) {
    if (FT_Load_Char(face, take_character(text), FT_LOAD_RENDER) != 0) {
      continue;
    }
    const FT_GlyphSlot glyph = face->glyph;
    const FT_Bitmap& map = glyph->bitmap;
    const long left = std::lround(x) + glyph->bitmap_left;
    const long top = std::lround(y) - glyph->bitmap_top;
    for (long row = 0; row < static_cast<long>(map.rows); ++row) {
      for (long column = 0; column < static_cast<long>(map.width); ++column) {
        const long px = left + column;
        const long py = top + row;
        if (px >= 0 && py >= 0 && px < static_cast<long>(on.width_px) &&
            py < static_cast<long>(on.height_px)) {
          const auto at = static_cast<std::size_t>(py) * on.width_px + static_cast<std::size_t>(px);
          blend(&on.rgba[4 * at], color, map.buffer[row * map.pitch + column]);
        }
      }
    }
    x += static_cast<double>(glyph->advance.x) / 64;
  }
}

std::string shorten(
    const Font& font, std::string_view text, double size_px, Weight weight, double width_px) {
  if (font.measure(text, size_px, weight) <= width_px) {
    return std::string(text);
  }
  std::string out(text);
  while (!out.empty() && font.measure(out + "..", size_px, weight) > width_px) {
    do {
      out.pop_back();
    } while (!out.empty() && (static_cast<unsigned char>(out.back()) & 0xC0U) == 0x80U);
    while (!out.empty() && (static_cast<unsigned char>(out.back()) & 0xC0U) == 0xC0U) {
      out.pop_back();  // the first byte of a character whose rest went
    }
  }
  return out + "..";
}

}  // namespace wakuzume
