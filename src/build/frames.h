// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "build/merge.h"
#include "wakuzume/propose.h"

/// Where the results of groups stand, and their parts in them.
namespace wakuzume {

/// Where a group's result stands, and below what.
struct Frame {
  NodeId root = no_node;            ///< the moving root; no_node: the world
  Trs local;                        ///< of the result's node
  Mat4d to_node = identity_matrix;  ///< from the world to the node's space
};

class FrameMaker {
 public:
  /// Both are borrowed.
  FrameMaker(const Scene& source, const Survey& survey);

  [[nodiscard]] const std::vector<Mat4d>& world() const { return world_; }
  [[nodiscard]] Frame make(const Group& group) const;
  [[nodiscard]] std::vector<MergePart> make_cluster_parts(const Group& group,
                                                          const Frame& frame) const;
  [[nodiscard]] std::vector<MergePart> make_prototype_parts(const Group& group) const;
  /// The instances' transforms below their node. Engines take the winding from the node and not
  /// from each instance, so where they mirror, the node mirrors x and they do not.
  [[nodiscard]] std::vector<Trs> make_instances(const Group& group, Frame& frame) const;
  /// Where the one instance of a set stands below its root.
  [[nodiscard]] Trs make_single(const Group& group, const Frame& frame) const;

 private:
  const Scene& source_;
  const Survey& survey_;
  std::vector<Mat4d> world_;
};

}  // namespace wakuzume
