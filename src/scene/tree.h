// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/scene.h"

/// Walking the node tree.
namespace wakuzume {

/// All nodes that some root reaches, every parent before its children. \pre parents are linked
inline std::vector<NodeId> make_tree_order(const Scene& scene) {
  std::vector<NodeId> order;
  order.reserve(scene.nodes.size());
  for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
    if (scene.nodes[i].parent == no_node) {
      order.push_back(make_id<NodeId>(i));
    }
  }
  for (std::size_t i = 0; i < order.size(); ++i) {
    const auto& children = scene[order[i]].children;
    order.insert(order.end(), children.begin(), children.end());
  }
  return order;
}

/// One step of a node path: its name, cut after 128 bytes, or "#12" where it has none.
std::string make_path_step(const Scene& scene, NodeId node);

}  // namespace wakuzume
