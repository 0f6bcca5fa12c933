// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <string>

#include "wakuzume/survey.h"

/// Where draws look their lightmap up.
namespace wakuzume {

/// What a key says of a lightmap, a page or a place on it, for what a node shows: by its own
/// extras, its mesh's, the primitive's or the material's, the first that has it.
std::string find_lightmap(const Scene& scene,
                          const Node& node,
                          const Primitive& primitive,
                          const std::string& key);

/// The same by all but the node's extras.
std::string find_shape_lightmap(const Scene& scene,
                                MeshId mesh,
                                const Primitive& primitive,
                                const std::string& key);

/// What such a text says of a place: "[0.5,0.5,0,0.25]"; nothing where it is no four numbers.
std::optional<LightmapPlace> read_lightmap_place(const std::string& text);
std::string to_json(const LightmapPlace& place);
/// The place of what a node shows; its own UVs where no key is set, or what it says is none.
LightmapPlace find_lightmap_place(const Scene& scene,
                                  const Node& node,
                                  const Primitive& primitive,
                                  const std::string& key);

/// MOZ_lightmap: a material's own lightmap, beside what extras say.
struct LightmapExtension {
  TextureId texture = no_texture;
  std::uint32_t uv_set = 0;
  LightmapPlace place{};  ///< by KHR_texture_transform; before it comes what extras say
  double intensity = 1;   ///< times the light of the texture
  bool turned = false;    ///< that turns, which a place can't
};
inline constexpr const char* lightmap_extension = "MOZ_lightmap";
/// Nothing where the material has none, or one that names no texture of the scene.
std::optional<LightmapExtension> find_lightmap_extension(const Scene& scene,
                                                         const Material& material);
std::optional<LightmapExtension> find_lightmap_extension(const Scene& scene, MaterialId material);
/// The material with another texture for its lightmap, and no transform there.
/// \pre it has the extension
Material make_relit(const Scene& scene, MaterialId material, TextureId texture);

/// Names another texture for its lightmap, where the material has one; no_texture: has none any
/// more.
void set_lightmap_texture(Material& material, TextureId texture);

/// A texture of the material, other than its lightmap, is looked up in this UV set too, so far as
/// its extensions can be read: moved UVs would move it as well.
bool looks_up_uv_set(const Scene& scene, MaterialId material, std::uint32_t uv_set);

/// The page of what a node shows: by extras, else by its material's extension: "image 7".
std::string find_lightmap_page(const Scene& scene,
                               const Node& node,
                               const Primitive& primitive,
                               const std::string& key);
std::string name_lightmap_page(ImageId image);
/// The image of a material's extension, or no_image.
ImageId find_lightmap_image(const Scene& scene, MaterialId material);
/// From the UVs of what a node shows to those of its page: as extras say, and where the page is the
/// extension's, then as that says.
LightmapPlace find_whole_place(const Scene& scene,
                               const Node& node,
                               const Primitive& primitive,
                               const std::string& page_key,
                               const std::string& transform_key);
/// The name of a page's picture. \param pattern  with {page} in it
std::string name_lightmap_picture(const std::string& pattern, const std::string& page);
/// Its page is that of the extension, as extras name none.
bool is_lit_by_material(const Scene& scene,
                        const Node& node,
                        const Primitive& primitive,
                        const std::string& key);

}  // namespace wakuzume
