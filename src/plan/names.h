// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <unordered_map>
#include <unordered_set>

#include "wakuzume/propose.h"

/// Names and ids of groups.
namespace wakuzume {

/// Letters, digits, '-' and '.' stay; every run of others becomes one underscore.
std::string make_plain_name(std::string_view text);

/// Three digits, and all of them before the point.
std::string to_short(double number);

/// Depends on what the group is made of and on nothing else.
std::string make_group_id(const Group& group);

/// A word of a name pattern and what it stands for.
struct PatternWord {
  std::string_view name;
  std::string text;
};
/// The pattern with its words filled in, each as a plain name; {number} stays.
std::string fill_pattern(const std::string& pattern, std::span<const PatternWord> words);
/// True when every word in braces is one of these, and there is something in it.
bool is_pattern(const std::string& pattern, std::span<const std::string_view> words);

/// Hands out names that nothing else has.
class NameGiver {
 public:
  /// No name of a node is given. \pre the scene outlives this and keeps its nodes
  explicit NameGiver(const Scene& scene);
  void reserve(const std::string& name) { names_.insert(name); }
  /// \return base_001, base_002 ...
  std::string make_unique(const std::string& base);
  /// The same with the number where the pattern has {number}; without it there, a number is
  /// appended to all but the first of a name.
  std::string make_numbered(const std::string& pattern);

 private:
  std::unordered_set<std::string_view> of_nodes_;               // looked up only, never walked
  std::unordered_set<std::string> names_;                       // looked up only, never walked
  std::unordered_map<std::string, std::uint32_t> next_number_;  // looked up only, never walked
};

}  // namespace wakuzume
