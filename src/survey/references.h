// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/scene.h"

/// Extensions that name entries of tables by their numbers.
namespace wakuzume {

/// Its numbers, if any, are of tables that keep their order.
bool is_harmless_extension(const std::string& name);

/// The node that a channel of KHR_animation_pointer moves, or no_node.
NodeId find_pointed_node(const Scene& scene, const AnimationChannel& channel);

/// Nodes and meshes that something other than the tree speaks of: extensions of the file, by
/// members whose names hold "node" or "mesh", and animations by pointers to anything but
/// translations, rotations and scales.
class Naming {
 public:
  explicit Naming(const Scene& scene);

  /// What names the node, its mesh or a node above it up to `home`; empty: nothing.
  [[nodiscard]] std::string find(NodeId node, NodeId home) const;

 private:
  void look(const RawMember& extension);
  void look(const AnimationChannel& channel);

  const Scene& scene_;
  std::vector<std::string> of_node_;  ///< empty: there are none at all
  std::vector<std::string> of_mesh_;
};

}  // namespace wakuzume
