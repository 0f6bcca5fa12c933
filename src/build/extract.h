// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <utility>
#include <vector>

#include "rework/picked.h"
#include "wakuzume/build.h"

/// Taking geometry that a build made over into another scene.
namespace wakuzume {

/// What one draw gave to a merged primitive: list indices and vertices.
struct GeometryRange {
  std::uint64_t first_index = 0;
  std::uint64_t index_count = 0;
  std::uint64_t first_vertex = 0;
  std::uint64_t vertex_count = 0;
};

/// What stays of one primitive of a mesh: all of it, or these ranges alone, in their order.
struct KeptPrimitive {
  std::uint32_t primitive = 0;
  bool whole = true;
  std::vector<GeometryRange> ranges{};
  /// Of the primitive's triangles along all ranges, as LedgerResult::order; becomes that of those
  /// that stay. Borrowed; null: they stand in a row.
  std::vector<std::uint32_t>* order = nullptr;
};

bool has_primitive(const Scene& scene, const DrawRef& ref);

/// The row's node, primitive, instance and ranges are in the scene.
bool holds_range(const Scene& built, const LedgerRow& row);

/// A result's order, if it has one, names each of its triangles once.
bool holds_order(const Scene& built, const LedgerResult& result);

/// Adds to `out`, which began as a copy of the source, what is asked for of `built`. Each mesh,
/// material and stream is taken over once.
class Extractor {
 public:
  /// All are borrowed.
  Extractor(const Scene& built, const Ledger& ledger, const Scene& source, Scene& out)
      : built_(built), ledger_(ledger), source_(source), out_(out) {}

  MeshId take_mesh(MeshId mesh);
  /// A mesh of `built` that shows a primitive of the source as it is stored there.
  MeshId show_mesh(MeshId mesh, const DrawRef& shown);
  /// A mesh with less than it had.
  MeshId cut_mesh(MeshId mesh, const std::vector<KeptPrimitive>& kept);
  /// \param joints  nodes of the source that its joints are
  SkinId take_skin(SkinId skin, const std::vector<NodeId>& joints);
  /// What animates the weights of a node of `built`, for one of `out`.
  void take_weights(NodeId from, NodeId to);
  void take_instances(Node& node);
  /// \param kept  numbers of instances, ascending
  void cut_instances(const std::vector<std::uint32_t>& kept, Node& node);

 private:
  MeshId add_mesh(Mesh mesh);
  void take_primitive(Primitive& primitive);
  MaterialId take_material(MaterialId material);
  StreamId take_stream(StreamId stream);
  Primitive cut_primitive(const Primitive& from, const KeptPrimitive& kept);
  using Runs = std::vector<std::pair<std::uint64_t, std::uint64_t>>;
  void cut_targets(const Primitive& from, const Runs& runs, Primitive& out);

  const Scene& built_;
  const Ledger& ledger_;
  const Scene& source_;
  Scene& out_;
  std::map<MeshId, MeshId> meshes_;
  std::map<SkinId, SkinId> skins_;
  Picked<MaterialId, Material> materials_{built_.materials, out_.materials};
  Picked<StreamId, Stream> streams_{built_.streams, out_.streams};
  Picked<ViewId, BlockView> views_{built_.views, out_.views};
  Picked<BlockId, Block> blocks_{built_.blocks, out_.blocks};
};

}  // namespace wakuzume
