// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cstddef>
#include <vector>

#include "wakuzume/ids.h"

/// Removing what lost its last user from a table.
namespace wakuzume {

/// Which entries of a table something refers to.
template <class Id>
class UseMarks {
 public:
  explicit UseMarks(std::size_t size) : used_(size, false) {}
  void operator()(Id id) {
    if (to_index(id) < used_.size()) {
      used_[to_index(id)] = true;
    }
  }
  /// What the other marks too, of a table that begins alike.
  void include(const UseMarks& other) {
    used_.resize(std::max(used_.size(), other.used_.size()));
    for (std::size_t i = 0; i < other.used_.size(); ++i) {
      used_[i] = used_[i] || other.used_[i];
    }
  }
  [[nodiscard]] bool has(std::size_t index) const { return index < used_.size() && used_[index]; }

 private:
  std::vector<bool> used_;
};

/// Removes the entries that were used before and are not now; gives the new number of each.
template <class Id, class T>
std::vector<Id> remove_unused(std::vector<T>& table,
                              const UseMarks<Id>& before,
                              const UseMarks<Id>& now) {
  std::vector<Id> number(table.size(), make_id<Id>(no_index));
  std::size_t kept = 0;
  for (std::size_t i = 0; i < table.size(); ++i) {
    if (before.has(i) && !now.has(i)) {
      continue;
    }
    number[i] = make_id<Id>(kept);
    if (kept != i) {
      table[kept] = std::move(table[i]);
    }
    ++kept;
  }
  table.erase(table.begin() + static_cast<std::ptrdiff_t>(kept), table.end());
  return number;
}

template <class Id>
void renumber(Id& id, const std::vector<Id>& number) {
  if (to_index(id) != no_index) {
    id = number[to_index(id)];
  }
}

}  // namespace wakuzume
