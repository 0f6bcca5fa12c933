// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <set>
#include <string>

#include "findings/collector.h"
#include "survey/draws.h"
#include "survey/lightmaps.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

/// What some shown node reaches, table by table.
class Reach {
 public:
  explicit Reach(const Scene& scene)
      : meshes(scene.meshes.size()),
        materials(scene.materials.size()),
        textures(scene.textures.size()),
        images(scene.images.size()),
        cameras(scene.cameras.size()),
        skins(scene.skins.size()) {
    hidden_nodes = scene.nodes.size();
    for_each_shown_node(scene, [&](NodeId id) {
      --hidden_nodes;
      take(scene[id]);
    });
    for (std::size_t m = 0; m < meshes.size(); ++m) {
      if (meshes[m]) {
        for (const Primitive& primitive : scene.meshes[m].primitives) {
          mark(materials, primitive.material);
          take_variants(primitive);
        }
      }
    }
    for (std::size_t m = 0; m < materials.size(); ++m) {
      if (materials[m]) {
        for (const TextureId texture : list_textures(scene, scene.materials[m])) {
          mark(textures, texture);
        }
      }
    }
    for (std::size_t t = 0; t < textures.size(); ++t) {
      if (textures[t]) {
        mark(images, find_image(scene, make_id<TextureId>(t)));
        mark(images, scene.textures[t].image);
      }
    }
  }

  std::vector<bool> meshes;
  std::vector<bool> materials;
  std::vector<bool> textures;
  std::vector<bool> images;
  std::vector<bool> cameras;
  std::vector<bool> skins;
  std::uint64_t hidden_nodes = 0;

 private:
  template <class Id>
  static void mark(std::vector<bool>& marks, Id id) {
    if (to_index(id) < marks.size()) {
      marks[to_index(id)] = true;
    }
  }

  void take(const Node& node) {
    mark(meshes, node.mesh);
    mark(cameras, node.camera);
    mark(skins, node.skin);
  }

  /// KHR_materials_variants names materials that take the primitive's place; any number in it that
  /// could be one counts as used, so that nothing is called unused that is not.
  void take_variants(const Primitive& primitive) {
    if (!primitive.extra) {
      return;
    }
    for (const RawMember& extension : primitive.extra->extensions) {
      constexpr std::string_view member = "\"material\":";
      for (std::size_t at = extension.json.find(member); at != std::string::npos;
           at = extension.json.find(member, at + 1)) {
        const std::size_t index =
            std::strtoull(extension.json.c_str() + at + member.size(), nullptr, 10);
        mark(materials,
             MaterialId{static_cast<std::uint32_t>(std::min<std::size_t>(index, no_index))});
      }
    }
  }
};

std::uint64_t count_image_bytes(const Scene& scene, const std::vector<bool>& used) {
  std::uint64_t bytes = 0;
  for (std::size_t i = 0; i < used.size(); ++i) {
    const Image& image = scene.images[i];
    bytes += used[i] ? 0 : image.view != no_view ? scene[image.view].length : image.bytes.size();
  }
  return bytes;
}

/// Engines find pictures of lightmap pages by their names.
void take_lightmaps(const FindingCollector& all, Reach& reach) {
  std::set<std::string> names;
  for (const MergeKey& key : all.survey.keys) {
    if (!key.lightmap.empty()) {
      names.insert(name_lightmap_picture(all.settings.lightmap_pictures, key.lightmap));
    }
  }
  for (std::size_t i = 0; i < reach.images.size(); ++i) {
    reach.images[i] = reach.images[i] || names.contains(all.scene.images[i].name);
  }
  for (std::size_t t = 0; t < reach.textures.size(); ++t) {
    const ImageId image = all.scene.textures[t].image;
    reach.textures[t] =
        reach.textures[t] ||
        (image != no_image && names.contains(all.scene.images[to_index(image)].name));
  }
}

}  // namespace

void find_unused(FindingCollector& all) {
  const Scene& scene = all.scene;
  Reach reach(scene);
  take_lightmaps(all, reach);
  const auto add = [&](std::uint64_t count, const char* one, const char* many,
                       const std::string& first, std::uint64_t bytes) {
    if (count == 0) {
      return;
    }
    Finding finding;
    finding.code = FindingCode::resource_unused;
    finding.subject = count_of(count, one, many);
    finding.what = fmt::format("in the file, and nothing that is shown refers to {}{}",
                               count == 1 ? "it" : "them",
                               first.empty() ? "" : fmt::format("; the first is {}", first));
    finding.remedy = "leave them out of the export, unless your engine finds them by name";
    finding.byte_cost = bytes;
    all.add(std::move(finding));
  };
  const auto table = [&](const std::vector<bool>& used, const auto& items, const char* one,
                         const char* many, std::uint64_t bytes) {
    const auto hit = std::find(used.begin(), used.end(), false);
    if (hit != used.end()) {
      const auto first = static_cast<std::size_t>(hit - used.begin());
      const std::string& name = items[first].name;
      add(static_cast<std::uint64_t>(std::count(used.begin(), used.end(), false)), one, many,
          name.empty() ? fmt::format("number {}", first) : name, bytes);
    }
  };
  add(reach.hidden_nodes, "node", "nodes", "", 0);
  table(reach.meshes, scene.meshes, "mesh", "meshes", 0);
  table(reach.materials, scene.materials, "material", "materials", 0);
  table(reach.textures, scene.textures, "texture", "textures", 0);
  table(reach.images, scene.images, "image", "images", count_image_bytes(scene, reach.images));
  table(reach.cameras, scene.cameras, "camera", "cameras", 0);
  table(reach.skins, scene.skins, "skin", "skins", 0);
}

}  // namespace wakuzume
