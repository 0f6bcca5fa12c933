// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/scene.h"

/// Walking the node tree.
namespace wakuzume {

/// All nodes, every parent before its children: in table order where that is such an order already,
/// as most files have it, else breadth first. \pre parents are linked
inline std::vector<NodeId> make_tree_order(const Scene& scene) {
  std::vector<NodeId> order(scene.nodes.size());
  bool is_ordered = true;
  for (std::size_t i = 0; i < order.size(); ++i) {
    const NodeId parent = scene.nodes[i].parent;
    is_ordered = is_ordered && (parent == no_node || to_index(parent) < i);
    order[i] = make_id<NodeId>(i);
  }
  if (is_ordered) {
    return order;
  }
  order.clear();
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

/// World matrix of one node: what make_world_matrices has for it. \cost O(depth)
inline Mat4d make_world_matrix(const Scene& scene, NodeId node) {
  const Mat4d local = make_local_matrix(scene[node]);
  const NodeId parent = scene[node].parent;
  return parent == no_node ? local : make_product(make_world_matrix(scene, parent), local);
}

/// One step of a node path: its name, cut after 128 bytes, or "#12" where it has none.
std::string make_path_step(const Scene& scene, NodeId node);

}  // namespace wakuzume
