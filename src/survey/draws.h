// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "survey/rules.h"
#include "wakuzume/survey.h"

/// The draws of a scene and the keys they fall into.
namespace wakuzume {

Topology find_topology(PrimitiveMode mode);

/// What of a primitive's vertex layout a merge can't bridge; see MergeKey::layout.
std::string make_layout(const Scene& scene, const Primitive& primitive);
/// The same of what a skin or morph targets deform, or will: its joints and weights are rewritten,
/// and what it lacks is not made, as that would not follow.
std::string make_bending_layout(const Scene& scene, const Primitive& primitive);

/// Semantics that a merge understands and can fill in where they are missing.
bool is_fillable(const std::string& semantic);

/// The UV set that tangents go along: that of the normal texture, else the first; or no_stream.
StreamId find_tangent_uvs(const Scene& scene, const Primitive& primitive);

/// It holds tangents that count: without normals the standard has them ignored.
inline bool has_tangents(const Primitive& primitive) {
  return primitive.find("NORMAL") != no_stream && primitive.find("TANGENT") != no_stream;
}
/// Tangents can be made for it: triangles with the UVs of their normal texture, or without one.
bool can_make_tangents(const Scene& scene, const Primitive& primitive);

/// What makes an engine switch its pipeline for a primitive.
PipelineKey make_pipeline_key(const Scene& scene, const Primitive& primitive);

/// Whether vertices have an alpha of their own.
bool has_corner_alpha(const Scene& scene, const Primitive& primitive);

/// Times a node's mesh is drawn: 1, or the instances of EXT_mesh_gpu_instancing.
std::uint64_t count_instances(const Scene& scene, const Node& node);
/// The transforms of EXT_mesh_gpu_instancing, one an instance.
std::vector<Trs> make_instance_transforms(const Scene& scene, const Node& node);

/// Of each mesh, the primitives that draw something and what they add up to.
class MeshDraws {
 public:
  struct Sum {
    std::vector<std::uint32_t> primitives;  ///< positions in the mesh
    std::uint64_t vertices = 0;
    std::uint64_t triangles = 0;
  };
  explicit MeshDraws(const Scene& scene);

  const Sum& operator[](MeshId mesh) const { return sums_[to_index(mesh)]; }

 private:
  std::vector<Sum> sums_;
};

/// Calls `visit(id)` for each node that some glTF scene shows, in table order.
template <class Visit>
void for_each_shown_node(const Scene& scene, const Visit& visit) {
  std::vector<std::vector<LevelId>> sets;
  const std::vector<std::uint32_t> shown = make_level_sets(scene, sets);
  for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
    if (shown[i] != no_index) {
      visit(make_id<NodeId>(i));
    }
  }
}

}  // namespace wakuzume
