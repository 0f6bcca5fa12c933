// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/figures_of.h"

#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "scene/elements.h"
#include "survey/rigs.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

/// The most joints that move one vertex.
std::size_t find_most_influences(const Scene& scene, const Primitive& primitive) {
  std::vector<std::uint8_t> counts(count_vertices(scene, primitive), 0);
  for (const InfluenceSet& set : list_influences(primitive)) {
    const ElementReader weights(scene, set.weights);
    for (std::uint32_t v = 0; v < counts.size(); ++v) {
      std::array<double, 4> w{};
      weights.load(v, w.data());
      counts[v] = static_cast<std::uint8_t>(
          counts[v] + std::count_if(w.begin(), w.end(), [](double value) { return value != 0; }));
    }
  }
  return counts.empty() ? 0 : *std::max_element(counts.begin(), counts.end());
}

}  // namespace

std::vector<Figure> make_figures_of(std::span<const DrawId> draws,
                                    const Scene& scene,
                                    const Survey& survey,
                                    std::span<const ImageFacts> images,
                                    const CostProfile& profile) {
  std::set<NodeId> nodes;
  std::set<MaterialId> materials;
  std::set<TextureId> textures;
  std::set<ImageId> shown;
  std::set<SkinId> skins;
  std::set<NodeId> joints;
  std::map<MeshId, std::size_t> targets;
  std::set<std::pair<MeshId, std::uint32_t>> bound;
  std::uint64_t triangles = 0;
  std::uint64_t most_vertices = 0;
  std::uint64_t most_triangles = 0;
  std::size_t influences = 0;
  for (const DrawId id : draws) {
    const Draw& draw = survey[id];
    const Node& node = scene[draw.node];
    const Primitive& primitive = primitive_of(scene, draw);
    nodes.insert(draw.node);
    triangles += draw.triangles;
    most_vertices = std::max(most_vertices, draw.vertices);
    most_triangles = std::max(most_triangles, draw.triangles);
    std::size_t& of_mesh = targets[draw.mesh];
    of_mesh = std::max(of_mesh, primitive.morph_targets.size());
    if (draw.material != no_material && materials.insert(draw.material).second) {
      for (const TextureId texture : list_textures(scene, scene[draw.material])) {
        textures.insert(texture);
        shown.insert(find_image(scene, texture));
      }
    }
    if (node.skin != no_skin) {
      const std::vector<NodeId>& own = scene.skins[to_index(node.skin)].joints;
      skins.insert(node.skin);
      joints.insert(own.begin(), own.end());
      if (bound.emplace(draw.mesh, draw.primitive).second) {
        influences = std::max(influences, find_most_influences(scene, primitive));
      }
    }
  }
  shown.erase(no_image);
  double texels = 0;
  for (const ImageId image : shown) {
    if (to_index(image) < images.size()) {
      const ImageFacts& facts = images[to_index(image)];
      texels += static_cast<double>(facts.width_px) * static_cast<double>(facts.height_px);
    }
  }
  std::size_t all_targets = 0;
  for (const auto& [mesh, count] : targets) {
    all_targets += count;
  }
  const auto number = [](auto value) { return static_cast<double>(value); };
  return {{"draws", number(draws.size()), ""},
          {"meshes", number(nodes.size()), ""},
          {"materials", number(materials.size()), ""},
          {"textures", number(textures.size()), ""},
          {"images", number(shown.size()), ""},
          {"texture_megabytes", texels * profile.texture_bytes_per_texel * 4 / 3 / 1e6, ""},
          {"triangles", number(triangles), ""},
          {"vertices_per_draw", number(most_vertices), ""},
          {"triangles_per_draw", number(most_triangles), ""},
          {"skins", number(skins.size()), ""},
          {"joints", number(joints.size()), ""},
          {"influences", number(influences), ""},
          {"targets", number(all_targets), ""}};
}

}  // namespace wakuzume
