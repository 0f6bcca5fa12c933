// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <string>
#include <unordered_map>

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

/// The same for many draws: each material is looked at once, and when it is asked for.
class UvSharing {
 public:
  UvSharing(const Scene& scene, std::uint32_t uv_set) : scene_(scene), uv_set_(uv_set) {}
  [[nodiscard]] bool has(MaterialId material) {
    const auto [slot, added] = known_.try_emplace(to_index(material), false);
    if (added) {
      slot->second = looks_up_uv_set(scene_, material, uv_set_);
    }
    return slot->second;
  }

 private:
  const Scene& scene_;
  std::uint32_t uv_set_;
  std::unordered_map<std::size_t, bool> known_;  // looked up only, never walked
};

/// The page of what a node shows: by extras, else by its material's extension: "image 7".
std::string find_lightmap_page(const Scene& scene,
                               const Node& node,
                               const Primitive& primitive,
                               const std::string& key);
std::string name_lightmap_page(ImageId image);
/// The image of a material's extension, or no_image.
ImageId find_lightmap_image(const Scene& scene, MaterialId material);
/// Where what a node shows looks its lightmap up.
struct LightmapUse {
  std::uint32_t uv_set = 0;
  LightmapPlace place{};   ///< as extras say
  LightmapPlace beyond{};  ///< from there to the page, where that is the extension's
  double intensity = 1;    ///< of the extension
  bool turned = false;     ///< by the extension
  /// From its UVs to those of the page.
  [[nodiscard]] LightmapPlace whole() const { return make_product(beyond, place); }
};
/// \param uv_set  where the page is not that of the extension
LightmapUse find_lightmap_use(const Scene& scene,
                              const Node& node,
                              const Primitive& primitive,
                              const std::string& page_key,
                              const std::string& transform_key,
                              std::uint32_t uv_set);
/// The name of a page's picture. \param pattern  with {page} in it
std::string name_lightmap_picture(const std::string& pattern, const std::string& page);
/// Its page is that of the extension, as extras name none.
bool is_lit_by_material(const Scene& scene,
                        const Node& node,
                        const Primitive& primitive,
                        const std::string& key);

}  // namespace wakuzume
