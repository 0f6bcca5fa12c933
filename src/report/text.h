// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/scene.h"

/// Names as pictures and pages show them.
namespace wakuzume {

/// "oak", "#7" where it has no name, "(default)" for none.
std::string name_of(const Scene& scene, MaterialId id);

}  // namespace wakuzume
