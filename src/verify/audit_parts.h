// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <limits>
#include <string>
#include <string_view>
#include <vector>

#include "verify/audit.h"

/// What the parts of the audit hand to each other.
namespace wakuzume {

/// A vertex of the source and one of the result that should be it.
struct Auditor::VertexPair {
  std::uint32_t before = 0;
  std::uint32_t after = 0;
  std::uint32_t corner = 0;  ///< the first that pairs them
};

/// One source draw and the range of the result that should be it: corner i of the first list is
/// corner i of the second.
struct Auditor::Pairing {
  const Primitive* before = nullptr;
  const Primitive* after = nullptr;
  Mat4d before_world{};
  Mat4d after_world{};
  LightmapPlace before_place{};  ///< of its UVs on its lightmap page
  LightmapPlace after_place{};
  std::vector<std::uint32_t> before_corners;  ///< in the order the result should have them
  std::vector<std::uint32_t> before_places;   ///< of those corners in the source's own list
  std::vector<std::uint32_t> after_corners;
  std::vector<VertexPair> vertices;  ///< all that the corners pair, each once
  /// From this corner on both lists go through the draw again, turned round.
  std::size_t backs_from = std::numeric_limits<std::size_t>::max();
  Topology topology = Topology::triangles;
  double direction_tolerance = 0;
  double attribute_tolerance = 1e-6;
  std::vector<std::string> ignored;
};

/// A pairing with what of it no transform changes.
struct Auditor::Shared {
  Pairing pairing;
  std::string mismatch;  ///< of its size or mode
  Box3d box;             ///< around the result's positions, in its own space
  double farthest = 0;   ///< of their coordinates
  /// Compared once: only where several rows share it.
  bool compared = false;
  bool same_positions = false;
  std::vector<std::string_view> same_directions;  ///< by semantic
  bool same_lightmap_uvs = false;
  std::string other_mismatch;  ///< of attributes that are no places, directions or lightmap UVs
};

/// The first of the result's attributes that is not what it was, of those that are asked for.
template <class Asked>
std::string Auditor::compare_attributes(const Pairing& pairing, const Asked& asked) const {
  std::string out;
  for (const Attribute& attribute : pairing.after->attributes) {
    if (out.empty() && attribute.semantic != "POSITION" && !is_ignored(pairing, attribute) &&
        asked(attribute)) {
      out = compare_attribute(pairing, attribute);
    }
  }
  return out;
}

inline const Primitive* find_primitive(const Scene& scene, NodeId node, std::uint32_t primitive) {
  if (to_index(node) >= scene.nodes.size() || scene[node].mesh == no_mesh) {
    return nullptr;
  }
  const Mesh& mesh = scene[scene[node].mesh];
  return primitive < mesh.primitives.size() ? &mesh.primitives[primitive] : nullptr;
}

inline StreamId find_stream(const std::vector<Attribute>& attributes, std::string_view semantic) {
  const auto hit = std::find_if(attributes.begin(), attributes.end(),
                                [&](const Attribute& a) { return a.semantic == semantic; });
  return hit == attributes.end() ? no_stream : hit->stream;
}

}  // namespace wakuzume
