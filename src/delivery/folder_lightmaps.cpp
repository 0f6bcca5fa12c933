// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <filesystem>

#include "files/file.h"
#include "wakuzume/delivery.h"

namespace wakuzume {

namespace fs = std::filesystem;

FolderLightmaps::FolderLightmaps(const std::vector<std::string>& scenes) {
  for (const std::string& scene : scenes) {
    folders_.push_back(fs::path(scene).parent_path().string());
  }
}

Result<LightmapFile> FolderLightmaps::find(const std::string& name) const {
  // Page names come out of files: one that leads elsewhere names no picture of the scene.
  const fs::path relative = fs::path(name).lexically_normal();
  if (relative.is_absolute() || (!relative.empty() && *relative.begin() == "..")) {
    return LightmapFile{};
  }
  for (const std::string& folder : folders_) {
    for (const char* ending : lightmap_endings) {
      const fs::path file = fs::path(folder) / (name + ending);
      std::error_code ignored;
      if (!fs::is_regular_file(file, ignored)) {
        continue;
      }
      auto bytes = map_file(file.string());
      return bytes ? Result<LightmapFile>(LightmapFile{name + ending, std::move(*bytes)})
                   : Failure(bytes.error());
    }
  }
  return LightmapFile{};
}

}  // namespace wakuzume
