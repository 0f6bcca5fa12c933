// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include "gltf/parse.h"
#include "gltf/spelled.h"

namespace wakuzume {

bool GltfParser::parse_image(JsonValue value, const At& at) {
  Image& image = scene_.images.emplace_back();
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "name") {
      return in_.read(v, a, image.name);
    }
    if (key == "mimeType") {
      return in_.read(v, a, image.mime_type);
    }
    if (key == "uri") {
      return in_.read(v, a, image.uri);
    }
    if (key == "bufferView") {
      return in_.read(v, a, image.view);
    }
    return rest(key, v, a, image.extra);
  });
  if (good && image.uri.empty() == (image.view == no_view)) {
    return in_.fail(image.uri.empty() ? ErrorCode::missing_member : ErrorCode::bad_value, at,
                    "exactly one of uri and bufferView is required");
  }
  return good;
}

bool GltfParser::parse_sampler(JsonValue value, const At& at) {
  Sampler& sampler = scene_.samplers.emplace_back();
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "name") {
      return in_.read(v, a, sampler.name);
    }
    if (key == "magFilter") {
      return in_.read(v, a, sampler.mag_filter) && one_of(a, sampler.mag_filter, {9728, 9729});
    }
    if (key == "minFilter") {
      return in_.read(v, a, sampler.min_filter) &&
             one_of(a, sampler.min_filter, {9728, 9729, 9984, 9985, 9986, 9987});
    }
    if (key == "wrapS") {
      sampler.spelled |= spelled::sampler::wrap_s;
      return in_.read(v, a, sampler.wrap_s) &&
             one_of(a, sampler.wrap_s, {wrap_repeat, wrap_clamp, wrap_mirrored});
    }
    if (key == "wrapT") {
      sampler.spelled |= spelled::sampler::wrap_t;
      return in_.read(v, a, sampler.wrap_t) &&
             one_of(a, sampler.wrap_t, {wrap_repeat, wrap_clamp, wrap_mirrored});
    }
    return rest(key, v, a, sampler.extra);
  });
}

bool GltfParser::parse_layers(JsonValue value, const At& at, TextureLayers& out) {
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    return key == "source" ? in_.read(v, a, out.image)
           : key == "layers"
               ? in_.read(v, a, out.layer_of)
               : in_.fail(ErrorCode::bad_value, a, "only 'source' and 'layers' are expected here");
  });
  return good && ((out.image != no_image && !out.layer_of.empty()) ||
                  in_.fail(ErrorCode::missing_member, at, "source and layers are required"));
}

bool GltfParser::parse_texture(JsonValue value, const At& at) {
  Texture& texture = scene_.textures.emplace_back();
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "name") {
      return in_.read(v, a, texture.name);
    }
    if (key == "source") {
      return in_.read(v, a, texture.image);
    }
    if (key == "sampler") {
      return in_.read(v, a, texture.sampler);
    }
    return rest(key, v, a, texture.extra,
                [&](const std::string& name, JsonValue inner, const At& b, bool& known) {
                  known = name == texture_layers_extension;
                  return !known || parse_layers(inner, b, texture.layers.ensure());
                });
  });
}

bool GltfParser::parse_uv_transform(JsonValue value, const At& at, UvTransform& out) {
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "offset") {
      out.spelled |= spelled::uv_transform::offset;
      return in_.read(v, a, out.offset);
    }
    if (key == "rotation") {
      out.spelled |= spelled::uv_transform::rotation;
      return in_.read(v, a, out.rotation);
    }
    if (key == "scale") {
      out.spelled |= spelled::uv_transform::scale;
      return in_.read(v, a, out.scale);
    }
    if (key == "texCoord") {
      return in_.read(v, a, out.texcoord);
    }
    return rest(key, v, a, out.extra);
  });
}

bool GltfParser::parse_slot(JsonValue value,
                            const At& at,
                            std::string_view factor_name,
                            TextureSlot& out) {
  const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "index") {
      return in_.read(v, a, out.texture);
    }
    if (key == "texCoord") {
      out.spelled |= spelled::slot::texcoord;
      return in_.read(v, a, out.texcoord);
    }
    if (!factor_name.empty() && key == factor_name) {
      out.spelled |= spelled::slot::factor;
      return in_.read(v, a, out.factor);
    }
    return rest(key, v, a, out.extra,
                [&](const std::string& name, JsonValue inner, const At& b, bool& taken) {
                  taken = name == "KHR_texture_transform";
                  return !taken || parse_uv_transform(inner, b, out.transform.ensure());
                });
  });
  return good && (out.texture != no_texture ||
                  in_.fail(ErrorCode::missing_member, at, "index is required"));
}

bool GltfParser::parse_pbr(JsonValue value, const At& at, Material& out) {
  out.spelled |= spelled::material::pbr;
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "baseColorFactor") {
      out.spelled |= spelled::material::base_color;
      return in_.read(v, a, out.base_color);
    }
    if (key == "metallicFactor") {
      out.spelled |= spelled::material::metallic;
      return in_.read(v, a, out.metallic);
    }
    if (key == "roughnessFactor") {
      out.spelled |= spelled::material::roughness;
      return in_.read(v, a, out.roughness);
    }
    if (key == "baseColorTexture") {
      return parse_slot(v, a, {}, out.base_color_texture);
    }
    if (key == "metallicRoughnessTexture") {
      return parse_slot(v, a, {}, out.metallic_roughness_texture);
    }
    return rest(key, v, a, out.pbr_extra);
  });
}

bool GltfParser::parse_alpha_mode(JsonValue value, const At& at, Material& out) {
  out.spelled |= spelled::material::alpha_mode;
  std::string mode;
  if (!in_.read(value, at, mode)) {
    return false;
  }
  out.alpha_mode = mode == "BLEND"  ? AlphaMode::blend
                   : mode == "MASK" ? AlphaMode::mask
                                    : AlphaMode::opaque;
  return mode == "OPAQUE" || out.alpha_mode != AlphaMode::opaque ||
         in_.fail(ErrorCode::bad_value, at, fmt::format("'{}' is no alpha mode", mode));
}

bool GltfParser::parse_material(JsonValue value, const At& at) {
  Material& material = scene_.materials.emplace_back();
  return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "name") {
      return in_.read(v, a, material.name);
    }
    if (key == "pbrMetallicRoughness") {
      return parse_pbr(v, a, material);
    }
    if (key == "normalTexture") {
      return parse_slot(v, a, "scale", material.normal_texture);
    }
    if (key == "occlusionTexture") {
      return parse_slot(v, a, "strength", material.occlusion_texture);
    }
    if (key == "emissiveTexture") {
      return parse_slot(v, a, {}, material.emissive_texture);
    }
    if (key == "emissiveFactor") {
      material.spelled |= spelled::material::emissive;
      return in_.read(v, a, material.emissive);
    }
    if (key == "alphaCutoff") {
      material.spelled |= spelled::material::alpha_cutoff;
      return in_.read(v, a, material.alpha_cutoff);
    }
    if (key == "doubleSided") {
      material.spelled |= spelled::material::double_sided;
      return in_.read(v, a, material.double_sided);
    }
    if (key == "alphaMode") {
      return parse_alpha_mode(v, a, material);
    }
    return rest(key, v, a, material.extra);
  });
}

}  // namespace wakuzume
