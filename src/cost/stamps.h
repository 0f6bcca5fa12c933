// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace wakuzume {

/// A set of small numbers that is emptied in no time, for counting what is distinct in each view.
class Stamps {
 public:
  /// Empties the set and makes room for [0, size).
  void start(std::size_t size) {
    if (++now_ == 0) {
      std::fill(stamps_.begin(), stamps_.end(), 0U);
      now_ = 1;
    }
    stamps_.resize(std::max(size, stamps_.size()), 0U);
    size_ = size;
    list_.clear();
  }
  /// Every number there is has been added.
  [[nodiscard]] bool full() const { return list_.size() == size_; }
  /// \return true when it was not in yet
  bool add(std::uint32_t number) {
    if (stamps_[number] == now_) {
      return false;
    }
    stamps_[number] = now_;
    list_.push_back(number);
    return true;
  }
  /// In the order they came.
  [[nodiscard]] const std::vector<std::uint32_t>& list() const { return list_; }

 private:
  std::uint32_t now_ = 0;
  std::size_t size_ = 0;
  std::vector<std::uint32_t> stamps_;
  std::vector<std::uint32_t> list_;
};

}  // namespace wakuzume
