// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/textures.h"

#include <simdjson.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "survey/rules.h"

namespace wakuzume {
namespace {

/// Adds the index of every "...Texture" object below a value. The parser has bounded its depth.
void add_textures(simdjson::dom::element value,
                  const Scene& scene,
                  std::vector<TextureId>& textures) {
  simdjson::dom::array array;
  if (value.get(array) == simdjson::SUCCESS) {
    for (const simdjson::dom::element item : array) {
      add_textures(item, scene, textures);
    }
    return;
  }
  simdjson::dom::object object;
  if (value.get(object) != simdjson::SUCCESS) {
    return;
  }
  for (const auto field : object) {
    std::uint64_t index = 0;
    if (field.key.ends_with("Texture") && field.value["index"].get(index) == simdjson::SUCCESS &&
        index < scene.textures.size()) {
      textures.push_back(make_id<TextureId>(index));
    }
    add_textures(field.value, scene, textures);
  }
}

}  // namespace

std::vector<TextureId> list_textures(const Scene& scene, const Material& material) {
  std::vector<TextureId> textures;
  for (const TextureSlot* slot : list_slots(material)) {
    if (slot->texture != no_texture) {
      textures.push_back(slot->texture);
    }
  }
  for (const Boxed<Extra>* extra : {&material.extra, &material.pbr_extra}) {
    if (!*extra) {
      continue;
    }
    for (const RawMember& extension : (*extra)->extensions) {
      simdjson::dom::parser parser;
      simdjson::dom::element value;
      if (parser.parse(extension.json).get(value) == simdjson::SUCCESS) {
        add_textures(value, scene, textures);
      }
    }
  }
  return textures;
}

ImageId find_image(const Scene& scene, TextureId texture) {
  const Texture& found = scene.textures[to_index(texture)];
  if (found.layers) {
    return found.layers->image;
  }
  if (found.image != no_image || !found.extra) {
    return found.image;
  }
  for (const RawMember& extension : found.extra->extensions) {
    const std::string source = find_member(extension.json, "source");
    if (!source.empty()) {
      const std::size_t index = std::strtoull(source.c_str(), nullptr, 10);
      return index < scene.images.size() ? make_id<ImageId>(index) : no_image;
    }
  }
  return no_image;
}

Sampler make_effective(Sampler sampler) {
  constexpr std::uint32_t linear = 9729;
  constexpr std::uint32_t linear_mipmap_linear = 9987;
  sampler.mag_filter = sampler.mag_filter == 0 ? linear : sampler.mag_filter;
  sampler.min_filter = sampler.min_filter == 0 ? linear_mipmap_linear : sampler.min_filter;
  return sampler;
}

Bytes find_encoded(const Scene& scene, ImageId image) {
  const Image& found = scene.images[to_index(image)];
  if (found.view == no_view) {
    return found.bytes;
  }
  const BlockView& view = scene[found.view];
  return scene[view.block].bytes.part(view.offset, view.length);
}

std::vector<ImageId> list_images(const Scene& scene, const Material& material) {
  std::vector<ImageId> images;
  for (const TextureId texture : list_textures(scene, material)) {
    if (const ImageId image = find_image(scene, texture); image != no_image) {
      images.push_back(image);
    }
  }
  std::sort(images.begin(), images.end());
  images.erase(std::unique(images.begin(), images.end()), images.end());
  return images;
}

Vec2d transform_uv(const TextureSlot& slot, const Vec2d& uv) {
  if (!slot.transform) {
    return uv;
  }
  const UvTransform& transform = *slot.transform;
  const double cosine = std::cos(transform.rotation);
  const double sine = std::sin(transform.rotation);
  const double u = transform.scale[0] * uv[0];
  const double v = transform.scale[1] * uv[1];
  return {cosine * u + sine * v + transform.offset[0], cosine * v - sine * u + transform.offset[1]};
}

}  // namespace wakuzume
