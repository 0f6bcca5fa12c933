// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include "gltf/parse.h"
#include "gltf/spelled.h"

namespace wakuzume {

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

}  // namespace wakuzume
