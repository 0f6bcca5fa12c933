// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <string>

#include "wakuzume/io.h"

/// glTF 2.0. In: a .glb or .gltf and what it refers to, of any origin; out: a scene that passed
/// check_scene, or an error with its JSON pointer. The way back is write_scene of wakuzume/io.h,
/// and what was not understood comes out as it went in.
namespace wakuzume {

/// Files that stand under another name for now, by the names they will have.
using StandIns = std::map<std::string, std::string>;

/// A .glb or .gltf, with whatever files it refers to.
/// \param stand_ins  where these are, if not under their names
/// \error as read_scene
Result<Scene> read_gltf(const std::string& path,
                        const StandIns& stand_ins,
                        const ReadLimits& limits,
                        const RunControl& run);

}  // namespace wakuzume
