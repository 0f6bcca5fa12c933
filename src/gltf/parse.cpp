// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "gltf/parse.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace wakuzume {

bool GltfParser::rest(std::string_view key, JsonValue value, const At& at, Boxed<Extra>& extra) {
  if (key == "extras") {
    return in_.read_raw(value, at, extra.ensure().extras);
  }
  if (key == "extensions") {
    return rest(key, value, at, extra,
                [](const std::string&, JsonValue, const At&, bool&) { return true; });
  }
  auto& members = extra.ensure().members;
  members.push_back({std::string(key), {}});
  return in_.read_raw(value, at, members.back().json);
}

bool GltfParser::one_of(const At& at,
                        std::uint32_t value,
                        std::initializer_list<std::uint32_t> allowed) {
  return std::find(allowed.begin(), allowed.end(), value) != allowed.end() ||
         in_.fail(ErrorCode::bad_value, at,
                  fmt::format("{} is none of {}", value, fmt::join(allowed, ", ")));
}

bool GltfParser::parse_asset(JsonValue value, const At& at) {
  Asset& asset = scene_.asset;
  asset.version.clear();
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "version") {
      return in_.read(v, a, asset.version);
    }
    if (key == "minVersion") {
      return in_.read(v, a, asset.min_version);
    }
    if (key == "generator") {
      return in_.read(v, a, asset.generator);
    }
    if (key == "copyright") {
      return in_.read(v, a, asset.copyright);
    }
    return rest(key, v, a, asset.extra);
  });
  const bool second =
      asset.version.starts_with("2.") && (asset.min_version.empty() || asset.min_version == "2.0");
  return good && (second || in_.fail(ErrorCode::not_supported, at,
                                     fmt::format("glTF version '{}' (minVersion '{}'); 2.0 is read",
                                                 asset.version, asset.min_version)));
}

bool GltfParser::parse_root_extension(const std::string& name, JsonValue value, const At& at) {
  if (name == "KHR_lights_punctual") {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "lights") {
        return in_.array(v, a, [&](JsonValue item, const At& b) { return parse_light(item, b); });
      }
      return rest(key, v, a, scene_.lights_extra);
    });
  }
  auto& list = scene_.extra.ensure().extensions;
  list.push_back({name, {}});
  return in_.read_raw(value, at, list.back().json);
}

bool GltfParser::parse_root(std::string_view key, JsonValue value, const At& at) {
  using Parse = bool (GltfParser::*)(JsonValue, const At&);
  static constexpr std::pair<std::string_view, Parse> tables[] = {
      {"nodes", &GltfParser::parse_node},       {"meshes", &GltfParser::parse_mesh},
      {"accessors", &GltfParser::parse_stream}, {"bufferViews", &GltfParser::parse_view},
      {"buffers", &GltfParser::parse_block},    {"materials", &GltfParser::parse_material},
      {"textures", &GltfParser::parse_texture}, {"images", &GltfParser::parse_image},
      {"samplers", &GltfParser::parse_sampler}, {"cameras", &GltfParser::parse_camera},
      {"skins", &GltfParser::parse_skin},       {"animations", &GltfParser::parse_animation},
      {"scenes", &GltfParser::parse_level},
  };
  for (const auto& table : tables) {
    if (key == table.first) {
      return in_.array(value, at, [&](JsonValue item, const At& item_at) {
        return (this->*table.second)(item, item_at);
      });
    }
  }
  if (key == "asset") {
    return parse_asset(value, at);
  }
  if (key == "scene") {
    return in_.read(value, at, scene_.default_level);
  }
  if (key == "extensionsUsed") {
    return in_.read(value, at, scene_.extensions_used);
  }
  if (key == "extensionsRequired") {
    return in_.read(value, at, scene_.extensions_required);
  }
  if (key == "extensions") {
    return in_.object(value, at, [&](std::string_view name, JsonValue v, const At& a) {
      return parse_root_extension(std::string(name), v, a);
    });
  }
  return rest(key, value, at, scene_.extra);
}

/// Compressions that this reader can't undo.
bool GltfParser::check_required() {
  const At root{};
  const At used{&root, "extensionsUsed"};
  for (std::size_t i = 0; i < scene_.extensions_used.size(); ++i) {
    const std::string& name = scene_.extensions_used[i];
    if (name != packed_extension && name.ends_with("_meshopt_compression")) {
      return in_.fail(ErrorCode::not_supported, At{&used, {}, i},
                      fmt::format("{} hides the geometry; export with {} or without compression",
                                  name, packed_extension));
    }
  }
  return true;
}

/// What is undone is no extension of the scene.
void GltfParser::forget_compressions() {
  for (const char* const name : {packed_extension, draco_extension}) {
    const bool undone = name == packed_extension ? !packed_.views.empty() : !packed_.drawn.empty();
    if (undone) {
      scene_.unpacked.emplace_back(name);
    }
    std::erase(scene_.extensions_used, name);
    std::erase(scene_.extensions_required, name);
  }
  if (!packed_.views.empty()) {
    scene_.storage = StreamStorage::packed;
  }
}

Result<Scene> GltfParser::parse(simdjson::padded_string_view json) {
  simdjson::ondemand::parser parser;
  simdjson::ondemand::document document;
  simdjson::ondemand::object root;
  const At at{};
  bool has_asset = false;
  const auto code = parser.iterate(json).get(document);
  if (code != simdjson::SUCCESS) {
    in_.wrong(code, at, "a glTF file");
  } else if (const auto kind = document.get_object().get(root); kind != simdjson::SUCCESS) {
    in_.wrong(kind, at, "an object");
  } else {
    const bool good =
        in_.members(root, at, [&](std::string_view key, JsonValue value, const At& member_at) {
          has_asset = has_asset || key == "asset";
          return parse_root(key, value, member_at);
        });
    if (good && !at_end(document)) {
      in_.fail(ErrorCode::bad_json, at, "text follows after the end of the root object");
    } else if (good && !has_asset) {
      in_.fail(ErrorCode::missing_member, at, "asset is required");
    } else if (good && check_required()) {
      forget_compressions();
    }
  }
  if (in_.error()) {
    return Failure(*in_.error());
  }
  return std::move(scene_);
}

}  // namespace wakuzume
