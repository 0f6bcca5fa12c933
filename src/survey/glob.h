// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace wakuzume {

/// Globs over whole texts, as POSIX fnmatch has them; `*` crosses slashes.
class GlobSet {
 public:
  explicit GlobSet(const std::vector<std::string>& globs);

  /// Position of the first glob that matches, or no_index.
  [[nodiscard]] std::uint32_t find(const std::string& text) const;
  [[nodiscard]] bool empty() const { return globs_.empty(); }

 private:
  struct Glob {
    std::string text;
    bool is_ending = false;  ///< "*" and plain characters: compared without fnmatch
  };
  std::vector<Glob> globs_;
};

}  // namespace wakuzume
