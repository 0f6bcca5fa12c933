// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>

#include "wakuzume/lightmaps.h"

namespace wakuzume {

/// Nodes of a result whose place on a lightmap page nothing could read there, as the user has no
/// key for it: their meshes get UVs of the page. In double, rounded once; nodes that show the same
/// in the same place share a mesh. The streams are in one block more.
void give_lightmap_uvs(std::uint32_t uv_set, Scene& built);

}  // namespace wakuzume
