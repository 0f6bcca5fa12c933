// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <vector>

#include "plan/item_input.h"

/// Subtrees that repeat as a whole.
namespace wakuzume {

/// One subtree and those that are the same up to a transform.
struct Assembly {
  std::vector<NodeId> roots;  ///< of the occurrences, in node order
  std::size_t part_count = 0;
  std::vector<DrawId> parts;  ///< occurrence by occurrence, parts of all in the same order

  [[nodiscard]] std::span<const DrawId> parts_of(std::size_t occurrence) const {
    return std::span(parts).subspan(occurrence * part_count, part_count);
  }
};

/// Assemblies that pay: no two share a draw. A nested one stands for itself where its parts are
/// cheaper by themselves than inside the larger one.
std::vector<Assembly> find_assemblies(const ItemInput& input);

}  // namespace wakuzume
