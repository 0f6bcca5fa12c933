// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "obj/read.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <map>
#include <unordered_map>

#include "files/file.h"
#include "files/text_encoding.h"
#include "files/text_lines.h"
#include "json/out.h"
#include "kits/gloss.h"
#include "kits/kit_scene.h"
#include "obj/parse.h"

namespace wakuzume {
namespace {

namespace fs = std::filesystem;

struct HashCorner {
  std::size_t operator()(const ObjCorner& corner) const {
    const std::uint64_t mixed = (std::uint64_t{corner.position} << 32U | corner.uv) ^
                                std::uint64_t{corner.normal} * 0x9E37'79B9'7F4A'7C15ULL;
    return static_cast<std::size_t>(mixed * 0xD6E8'FEB8'6659'FD93ULL);
  }
};

class ObjBuilder {
 public:
  ObjBuilder(const std::string& path, const RunControl& run) : path_(path), kit_(path), run_(run) {}

  Result<Scene> build(const ObjFile& file) {
    file_ = &file;
    for (const std::string& line : file.libraries) {
      read_libraries(line);
    }
    kit_.add_skipped(fs::path(path_).filename().string(), file.skipped);
    kit_.scene.levels.emplace_back();
    kit_.scene.default_level = LevelId{0};
    for (const ObjRun& run : file.runs) {
      add_run(run);
    }
    if (uses_transform_) {
      kit_.scene.extensions_used.emplace_back("KHR_texture_transform");
    }
    return kit_.finish(run_);
  }

 private:
  // ---- materials ----

  /// A line may be one name with blanks in it, or several names.
  void read_libraries(const std::string& line) {
    if (const std::string whole = kit_.finder.find(with_slashes(line)); !whole.empty()) {
      return read_library(whole);
    }
    std::string_view rest = line;
    for (std::string_view word = take_word(rest); !word.empty(); word = take_word(rest)) {
      const std::string found = kit_.finder.find(with_slashes(std::string(word)));
      if (found.empty()) {
        kit_.scene.missing_files.push_back({std::string(word), "the materials (mtllib)"});
      } else {
        read_library(found);
      }
    }
  }

  void read_library(const std::string& name) {
    const auto bytes = map_file((kit_.folder / name).string());
    if (!bytes) {
      kit_.scene.missing_files.push_back({to_utf8(name), "the materials (mtllib)"});
      return;
    }
    std::string storage;
    const MtlFile file = parse_mtl(decode_text(as_text(*bytes), storage));
    kit_.add_skipped(name, file.skipped);
    for (const MtlMaterial& material : file.materials) {
      // The first of a name counts, as in every other reader.
      if (materials_.find(material.name) == materials_.end()) {
        materials_.emplace(material.name, add_material(material));
      }
    }
  }

  MaterialId add_material(const MtlMaterial& source) {
    Material material;
    material.name = source.name;
    const auto wide = [](float value) { return static_cast<double>(value); };
    material.base_color = {wide(source.diffuse[0]), wide(source.diffuse[1]),
                           wide(source.diffuse[2]), std::clamp(wide(source.alpha), 0.0, 1.0)};
    for (std::size_t c = 0; c < 3; ++c) {
      material.base_color[c] = std::clamp(material.base_color[c], 0.0, 1.0);
      material.emissive[c] = std::clamp(wide(source.emission[c]), 0.0, 1.0);
    }
    material.metallic = std::clamp(wide(source.metallic), 0.0, 1.0);
    material.roughness = source.roughness >= 0 ? std::min(1.0, wide(source.roughness))
                                               : find_roughness(wide(source.shininess));
    material.base_color_texture = add_slot(source.diffuse_map, "map_Kd", source.name);
    material.emissive_texture = add_slot(source.emission_map, "map_Ke", source.name);
    material.normal_texture = add_slot(source.normal_map, "the normal map", source.name);
    add_metal_rough(source, material);
    material.normal_texture.factor = wide(source.normal_map.bump);
    if (material.base_color_texture.texture != no_texture &&
        source.diffuse == MtlMaterial{}.diffuse) {
      // Exporters leave the default grey beside a texture; no reader darkens the texture by it.
      material.base_color[0] = material.base_color[1] = material.base_color[2] = 1;
    }
    if (material.emissive_texture.texture != no_texture &&
        source.emission == std::array<float, 3>{0, 0, 0}) {
      material.emissive = {1, 1, 1};
    }
    const bool same_map = source.alpha_map.name == source.diffuse_map.name;
    if (source.alpha < 1) {
      material.alpha_mode = AlphaMode::blend;
    } else if (!source.alpha_map.name.empty() && same_map) {
      material.alpha_mode = AlphaMode::mask;
    }
    keep_others(source, material);
    kit_.scene.materials.push_back(std::move(material));
    return make_id<MaterialId>(kit_.scene.materials.size() - 1);
  }

  /// One picture for both has roughness in its green and metalness in its blue, as glTF has it.
  /// Two would have to be painted into one; they stay with the material as text.
  void add_metal_rough(const MtlMaterial& source, Material& material) {
    if (source.roughness_map.name.empty() ||
        source.roughness_map.name != source.metallic_map.name) {
      return;
    }
    material.metallic_roughness_texture = add_slot(source.roughness_map, "map_Pr", source.name);
    // A factor that is not given leaves the picture as it is.
    material.roughness = source.roughness >= 0 ? material.roughness : 1;
    material.metallic = source.metallic > 0 ? material.metallic : 1;
  }

  /// What glTF has no place for stays with the material as text.
  static void keep_others(const MtlMaterial& source, Material& material) {
    JsonOut out;
    out.begin_object();
    out.begin_object("mtl");
    std::map<std::string, std::string> last;  // a statement given again replaces the one before
    for (const auto& [word, value] : source.others) {
      last[word] = value;
    }
    if (!source.alpha_map.name.empty()) {
      last["map_d"] = source.alpha_map.name;
    }
    if (source.roughness_map.name != source.metallic_map.name) {
      for (const auto& [word, map] : {std::pair("map_Pr", &source.roughness_map),
                                      std::pair("map_Pm", &source.metallic_map)}) {
        if (!map->name.empty()) {
          last[word] = map->name;
        }
      }
    }
    for (const auto& [word, value] : last) {
      out.member(word, value);
    }
    out.end_object();
    out.end_object();
    if (!last.empty()) {
      material.extra.ensure().extras = out.take();
    }
  }

  TextureSlot add_slot(const MtlTexture& map, const char* what, const std::string& material) {
    TextureSlot slot;
    if (map.name.empty()) {
      return slot;
    }
    const std::uint32_t wrap = map.clamp ? wrap_clamp : wrap_repeat;
    slot.texture =
        kit_.add_texture(map.name, wrap, wrap, fmt::format("{} of material {}", what, material));
    const Vec2d scale{static_cast<double>(map.scale[0]), static_cast<double>(map.scale[1])};
    const Vec2d offset{static_cast<double>(map.offset[0]), static_cast<double>(map.offset[1])};
    if (scale != Vec2d{1, 1} || offset != Vec2d{0, 0}) {
      // The same transform where v goes down: v' = 1 - (s (1 - v) + o).
      UvTransform transform;
      transform.scale = scale;
      transform.offset = {offset[0], 1 - scale[1] - offset[1]};
      slot.transform = transform;
      uses_transform_ = true;
    }
    return slot;
  }

  MaterialId find_material(const std::string& name) {
    if (name.empty()) {
      return no_material;
    }
    const auto known = materials_.find(name);
    if (known != materials_.end()) {
      return known->second;
    }
    // Named and nowhere described: kept apart by its name.
    MtlMaterial bare;
    bare.name = name;
    return materials_.emplace(name, add_material(bare)).first->second;
  }

  // ---- nodes and meshes ----

  void add_run(const ObjRun& run) {
    const NodeId node = find_node(run);
    MeshId& mesh = kit_.scene.nodes[to_index(node)].mesh;
    if (mesh == no_mesh) {
      mesh = make_id<MeshId>(kit_.scene.meshes.size());
      kit_.scene.meshes.emplace_back().name = kit_.scene.nodes[to_index(node)].name;
    }
    Primitive primitive = make_primitive(run);
    kit_.scene.meshes[to_index(kit_.scene.nodes[to_index(node)].mesh)].primitives.push_back(
        std::move(primitive));
  }

  NodeId find_node(const ObjRun& run) {
    NodeId parent = no_node;
    if (!run.object.empty()) {
      parent = find_node(run.object, "", run.object, no_node);
    }
    if (run.group.empty() && parent != no_node) {
      return parent;
    }
    const std::string name =
        run.group.empty() ? to_utf8(fs::path(path_).stem().string()) : run.group;
    return find_node(run.object, "g " + run.group, name, parent);
  }

  NodeId find_node(const std::string& object,
                   const std::string& group,
                   const std::string& name,
                   NodeId parent) {
    const auto [slot, added] =
        nodes_.try_emplace(std::pair(object, group), make_id<NodeId>(kit_.scene.nodes.size()));
    if (added) {
      kit_.add_node(name, parent);
    }
    return slot->second;
  }

  Primitive make_primitive(const ObjRun& run) {
    std::unordered_map<ObjCorner, std::uint32_t, HashCorner> known;  // looked up only
    std::vector<ObjCorner> vertices;
    std::vector<std::uint32_t> indices;
    indices.reserve(run.corners.size());
    for (const ObjCorner& corner : run.corners) {
      const auto [slot, added] =
          known.try_emplace(corner, static_cast<std::uint32_t>(vertices.size()));
      if (added) {
        vertices.push_back(corner);
      }
      indices.push_back(slot->second);
    }
    Primitive primitive;
    primitive.material = find_material(run.material);
    primitive.mode = run.kind == ObjElement::faces   ? PrimitiveMode::triangles
                     : run.kind == ObjElement::lines ? PrimitiveMode::lines
                                                     : PrimitiveMode::points;
    add_attributes(run, vertices, primitive);
    primitive.indices = kit_.add_indices(indices);
    return primitive;
  }

  /// Normals are there when every corner has one. Where some have no UVs, these are 0, 0.
  void add_attributes(const ObjRun& run,
                      const std::vector<ObjCorner>& vertices,
                      Primitive& primitive) {
    const auto gather = [&](const auto& source, auto member) {
      std::vector<float> values;
      for (const ObjCorner& corner : vertices) {
        values.insert(values.end(), source[corner.*member].begin(), source[corner.*member].end());
      }
      return values;
    };
    const auto add = [&](const char* semantic, const std::vector<float>& values, std::size_t width,
                         ElementType element) {
      primitive.attributes.push_back(
          {semantic, kit_.add_stream(values, width, element, ComponentType::f32)});
    };
    primitive.attributes.push_back(
        {"POSITION", kit_.add_positions(gather(file_->positions, &ObjCorner::position))});
    if (run.normals) {
      add("NORMAL", gather(file_->normals, &ObjCorner::normal), 3, ElementType::vec3);
    }
    if (std::any_of(vertices.begin(), vertices.end(),
                    [](const ObjCorner& corner) { return corner.uv != no_index; })) {
      std::vector<float> values;
      for (const ObjCorner& corner : vertices) {
        const std::array<float, 2> uv =
            corner.uv == no_index ? std::array<float, 2>{0, 1} : file_->uvs[corner.uv];
        values.insert(values.end(), {uv[0], 1 - uv[1]});
      }
      add("TEXCOORD_0", values, 2, ElementType::vec2);
    }
    if (!file_->colors.empty()) {
      add("COLOR_0", gather(file_->colors, &ObjCorner::position), 4, ElementType::vec4);
    }
  }

  const std::string& path_;
  KitScene kit_;
  const RunControl& run_;
  const ObjFile* file_ = nullptr;
  std::map<std::string, MaterialId> materials_;
  std::map<std::pair<std::string, std::string>, NodeId> nodes_;
  bool uses_transform_ = false;
};

}  // namespace

Result<Scene> read_obj(const std::string& path, const RunControl& run) {
  const auto bytes = map_file(path);
  if (!bytes) {
    return Failure(bytes.error());
  }
  std::string storage;
  const auto file = parse_obj(decode_text(as_text(*bytes), storage));
  auto scene = file ? ObjBuilder(path, run).build(*file) : Result<Scene>(Failure(file.error()));
  return of_file(std::move(scene), path);
}

}  // namespace wakuzume
