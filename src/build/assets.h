// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/build.h"

/// One result as a scene of its own.
namespace wakuzume {

/// A scene with the node's mesh at the origin, its colliders below it, and what they need of the
/// built scene's data; images keep their names. Materials with extensions that may name a texture
/// by number keep all textures.
Scene make_asset_scene(const Scene& built, NodeId node, const std::string& name);

/// Adds `"asset": file` to the extras of a node. \return false where the extras are no object
bool set_asset_extra(Node& node, const std::string& file);

}  // namespace wakuzume
