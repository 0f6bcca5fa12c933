// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>
#include <vector>

#include "survey/parts.h"
#include "wakuzume/routes.h"

/// What may be done with a material.
namespace wakuzume {

class MaterialRules {
 public:
  /// \pre the scene outlives this
  explicit MaterialRules(const Scene& scene);

  /// Why a material has to stay as it is; empty: it does not.
  [[nodiscard]] std::string find_fixed(MaterialId id) const { return fixed_[to_index(id)]; }
  /// A primitive whose material or UVs change while it is shown.
  [[nodiscard]] bool varies(const Primitive& primitive) const;
  /// The look of a draw must stay as it is.
  [[nodiscard]] bool leaves_alone(const Draw& draw) const;
  /// Equal alpha mode, sidedness, shading and extras.
  [[nodiscard]] bool same_kind(MaterialId a, MaterialId b, const MaterialParts& parts) const;
  /// "shared_mask_two_sided"
  [[nodiscard]] std::string name_kind(MaterialId id) const;
  /// Which pictures a page needs, and how fine.
  void find_channels(AtlasPage& page, std::span<const ImageFacts> images) const;

 private:
  /// Times a picture of a page may be halved for one of its tiles.
  [[nodiscard]] std::uint32_t count_spare(const Tile& tile,
                                          const ImageFacts& facts,
                                          std::span<const ImageFacts> images) const;

  const Scene& scene_;
  std::vector<std::string> fixed_;  ///< by material
};

/// Of the first slot that has one; or no_texture.
TextureId find_first_texture(const Material& material);

/// The slots of a material that a channel's picture is made of.
std::vector<const TextureSlot*> list_slots_of(const Material& material, Channel channel);

/// What a channel shows of a material where it has no texture: linear, from 0 to 1; normals as
/// colours.
std::array<double, 4> find_plain_value(const Material& material, Channel channel);

/// What a picture is written as that materials like this one share.
PictureType find_picture_type(const Material& like, const RoutePlan& routes, Channel channel);

/// A material as its texels are painted: white where its vertices carry its colour.
Material make_painted(const Scene& scene, const RoutePlan& routes, MaterialId id);

}  // namespace wakuzume
