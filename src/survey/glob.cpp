// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/glob.h"

#include <fnmatch.h>

#include "wakuzume/ids.h"

namespace wakuzume {

GlobSet::GlobSet(const std::vector<std::string>& globs) {
  for (const std::string& glob : globs) {
    const bool is_ending =
        glob.starts_with('*') && glob.find_first_of("*?[\\", 1) == std::string::npos;
    globs_.push_back({is_ending ? glob.substr(1) : glob, is_ending});
  }
}

std::uint32_t GlobSet::find(const std::string& text) const {
  for (std::size_t i = 0; i < globs_.size(); ++i) {
    const Glob& glob = globs_[i];
    const bool hit = glob.is_ending ? text.ends_with(glob.text)
                                    : fnmatch(glob.text.c_str(), text.c_str(), 0) == 0;
    if (hit) {
      return static_cast<std::uint32_t>(i);
    }
  }
  return no_index;
}

}  // namespace wakuzume
