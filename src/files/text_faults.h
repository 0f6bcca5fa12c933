// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cstdint>
#include <string>
#include <utility>
#include <vector>

#include "wakuzume/scene.h"

namespace wakuzume {

/// Faults of one kind are listed once, with their count and the first of them.
class Faults {
 public:
  void add(const char* what, const char* instead, std::string detail, std::uint64_t line) {
    const auto hit = std::find_if(list_.begin(), list_.end(),
                                  [&](const SkippedPart& part) { return part.what == what; });
    if (hit != list_.end()) {
      ++hit->count;
    } else {
      list_.push_back({"", what, instead, std::move(detail), 1, line});
    }
  }
  std::vector<SkippedPart> take() { return std::move(list_); }

 private:
  std::vector<SkippedPart> list_;
};

}  // namespace wakuzume
