// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <filesystem>

#include "files/file.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

std::filesystem::path name_entry(const std::string& folder, const std::string& key) {
  return std::filesystem::path(folder) / (key + ".part");
}

}  // namespace

Bytes FolderCache::find(const std::string& key) {
  auto file = map_file(name_entry(folder_, key).string());
  return file ? *file : Bytes{};
}

void FolderCache::store(const std::string& key, std::span<const std::byte> bytes) {
  // Two merges of the same content have one key; one at a time, each is written whole.
  const std::lock_guard lock(mutex_);
  std::error_code ignored;
  std::filesystem::create_directories(folder_, ignored);
  FileWriter writer;
  auto done = writer.open(name_entry(folder_, key).string());
  done = done ? writer.write(bytes.data(), bytes.size()) : done;
  // Not synced: an entry that a power cut tore is noticed by its checksum.
  done = done ? writer.close() : done;
  done = done ? writer.commit() : done;
  if (!done && trouble_.empty()) {
    trouble_ = to_string(done.error());
  }
}

}  // namespace wakuzume
