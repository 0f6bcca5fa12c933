// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

/// Collada 1.4 and 1.5. In: a .dae and its pictures, of any origin; out: a scene in metres with y
/// up, or an error with its line.
namespace wakuzume {

/// Geometry, materials, node trees and cameras. Skinned and morphing meshes are read in the shape
/// they were modelled in; what animations or skins move is marked as what may move. Lights,
/// animations, skins and what else is left out are listed in Scene::skipped_parts, pictures that
/// are not there in Scene::missing_files.
///
/// \error cannot_open, bad_value (the place is "line N"), node_cycle, too_large
/// \source Collada 1.4.1 and 1.5.0 of the Khronos Group
Result<Scene> read_collada(const std::string& path, const RunControl& run);

}  // namespace wakuzume
