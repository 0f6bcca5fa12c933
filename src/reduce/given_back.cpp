// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/given_back.h"

#include <algorithm>
#include <cstring>
#include <map>
#include <set>
#include <utility>

#include "rework/geometry_block.h"
#include "rework/picked.h"
#include "scene/elements.h"

namespace wakuzume {
namespace {

/// Takes primitives of one scene over into another, with all that they refer to but materials.
class PrimitiveTaker {
 public:
  PrimitiveTaker(const Scene& from, Scene& to) : from_(from), to_(to) {}

  Primitive take(const Primitive& of) {
    Primitive out = of;
    take(out.indices);
    for (Attribute& attribute : out.attributes) {
      take(attribute.stream);
    }
    for (std::vector<Attribute>& target : out.morph_targets) {
      for (Attribute& attribute : target) {
        take(attribute.stream);
      }
    }
    return out;
  }

  /// Puts the bytes of all that was taken into a block of their own.
  void finish() {
    GeometryBlock block;
    std::vector<std::uint64_t> offsets;
    for (const auto& [from, to] : taken_) {
      offsets.push_back(block.reserve(from_[from].length));
    }
    if (taken_.empty() || !block.allocate()) {
      return;
    }
    const auto id = make_id<BlockId>(to_.blocks.size());
    for (std::size_t i = 0; i < taken_.size(); ++i) {
      BlockView& view = to_.views[to_index(taken_[i].second)];
      std::memcpy(block.data(offsets[i]), make_view_bytes(from_, taken_[i].first), view.length);
      block.close(offsets[i], view.length);
      view.block = id;
      view.offset = offsets[i];
    }
    to_.blocks.emplace_back().bytes = block.finish();
  }

 private:
  void take(StreamId& id) {
    if (!streams_.take(id)) {
      return;
    }
    Stream& stream = to_.streams[to_index(id)];
    take(stream.view);
    if (stream.sparse) {
      take(stream.sparse.ensure().index_view);
      take(stream.sparse.ensure().value_view);
    }
  }
  void take(ViewId& id) {
    const ViewId from = id;
    if (views_.take(id)) {
      taken_.emplace_back(from, id);
    }
  }

  const Scene& from_;
  Scene& to_;
  Picked<StreamId, Stream> streams_{from_.streams, to_.streams};
  Picked<ViewId, BlockView> views_{from_.views, to_.views};
  std::vector<std::pair<ViewId, ViewId>> taken_;
};

}  // namespace

void give_back(const Scene& before, const std::vector<DrawRef>& draws, Reduced& out) {
  std::set<MeshId> reduced;
  for (const ReducedMesh& mesh : out.meshes) {
    if (mesh.gave()) {
      reduced.insert(mesh.result);
    }
  }
  PrimitiveTaker taker(before, out.scene);
  std::map<std::pair<MeshId, std::vector<std::uint32_t>>, MeshId> known;
  for (std::size_t d = 0; d < draws.size();) {
    const NodeId node = draws[d].node;
    std::vector<std::uint32_t> primitives;
    for (; d < draws.size() && draws[d].node == node; ++d) {
      primitives.push_back(draws[d].primitive);
    }
    const bool there = to_index(node) < before.nodes.size() && before[node].mesh != no_mesh;
    const MeshId shown = there ? out.scene[node].mesh : no_mesh;
    if (shown == no_mesh || !reduced.contains(shown)) {
      continue;
    }
    const Mesh& old = before[before[node].mesh];
    const auto [slot, added] = known.try_emplace({shown, primitives}, no_mesh);
    if (added) {
      Mesh mesh = out.scene[shown];
      for (const std::uint32_t p : primitives) {
        if (p < old.primitives.size()) {
          mesh.primitives[p] = taker.take(old.primitives[p]);
        }
      }
      slot->second = make_id<MeshId>(out.scene.meshes.size());
      out.scene.meshes.push_back(std::move(mesh));
    }
    out.scene.nodes[to_index(node)].mesh = slot->second;
  }
  taker.finish();
}

}  // namespace wakuzume
