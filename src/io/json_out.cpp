// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "io/json_out.h"

#include <cassert>
#include <charconv>
#include <cmath>

namespace wakuzume {

std::string to_number(double value) {
  assert(std::isfinite(value));
  std::array<char, 32> text;
  const auto end = std::to_chars(text.data(), text.data() + text.size(), value).ptr;
  return {text.data(), end};
}

}  // namespace wakuzume
