// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "collada/read.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <numbers>
#include <set>

#include "collada/materials.h"
#include "collada/meshes.h"
#include "collada/transforms.h"
#include "files/file.h"
#include "files/text_encoding.h"
#include "files/text_lines.h"

namespace wakuzume {
namespace collada {
namespace {

namespace fs = std::filesystem;

/// Nodes show nodes, so that a short file can mean a tree without end.
constexpr std::size_t most_nodes = 1U << 22U;
constexpr std::size_t most_levels = 500;

constexpr const char* moves = R"({"static":false})";

void set_place(const Mat4d& matrix, Node& node) {
  if (matrix != identity_matrix && decompose(matrix, node.trs) != Decomposed::exact) {
    node.matrix = matrix;
  }
}

/// The skin or morph of a controller.
pugi::xml_node find_deformer(const pugi::xml_node& controller) {
  const pugi::xml_node skin = controller.child("skin");
  return skin ? skin : controller.child("morph");
}

class SceneReader {
 public:
  SceneReader(Document& document, const std::string& path, const RunControl& run)
      : document_(document),
        path_(path),
        run_(run),
        kit_(path),
        axes_(document.root()),
        meshes_(document, axes_, kit_),
        materials_(document, kit_) {}

  Result<Scene> read() {
    find_moved();
    for (const pugi::xml_node& library : document_.root().children("library_visual_scenes")) {
      for (const pugi::xml_node& level : library.children("visual_scene")) {
        if (auto read = read_level(level); !read) {
          return Failure(read.error());
        }
      }
    }
    if (kit_.scene.levels.empty()) {
      return Failure(Error{ErrorCode::bad_value,
                           "it has no <visual_scene>, so there is nothing that it shows",
                           {"", "line 1"}});
    }
    add_unused_materials();
    note_left_out();
    kit_.add_skipped(fs::path(path_).filename().string(), document_.take_skipped());
    return kit_.finish(run_);
  }

 private:
  // ---- what moves ----

  void find_moved() {
    for (pugi::xml_node library : document_.root().children("library_animations")) {
      struct Channels final : pugi::xml_tree_walker {
        bool for_each(pugi::xml_node& node) override {
          if (std::string_view(node.name()) == "channel") {
            const std::string_view target = node.attribute("target").value();
            ids.emplace(target.substr(0, target.find('/')));
          }
          return true;
        }
        std::set<std::string> ids;
      } channels;
      library.traverse(channels);
      moved_.merge(channels.ids);
    }
  }

  /// Animations and skins are left out, so what they would move says so itself.
  void mark_moving(NodeId node) { kit_.scene.nodes[to_index(node)].extra.ensure().extras = moves; }

  // ---- nodes ----

  Result<void> read_level(const pugi::xml_node& level) {
    Level& made = kit_.scene.levels.emplace_back();
    made.name = find_name(level);
    const pugi::xml_node shown = document_.root().child("scene").child("instance_visual_scene");
    if (kit_.scene.default_level == no_level ||
        document_.find(shown.attribute("url").value()) == level) {
      kit_.scene.default_level = make_id<LevelId>(kit_.scene.levels.size() - 1);
    }
    for (const pugi::xml_node& node : level.children("node")) {
      if (auto read = read_node(node, no_node, 0); !read) {
        return read;
      }
    }
    return {};
  }

  Result<void> read_node(const pugi::xml_node& node, NodeId parent, std::size_t depth) {
    const auto refuse = [&](ErrorCode code, std::string message) {
      return Failure(
          Error{code, std::move(message), {"", fmt::format("line {}", document_.find_line(node))}});
    };
    if (depth > most_levels) {
      return refuse(
          ErrorCode::node_cycle,
          fmt::format("nodes are nested deeper than {} levels, or show themselves", most_levels));
    }
    if (kit_.scene.nodes.size() >= most_nodes) {
      return refuse(ErrorCode::too_large, fmt::format("there are more than {} nodes", most_nodes));
    }
    const NodeId id = kit_.add_node(find_name(node), parent);
    Mat4d place = identity_matrix;
    for (const pugi::xml_node& element : node.children()) {
      place = make_product(place, read_transform(document_, element));
    }
    set_place(axes_.convert(place), kit_.scene.nodes[to_index(id)]);
    if (moved_.count(node.attribute("id").value()) > 0 ||
        std::string_view(node.attribute("type").value()) == "JOINT") {
      mark_moving(id);
    }
    for (const pugi::xml_node& element : node.children()) {
      if (auto read = read_content(element, id, depth); !read) {
        return read;
      }
    }
    return {};
  }

  Result<void> read_content(const pugi::xml_node& element, NodeId node, std::size_t depth) {
    const std::string_view kind = element.name();
    if (kind == "node") {
      return read_node(element, node, depth + 1);
    }
    if (kind == "instance_node") {
      const pugi::xml_node shown = document_.follow(element, "url", "node");
      return shown ? read_node(shown, node, depth + 1) : Result<void>();
    }
    if (kind == "instance_geometry") {
      add_mesh(document_.follow(element, "url", "geometry"), element, node);
    } else if (kind == "instance_controller") {
      add_controller(element, node);
    } else if (kind == "instance_camera") {
      add_camera(document_.follow(element, "url", "camera"), node);
    } else if (kind == "instance_light") {
      document_.skip(element, "lights", "left out", element.attribute("url").value());
    }
    return {};
  }

  /// The node itself, or one below it where it has a mesh.
  NodeId find_place(NodeId node, const std::string& name) {
    return kit_.scene.nodes[to_index(node)].mesh == no_mesh ? node : kit_.add_node(name, node);
  }

  void add_mesh(const pugi::xml_node& geometry, const pugi::xml_node& use, NodeId node) {
    const MeshId mesh = geometry ? find_mesh(geometry, use) : no_mesh;
    if (mesh != no_mesh) {
      const NodeId at = find_place(node, find_name(geometry));
      kit_.scene.nodes[to_index(at)].mesh = mesh;
    }
  }

  /// In the shape it was modelled in. A skin stands where its bones put it, which as it was bound
  /// is where its bind shape is in the scene, whatever its node says.
  void add_controller(const pugi::xml_node& use, NodeId node) {
    pugi::xml_node controller = document_.find(use.attribute("url").value());
    std::set<std::ptrdiff_t> known;
    pugi::xml_node inner = find_deformer(controller);
    Mat4d shape = identity_matrix;
    bool skinned = false;
    while (inner) {
      const bool skin = std::string_view(inner.name()) == "skin";
      if (skin) {
        document_.skip(inner, "skins", "shown as they were bound", find_name(controller));
        const auto bind = document_.read_numbers(inner.child("bind_shape_matrix"));
        if (bind.size() == 16) {
          shape = make_product(make_of_rows(bind), shape);
        }
        skinned = true;
      } else {
        document_.skip(inner, "morph targets", "shown without", find_name(controller));
      }
      const char* const source = inner.attribute("source") ? "source" : "url";
      const pugi::xml_node next = document_.find(inner.attribute(source).value());
      if (std::string_view(next.name()) == "geometry") {
        const NodeId at =
            skinned ? kit_.add_node(kit_.scene.nodes[to_index(node)].name, no_node) : node;
        if (skinned) {
          set_place(axes_.convert(shape), kit_.scene.nodes[to_index(at)]);
          mark_moving(at);
        }
        return add_mesh(next, use, at);
      }
      controller = next;
      inner = known.insert(next.offset_debug()).second ? find_deformer(next) : pugi::xml_node();
    }
    document_.skip(use, "references to what is not there", "left out",
                   fmt::format("the controller \"{}\" leads to no geometry",
                               begin_of(use.attribute("url").value())));
  }

  // ---- meshes ----

  MeshId find_mesh(const pugi::xml_node& geometry, const pugi::xml_node& use) {
    const std::vector<Part>& parts = meshes_.find(geometry);
    if (parts.empty()) {
      return no_mesh;
    }
    std::vector<MaterialId> shown;
    for (const Part& part : parts) {
      shown.push_back(find_material(part, use));
    }
    const auto [slot, added] = known_meshes_.try_emplace({geometry.attribute("id").value(), shown},
                                                         make_id<MeshId>(kit_.scene.meshes.size()));
    if (added) {
      Mesh& mesh = kit_.scene.meshes.emplace_back();
      mesh.name = find_name(geometry);
      for (std::size_t p = 0; p < parts.size(); ++p) {
        mesh.primitives.push_back(parts[p].primitive);
        mesh.primitives.back().material = shown[p];
      }
    }
    return slot->second;
  }

  /// A symbol stands for a material where a mesh is shown; without that, for the one of its name.
  MaterialId find_material(const Part& part, const pugi::xml_node& use) {
    if (part.symbol.empty()) {
      return no_material;
    }
    for (const pugi::xml_node& bound :
         use.child("bind_material").child("technique_common").children("instance_material")) {
      if (bound.attribute("symbol").value() != part.symbol) {
        continue;
      }
      UvNames uvs;
      for (const pugi::xml_node& input : bound.children("bind_vertex_input")) {
        const std::uint32_t set = input.attribute("input_set").as_uint(0);
        const auto hit = std::find(part.uv_sets.begin(), part.uv_sets.end(), set);
        if (std::string_view(input.attribute("input_semantic").value()) == "TEXCOORD" &&
            hit != part.uv_sets.end()) {
          uvs[input.attribute("semantic").value()] =
              static_cast<std::uint32_t>(hit - part.uv_sets.begin());
        }
      }
      const pugi::xml_node material = document_.follow(bound, "target", "material");
      return materials_.find(material, name_of(material, part.symbol), uvs);
    }
    const pugi::xml_node material = document_.find("#" + part.symbol);
    const bool named = std::string_view(material.name()) == "material";
    return materials_.find(named ? material : pugi::xml_node(), part.symbol, {});
  }

  static std::string name_of(const pugi::xml_node& material, const std::string& symbol) {
    return material ? material.attribute("id").value() : symbol;
  }

  void add_unused_materials() {
    for (const pugi::xml_node& library : document_.root().children("library_materials")) {
      for (const pugi::xml_node& material : library.children("material")) {
        const std::string id = material.attribute("id").value();
        if (!materials_.has(id)) {
          materials_.find(material, id, {});
        }
      }
    }
  }

  // ---- cameras ----

  void add_camera(const pugi::xml_node& source, NodeId node) {
    const pugi::xml_node common = source.child("optics").child("technique_common");
    const pugi::xml_node lens =
        common.child("perspective") ? common.child("perspective") : common.child("orthographic");
    if (!lens) {
      return;
    }
    const auto number = [&](const char* name) {
      const double value = lens.child(name).text().as_double(0);
      return std::isfinite(value) ? value : 0;
    };
    constexpr double radians = std::numbers::pi / 180;
    Camera camera;
    camera.name = find_name(source);
    camera.perspective = std::string_view(lens.name()) == "perspective";
    camera.aspect_ratio = std::max(0.0, number("aspect_ratio"));
    camera.znear = axes_.metres() * number("znear");
    camera.zfar = axes_.metres() * number("zfar");
    const double aspect = camera.aspect_ratio > 0 ? camera.aspect_ratio : 1;
    if (camera.perspective) {
      camera.yfov = number("yfov") > 0
                        ? number("yfov") * radians
                        : 2 * std::atan(std::tan(number("xfov") * radians / 2) / aspect);
    } else {
      const double xmag = number("xmag") > 0 ? number("xmag") : number("ymag") * aspect;
      const double ymag = number("ymag") > 0 ? number("ymag") : number("xmag") / aspect;
      camera.xmag = axes_.metres() * xmag;
      camera.ymag = axes_.metres() * ymag;
    }
    const bool sound = camera.perspective
                           ? camera.yfov > 0 && camera.yfov < std::numbers::pi && camera.znear > 0
                           : camera.xmag > 0 && camera.ymag > 0 && camera.zfar > camera.znear;
    if (!sound || (camera.zfar > 0 && camera.zfar <= camera.znear)) {
      return document_.skip(source, "cameras that can't be", "left out", camera.name);
    }
    kit_.scene.cameras.push_back(camera);
    NodeId at = node;
    if (axes_.turns() || kit_.scene.nodes[to_index(node)].camera != no_camera) {
      // Cameras look along their own axes, which were not turned with the rest.
      at = kit_.add_node(camera.name, node);
      set_place(axes_.matrix(), kit_.scene.nodes[to_index(at)]);
    }
    kit_.scene.nodes[to_index(at)].camera = make_id<CameraId>(kit_.scene.cameras.size() - 1);
  }

  // ---- the rest ----

  void note_left_out() {
    static constexpr std::pair<const char*, const char*> libraries[] = {
        {"library_animations", "animations"},
        {"library_animation_clips", "clips of animations"},
        {"library_physics_scenes", "scenes of physics"},
        {"library_force_fields", "fields of force"},
        {"library_articulated_systems", "articulated systems"}};
    for (const auto& [name, what] : libraries) {
      for (const pugi::xml_node& library : document_.root().children(name)) {
        for (const pugi::xml_node& part : library.children()) {
          if (std::string_view(part.name()) != "asset" &&
              std::string_view(part.name()) != "extra") {
            document_.skip(part, what,
                           std::string_view(name) == "library_animations"
                               ? "left out; what they move is marked as what may move"
                               : "left out",
                           find_name(part));
          }
        }
      }
    }
  }

  Document& document_;
  const std::string& path_;
  const RunControl& run_;
  KitScene kit_;
  Axes axes_;
  Meshes meshes_;
  Materials materials_;
  std::set<std::string> moved_;  ///< ids of nodes
  std::map<std::pair<std::string, std::vector<MaterialId>>, MeshId> known_meshes_;
};

}  // namespace
}  // namespace collada

Result<Scene> read_collada(const std::string& path, const RunControl& run) {
  const auto bytes = map_file(path);
  if (!bytes) {
    return Failure(bytes.error());
  }
  auto document = collada::Document::parse(*bytes);
  auto scene = document ? collada::SceneReader(*document, path, run).read()
                        : Result<Scene>(Failure(document.error()));
  return of_file(std::move(scene), path);
}

}  // namespace wakuzume
