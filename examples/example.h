// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdio>

#include "wakuzume/result.h"

// How all examples end when something is wrong.

/// \param name  of the example and its arguments
inline int fail_usage(const char* name) {
  std::fprintf(stderr, "usage: %s\n", name);
  return 2;
}

inline int fail(const wakuzume::Error& error) {
  std::fprintf(stderr, "%s\n", to_string(error).c_str());
  return 1;
}
