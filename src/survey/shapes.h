// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/survey.h"

/// The mesh primitives that draws show: their boxes, UV ranges and families.
namespace wakuzume {

struct Shapes {
  std::vector<Shape> shapes;          ///< in first-seen order of the draws; without pipelines
  std::vector<ContentHash> families;  ///< content, by FamilyId
  /// Position in `shapes` of each mesh's first primitive's slot: shape of (mesh, primitive) is
  /// slots[first_slot[mesh] + primitive], no_index where no draw shows it.
  std::vector<std::size_t> first_slot;
  std::vector<std::uint32_t> slots;

  [[nodiscard]] ShapeId find(MeshId mesh, std::uint32_t primitive) const {
    return ShapeId{slots[first_slot[to_index(mesh)] + primitive]};
  }
};

/// \error cancelled
/// \cost each stream that is shown is decoded once, each shape's indices once; in parallel
Result<Shapes> make_shapes(const Scene& scene,
                           const std::vector<DrawRef>& draws,
                           const RunControl& run);

}  // namespace wakuzume
