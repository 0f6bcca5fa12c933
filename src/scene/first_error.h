// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <mutex>
#include <optional>

#include "wakuzume/result.h"

namespace wakuzume {

/// The first error by its number, whichever thread had it first.
class FirstError {
 public:
  void report(std::size_t number, const Error& error) {
    const std::scoped_lock lock(mutex_);
    if (!error_ || number < number_) {
      error_ = error;
      number_ = number;
    }
  }
  [[nodiscard]] const std::optional<Error>& get() const { return error_; }

 private:
  std::mutex mutex_;
  std::optional<Error> error_;
  std::size_t number_ = 0;
};

}  // namespace wakuzume
