// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/references.h"

#include <simdjson.h>

#include <cstdlib>
#include <optional>

#include "survey/lightmaps.h"
#include "survey/rules.h"

namespace wakuzume {
namespace {

/// "/nodes/12/translation": the number behind a table's name.
std::optional<std::size_t> find_number(const std::string& pointer, std::string_view table) {
  if (!pointer.starts_with(table)) {
    return std::nullopt;
  }
  return std::strtoull(pointer.c_str() + table.size(), nullptr, 10);
}

std::string find_pointer(const AnimationChannel& channel) {
  if (channel.target_extra) {
    for (const RawMember& extension : channel.target_extra->extensions) {
      const std::string pointer = find_member(extension.json, "pointer");
      if (!pointer.empty()) {
        return pointer;
      }
    }
  }
  return {};
}

void put(std::vector<std::string>& names, std::size_t index, const std::string& name) {
  if (index < names.size() && names[index].empty()) {
    names[index] = name;
  }
}

/// Calls `found(key, number)` for whole numbers below members of any depth.
template <class Found>
void visit_numbers(simdjson::dom::element at, std::string_view key, const Found& found) {
  simdjson::dom::object object;
  simdjson::dom::array array;
  std::uint64_t number = 0;
  if (at.get(object) == simdjson::SUCCESS) {
    for (const auto member : object) {
      visit_numbers(member.value, member.key, found);
    }
  } else if (at.get(array) == simdjson::SUCCESS) {
    for (const simdjson::dom::element entry : array) {
      visit_numbers(entry, key, found);
    }
  } else if (at.get(number) == simdjson::SUCCESS) {
    found(key, number);
  }
}

bool speaks_of(std::string_view key, std::string_view table) {
  const std::string lower = [&] {
    std::string out(key);
    for (char& c : out) {
      c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    }
    return out;
  }();
  return lower.find(table) != std::string::npos;
}

}  // namespace

bool is_harmless_extension(const std::string& name) {
  return name.starts_with("KHR_materials_") || name.starts_with("KHR_texture_") ||
         name.starts_with("EXT_texture_") || name.starts_with("KHR_lights_") ||
         name.starts_with("KHR_xmp") || name == lightmap_extension;
}

NodeId find_pointed_node(const Scene& scene, const AnimationChannel& channel) {
  const auto number = find_number(find_pointer(channel), "/nodes/");
  return number && *number < scene.nodes.size() ? make_id<NodeId>(*number) : no_node;
}

Naming::Naming(const Scene& scene)
    : scene_(scene), of_node_(scene.nodes.size()), of_mesh_(scene.meshes.size()) {
  const auto look_at = [&](const Boxed<Extra>& extra) {
    if (extra) {
      for (const RawMember& extension : extra->extensions) {
        look(extension);
      }
    }
  };
  look_at(scene.extra);
  for (const Level& level : scene.levels) {
    look_at(level.extra);
  }
  for (const Animation& animation : scene.animations) {
    for (const AnimationChannel& channel : animation.channels) {
      look(channel);
    }
  }
}

void Naming::look(const RawMember& extension) {
  thread_local simdjson::dom::parser parser;
  simdjson::dom::element json;
  if (is_harmless_extension(extension.name) ||
      parser.parse(extension.json).get(json) != simdjson::SUCCESS) {
    return;
  }
  visit_numbers(json, {}, [&](std::string_view key, std::uint64_t number) {
    if (speaks_of(key, "node")) {
      put(of_node_, number, "the extension " + extension.name);
    }
    if (speaks_of(key, "mesh")) {
      put(of_mesh_, number, "the extension " + extension.name);
    }
  });
}

void Naming::look(const AnimationChannel& channel) {
  const std::string pointer = find_pointer(channel);
  const bool moves = pointer.ends_with("/translation") || pointer.ends_with("/rotation") ||
                     pointer.ends_with("/scale") || pointer.ends_with("/matrix");
  if (const auto node = find_number(pointer, "/nodes/"); node && !moves) {
    put(of_node_, *node, "an animation of " + pointer);
  }
  if (const auto mesh = find_number(pointer, "/meshes/")) {
    put(of_mesh_, *mesh, "an animation of " + pointer);
  }
}

std::string Naming::find(NodeId node, NodeId home) const {
  const MeshId mesh = scene_[node].mesh;
  if (mesh != no_mesh && !of_mesh_[to_index(mesh)].empty()) {
    return of_mesh_[to_index(mesh)];
  }
  for (NodeId at = node; at != no_node && at != home; at = scene_[at].parent) {
    const Boxed<Extra>& extra = scene_[at].extra;
    if (!of_node_[to_index(at)].empty()) {
      return of_node_[to_index(at)];
    }
    if (extra && !extra->extensions.empty()) {
      return "its node or one above has " + extra->extensions.front().name;
    }
  }
  return {};
}

}  // namespace wakuzume
