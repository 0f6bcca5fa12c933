// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <fmt/format.h>

#include <span>
#include <string>
#include <utility>

#include "wakuzume/run_control.h"

/// What the steps of a job tell their observer, if there is one.
namespace wakuzume {

template <class... Arguments>
void tell(const RunControl& run, fmt::format_string<Arguments...> text, Arguments&&... arguments) {
  if (run.observer != nullptr) {
    run.observer->tell(fmt::format(text, std::forward<Arguments>(arguments)...));
  }
}

inline void warn(const RunControl& run, std::span<const std::string> notes) {
  for (const std::string& note : notes) {
    if (run.observer != nullptr) {
      run.observer->warn(note);
    }
  }
}

}  // namespace wakuzume
