// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/verify.h"

/// What a proof found beside its audit.
namespace wakuzume::cli {

/// The views of a verdict: the worst first.
std::string print_views(const Verdict& verdict);
/// What was taken back before it passed, or did not; empty where nothing was.
std::string print_mends(const Verdict& verdict);

}  // namespace wakuzume::cli
