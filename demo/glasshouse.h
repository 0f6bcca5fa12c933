// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/scene.h"

namespace wakuzume::demo {

/// The demo scene: two wings of a glasshouse with all that makes a level costly. Made by code from
/// fixed seeds, so it is the same scene, byte for byte, wherever it is made.
Scene make_glasshouse();

}  // namespace wakuzume::demo
