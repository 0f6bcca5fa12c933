// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/bytes.h"

/// Files that kits name, wherever they were once.
namespace wakuzume {

/// Names come from other machines: with backslashes, drives, home folders and another case. Nothing
/// outside of the folder is ever opened.
class FileFinder {
 public:
  explicit FileFinder(std::filesystem::path folder) : folder_(std::move(folder)) {}

  /// The path relative to the folder, or an empty one. As it stands, else by its last step beside
  /// the scene or one folder below, each in any case.
  [[nodiscard]] std::string find(const std::string& name) const;

 private:
  [[nodiscard]] std::string find_any_case(const std::filesystem::path& wanted) const;
  [[nodiscard]] std::vector<std::filesystem::path> list_folders() const;

  std::filesystem::path folder_;
};

/// The folder that a file is in.
std::filesystem::path find_folder(const std::string& path);
/// Paths from other systems, with slashes.
std::string with_slashes(std::string name);
std::string_view as_text(const Bytes& bytes);

}  // namespace wakuzume
