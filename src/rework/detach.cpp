// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "rework/detach.h"

#include <algorithm>
#include <map>

namespace wakuzume {
namespace {

constexpr const char* instancing_extension = "EXT_mesh_gpu_instancing";

using Remainders = std::map<std::pair<MeshId, std::vector<std::uint32_t>>, MeshId>;

/// \param gone  primitives, ascending
void detach(const Scene& source,
            NodeId id,
            const std::vector<std::uint32_t>& gone,
            Scene& out,
            Remainders& remainders) {
  const MeshId mesh = source[id].mesh;
  Node& node = out.nodes[to_index(id)];
  if (gone.size() == source[mesh].primitives.size()) {
    node.mesh = no_mesh;
    return;
  }
  const auto [slot, added] = remainders.try_emplace({mesh, gone}, no_mesh);
  if (added) {
    Mesh rest = source[mesh];
    for (auto p = gone.rbegin(); p != gone.rend(); ++p) {
      rest.primitives.erase(rest.primitives.begin() + *p);
    }
    slot->second = make_id<MeshId>(out.meshes.size());
    out.meshes.push_back(std::move(rest));
  }
  node.mesh = slot->second;
}

}  // namespace

void detach_draws(const Scene& source,
                  const std::vector<bool>& moved,
                  Scene& out,
                  std::vector<LedgerRow>& rows) {
  Remainders remainders;
  for (std::size_t r = 0; r < rows.size();) {
    const NodeId id = rows[r].source.node;
    const std::size_t first = r;
    std::vector<std::uint32_t> gone;
    for (; r < rows.size() && rows[r].source.node == id; ++r) {
      if (moved[r]) {
        gone.push_back(rows[r].source.primitive);
      }
    }
    if (gone.empty()) {
      continue;
    }
    detach(source, id, gone, out, remainders);
    for (std::size_t kept = first; kept < r; ++kept) {
      if (!moved[kept]) {
        rows[kept].primitive -= static_cast<std::uint32_t>(
            std::lower_bound(gone.begin(), gone.end(), rows[kept].primitive) - gone.begin());
      }
    }
  }
}

void renumber_nodes(const NodeMap& number, Ledger& ledger) {
  for (LedgerRow& row : ledger.rows) {
    row.node = number[to_index(row.node)];
  }
  for (LedgerResult& result : ledger.results) {
    result.node = number[to_index(result.node)];
    result.collider = result.collider == no_node ? no_node : number[to_index(result.collider)];
  }
  SourceCopy& copy = ledger.source_copy;
  if (copy.first_node != no_node) {
    for (NodeId& id : copy.node_there) {
      id = number[to_index(id)];
    }
    copy.first_node = number[to_index(copy.first_node)];
  }
}

void require_instancing(Scene& scene) {
  add_once(scene.extensions_used, instancing_extension);
  add_once(scene.extensions_required, instancing_extension);
}

void add_once(std::vector<std::string>& list, const std::string& text) {
  if (std::find(list.begin(), list.end(), text) == list.end()) {
    list.push_back(text);
  }
}

}  // namespace wakuzume
