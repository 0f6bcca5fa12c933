// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <vector>

#include "plan/keys.h"
#include "wakuzume/families.h"

/// Subtrees that repeat as a whole.
namespace wakuzume {

/// What the search needs to know of the draws; all borrowed.
struct AssemblyInput {
  const Scene& scene;
  const Survey& survey;
  const PlanKeys& keys;
  const Families& families;
  const std::vector<Mat4d>& world;
  const std::vector<DrawId>& draws;  ///< free to be planned and at rest, ascending
  const ProposeSettings& settings;
  const CostProfile& profile;
  const std::vector<double>& draw_bytes;  ///< by draw
};

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
std::vector<Assembly> find_assemblies(const AssemblyInput& input);

/// World placement of a draw's family prototype: the draw's node, then its fit.
Mat4d make_placement(const AssemblyInput& input, DrawId draw);

}  // namespace wakuzume
