// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "gltf/parse.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <utility>

#include "gltf/spelled.h"

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

bool GltfParser::parse_component(JsonValue value, const At& at, ComponentType& out) {
  std::uint32_t number = 0;
  if (!in_.read(value, at, number) || !one_of(at, number, {5120, 5121, 5122, 5123, 5125, 5126})) {
    return false;
  }
  out = static_cast<ComponentType>(number);
  return true;
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

bool GltfParser::parse_block(JsonValue value, const At& at) {
  Block& block = scene_.blocks.emplace_back();
  std::uint64_t length = 0;
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "byteLength") {
      return in_.read(v, a, length);
    }
    if (key == "uri") {
      return in_.read(v, a, block.uri);
    }
    if (key == "name") {
      return in_.read(v, a, block.name);
    }
    return rest(key, v, a, block.extra);
  });
  block_lengths_.push_back(length);
  return good && (length > 0 || in_.fail(ErrorCode::bad_value, at, "byteLength must be above 0"));
}

bool GltfParser::parse_view(JsonValue value, const At& at) {
  BlockView& view = scene_.views.emplace_back();
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "buffer") {
      return in_.read(v, a, view.block);
    }
    if (key == "byteOffset") {
      return in_.read(v, a, view.offset);
    }
    if (key == "byteLength") {
      return in_.read(v, a, view.length);
    }
    if (key == "byteStride") {
      return in_.read(v, a, view.stride);
    }
    if (key == "target") {
      return in_.read(v, a, view.target) && one_of(a, view.target, {34962, 34963});
    }
    if (key == "name") {
      return in_.read(v, a, view.name);
    }
    return rest(key, v, a, view.extra);
  });
}

bool GltfParser::parse_sparse_indices(JsonValue value, const At& at, SparseSubstitution& out) {
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "bufferView") {
      return in_.read(v, a, out.index_view);
    }
    if (key == "byteOffset") {
      return in_.read(v, a, out.index_offset);
    }
    if (key == "componentType") {
      return parse_component(v, a, out.index_type);
    }
    return rest(key, v, a, out.index_extra);
  });
}

bool GltfParser::parse_sparse(JsonValue value, const At& at, SparseSubstitution& out) {
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "count") {
      return in_.read(v, a, out.count);
    }
    if (key == "indices") {
      return parse_sparse_indices(v, a, out);
    }
    if (key == "values") {
      return in_.object(v, a, [&](std::string_view name, JsonValue inner, const At& b) {
        if (name == "bufferView") {
          return in_.read(inner, b, out.value_view);
        }
        if (name == "byteOffset") {
          return in_.read(inner, b, out.value_offset);
        }
        return rest(name, inner, b, out.value_extra);
      });
    }
    return rest(key, v, a, out.extra);
  });
}

bool GltfParser::parse_element(const std::string& name, const At& at, ElementType& out) {
  for (int type = 0; type <= static_cast<int>(ElementType::mat4); ++type) {
    if (name == to_string(static_cast<ElementType>(type))) {
      out = static_cast<ElementType>(type);
      return true;
    }
  }
  return in_.fail(ErrorCode::bad_value, at, fmt::format("'{}' is no accessor type", name));
}

bool GltfParser::parse_stream(JsonValue value, const At& at) {
  Stream& stream = scene_.streams.emplace_back();
  bool has_component = false;
  std::string element;
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "bufferView") {
      return in_.read(v, a, stream.view);
    }
    if (key == "byteOffset") {
      stream.spelled |= spelled::stream::offset;
      return in_.read(v, a, stream.offset);
    }
    if (key == "count") {
      return in_.read(v, a, stream.count);
    }
    if (key == "componentType") {
      has_component = true;
      return parse_component(v, a, stream.component);
    }
    if (key == "type") {
      return in_.read(v, a, element);
    }
    if (key == "normalized") {
      stream.spelled |= spelled::stream::normalized;
      return in_.read(v, a, stream.normalized);
    }
    if (key == "min") {
      return in_.read(v, a, stream.bounds.ensure().min);
    }
    if (key == "max") {
      return in_.read(v, a, stream.bounds.ensure().max);
    }
    if (key == "sparse") {
      return parse_sparse(v, a, stream.sparse.ensure());
    }
    if (key == "name") {
      return in_.read(v, a, stream.name);
    }
    return rest(key, v, a, stream.extra);
  });
  if (!good) {
    return false;
  }
  if (!has_component || element.empty()) {
    return in_.fail(ErrorCode::missing_member, at, "componentType and type are required");
  }
  return parse_element(element, at, stream.element);
}

bool GltfParser::parse_attributes(JsonValue value, const At& at, std::vector<Attribute>& out) {
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    Attribute& attribute = out.emplace_back();
    attribute.semantic = key;
    return in_.read(v, a, attribute.stream);
  });
}

bool GltfParser::parse_primitive(JsonValue value, const At& at, Primitive& out) {
  bool has_attributes = false;
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "attributes") {
      has_attributes = true;
      return parse_attributes(v, a, out.attributes);
    }
    if (key == "indices") {
      return in_.read(v, a, out.indices);
    }
    if (key == "material") {
      return in_.read(v, a, out.material);
    }
    if (key == "mode") {
      std::uint32_t mode = 0;
      out.spelled |= spelled::primitive::mode;
      const bool read = in_.read(v, a, mode) && one_of(a, mode, {0, 1, 2, 3, 4, 5, 6});
      out.mode = static_cast<PrimitiveMode>(mode);
      return read;
    }
    if (key == "targets") {
      return in_.array(v, a, [&](JsonValue item, const At& b) {
        return parse_attributes(item, b, out.morph_targets.emplace_back());
      });
    }
    return rest(key, v, a, out.extra);
  });
  return good &&
         (has_attributes || in_.fail(ErrorCode::missing_member, at, "attributes are required"));
}

bool GltfParser::parse_layered(JsonValue value, const At& at, std::vector<Primitive>& out) {
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    return key == "primitives"
               ? in_.array(v, a, [&](JsonValue item, const At& b) {
                   return parse_primitive(item, b, out.emplace_back());
                 })
               : in_.fail(ErrorCode::bad_value, a, "only 'primitives' is expected here");
  });
  return good && (!out.empty() ||
                  in_.fail(ErrorCode::missing_member, at, "at least one primitive is required"));
}

bool GltfParser::parse_mesh(JsonValue value, const At& at) {
  Mesh& mesh = scene_.meshes.emplace_back();
  std::vector<Primitive> layered;
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "name") {
      return in_.read(v, a, mesh.name);
    }
    if (key == "primitives") {
      return in_.array(v, a, [&](JsonValue item, const At& b) {
        return parse_primitive(item, b, mesh.primitives.emplace_back());
      });
    }
    if (key == "weights") {
      return in_.read(v, a, mesh.weights);
    }
    return rest(key, v, a, mesh.extra,
                [&](const std::string& name, JsonValue inner, const At& b, bool& known) {
                  known = name == texture_layers_extension;
                  return !known || parse_layered(inner, b, layered);
                });
  });
  if (!layered.empty()) {
    // What is drawn by those who know the extension stands first.
    mesh.plain = std::exchange(mesh.primitives, std::move(layered));
  }
  return good && (!mesh.primitives.empty() ||
                  in_.fail(ErrorCode::missing_member, at, "at least one primitive is required"));
}

bool GltfParser::parse_node_extension(
    const std::string& name, JsonValue value, const At& at, Node& node, bool& known) {
  if (name == "KHR_lights_punctual") {
    known = true;
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "light" ? in_.read(v, a, node.light)
                            : in_.fail(ErrorCode::bad_value, a, "only 'light' is expected here");
    });
  }
  if (name == "EXT_mesh_gpu_instancing") {
    known = true;
    Instancing& instancing = node.instancing.ensure();
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "attributes" ? parse_attributes(v, a, instancing.attributes)
                                 : rest(key, v, a, instancing.extra);
    });
  }
  return true;
}

bool GltfParser::parse_node(JsonValue value, const At& at) {
  Node& node = scene_.nodes.emplace_back();
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "name") {
      return in_.read(v, a, node.name);
    }
    if (key == "mesh") {
      return in_.read(v, a, node.mesh);
    }
    if (key == "children") {
      return in_.read(v, a, node.children);
    }
    if (key == "translation") {
      node.spelled |= spelled::node::translation;
      return in_.read(v, a, node.trs.translation);
    }
    if (key == "rotation") {
      node.spelled |= spelled::node::rotation;
      return in_.read(v, a, node.trs.rotation);
    }
    if (key == "scale") {
      node.spelled |= spelled::node::scale;
      return in_.read(v, a, node.trs.scale);
    }
    if (key == "matrix") {
      return in_.read(v, a, node.matrix.ensure());
    }
    if (key == "camera") {
      return in_.read(v, a, node.camera);
    }
    if (key == "skin") {
      return in_.read(v, a, node.skin);
    }
    if (key == "weights") {
      return in_.read(v, a, node.weights.ensure());
    }
    return rest(key, v, a, node.extra,
                [&](const std::string& name, JsonValue inner, const At& b, bool& taken) {
                  return parse_node_extension(name, inner, b, node, taken);
                });
  });
  const bool both = node.matrix && node.spelled != 0;
  return good && (!both || in_.fail(ErrorCode::bad_value, at,
                                    "has both a matrix and translation, rotation or scale"));
}

bool GltfParser::parse_lens(JsonValue value, const At& at, Camera& out) {
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "aspectRatio") {
      return in_.read(v, a, out.aspect_ratio);
    }
    if (key == "yfov") {
      return in_.read(v, a, out.yfov);
    }
    if (key == "xmag") {
      return in_.read(v, a, out.xmag);
    }
    if (key == "ymag") {
      return in_.read(v, a, out.ymag);
    }
    if (key == "znear") {
      return in_.read(v, a, out.znear);
    }
    if (key == "zfar") {
      return in_.read(v, a, out.zfar);
    }
    return rest(key, v, a, out.lens_extra);
  });
}

bool GltfParser::parse_camera(JsonValue value, const At& at) {
  Camera& camera = scene_.cameras.emplace_back();
  std::string type;
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "type") {
      return in_.read(v, a, type);
    }
    if (key == "perspective" || key == "orthographic") {
      return parse_lens(v, a, camera);
    }
    if (key == "name") {
      return in_.read(v, a, camera.name);
    }
    return rest(key, v, a, camera.extra);
  });
  camera.perspective = type == "perspective";
  return good && (camera.perspective || type == "orthographic" ||
                  in_.fail(ErrorCode::bad_value, at,
                           fmt::format("type '{}' is neither perspective nor orthographic", type)));
}

bool GltfParser::parse_light(JsonValue value, const At& at) {
  Light& light = scene_.lights.emplace_back();
  const auto spot = [&](JsonValue v, const At& a) {
    light.spelled |= spelled::light::spot;
    return in_.object(v, a, [&](std::string_view key, JsonValue inner, const At& b) {
      if (key == "innerConeAngle") {
        light.spelled |= spelled::light::inner_cone;
        return in_.read(inner, b, light.inner_cone);
      }
      if (key == "outerConeAngle") {
        light.spelled |= spelled::light::outer_cone;
        return in_.read(inner, b, light.outer_cone);
      }
      return rest(key, inner, b, light.spot_extra);
    });
  };
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "name") {
      return in_.read(v, a, light.name);
    }
    if (key == "type") {
      return in_.read(v, a, light.type);
    }
    if (key == "color") {
      light.spelled |= spelled::light::color;
      return in_.read(v, a, light.color);
    }
    if (key == "intensity") {
      light.spelled |= spelled::light::intensity;
      return in_.read(v, a, light.intensity);
    }
    if (key == "range") {
      return in_.read(v, a, light.range);
    }
    if (key == "spot") {
      return spot(v, a);
    }
    return rest(key, v, a, light.extra);
  });
  const bool known = light.type == "directional" || light.type == "point" || light.type == "spot";
  return good && (known || in_.fail(ErrorCode::bad_value, at,
                                    fmt::format("'{}' is no type of light", light.type)));
}

bool GltfParser::parse_skin(JsonValue value, const At& at) {
  Skin& skin = scene_.skins.emplace_back();
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "name") {
      return in_.read(v, a, skin.name);
    }
    if (key == "inverseBindMatrices") {
      return in_.read(v, a, skin.inverse_bind_matrices);
    }
    if (key == "skeleton") {
      return in_.read(v, a, skin.skeleton);
    }
    if (key == "joints") {
      return in_.read(v, a, skin.joints);
    }
    return rest(key, v, a, skin.extra);
  });
}

bool GltfParser::parse_channel(JsonValue value, const At& at, AnimationChannel& out) {
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "sampler") {
      return in_.read(v, a, out.sampler);
    }
    if (key == "target") {
      return in_.object(v, a, [&](std::string_view name, JsonValue inner, const At& b) {
        if (name == "node") {
          return in_.read(inner, b, out.node);
        }
        if (name == "path") {
          return in_.read(inner, b, out.path);
        }
        return rest(name, inner, b, out.target_extra);
      });
    }
    return rest(key, v, a, out.extra);
  });
}

bool GltfParser::parse_animation(JsonValue value, const At& at) {
  Animation& animation = scene_.animations.emplace_back();
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "name") {
      return in_.read(v, a, animation.name);
    }
    if (key == "channels") {
      return in_.array(v, a, [&](JsonValue item, const At& b) {
        return parse_channel(item, b, animation.channels.emplace_back());
      });
    }
    if (key == "samplers") {
      return in_.array(v, a, [&](JsonValue item, const At& b) {
        AnimationSampler& sampler = animation.samplers.emplace_back();
        return in_.object(item, b, [&](std::string_view name, JsonValue inner, const At& c) {
          if (name == "input") {
            return in_.read(inner, c, sampler.input);
          }
          if (name == "output") {
            return in_.read(inner, c, sampler.output);
          }
          if (name == "interpolation") {
            return in_.read(inner, c, sampler.interpolation);
          }
          return rest(name, inner, c, sampler.extra);
        });
      });
    }
    return rest(key, v, a, animation.extra);
  });
}

bool GltfParser::parse_level(JsonValue value, const At& at) {
  Level& level = scene_.levels.emplace_back();
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "name") {
      return in_.read(v, a, level.name);
    }
    if (key == "nodes") {
      return in_.read(v, a, level.roots);
    }
    return rest(key, v, a, level.extra);
  });
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

/// Extensions that hide geometry where this reader would not find it.
bool GltfParser::check_required() {
  const At root{};
  const At required{&root, "extensionsRequired"};
  const At used{&root, "extensionsUsed"};
  for (std::size_t i = 0; i < scene_.extensions_required.size(); ++i) {
    const std::string& name = scene_.extensions_required[i];
    if (name == "KHR_draco_mesh_compression") {
      return in_.fail(ErrorCode::not_supported, At{&required, {}, i},
                      name + " hides the geometry; export without compression");
    }
  }
  for (std::size_t i = 0; i < scene_.extensions_used.size(); ++i) {
    const std::string& name = scene_.extensions_used[i];
    if (name.ends_with("_meshopt_compression")) {
      return in_.fail(ErrorCode::not_supported, At{&used, {}, i},
                      name + " hides the geometry; export without compression");
    }
  }
  return true;
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
    } else if (good) {
      check_required();
    }
  }
  if (in_.error()) {
    return Failure(*in_.error());
  }
  return std::move(scene_);
}

}  // namespace wakuzume
