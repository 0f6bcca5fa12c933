// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "build/geometry_block.h"
#include "wakuzume/propose.h"

/// Writing an instance set: one node, one mesh, a list of transforms.
namespace wakuzume {

class InstanceSet {
 public:
  InstanceSet(const std::vector<Mat4d>& world, const Group& group);

  /// Room for the transforms, in group order.
  void reserve(GeometryBlock& block);
  void fill(GeometryBlock& block) const;
  /// The node that holds the set; the caller adds it to the scene and gives it its mesh.
  [[nodiscard]] Node make_node(Scene& out, BlockId block) const;

 private:
  const Group& group_;
  bool mirrored_ = false;
  std::vector<float> translations_;  ///< 3 an instance, relative to the pivot
  std::vector<float> rotations_;     ///< 4 an instance, empty where none turns
  std::vector<float> scales_;        ///< 3 an instance, empty where none scales
  std::uint64_t offset_ = 0;
};

}  // namespace wakuzume
