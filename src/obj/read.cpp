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
#include "files/uri.h"
#include "json/out.h"
#include "obj/parse.h"

namespace wakuzume {
namespace {

namespace fs = std::filesystem;

std::string_view as_text(const Bytes& bytes) {
  return {reinterpret_cast<const char*>(bytes.data().data()), bytes.size()};
}

std::string to_lower(std::string text) {
  std::transform(text.begin(), text.end(), text.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return text;
}

/// Finds the files that libraries and maps name. Names come from other machines: with backslashes,
/// drives, home folders and another case. Nothing outside of the folder is ever opened.
class FileFinder {
 public:
  explicit FileFinder(fs::path folder) : folder_(std::move(folder)) {}

  /// The path relative to the folder, or an empty one. As it stands, else by its last step beside
  /// the scene or one folder below, each in any case.
  [[nodiscard]] std::string find(const std::string& name) const {
    const fs::path given = fs::path(name).lexically_normal();
    const bool inside = given.is_relative() && !given.empty() && *given.begin() != ".." &&
                        given.string().find(':') == std::string::npos;
    std::string found = inside ? find_any_case(given) : "";
    const fs::path last = fs::path(name).filename();
    if (!found.empty() || last.empty()) {
      return found;
    }
    found = find_any_case(last);
    for (const fs::path& place : list_folders()) {
      found = found.empty() ? find_any_case(place / last) : found;
    }
    return found;
  }

 private:
  [[nodiscard]] std::string find_any_case(const fs::path& wanted) const {
    std::error_code ignored;
    if (fs::is_regular_file(folder_ / wanted, ignored)) {
      return wanted.generic_string();
    }
    const fs::path parent = wanted.parent_path();
    const std::string name = to_lower(to_utf8(wanted.filename().string()));
    std::string best;
    for (const auto& entry : fs::directory_iterator(folder_ / parent, ignored)) {
      const std::string found = entry.path().filename().string();
      // The least of several, since folders are listed in any order.
      if (to_lower(to_utf8(found)) == name && entry.is_regular_file(ignored) &&
          (best.empty() || found < best)) {
        best = found;
      }
    }
    return best.empty() ? best : (parent / best).generic_string();
  }

  [[nodiscard]] std::vector<fs::path> list_folders() const {
    std::vector<fs::path> folders;
    std::error_code ignored;
    for (const auto& entry : fs::directory_iterator(folder_, ignored)) {
      if (entry.is_directory(ignored)) {
        folders.push_back(entry.path().filename());
      }
    }
    std::sort(folders.begin(), folders.end());
    return folders;
  }

  fs::path folder_;
};

/// Paths from other systems, with slashes.
std::string with_slashes(std::string name) {
  std::replace(name.begin(), name.end(), '\\', '/');
  return name;
}

struct HashCorner {
  std::size_t operator()(const ObjCorner& corner) const {
    const std::uint64_t mixed = (std::uint64_t{corner.position} << 32U | corner.uv) ^
                                std::uint64_t{corner.normal} * 0x9E37'79B9'7F4A'7C15ULL;
    return static_cast<std::size_t>(mixed * 0xD6E8'FEB8'6659'FD93ULL);
  }
};

class ObjBuilder {
 public:
  ObjBuilder(const std::string& path, const RunControl& run)
      : path_(path),
        folder_(fs::path(path).parent_path().empty() ? fs::path(".")
                                                     : fs::path(path).parent_path()),
        finder_(folder_),
        run_(run) {}

  Result<Scene> build(const ObjFile& file) {
    file_ = &file;
    for (const std::string& line : file.libraries) {
      read_libraries(line);
    }
    scene_.asset.generator.clear();
    add_skipped(fs::path(path_).filename().string(), file.skipped);
    scene_.levels.emplace_back();
    scene_.default_level = LevelId{0};
    for (const ObjRun& run : file.runs) {
      add_run(run);
    }
    finish_block();
    if (auto linked = link_parents(scene_); !linked) {
      return Failure(linked.error());
    }
    if (auto checked = check_scene(scene_, run_); !checked) {
      return Failure(checked.error());
    }
    return std::move(scene_);
  }

 private:
  // ---- materials ----

  /// A line may be one name with blanks in it, or several names.
  void read_libraries(const std::string& line) {
    if (const std::string whole = finder_.find(with_slashes(line)); !whole.empty()) {
      return read_library(whole);
    }
    std::string_view rest = line;
    for (std::string_view word = take_word(rest); !word.empty(); word = take_word(rest)) {
      const std::string found = finder_.find(with_slashes(std::string(word)));
      if (found.empty()) {
        scene_.missing_files.push_back({std::string(word), "the materials (mtllib)"});
      } else {
        read_library(found);
      }
    }
  }

  void read_library(const std::string& name) {
    const auto bytes = map_file((folder_ / name).string());
    if (!bytes) {
      scene_.missing_files.push_back({to_utf8(name), "the materials (mtllib)"});
      return;
    }
    std::string storage;
    const MtlFile file = parse_mtl(decode_text(as_text(*bytes), storage));
    add_skipped(name, file.skipped);
    for (const MtlMaterial& material : file.materials) {
      // The first of a name counts, as in every other reader.
      if (materials_.find(material.name) == materials_.end()) {
        materials_.emplace(material.name, add_material(material));
      }
    }
  }

  void add_skipped(const std::string& file, const std::vector<SkippedPart>& skipped) {
    for (const SkippedPart& part : skipped) {
      scene_.skipped_parts.push_back(part);
      scene_.skipped_parts.back().file = to_utf8(file);
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
    material.roughness = find_roughness(source);
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
    scene_.materials.push_back(std::move(material));
    return make_id<MaterialId>(scene_.materials.size() - 1);
  }

  /// Ns is the exponent of a highlight: roughness = sqrt(2 / (Ns + 2)), as B. Karis relates the
  /// two (Specular BRDF Reference, 2013), with alpha = roughness squared.
  static double find_roughness(const MtlMaterial& source) {
    if (source.roughness >= 0) {
      return std::min(1.0, static_cast<double>(source.roughness));
    }
    if (source.shininess < 0) {
      return 1;
    }
    return std::min(1.0, std::pow(2 / (static_cast<double>(source.shininess) + 2), 0.25));
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
    slot.texture = add_texture(map, fmt::format("{} of material {}", what, material));
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

  TextureId add_texture(const MtlTexture& map, const std::string& what) {
    const ImageId image = add_image(map.name, what);
    const auto [slot, added] = textures_.try_emplace(std::pair(image, map.clamp),
                                                     make_id<TextureId>(scene_.textures.size()));
    if (added) {
      Texture texture;
      texture.image = image;
      texture.sampler = find_sampler(map.clamp);
      scene_.textures.push_back(texture);
    }
    return slot->second;
  }

  SamplerId find_sampler(bool clamp) {
    SamplerId& id = samplers_[clamp ? 1 : 0];
    if (id == no_sampler) {
      id = make_id<SamplerId>(scene_.samplers.size());
      Sampler sampler;
      sampler.wrap_s = sampler.wrap_t = clamp ? wrap_clamp : wrap_repeat;
      scene_.samplers.push_back(sampler);
    }
    return id;
  }

  ImageId add_image(const std::string& name, const std::string& what) {
    const std::string found = finder_.find(with_slashes(name));
    // Names in a folder may be in another encoding than those in the text.
    const std::string shown = to_utf8(found.empty() ? with_slashes(name) : found);
    const auto [slot, added] = images_.try_emplace(shown, make_id<ImageId>(scene_.images.size()));
    if (!added) {
      return slot->second;
    }
    Image image;
    image.name = fs::path(shown).stem().string();
    const auto bytes =
        found.empty() ? Result<Bytes>(Failure(Error{})) : map_file((folder_ / found).string());
    if (bytes) {
      image.bytes = *bytes;
      image.uri = make_uri(shown);
    } else {
      image.uri = make_uri(fs::path(shown).filename().string());
      scene_.missing_files.push_back({shown, what});
    }
    scene_.images.push_back(std::move(image));
    return slot->second;
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
    MeshId& mesh = scene_.nodes[to_index(node)].mesh;
    if (mesh == no_mesh) {
      mesh = make_id<MeshId>(scene_.meshes.size());
      scene_.meshes.emplace_back().name = scene_.nodes[to_index(node)].name;
    }
    Primitive primitive = make_primitive(run);
    scene_.meshes[to_index(scene_.nodes[to_index(node)].mesh)].primitives.push_back(
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
        nodes_.try_emplace(std::pair(object, group), make_id<NodeId>(scene_.nodes.size()));
    if (added) {
      scene_.nodes.emplace_back().name = name;
      (parent == no_node ? scene_.levels[0].roots : scene_.nodes[to_index(parent)].children)
          .push_back(slot->second);
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
    primitive.indices = add_stream(indices, 1, ElementType::scalar, ComponentType::u32, 34963);
    return primitive;
  }

  /// Normals are there when every corner has one. Where some have no UVs, these are 0, 0.
  void add_attributes(const ObjRun& run,
                      const std::vector<ObjCorner>& vertices,
                      Primitive& primitive) {
    const auto add = [&](const char* semantic, const auto& source, auto member,
                         ElementType element) {
      std::vector<float> values;
      for (const ObjCorner& corner : vertices) {
        values.insert(values.end(), source[corner.*member].begin(), source[corner.*member].end());
      }
      const StreamId stream =
          add_stream(values, source.front().size(), element, ComponentType::f32, 34962);
      primitive.attributes.push_back({semantic, stream});
      return stream;
    };
    const StreamId positions =
        add("POSITION", file_->positions, &ObjCorner::position, ElementType::vec3);
    set_bounds(positions, vertices);
    if (run.normals) {
      add("NORMAL", file_->normals, &ObjCorner::normal, ElementType::vec3);
    }
    if (std::any_of(vertices.begin(), vertices.end(),
                    [](const ObjCorner& corner) { return corner.uv != no_index; })) {
      std::vector<float> values;
      for (const ObjCorner& corner : vertices) {
        const std::array<float, 2> uv =
            corner.uv == no_index ? std::array<float, 2>{0, 1} : file_->uvs[corner.uv];
        values.insert(values.end(), {uv[0], 1 - uv[1]});
      }
      primitive.attributes.push_back(
          {"TEXCOORD_0", add_stream(values, 2, ElementType::vec2, ComponentType::f32, 34962)});
    }
    if (!file_->colors.empty()) {
      add("COLOR_0", file_->colors, &ObjCorner::position, ElementType::vec4);
    }
  }

  void set_bounds(StreamId positions, const std::vector<ObjCorner>& vertices) {
    StreamBounds bounds;
    bool finite = true;
    for (std::size_t c = 0; c < 3; ++c) {
      const auto value = [&](const ObjCorner& corner) {
        return static_cast<double>(file_->positions[corner.position][c]);
      };
      double low = value(vertices.front());
      double high = low;
      for (const ObjCorner& corner : vertices) {
        low = std::min(low, value(corner));
        high = std::max(high, value(corner));
        finite = finite && std::isfinite(value(corner));
      }
      bounds.min.push_back(low);
      bounds.max.push_back(high);
    }
    if (finite) {  // JSON has no number for what is not
      scene_.streams[to_index(positions)].bounds = bounds;
    }
  }

  template <class T>
  StreamId add_stream(const std::vector<T>& values,
                      std::size_t width,
                      ElementType element,
                      ComponentType component,
                      std::uint32_t target) {
    BlockView view;
    view.block = BlockId{0};
    view.offset = data_.size();
    view.length = values.size() * sizeof(T);
    view.target = target;
    const auto bytes = std::as_bytes(std::span<const T>(values));
    data_.insert(data_.end(), bytes.begin(), bytes.end());
    Stream stream;
    stream.view = make_id<ViewId>(scene_.views.size());
    stream.count = values.size() / width;
    stream.element = element;
    stream.component = component;
    scene_.views.push_back(view);
    scene_.streams.push_back(std::move(stream));
    return make_id<StreamId>(scene_.streams.size() - 1);
  }

  void finish_block() {
    if (!data_.empty()) {
      scene_.blocks.emplace_back().bytes = make_bytes(std::move(data_));
    }
    if (uses_transform_) {
      scene_.extensions_used.emplace_back("KHR_texture_transform");
    }
  }

  const std::string& path_;
  fs::path folder_;
  FileFinder finder_;
  const RunControl& run_;
  const ObjFile* file_ = nullptr;
  Scene scene_;
  std::vector<std::byte> data_;
  std::map<std::string, MaterialId> materials_;
  std::map<std::string, ImageId> images_;
  std::map<std::pair<ImageId, bool>, TextureId> textures_;
  std::array<SamplerId, 2> samplers_{no_sampler, no_sampler};
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
  if (!scene) {
    Error error = scene.error();
    error.place.file = path;
    return Failure(std::move(error));
  }
  return scene;
}

}  // namespace wakuzume
