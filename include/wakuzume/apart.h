// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <string_view>
#include <vector>

#include "wakuzume/image_facts.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

/// What keeps draws apart: which parts of their merge keys differ.
///
/// Textures are compared by the content of their images and the effect of their samplers, so
/// materials that are equal under other names differ by their name alone.
namespace wakuzume {

/// A merge key taken to pieces, the material into what it is made of.
enum class KeyPart : std::uint8_t {
  material_name,   ///< equal by value, but another material
  base_color,      ///< the factor
  factors,         ///< metallic, roughness, emissive, normal scale, occlusion strength
  color_texture,   ///< of the base colour
  other_textures,  ///< the four others
  alpha,           ///< mode, and cutoff of a mask
  sidedness,
  shading,  ///< unlit, and extensions with their values
  extras,   ///< of the material
  layout,
  topology,
  lightmap,
  tag,
  level,
  moving_root,
};
inline constexpr std::size_t key_part_count = 15;
std::string_view to_string(KeyPart part);

/// Keys that agree in all parts but one.
struct ApartGroup {
  KeyPart part = KeyPart::material_name;
  std::vector<KeyId> keys;  ///< most draws first
  std::uint64_t draws = 0;
};

/// A key and one near it.
struct NearKey {
  KeyId key{};
  KeyId near{};
  std::vector<KeyPart> differing;
};

/// A mesh whose primitives need several materials.
struct MixedMesh {
  MeshId mesh = no_mesh;
  std::uint32_t materials = 0;
  std::uint64_t draws = 0;
};

struct Apart {
  std::vector<ApartGroup> groups;  ///< those of materials before others, most keys first
  std::vector<NearKey> nearest;    ///< up to three a key, nearest first, keys in their order
  std::vector<MixedMesh> meshes;   ///< most draws first
};

/// Only keys count that some draw could merge under: free, or moving with others.
/// Of the keys that differ in more than one part from all others, the 20,000 with the most draws
/// are compared with the 2,000 that have the most.
/// \pre `survey` is of `scene`; `images` is empty or has one entry an image
/// \cost O(keys log keys), 2,000 comparisons a lonely key and one pass over the encoded images
Apart find_apart(const Scene& scene, const Survey& survey, std::span<const ImageFacts> images);

/// Sets of materials that are equal by value, each in table order, first members ascending.
std::vector<std::vector<MaterialId>> find_equal_materials(const Scene& scene,
                                                          std::span<const ImageFacts> images);

}  // namespace wakuzume
