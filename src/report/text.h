// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>

#include "wakuzume/scene.h"

/// Numbers and names as pictures and pages show them.
namespace wakuzume {

/// 1234567 as "1,234,567".
std::string group_digits(std::uint64_t number);
/// "oak", "#7" where it has no name, "(default)" for none.
std::string name_of(const Scene& scene, MaterialId id);

}  // namespace wakuzume
