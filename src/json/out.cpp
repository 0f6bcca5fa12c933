// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "json/out.h"

#include <cassert>
#include <charconv>
#include <cmath>

namespace wakuzume {

std::string to_number(double value) {
  assert(std::isfinite(value));
  // Many parsers refuse whole numbers that no 64-bit integer holds.
  constexpr double largest_whole = 9e18;
  std::array<char, 32> text;
  char* const last = text.data() + text.size();
  const auto end = std::abs(value) < largest_whole
                       ? std::to_chars(text.data(), last, value).ptr
                       : std::to_chars(text.data(), last, value, std::chars_format::scientific).ptr;
  return {text.data(), end};
}

}  // namespace wakuzume
