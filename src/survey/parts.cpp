// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/parts.h"

#include <algorithm>

#include "scene/elements.h"
#include "survey/rules.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

std::uint64_t low(const ValueHasher& hasher) { return hasher.finish().low; }

std::uint64_t hash_text(std::string_view text) {
  ValueHasher hasher;
  hasher.add(text);
  return low(hasher);
}

/// Textures by what they show: image content, sampler, UV set and transform.
class SlotHasher {
 public:
  SlotHasher(const Scene& scene, const std::vector<ContentHash>& contents)
      : scene_(scene), contents_(contents) {}

  void add(ValueHasher& hasher, const TextureSlot& slot) const {
    hasher.add(slot.texture != no_texture);
    if (slot.texture == no_texture) {
      return;
    }
    add_image(hasher, slot.texture);
    const UvTransform transform = slot.transform ? *slot.transform : UvTransform{};
    hasher.add(find_uv_set(slot));
    hasher.add(transform.offset);
    hasher.add(transform.rotation);
    hasher.add(transform.scale);
    if (slot.extra) {
      hasher.add(slot.extra->extras);
    }
  }

 private:
  void add_image(ValueHasher& hasher, TextureId texture) const {
    const ImageId image = find_image(scene_, texture);
    hasher.add(image != no_image);
    if (image != no_image) {
      hasher.add(contents_[to_index(image)]);
    }
    if (const Texture& found = scene_.textures[to_index(texture)]; found.layers) {
      hasher.add(found.layers->layer_of.size());
      for (const std::uint32_t layer : found.layers->layer_of) {
        hasher.add(layer);
      }
    }
    const SamplerId id = scene_.textures[to_index(texture)].sampler;
    const Sampler sampler =
        make_effective(id == no_sampler ? Sampler{} : scene_.samplers[to_index(id)]);
    hasher.add(std::array{sampler.mag_filter, sampler.min_filter, sampler.wrap_s, sampler.wrap_t});
  }

  const Scene& scene_;
  const std::vector<ContentHash>& contents_;
};

std::uint64_t hash_shading(const Material& material) {
  std::vector<std::pair<std::string, std::string>> extensions;
  for (const Boxed<Extra>* extra : {&material.extra, &material.pbr_extra}) {
    if (*extra) {
      for (const RawMember& extension : (*extra)->extensions) {
        extensions.emplace_back(extension.name, extension.json);
      }
    }
  }
  std::sort(extensions.begin(), extensions.end());
  ValueHasher hasher;
  for (const auto& [name, json] : extensions) {
    hasher.add(name);
    hasher.add(json);
  }
  return low(hasher);
}

}  // namespace

std::vector<ContentHash> make_image_contents(const Scene& scene,
                                             std::span<const ImageFacts> images) {
  std::vector<ContentHash> contents(scene.images.size());
  for (std::size_t i = 0; i < contents.size(); ++i) {
    const Bytes encoded = find_encoded(scene, make_id<ImageId>(i));
    if (i < images.size() && images[i].decoded) {
      contents[i] = images[i].pixels;
    } else if (encoded.size() > 0) {
      contents[i] = hash_bytes(encoded.data());
      encoded.let_go();
    } else {
      // A file that is missing is known by its name alone.
      contents[i] = {hash_text(scene.images[i].uri), i};
    }
  }
  return contents;
}

MaterialParts::MaterialParts(const Scene& scene, std::span<const ImageFacts> images)
    : scene_(scene), contents_(make_image_contents(scene, images)) {}

PartHashes MaterialParts::find(MaterialId id) const {
  PartHashes parts = find(id == no_material ? Material{} : scene_[id]);
  ValueHasher name;
  name.add(id);
  parts[static_cast<std::size_t>(KeyPart::material_name)] = low(name);
  return parts;
}

PartHashes MaterialParts::find(const Material& material) const {
  PartHashes parts{};
  const auto set = [&](KeyPart part, std::uint64_t hash) {
    parts[static_cast<std::size_t>(part)] = hash;
  };
  const auto hash = [](const auto&... values) {
    ValueHasher hasher;
    (hasher.add(values), ...);
    return low(hasher);
  };
  set(KeyPart::base_color, hash(material.base_color));
  set(KeyPart::factors, hash(material.metallic, material.roughness, material.emissive,
                             material.normal_texture.factor, material.occlusion_texture.factor));
  set(KeyPart::alpha, hash(material.alpha_mode,
                           material.alpha_mode == AlphaMode::mask ? material.alpha_cutoff : 0));
  set(KeyPart::sidedness, hash(material.double_sided));
  set(KeyPart::shading, hash_shading(material));
  set(KeyPart::extras, hash_text(find_own_extras(material)));
  const SlotHasher slots(scene_, contents_);
  ValueHasher color;
  slots.add(color, material.base_color_texture);
  set(KeyPart::color_texture, low(color));
  ValueHasher others;
  for (const TextureSlot* slot : list_slots(material)) {
    if (slot != &material.base_color_texture) {
      slots.add(others, *slot);
    }
  }
  set(KeyPart::other_textures, low(others));
  return parts;
}

std::vector<PartHashes> make_key_parts(const Scene& scene,
                                       const Survey& survey,
                                       std::span<const ImageFacts> images) {
  const MaterialParts materials(scene, images);
  std::vector<PartHashes> of_material;
  for (std::size_t m = 0; m <= scene.materials.size(); ++m) {
    of_material.push_back(
        materials.find(m < scene.materials.size() ? make_id<MaterialId>(m) : no_material));
  }
  std::vector<PartHashes> out;
  for (const MergeKey& key : survey.keys) {
    PartHashes parts = of_material[std::min(to_index(key.material), scene.materials.size())];
    const auto set = [&](KeyPart part, std::uint64_t hash) {
      parts[static_cast<std::size_t>(part)] = hash;
    };
    set(KeyPart::layout, hash_text(key.layout));
    set(KeyPart::topology, static_cast<std::uint64_t>(key.topology));
    set(KeyPart::lightmap, hash_text(key.lightmap));
    set(KeyPart::tag, hash_text(to_string(key.tags)));
    ValueHasher level;
    level.add(key.level);
    for (const LevelId id : key.levels) {
      level.add(id);
    }
    set(KeyPart::level, low(level));
    set(KeyPart::moving_root, static_cast<std::uint64_t>(key.moving_root));
    out.push_back(parts);
  }
  return out;
}

}  // namespace wakuzume
