// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/lightmaps.h"

/// Made-up levels that are lit by pages, and the pages themselves.
namespace wakuzume::test {

struct LitSceneSettings {
  std::uint32_t seed = 1;
  std::size_t pages = 4;
  std::size_t draws = 24;
  /// Nodes have places on their page in their extras, under "lightmap_place"; else meshes have UVs
  /// of the page.
  bool by_transform = false;
  bool shared_mesh = false;    ///< all show one of a few meshes
  std::uint32_t page_px = 32;  ///< most of the sides
  bool odd_sizes = false;      ///< pages of all kinds of sides, odd ones too
  std::uint32_t materials = 2;
};

struct LitScene {
  Scene scene;
  SurveySettings rules;
  std::vector<LightmapPicture> pictures;  ///< of all pages, of no file
  std::vector<TexelGrid> grids;           ///< by page; no texel is like another
};

/// Squares side by side, each with a rectangle of one of the pages.
LitScene make_lit_scene(const LitSceneSettings& settings);

/// Pages as JSON numbers: "0" to "pages - 1". The grid of one, each texel its page and place.
TexelGrid make_numbered_page(std::size_t page, RectSize size);

/// Squares whose materials are equal but for the lightmap that they name, each with a transform.
Scene make_lit_by_materials(std::size_t pages, std::size_t draws);

/// Pages that lie beside a scene as PNGs, in memory.
class Album final : public LightmapFiles {
 public:
  /// Each texel its number: no two are alike, and neighbours differ as much as they can.
  Album(std::size_t pages, RectSize size);
  /// Light as it is baked: wide pools of it.
  void soften();
  [[nodiscard]] Result<LightmapFile> find(const std::string& name) const override;

  std::vector<TexelGrid> grids;  ///< by page
};

}  // namespace wakuzume::test
