// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <memory>
#include <vector>

#include "texture/charts.h"
#include "wakuzume/routes.h"

/// Sizes of tiles, and the pages they come on.
namespace wakuzume {

/// What halving a tile would lose, and how much of the scene shows it.
struct TileWish {
  Tile tile;  ///< as large as its texels; where it comes is decided here
  /// Times it may be halved without a loss that can be seen; by what its pictures hold.
  std::uint32_t spare_halvings = 0;
  std::array<double, 3> losses{};  ///< mean, of one to three halvings, steps of 8 bits
  double area_m2 = 0;              ///< that shows it
  double scale = 1;                ///< by hand or by texel density
  bool cutout = false;             ///< its alpha counts: it is cut out, or blended
  /// Times as long as a texel along u and v is, by the shorter of both, on the surfaces that show
  /// it.
  Vec2d stretch{1, 1};
  /// The deepest mip level that views look at, by some pixels and by many; below 0: it is not
  /// known.
  int deepest_level = -1;
  int deepest_of_many = -1;
  bool fixed = false;  ///< the scale is by hand: nothing else changes its size
  std::shared_ptr<const ChartSet> charts{};  ///< of a baked tile; its size follows from them
};

/// Pages with their tiles; each tile with its number among the wishes.
struct TilePages {
  struct Place {
    std::uint32_t page = 0;
    std::uint32_t tile = 0;
    double lost_steps = 0;  ///< by its size, as MaterialRoute has it
  };
  std::vector<AtlasPage> pages;
  std::vector<Place> places;  ///< by wish
};

/// The gutter that keeps a tile's neighbours out of its mip levels: a texel of the last of them. As
/// tiles begin where such a texel does, their levels are those of the texture alone. Which is the
/// last is decided by how long the tile still is to the eye, however thin it is, or by what views
/// look at where that is more.
std::uint32_t find_gutter(const TileWish& wish, std::uint32_t clean_mips);

/// Whether views look at a tile from so far away that no gutter keeps its neighbours out: leaves
/// of a tree, each with a whole texture and a few pixels large.
bool mixes_with_neighbours(const TileWish& wish, std::uint32_t clean_mips);

/// Whether a page can take a tile that loses no more than the settings allow.
bool can_place(const TileWish& wish, const MaterialSettings& settings);

/// Places the tiles of one kind of material, in their order.
/// \error too_large  a tile does not fit on a page
Result<TilePages> place_tiles(std::vector<TileWish> wishes, const MaterialSettings& settings);

}  // namespace wakuzume
