// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/scene.h"

namespace wakuzume::test {

/// Two rooms ("room" in their extras) with textured signs, walls and balls of different "wear" and
/// "paint", and a hut of four parts that are unwrapped together in the second UV set.
Scene make_rooms();

}  // namespace wakuzume::test
