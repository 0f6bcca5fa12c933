// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/bytes.h"
#include "wakuzume/geometry.h"
#include "wakuzume/ids.h"

namespace wakuzume {

/// An image as it was encoded; decode it with decode_image of wakuzume/image.h.
struct Image {
  std::string name;
  std::string mime_type;  ///< empty where the file does not say
  std::string uri;        ///< relative path for a file of its own; empty for embedded ones
  ViewId view = no_view;  ///< embedded in a block
  Bytes bytes;            ///< from a file or a data URI; empty with `view` or a missing file
  Boxed<Extra> extra;
};

/// What lies beyond the ends of a texture. Values are those of glTF and OpenGL.
inline constexpr std::uint32_t wrap_repeat = 10497;
inline constexpr std::uint32_t wrap_clamp = 33071;
inline constexpr std::uint32_t wrap_mirrored = 33648;

/// Values are those of glTF and OpenGL; 0 leaves a filter to the engine.
struct Sampler {
  std::string name;
  std::uint32_t mag_filter = 0;
  std::uint32_t min_filter = 0;
  std::uint32_t wrap_s = wrap_repeat;
  std::uint32_t wrap_t = wrap_repeat;
  std::uint32_t spelled = 0;
  Boxed<Extra> extra;
};

/// WAKUZUME_texture_layers: each vertex has its number in `_LAYER`.
struct TextureLayers {
  ImageId image = no_image;               ///< a texture array, KTX 2.0
  std::vector<std::uint32_t> layer_of{};  ///< by that number
};
inline constexpr const char* texture_layers_extension = "WAKUZUME_texture_layers";
inline constexpr const char* layer_semantic = "_LAYER";

struct Texture {
  std::string name;
  ImageId image = no_image;
  SamplerId sampler = no_sampler;
  Boxed<TextureLayers> layers;
  Boxed<Extra> extra;
};

/// KHR_texture_transform.
struct UvTransform {
  Vec2d offset{0, 0};
  double rotation = 0;  ///< radians, counter-clockwise
  Vec2d scale{1, 1};
  std::uint32_t texcoord = no_index;  ///< replaces the slot's; no_index: keeps it
  std::uint32_t spelled = 0;
  Boxed<Extra> extra;
};

/// Where a material takes one of its channels from.
struct TextureSlot {
  TextureId texture = no_texture;
  std::uint32_t texcoord = 0;  ///< number of the UV set
  double factor = 1;           ///< normal scale or occlusion strength; 1 in the other slots
  std::uint32_t spelled = 0;
  Boxed<UvTransform> transform;
  Boxed<Extra> extra;
};

/// The UV set that a slot looks its texture up in: KHR_texture_transform may name another.
inline std::uint32_t find_uv_set(const TextureSlot& slot) {
  const bool other = slot.transform && slot.transform->texcoord != no_index;
  return other ? slot.transform->texcoord : slot.texcoord;
}

enum class AlphaMode : std::uint8_t { opaque, mask, blend };

/// glTF material with every core field. Extensions, KHR_materials_unlit among them, are in `extra`.
struct Material {
  std::string name;
  Vec4d base_color{1, 1, 1, 1};  ///< linear, with alpha
  double metallic = 1;           ///< \range [0, 1]
  double roughness = 1;          ///< \range [0, 1]
  Vec3d emissive{0, 0, 0};       ///< linear
  AlphaMode alpha_mode = AlphaMode::opaque;
  double alpha_cutoff = 0.5;
  bool double_sided = false;
  TextureSlot base_color_texture;
  TextureSlot metallic_roughness_texture;
  TextureSlot normal_texture;
  TextureSlot occlusion_texture;
  TextureSlot emissive_texture;
  std::uint32_t spelled = 0;
  Boxed<Extra> pbr_extra;
  Boxed<Extra> extra;

  [[nodiscard]] bool unlit() const;  ///< carries KHR_materials_unlit
};

/// The slots of a material, in this order everywhere.
enum class Slot : std::uint8_t { base_color, metallic_roughness, normal, occlusion, emissive };
inline constexpr std::size_t slot_count = 5;
inline std::array<TextureSlot*, slot_count> list_slots(Material& material) {
  return {&material.base_color_texture, &material.metallic_roughness_texture,
          &material.normal_texture, &material.occlusion_texture, &material.emissive_texture};
}
inline std::array<const TextureSlot*, slot_count> list_slots(const Material& material) {
  return {&material.base_color_texture, &material.metallic_roughness_texture,
          &material.normal_texture, &material.occlusion_texture, &material.emissive_texture};
}

}  // namespace wakuzume
