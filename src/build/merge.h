// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <unordered_map>
#include <utility>
#include <vector>

#include "build/attribute_writer.h"
#include "build/attributes.h"
#include "build/targets.h"
#include "rework/geometry_block.h"
#include "rework/tangents.h"
#include "wakuzume/propose.h"

/// Merging draws into one primitive.
namespace wakuzume {

/// A draw and the matrix from its own space to that of the result.
struct MergePart {
  DrawRef draw;
  Mat4d matrix = identity_matrix;
  bool back = false;                               ///< turned round
  LightmapPlace lightmap{};                        ///< from its own UVs to those of the result
  std::shared_ptr<const MemberBinding> binding{};  ///< null: no skin deforms the result
};

struct VertexPick;

/// Tangents of members that have none and whose material has a normal texture: made, so that the
/// members look as they did; or left to engines, where others are to show the same vertices.
enum class MissingTangents : std::uint8_t { made, left_out };

/// One merged primitive from its sizes to its bytes.
class ClusterMerge {
 public:
  /// \pre the parts passed check_groups; all references outlive the merge
  ClusterMerge(const Scene& source,
               const std::vector<MergePart>& parts,
               MaterialId material,
               std::uint32_t lightmap_uv_set,
               MissingTangents tangents = MissingTangents::made);

  /// Step 0: the vertex layout. Independent of others, as are steps 1 and 3.
  void find_layout();
  /// The order of all triangles, by their places in the members' lists one after the other.
  /// \pre topology is triangles
  void set_order(std::vector<std::uint32_t> order) { order_ = std::move(order); }
  /// Triangles of each member in the order in which they are shaded quickly; lines and points stay.
  /// \param of_first  of the first member's list, where it is known already; empty: it is not
  /// \pre there is no other order
  void set_shading_order(std::vector<std::uint32_t> of_first = {}) {
    in_shading_order_ = topology_ == Topology::triangles;
    if (!of_first.empty()) {
      shading_orders_.emplace(members_.front().primitive, std::move(of_first));
    }
  }
  /// Vertices with the very bytes that they have. \pre one member, which stays where it is
  void keep_bytes() { keeps_bytes_ = true; }
  /// Targets of the members become these. Never with an order of blended triangles, nor a cache.
  void set_targets(TargetUnion targets) { targets_ = std::move(targets); }
  /// Step 1: how many vertices and indices each member gives; or takes all from an earlier merge.
  void count();
  /// \return false where the content is not that of these members
  bool adopt(const Bytes& content);
  /// Step 2: room in the block. In group order, so that the bytes do not depend on threads.
  void reserve(GeometryBlock& block);
  /// Step 3: writes the bytes.
  void fill(GeometryBlock& block);
  /// What adopt() takes: counts, bounds and bytes. \pre fill()
  void pack(GeometryBlock& block, std::vector<std::byte>& out) const;
  /// Step 4: the primitive, its streams in `out`.
  Primitive add_to(Scene& out, BlockId block) const;

  [[nodiscard]] const std::vector<MergeMember>& members() const { return members_; }
  [[nodiscard]] const std::vector<OutputAttribute>& layout() const { return layout_; }
  [[nodiscard]] std::uint64_t vertex_count() const { return vertex_count_; }
  [[nodiscard]] const std::vector<std::uint32_t>& order() const { return order_; }
  [[nodiscard]] bool in_shading_order() const { return in_shading_order_; }
  [[nodiscard]] const TargetUnion& targets() const { return targets_; }
  [[nodiscard]] bool adopted() const { return adopted_.size() > 0; }

 private:
  [[nodiscard]] bool has(AttributeRole role) const;
  [[nodiscard]] bool unwelds(const MergeMember& member) const;
  [[nodiscard]] bool makes_tangents(const MergeMember& member) const;
  [[nodiscard]] bool needs_tangents() const;
  /// A mirrored triangle is wound the other way.
  [[nodiscard]] bool turns(const MergeMember& member) const;
  void count_vertices_of(MergeMember& member);
  [[nodiscard]] std::vector<std::uint32_t> put_in_shading_order(
      const MergeMember& member, std::vector<std::uint32_t> list) const;
  [[nodiscard]] std::uint64_t count_used_of(const Primitive& primitive,
                                            std::uint64_t vertices) const;
  [[nodiscard]] VertexPick pick_vertices(const MergeMember& member) const;
  template <class From>
  void write_list(std::span<const From> list,
                  bool turned,
                  const MergeMember& member,
                  GeometryBlock& block) const;
  void write_whole_list(const MergeMember& member, GeometryBlock& block) const;
  void fill_member(const MergeMember& member, GeometryBlock& block);
  void put_in_order(GeometryBlock& block) const;
  /// What a target adds to one attribute, and where it lies in the block: sparse, or for every
  /// vertex; none at all where nothing moves.
  struct TargetStream {
    std::string semantic;
    TargetMoves moves;
    bool sparse = false;
    std::uint64_t index_offset = 0;
    std::uint64_t value_offset = 0;
  };
  void make_targets();
  void reserve_targets(GeometryBlock& block);
  void fill_targets(GeometryBlock& block) const;
  [[nodiscard]] StreamId add_target(const TargetStream& target, Scene& out, BlockId block) const;
  /// Calls `visit(offset in the block, bytes)` for each range, in the order they are packed in.
  template <class Visit>
  void for_each_range_of_bytes(const Visit& visit) const;

  const Scene& source_;
  MaterialId material_;
  std::uint32_t lightmap_uv_set_;
  MissingTangents missing_tangents_;
  Topology topology_ = Topology::triangles;
  std::vector<MergeMember> members_;
  std::vector<std::uint32_t> order_;
  bool in_shading_order_ = false;
  bool keeps_bytes_ = false;
  /// Of triangles, by primitive; looked up only.
  std::unordered_map<const Primitive*, std::vector<std::uint32_t>> shading_orders_;
  std::unordered_map<const Primitive*, std::uint64_t> used_;    ///< vertices; looked up only
  std::unordered_map<const Primitive*, TangentVertices> made_;  ///< looked up only
  std::vector<OutputAttribute> layout_;
  std::vector<std::uint64_t> offsets_;  ///< in the block, one an attribute
  std::uint64_t index_offset_ = 0;
  std::uint64_t vertex_count_ = 0;
  std::uint64_t index_count_ = 0;
  ComponentType index_type_ = ComponentType::u16;
  Box3d bounds_;  ///< of the stored positions
  Bytes adopted_;
  TargetUnion targets_;
  std::vector<std::vector<TargetStream>> target_streams_;  ///< by target
};

}  // namespace wakuzume
