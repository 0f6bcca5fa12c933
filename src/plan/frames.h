// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <vector>

#include "wakuzume/propose.h"

/// Where the results of groups stand, and their instances in them.
namespace wakuzume {

/// Where a group's result stands, and below what.
struct Frame {
  NodeId root = no_node;            ///< the moving root; no_node: the world
  Trs local;                        ///< of the result's node
  Mat4d to_node = identity_matrix;  ///< from the world to the node's space
};

/// The rig whose skin deforms what a group becomes; no_rig: it is as rigid as its members.
RigId find_group_rig(const Survey& survey, const Group& group);

/// From the world into the space of a node. A plain shift keeps every bit of the rest.
Mat4d place(const Frame& frame, const Mat4d& world);

class FrameMaker {
 public:
  /// Both are borrowed.
  FrameMaker(const Scene& source, const Survey& survey);

  [[nodiscard]] const std::vector<Mat4d>& world() const { return world_; }
  /// Engines take the winding from the node and not from each instance, so where the first one
  /// mirrors, the node of a set mirrors x and the instances do not.
  [[nodiscard]] Frame make(const Group& group) const;
  /// Where an instance stands below the set's node; nothing where it has no size.
  [[nodiscard]] std::optional<Trs> make_instance(const Group& group,
                                                 const Frame& frame,
                                                 const Box3d& prototype,
                                                 std::size_t instance) const;
  /// Where the one instance of a set stands below its root, as a node.
  [[nodiscard]] std::optional<Trs> make_single(const Group& group, const Frame& frame) const;
  /// Where what stands so below the set's node is in the world; with one instance, below its root.
  [[nodiscard]] Mat4d make_shown_world(const Group& group,
                                       const Frame& frame,
                                       const Trs& trs) const;

 private:
  const Scene& source_;
  const Survey& survey_;
  std::vector<Mat4d> world_;
};

}  // namespace wakuzume
