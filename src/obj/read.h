// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

/// Wavefront OBJ. In: a .obj, its .mtl libraries and their pictures, of any origin; out: a scene,
/// or an error with its line.
namespace wakuzume {

/// Reads a Wavefront OBJ with its material libraries and images. What is not there is listed in
/// Scene::missing_files: a library that is missing leaves materials that have a name and no more.
/// One node an object, one below it a group; one primitive a material.
/// \error cannot_open, bad_value (the place is "line N"), too_large
Result<Scene> read_obj(const std::string& path, const RunControl& run);

}  // namespace wakuzume
