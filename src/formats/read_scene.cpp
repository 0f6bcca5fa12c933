// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <filesystem>

#include "collada/read.h"
#include "gltf/read.h"
#include "obj/read.h"
#include "wakuzume/io.h"

namespace wakuzume {

/// A format of scenes has a room of its own and a line here. What has another ending is taken for
/// glTF, whose reader tells what is wrong with it.
Result<Scene> read_scene(const std::string& path, const ReadLimits& limits, const RunControl& run) {
  const std::string ending = std::filesystem::path(path).extension().string();
  if (ending == ".obj" || ending == ".OBJ") {
    return read_obj(path, run);
  }
  if (ending == ".dae" || ending == ".DAE") {
    return read_collada(path, run);
  }
  return read_gltf(path, {}, limits, run);
}

}  // namespace wakuzume
