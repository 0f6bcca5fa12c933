// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/draws.h"

#include <fmt/format.h>

#include <algorithm>

namespace wakuzume {

Topology find_topology(PrimitiveMode mode) {
  switch (mode) {
    case PrimitiveMode::points:
      return Topology::points;
    case PrimitiveMode::lines:
    case PrimitiveMode::line_loop:
    case PrimitiveMode::line_strip:
      return Topology::lines;
    case PrimitiveMode::triangles:
    case PrimitiveMode::triangle_strip:
    case PrimitiveMode::triangle_fan:
      break;
  }
  return Topology::triangles;
}

bool is_fillable(const std::string& semantic) {
  return semantic == "POSITION" || semantic == "NORMAL" || semantic == "TANGENT" ||
         semantic.starts_with("TEXCOORD_") || semantic.starts_with("COLOR_");
}

std::string make_layout(const Scene& scene, const Primitive& primitive) {
  std::vector<std::string> parts;
  for (const Attribute& attribute : primitive.attributes) {
    if (!is_fillable(attribute.semantic)) {
      const Stream& stream = scene[attribute.stream];
      parts.push_back(fmt::format("{}:{}{}{}", attribute.semantic, to_string(stream.element),
                                  static_cast<int>(stream.component),
                                  stream.normalized ? "n" : ""));
    }
  }
  std::sort(parts.begin(), parts.end());
  const bool normals = primitive.find("NORMAL") != no_stream;
  // Without normals the standard has tangents ignored.
  if (normals && primitive.find("TANGENT") != no_stream) {
    parts.emplace_back("tangents");
  }
  if (normals && find_topology(primitive.mode) != Topology::triangles) {
    parts.emplace_back("normals");
  }
  return fmt::format("{}", fmt::join(parts, " "));
}

std::uint64_t count_instances(const Scene& scene, const Node& node) {
  if (!node.instancing || node.instancing->attributes.empty()) {
    return 1;
  }
  return scene[node.instancing->attributes.front().stream].count;
}

std::vector<DrawRef> make_draw_list(const Scene& scene) {
  std::vector<std::vector<LevelId>> sets;
  const std::vector<std::uint32_t> shown = make_level_sets(scene, sets);
  std::vector<DrawRef> draws;
  for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
    if (shown[i] == no_index || scene.nodes[i].mesh == no_mesh) {
      continue;
    }
    const Mesh& mesh = scene[scene.nodes[i].mesh];
    for (std::size_t p = 0; p < mesh.primitives.size(); ++p) {
      const Primitive& primitive = mesh.primitives[p];
      if (primitive.find("POSITION") != no_stream && count_list_indices(scene, primitive) > 0) {
        draws.push_back({make_id<NodeId>(i), static_cast<std::uint32_t>(p)});
      }
    }
  }
  return draws;
}

}  // namespace wakuzume
