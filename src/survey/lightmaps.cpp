// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/lightmaps.h"

#include <fmt/format.h>
#include <simdjson.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "survey/rules.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

const RawMember* find_member_of(const Material& material) {
  if (!material.extra) {
    return nullptr;
  }
  const auto& list = material.extra->extensions;
  const auto hit = std::find_if(list.begin(), list.end(), [](const RawMember& extension) {
    return extension.name == lightmap_extension;
  });
  return hit == list.end() ? nullptr : &*hit;
}

/// Two numbers of an array, where it has them.
void read_pair(simdjson::dom::element from, Vec2d& out) {
  simdjson::dom::array array;
  if (from.get(array) != simdjson::SUCCESS || array.size() != 2) {
    return;
  }
  std::size_t n = 0;
  for (const auto item : array) {
    double value = 0;
    if (item.get(value) == simdjson::SUCCESS) {
      out[n] = value;
    }
    ++n;
  }
}

void read_transform(simdjson::dom::object transform, LightmapExtension& out) {
  simdjson::dom::element value;
  double rotation = 0;
  if (transform["scale"].get(value) == simdjson::SUCCESS) {
    read_pair(value, out.place.scale);
  }
  if (transform["offset"].get(value) == simdjson::SUCCESS) {
    read_pair(value, out.place.offset);
  }
  if (transform["rotation"].get(rotation) == simdjson::SUCCESS) {
    out.turned = rotation != 0;
  }
  std::uint64_t set = 0;
  if (transform["texCoord"].get(set) == simdjson::SUCCESS) {
    out.uv_set = static_cast<std::uint32_t>(std::min<std::uint64_t>(set, no_index));
  }
}

}  // namespace

std::string find_lightmap(const Scene& scene,
                          const Node& node,
                          const Primitive& primitive,
                          const std::string& key) {
  std::string text = find_extra(node.extra, key);
  return text.empty() ? find_shape_lightmap(scene, node.mesh, primitive, key) : text;
}

std::string find_shape_lightmap(const Scene& scene,
                                MeshId mesh,
                                const Primitive& primitive,
                                const std::string& key) {
  std::string text = find_extra(scene[mesh].extra, key);
  if (text.empty()) {
    text = find_extra(primitive.extra, key);
  }
  return text.empty() && primitive.material != no_material
             ? find_extra(scene[primitive.material].extra, key)
             : text;
}

std::optional<LightmapPlace> read_lightmap_place(const std::string& text) {
  thread_local simdjson::dom::parser parser;
  simdjson::dom::array array;
  std::array<double, 4> numbers{};
  if (parser.parse(text).get(array) != simdjson::SUCCESS || array.size() != numbers.size()) {
    return std::nullopt;
  }
  std::size_t n = 0;
  for (const auto item : array) {
    if (item.get(numbers[n]) != simdjson::SUCCESS || !std::isfinite(numbers[n])) {
      return std::nullopt;
    }
    ++n;
  }
  return LightmapPlace{{numbers[0], numbers[1]}, {numbers[2], numbers[3]}};
}

std::string to_json(const LightmapPlace& place) {
  return fmt::format("[{},{},{},{}]", place.scale[0], place.scale[1], place.offset[0],
                     place.offset[1]);
}

LightmapPlace find_lightmap_place(const Scene& scene,
                                  const Node& node,
                                  const Primitive& primitive,
                                  const std::string& key) {
  const std::string text = find_lightmap(scene, node, primitive, key);
  return text.empty() ? LightmapPlace{} : read_lightmap_place(text).value_or(LightmapPlace{});
}

LightmapPlace make_product(const LightmapPlace& outer, const LightmapPlace& inner) {
  return {{outer.scale[0] * inner.scale[0], outer.scale[1] * inner.scale[1]},
          outer.apply(inner.offset)};
}

std::optional<LightmapExtension> find_lightmap_extension(const Scene& scene, MaterialId material) {
  return material == no_material ? std::nullopt : find_lightmap_extension(scene, scene[material]);
}

std::optional<LightmapExtension> find_lightmap_extension(const Scene& scene,
                                                         const Material& material) {
  const RawMember* const member = find_member_of(material);
  thread_local simdjson::dom::parser parser;
  simdjson::dom::object object;
  std::uint64_t index = 0;
  if (member == nullptr || parser.parse(member->json).get(object) != simdjson::SUCCESS ||
      object["index"].get(index) != simdjson::SUCCESS || index >= scene.textures.size()) {
    return std::nullopt;
  }
  LightmapExtension out;
  out.texture = make_id<TextureId>(index);
  std::uint64_t set = 0;
  if (object["texCoord"].get(set) == simdjson::SUCCESS) {
    out.uv_set = static_cast<std::uint32_t>(std::min<std::uint64_t>(set, no_index));
  }
  if (object["intensity"].get(out.intensity) != simdjson::SUCCESS) {
    out.intensity = 1;
  }
  simdjson::dom::object transform;
  if (object["extensions"]["KHR_texture_transform"].get(transform) == simdjson::SUCCESS) {
    read_transform(transform, out);
  }
  return out;
}

Material make_relit(const Scene& scene, MaterialId material, TextureId texture) {
  Material out = scene[material];
  const auto was = find_lightmap_extension(scene, material);
  for (RawMember& extension : out.extra.ensure().extensions) {
    if (extension.name == lightmap_extension) {
      const std::string json = put_member(extension.json, "extensions", "");
      extension.json = put_member(json, "texCoord", std::to_string(was ? was->uv_set : 0));
    }
  }
  set_lightmap_texture(out, texture);
  return out;
}

void set_lightmap_texture(Material& material, TextureId texture) {
  if (find_member_of(material) == nullptr) {
    return;
  }
  std::vector<RawMember>& extensions = material.extra.ensure().extensions;
  if (texture == no_texture) {
    std::erase_if(extensions, [](const RawMember& one) { return one.name == lightmap_extension; });
  }
  for (RawMember& extension : extensions) {
    if (extension.name == lightmap_extension) {
      extension.json = put_member(extension.json, "index", std::to_string(to_index(texture)));
    }
  }
}

namespace {

/// Some texture of an extension names this set.
bool names_uv_set(simdjson::dom::element value, std::uint64_t uv_set) {
  simdjson::dom::object object;
  if (value.get(object) != simdjson::SUCCESS) {
    return false;
  }
  std::uint64_t index = 0;
  std::uint64_t set = 0;
  if (object["index"].get(index) == simdjson::SUCCESS) {
    const bool told = object["texCoord"].get(set) == simdjson::SUCCESS;
    return (told ? set : 0) == uv_set;
  }
  return std::any_of(object.begin(), object.end(), [&](const simdjson::dom::key_value_pair& field) {
    return names_uv_set(field.value, uv_set);
  });
}

}  // namespace

bool looks_up_uv_set(const Scene& scene, MaterialId id, std::uint32_t uv_set) {
  if (id == no_material) {
    return false;
  }
  const Material& material = scene[id];
  const auto slots = list_slots(material);
  if (std::any_of(slots.begin(), slots.end(), [&](const TextureSlot* slot) {
        return slot->texture != no_texture && find_uv_set(*slot) == uv_set;
      })) {
    return true;
  }
  thread_local simdjson::dom::parser parser;
  for (const Boxed<Extra>* extra : {&material.extra, &material.pbr_extra}) {
    if (!*extra) {
      continue;
    }
    for (const RawMember& extension : (*extra)->extensions) {
      simdjson::dom::element value;
      if (extension.name != lightmap_extension &&
          parser.parse(extension.json).get(value) == simdjson::SUCCESS &&
          names_uv_set(value, uv_set)) {
        return true;
      }
    }
  }
  return false;
}

std::string name_lightmap_page(ImageId image) { return fmt::format("image {}", to_index(image)); }

ImageId find_lightmap_image(const Scene& scene, MaterialId material) {
  const auto extension = find_lightmap_extension(scene, material);
  return extension ? find_image(scene, extension->texture) : no_image;
}

LightmapUse find_lightmap_use(const Scene& scene,
                              const Node& node,
                              const Primitive& primitive,
                              const std::string& page_key,
                              const std::string& transform_key,
                              std::uint32_t uv_set) {
  LightmapUse out;
  out.uv_set = uv_set;
  out.place = find_lightmap_place(scene, node, primitive, transform_key);
  const auto own = find_lightmap_extension(scene, primitive.material);
  if (own && find_lightmap(scene, node, primitive, page_key).empty()) {
    out.uv_set = own->uv_set;
    out.beyond = own->place;
    out.intensity = own->intensity;
    out.turned = own->turned;
  }
  return out;
}

std::string name_lightmap_picture(const std::string& pattern, const std::string& page) {
  constexpr std::string_view word = "{page}";
  std::string out = pattern;
  for (std::size_t at = out.find(word); at != std::string::npos;
       at = out.find(word, at + page.size())) {
    out.replace(at, word.size(), page);
  }
  return out;
}

bool is_lit_by_material(const Scene& scene,
                        const Node& node,
                        const Primitive& primitive,
                        const std::string& key) {
  return find_lightmap_extension(scene, primitive.material) &&
         find_lightmap(scene, node, primitive, key).empty();
}

std::string find_lightmap_page(const Scene& scene,
                               const Node& node,
                               const Primitive& primitive,
                               const std::string& key) {
  std::string page = find_lightmap(scene, node, primitive, key);
  const ImageId own = page.empty() ? find_lightmap_image(scene, primitive.material) : no_image;
  return own == no_image ? page : name_lightmap_page(own);
}

}  // namespace wakuzume
