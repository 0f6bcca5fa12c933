// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "survey/rules.h"
#include "wakuzume/survey.h"

/// Skeletons and chains, and how a draw is bound to one.
namespace wakuzume {

/// Of the distance from a joint: by so much two ways to a place may differ that are meant as one.
/// Inverse bind matrices are floats, and often the product of some.
inline constexpr double bind_tolerance = 1e-6;

/// The sets of influences that a primitive has: JOINTS_n with WEIGHTS_n, numbered without gaps.
struct InfluenceSet {
  StreamId joints = no_stream;
  StreamId weights = no_stream;
};
std::vector<InfluenceSet> list_influences(const Primitive& primitive);
bool is_influence(std::string_view semantic);

/// How what a skin deforms is brought into the space that its rig binds meshes in.
struct Binding {
  /// By joint of its own skin: of the rig; no_index: the rig has it not, and no vertex uses it.
  std::vector<std::uint32_t> number;
  /// By joint of its own skin: from its own space to the rig's. A vertex goes by the one of them
  /// that all its joints agree on.
  std::vector<Mat4d> to_bind;
  /// Holds for all vertices; nothing: `to_bind` differs.
  std::optional<Mat4d> matrix;
  std::string fault;  ///< why it can't be done; empty: it can
};

/// \cost O(influences) where the skin's inverse bind matrices are not the rig's
Binding make_binding(const Scene& scene, const Rig& rig, SkinId skin, const Primitive& primitive);

/// Inverse bind matrices of a skin, one a joint; identities where it has none.
std::vector<Mat4d> make_inverse_binds(const Scene& scene, const Skin& skin);

/// By node: the first rig of which it is a joint, and its number among the joints.
class JointIndex {
 public:
  JointIndex(const Scene& scene, const std::vector<Rig>& rigs);
  [[nodiscard]] RigId rig(NodeId node) const {
    return node == no_node ? no_rig : rig_of_[to_index(node)];
  }
  [[nodiscard]] std::uint32_t number(NodeId node) const { return number_of_[to_index(node)]; }

 private:
  std::vector<RigId> rig_of_;
  std::vector<std::uint32_t> number_of_;
};

/// \param moves  by node: an animation moves it
std::vector<Rig> find_rigs(const Scene& scene, const std::vector<bool>& moves);

/// From the space that the rig binds meshes in to the world, as everything stands; for what hangs
/// on the joint. \pre the joint's inverse bind matrix has an inverse
Mat4d make_rigid_binding(const Rig& rig,
                         std::uint32_t joint,
                         const std::vector<Mat4d>& world,
                         NodeId node);

}  // namespace wakuzume
