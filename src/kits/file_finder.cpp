// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "kits/file_finder.h"

#include <algorithm>
#include <cctype>

#include "files/text_encoding.h"

namespace wakuzume {
namespace {

namespace fs = std::filesystem;

std::string to_lower(std::string text) {
  std::transform(text.begin(), text.end(), text.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return text;
}

}  // namespace

std::string FileFinder::find(const std::string& name) const {
  const fs::path given = fs::path(name).lexically_normal();
  const bool inside = given.is_relative() && !given.empty() && *given.begin() != ".." &&
                      given.string().find(':') == std::string::npos;
  std::string found = inside ? find_any_case(given) : "";
  const fs::path last = fs::path(name).filename();
  if (!found.empty() || last.empty()) {
    return found;
  }
  found = find_any_case(last);
  for (const fs::path& place : list_folders()) {
    found = found.empty() ? find_any_case(place / last) : found;
  }
  return found;
}

std::string FileFinder::find_any_case(const fs::path& wanted) const {
  std::error_code ignored;
  if (fs::is_regular_file(folder_ / wanted, ignored)) {
    return wanted.generic_string();
  }
  const fs::path parent = wanted.parent_path();
  const std::string name = to_lower(to_utf8(wanted.filename().string()));
  std::string best;
  for (const auto& entry : fs::directory_iterator(folder_ / parent, ignored)) {
    const std::string found = entry.path().filename().string();
    // The least of several, since folders are listed in any order.
    if (to_lower(to_utf8(found)) == name && entry.is_regular_file(ignored) &&
        (best.empty() || found < best)) {
      best = found;
    }
  }
  return best.empty() ? best : (parent / best).generic_string();
}

std::vector<fs::path> FileFinder::list_folders() const {
  std::vector<fs::path> folders;
  std::error_code ignored;
  for (const auto& entry : fs::directory_iterator(folder_, ignored)) {
    if (entry.is_directory(ignored)) {
      folders.push_back(entry.path().filename());
    }
  }
  std::sort(folders.begin(), folders.end());
  return folders;
}

fs::path find_folder(const std::string& path) {
  const fs::path folder = fs::path(path).parent_path();
  return folder.empty() ? fs::path(".") : folder;
}

std::string with_slashes(std::string name) {
  std::replace(name.begin(), name.end(), '\\', '/');
  return name;
}

std::string_view as_text(const Bytes& bytes) {
  return {reinterpret_cast<const char*>(bytes.data().data()), bytes.size()};
}

}  // namespace wakuzume
