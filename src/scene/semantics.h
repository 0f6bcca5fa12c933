// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <charconv>
#include <cstdint>
#include <optional>
#include <string_view>

/// Semantics of vertex attributes, by what glTF 2.0 section 3.7.2.1 says of their names.
namespace wakuzume {

/// The n of a semantic such as "TEXCOORD_n"; nothing where there is no plain number behind the
/// prefix: then the attribute is none of the standard's, whatever its name begins with.
inline std::optional<std::uint32_t> find_set_number(std::string_view semantic,
                                                    std::string_view prefix) {
  if (!semantic.starts_with(prefix)) {
    return std::nullopt;
  }
  const std::string_view digits = semantic.substr(prefix.size());
  const bool plain =
      !digits.empty() && digits.size() <= 9 && (digits.size() == 1 || digits.front() != '0') &&
      std::all_of(digits.begin(), digits.end(), [](char c) { return c >= '0' && c <= '9'; });
  if (!plain) {
    return std::nullopt;
  }
  std::uint32_t number = 0;
  std::from_chars(digits.data(), digits.data() + digits.size(), number);
  return number;
}

inline std::optional<std::uint32_t> find_uv_number(std::string_view semantic) {
  return find_set_number(semantic, "TEXCOORD_");
}
inline bool is_color(std::string_view semantic) {
  return find_set_number(semantic, "COLOR_").has_value();
}

/// Is it one of the standard's, or of those that applications may add?
inline bool is_known_semantic(std::string_view semantic) {
  return semantic == "POSITION" || semantic == "NORMAL" || semantic == "TANGENT" ||
         find_uv_number(semantic) || is_color(semantic) || find_set_number(semantic, "JOINTS_") ||
         find_set_number(semantic, "WEIGHTS_") || (semantic.size() > 1 && semantic.front() == '_');
}

}  // namespace wakuzume
