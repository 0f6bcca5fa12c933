// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cctype>
#include <charconv>
#include <string>
#include <string_view>

namespace wakuzume {

/// "%20" and the like as the bytes they stand for (RFC 3986).
inline std::string decode_percent(std::string_view text) {
  std::string out;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const bool escaped = text[i] == '%' && i + 2 < text.size() &&
                         std::isxdigit(static_cast<unsigned char>(text[i + 1])) != 0 &&
                         std::isxdigit(static_cast<unsigned char>(text[i + 2])) != 0;
    if (escaped) {
      unsigned value = 0;
      std::from_chars(text.data() + i + 1, text.data() + i + 3, value, 16);
      out += static_cast<char>(value);
      i += 2;
    } else {
      out += text[i];
    }
  }
  return out;
}

}  // namespace wakuzume
