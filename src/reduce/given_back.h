// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/reduce.h"

namespace wakuzume {

/// Lets draws show the triangles again that they had before their meshes were reduced. What they
/// show comes behind all that is there, so that everything else keeps its number.
/// \param draws  ascending
void give_back(const Scene& before, const std::vector<DrawRef>& draws, Reduced& out);

}  // namespace wakuzume
