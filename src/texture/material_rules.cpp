// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/material_rules.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "scene/semantics.h"
#include "survey/textures.h"

namespace wakuzume {

std::string_view to_string(PictureType type) {
  constexpr std::string_view names[picture_type_count] = {"png", "jpeg", "webp"};
  return names[static_cast<std::size_t>(type)];
}

std::string_view to_mime_type(PictureType type) {
  constexpr std::string_view names[picture_type_count] = {"image/png", "image/jpeg", "image/webp"};
  return names[static_cast<std::size_t>(type)];
}

namespace {

/// Coarser pictures than this and tiles would not begin on whole pixels.
constexpr std::uint32_t most_halvings = 2;

std::size_t count_core_textures(const Material& material) {
  const auto slots = list_slots(material);
  return static_cast<std::size_t>(std::count_if(
      slots.begin(), slots.end(), [](const TextureSlot* s) { return s->texture != no_texture; }));
}

/// Do values of several materials agree, so that the shared one can have them as a factor?
template <class Get>
bool all_equal(const Scene& scene, const AtlasPage& page, const Get& get) {
  const auto first = get(scene[page.tiles.front().material]);
  return std::all_of(page.tiles.begin(), page.tiles.end(),
                     [&](const Tile& tile) { return get(scene[tile.material]) == first; });
}

}  // namespace

std::uint32_t MaterialRules::count_spare(const Tile& tile,
                                         const ImageFacts& facts,
                                         std::span<const ImageFacts> images) const {
  // The share of the tile's texels that the picture has, along each side.
  double across = 0;
  double down = 0;
  if (tile.baked()) {
    // Charts are as fine as the finest of the material's pictures.
    for (const TextureSlot* slot : list_slots(scene_[tile.material])) {
      if (slot->texture != no_texture) {
        const ImageFacts& other = images[to_index(find_image(scene_, slot->texture))];
        across = std::max(across, static_cast<double>(other.width_px));
        down = std::max(down, static_cast<double>(other.height_px));
      }
    }
    across = facts.width_px / across;
    down = facts.height_px / down;
  } else {
    const double shown_across = static_cast<double>(tile.used.width) / tile.texture.width_px;
    const double shown_down = static_cast<double>(tile.used.height) / tile.texture.height_px;
    across = facts.width_px * shown_across / tile.size.width_px;
    down = facts.height_px * shown_down / tile.size.height_px;
  }
  // As fine as the picture is where it is shown, and no finer.
  std::uint32_t spare = 0;
  while (spare < most_halvings && std::max(across, down) * std::exp2(spare + 1) <= 1) {
    ++spare;
  }
  return spare;
}

std::vector<const TextureSlot*> list_slots_of(const Material& material, Channel channel) {
  std::vector<const TextureSlot*> slots;
  const auto add = [&](const TextureSlot& slot) {
    if (slot.texture != no_texture) {
      slots.push_back(&slot);
    }
  };
  switch (channel) {
    case Channel::color:
      add(material.base_color_texture);
      break;
    case Channel::surface:
      add(material.metallic_roughness_texture);
      add(material.occlusion_texture);
      break;
    case Channel::normal:
      add(material.normal_texture);
      break;
    case Channel::emissive:
      add(material.emissive_texture);
      break;
  }
  return slots;
}

std::array<double, 4> find_plain_value(const Material& material, Channel channel) {
  switch (channel) {
    case Channel::color:
      return material.base_color;
    case Channel::surface:
      return {1, material.roughness, material.metallic, 1};
    case Channel::normal:
      return {0.5, 0.5, 1, 1};
    case Channel::emissive:
      break;
  }
  return {material.emissive[0], material.emissive[1], material.emissive[2], 1};
}

MaterialRules::MaterialRules(const Scene& scene) : scene_(scene), fixed_(scene.materials.size()) {
  for (std::size_t m = 0; m < fixed_.size(); ++m) {
    const Material& material = scene.materials[m];
    if (list_textures(scene, material).size() > count_core_textures(material)) {
      fixed_[m] = "an extension of it has textures of its own";
    }
    const std::string pointer = fmt::format("/materials/{}/", m);
    for (const Animation& animation : scene.animations) {
      for (const AnimationChannel& channel : animation.channels) {
        for (const RawMember& e :
             channel.target_extra ? channel.target_extra->extensions : std::vector<RawMember>()) {
          if (e.json.find(pointer) != std::string::npos) {
            fixed_[m] = fmt::format("the animation \"{}\" changes it", animation.name);
          }
        }
      }
    }
  }
}

bool MaterialRules::varies(const Primitive& primitive) const {
  for (const RawMember& extension :
       primitive.extra ? primitive.extra->extensions : std::vector<RawMember>()) {
    if (extension.name == "KHR_materials_variants") {
      return true;
    }
  }
  return std::any_of(primitive.morph_targets.begin(), primitive.morph_targets.end(),
                     [](const std::vector<Attribute>& target) {
                       return std::any_of(target.begin(), target.end(), [](const Attribute& a) {
                         return find_uv_number(a.semantic) || is_color(a.semantic);
                       });
                     });
}

bool MaterialRules::leaves_alone(const Draw& draw) const {
  const bool by_rule = draw.stay == StayRule::collider || draw.stay == StayRule::excluded ||
                       draw.stay == StayRule::own_extension || draw.stay == StayRule::not_finite;
  return by_rule || varies(primitive_of(scene_, draw));
}

bool MaterialRules::same_kind(MaterialId a, MaterialId b, const MaterialParts& parts) const {
  const PartHashes x = parts.find(a);
  const PartHashes y = parts.find(b);
  const KeyPart wanted[] = {KeyPart::alpha, KeyPart::sidedness, KeyPart::shading, KeyPart::extras};
  return std::all_of(std::begin(wanted), std::end(wanted), [&](KeyPart part) {
    return x[static_cast<std::size_t>(part)] == y[static_cast<std::size_t>(part)];
  });
}

TextureId find_first_texture(const Material& material) {
  for (const TextureSlot* slot : list_slots(material)) {
    if (slot->texture != no_texture) {
      return slot->texture;
    }
  }
  return no_texture;
}

std::string MaterialRules::name_kind(MaterialId id) const {
  const Material& material = scene_[id];
  constexpr const char* alphas[] = {"opaque", "mask", "blend"};
  return fmt::format("shared_{}{}{}", alphas[static_cast<std::size_t>(material.alpha_mode)],
                     material.double_sided ? "_two_sided" : "", material.unlit() ? "_unlit" : "");
}

void MaterialRules::find_channels(AtlasPage& page, std::span<const ImageFacts> images) const {
  for (std::size_t c = 0; c < channel_count; ++c) {
    const auto channel = static_cast<Channel>(c);
    std::uint32_t halvings = no_index;
    bool textured = false;
    for (const Tile& tile : page.tiles) {
      for (const TextureSlot* slot : list_slots_of(scene_[tile.material], channel)) {
        textured = true;
        if (tile.solid()) {
          continue;
        }
        const ImageFacts& facts = images[to_index(find_image(scene_, slot->texture))];
        halvings =
            std::min(halvings, facts.one_color ? most_halvings : count_spare(tile, facts, images));
      }
    }
    const bool plain =
        all_equal(scene_, page, [&](const Material& m) { return find_plain_value(m, channel); });
    if (textured || (!plain && channel != Channel::normal)) {
      page.halvings[c] = std::min(halvings, most_halvings);
    }
  }
}

}  // namespace wakuzume
