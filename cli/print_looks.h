// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "source.h"

/// What is told of the routes of materials.
namespace wakuzume::cli {

/// Empty where materials stay as they are.
std::string to_text(const Source& source, const RoutePlan& routes);

}  // namespace wakuzume::cli
