// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <bit>
#include <cstdint>
#include <span>
#include <vector>

#include "wakuzume/ids.h"

namespace wakuzume {

/// What is cheapest, to within a thirty-second of its cost. Nothing is sorted: costs of nearly the
/// same size share a stack.
class CostQueue {
 public:
  /// \param below  room by item; borrowed
  explicit CostQueue(std::span<std::uint32_t> below) : below_(below), tops_(stacks, no_index) {}

  /// \pre the item is not in the queue
  void push(std::uint32_t item, float cost) {
    const std::size_t stack = to_stack(cost);
    below_[item] = tops_[stack];
    tops_[stack] = item;
    lowest_ = std::min(lowest_, stack);
  }
  /// \return no_index: there is none up to about this cost
  std::uint32_t pop(float most) {
    if (empty() || lowest_ > to_stack(most)) {
      return no_index;
    }
    const std::uint32_t item = tops_[lowest_];
    tops_[lowest_] = below_[item];
    return item;
  }
  [[nodiscard]] bool empty() {
    while (lowest_ < stacks && tops_[lowest_] == no_index) {
      ++lowest_;
    }
    return lowest_ == stacks;
  }
  /// Whether something of this cost would not come before what was popped last.
  [[nodiscard]] bool is_next(float cost) const { return to_stack(cost) <= lowest_; }

 private:
  static constexpr std::uint32_t dropped_bits = 18;  // 8 bits of exponent and 5 more are left
  static constexpr std::size_t stacks = std::size_t{1} << (32 - dropped_bits - 1);

  static std::size_t to_stack(float cost) {
    return cost > 0 ? std::bit_cast<std::uint32_t>(cost) >> dropped_bits : 0;
  }

  std::span<std::uint32_t> below_;
  std::vector<std::uint32_t> tops_;
  std::size_t lowest_ = stacks;
};

}  // namespace wakuzume
