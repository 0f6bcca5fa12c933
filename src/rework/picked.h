// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <vector>

#include "wakuzume/ids.h"

namespace wakuzume {

/// Entries of a table that are taken over, in the order they are asked for.
template <class Id, class T>
class Picked {
 public:
  Picked(const std::vector<T>& from, std::vector<T>& to) : from_(from), to_(to) {}
  /// \return whether the entry is new
  bool take(Id& id) {
    if (to_index(id) >= from_.size()) {
      return false;  // none
    }
    const auto [slot, added] = number_.try_emplace(id, make_id<Id>(to_.size()));
    if (added) {
      to_.push_back(from_[to_index(id)]);
    }
    id = slot->second;
    return added;
  }

 private:
  const std::vector<T>& from_;
  std::vector<T>& to_;
  std::map<Id, Id> number_;
};

}  // namespace wakuzume
