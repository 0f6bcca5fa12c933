// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "texture/repainter.h"

// The materials, textures and images of pages and stacks.
namespace wakuzume {
namespace {

constexpr const char* webp_extension = "EXT_texture_webp";

}  // namespace

void Repainter::add_materials() {
  for (const AtlasPage& page : routes_.pages) {
    out_.images.emplace_back().fill(no_image);
    const Material& like = scene_[page.tiles.front().material];
    const bool occluded = std::any_of(page.tiles.begin(), page.tiles.end(),
                                      [&](const Tile& tile) { return is_occluded(tile.material); });
    const SamplerId sampler = add_sampler(page);
    page_materials_.push_back(
        add_shared(like, page.name, occluded, [&](Channel channel, TextureSlot& slot) {
          if (page.has(channel)) {
            slot.texture = add_texture(page.name, like, channel, sampler);
            slot.texcoord = page.uv_set;
          }
        }));
  }
  for (const LayerStack& stack : routes_.stacks) {
    out_.images.emplace_back().fill(no_image);
    stack_materials_.push_back(add_stack_material(stack));
  }
}

MaterialId Repainter::add_stack_material(const LayerStack& stack) {
  const auto textured =
      std::find_if(stack.members.begin(), stack.members.end(),
                   [&](MaterialId id) { return find_uv_source(scene_, scene_[id]).textured; });
  const MaterialId first = textured == stack.members.end() ? stack.members.front() : *textured;
  const Material& like = scene_[first];
  const TextureId texture = find_first_texture(like);
  const SamplerId sampler =
      add_plain_sampler(texture == no_texture ? Sampler{} : find_sampler(scene_, texture));
  const bool occluded = std::any_of(stack.members.begin(), stack.members.end(),
                                    [&](MaterialId id) { return is_occluded(id); });
  return add_shared(like, stack.name, occluded, [&](Channel channel, TextureSlot& slot) {
    if (!stack.has(channel)) {
      return;
    }
    slot.texcoord = stack.uv_set;
    slot.texture = stack[channel].count() > 1 ? add_array(stack, channel, sampler)
                                              : add_texture(stack.name, like, channel, sampler);
  });
}

template <class Fill>
MaterialId Repainter::add_shared(const Material& like,
                                 const std::string& name,
                                 bool occluded,
                                 const Fill& fill) {
  Material material = like;
  material.name = name;
  material.spelled = 0;
  if (material.extra) {
    material.extra.ensure().extras = find_own_extras(like);
  }
  for (TextureSlot* slot : list_slots(material)) {
    *slot = {};
  }
  fill(Channel::color, material.base_color_texture);
  if (material.base_color_texture.texture != no_texture) {
    material.base_color = {1, 1, 1, 1};
  }
  fill(Channel::surface, material.metallic_roughness_texture);
  if (material.metallic_roughness_texture.texture != no_texture) {
    material.metallic = material.roughness = 1;
    material.occlusion_texture = occluded ? material.metallic_roughness_texture : TextureSlot{};
  }
  fill(Channel::normal, material.normal_texture);
  fill(Channel::emissive, material.emissive_texture);
  if (material.emissive_texture.texture != no_texture) {
    material.emissive = {1, 1, 1};
  }
  return add(std::move(material));
}

SamplerId Repainter::add_sampler(const AtlasPage& page) {
  Sampler sampler;
  for (const Tile& tile : page.tiles) {
    const TextureId texture = find_first_texture(scene_[tile.material]);
    if (!tile.solid() && texture != no_texture) {
      sampler = find_sampler(scene_, texture);
      break;
    }
  }
  sampler.wrap_s = sampler.wrap_t = wrap_clamp;
  return add_plain_sampler(sampler);
}

ImageId Repainter::add_image(const std::string& owner,
                             Channel channel,
                             const std::string& mime_type,
                             const std::string& ending) {
  Image image;
  image.name = fmt::format("{}_{}", owner, to_string(channel));
  image.mime_type = mime_type;
  image.uri = make_uri(image.name, ending);
  const ImageId id = make_id<ImageId>(out_.scene.images.size());
  out_.scene.images.push_back(std::move(image));
  out_.images.back()[static_cast<std::size_t>(channel)] = id;
  return id;
}

TextureId Repainter::add_texture(const std::string& owner,
                                 const Material& like,
                                 Channel channel,
                                 SamplerId sampler) {
  const PictureType type = find_picture_type(like, routes_, channel);
  const ImageId id = add_image(owner, channel, std::string(to_mime_type(type)),
                               type == PictureType::jpeg ? "jpg" : std::string(to_string(type)));
  Texture texture;
  texture.name = out_.scene.images.back().name;
  texture.sampler = sampler;
  if (type == PictureType::webp) {
    texture.extra.ensure().extensions.push_back(
        {webp_extension, fmt::format("{{\"source\":{}}}", to_index(id))});
    add_once(out_.scene.extensions_used, webp_extension);
    add_once(out_.scene.extensions_required, webp_extension);
  } else {
    texture.image = id;
  }
  out_.scene.textures.push_back(std::move(texture));
  return make_id<TextureId>(out_.scene.textures.size() - 1);
}

TextureId Repainter::add_array(const LayerStack& stack, Channel channel, SamplerId sampler) {
  Texture texture;
  texture.sampler = sampler;
  texture.layers =
      TextureLayers{add_image(stack.name, channel, "image/ktx2", "ktx2"), stack[channel].of_member};
  texture.name = out_.scene.images.back().name;
  add_once(out_.scene.extensions_used, texture_layers_extension);
  if (routes_.settings.plain_look == PlainLook::none) {
    add_once(out_.scene.extensions_required, texture_layers_extension);
  }
  out_.scene.textures.push_back(std::move(texture));
  return make_id<TextureId>(out_.scene.textures.size() - 1);
}

std::string Repainter::make_uri(const std::string& name, const std::string& ending) {
  std::string uri = fmt::format("{}.{}", name, ending);
  for (int number = 2;; ++number) {
    if (std::none_of(out_.scene.images.begin(), out_.scene.images.end(),
                     [&](const Image& image) { return image.uri == uri; })) {
      return uri;
    }
    uri = fmt::format("{}_{}.{}", name, number, ending);
  }
}

MaterialId Repainter::find_white(MaterialId id) {
  const auto [slot, added] = whites_.try_emplace(id, no_material);
  if (added) {
    Material white = scene_[id];
    white.base_color = {1, 1, 1, 1};
    white.spelled = 0;
    slot->second = add(std::move(white));
  }
  return slot->second;
}

MaterialId Repainter::find_shared(const Aim& aim) {
  if (aim.page != no_index) {
    return page_materials_[aim.page];
  }
  if (aim.end->stack != no_index) {
    return stack_materials_[aim.end->stack];
  }
  return aim.end->tinted ? find_white(aim.end->material) : aim.end->material;
}

}  // namespace wakuzume
