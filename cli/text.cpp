// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace wakuzume::cli {
namespace {

bool starts_character(char c) { return (static_cast<unsigned char>(c) & 0xC0U) != 0x80U; }

}  // namespace

std::string to_size(std::uint64_t bytes) {
  constexpr std::array units{"B", "KiB", "MiB", "GiB", "TiB"};
  auto size = static_cast<double>(bytes);
  std::size_t unit = 0;
  for (; size >= 1024 && unit + 1 < units.size(); ++unit) {
    size /= 1024;
  }
  return fmt::format("{:.{}f} {}", size, unit == 0 ? 0 : 1, units[unit]);
}

std::size_t count_characters(const std::string& text) {
  return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), starts_character));
}

std::string cut(const std::string& text, std::size_t width) {
  std::string clean = text;
  std::replace_if(
      clean.begin(), clean.end(), [](unsigned char c) { return c < 0x20 || c == 0x7F; }, '?');
  if (count_characters(clean) <= width) {
    return clean;
  }
  std::size_t left = width - 3;
  std::size_t end = 0;
  while (end < clean.size() && (left > 0 || !starts_character(clean[end]))) {
    left -= starts_character(clean[end]) ? 1U : 0U;
    ++end;
  }
  return clean.substr(0, end) + "...";
}

std::string pad(const std::string& text, std::size_t width) {
  const std::size_t used = count_characters(text);
  return text + std::string(used < width ? width - used : 0, ' ');
}

}  // namespace wakuzume::cli
