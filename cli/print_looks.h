// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/job.h"

/// What became of a scene before it was planned: draws in pieces, routes of materials.
namespace wakuzume::cli {

/// Empty where it is as it was read.
std::string to_text(const Prepared& prepared);

}  // namespace wakuzume::cli
