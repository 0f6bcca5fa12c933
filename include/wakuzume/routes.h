// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/geometry.h"
#include "wakuzume/ids.h"
#include "wakuzume/image_facts.h"
#include "wakuzume/packing.h"
#include "wakuzume/pixels.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"
#include "wakuzume/texture_array.h"
#include "wakuzume/views.h"
#include "wakuzume/wishes.h"

/// Routes: how each material reaches one that it shares with others.
///
/// In: a scene, its survey and what its images are. Out: a route with its reason for every material
/// that is drawn, and where its texels go. repaint of wakuzume/repaint.h carries them out.
/// 1. Materials share only with those of the same alpha mode, sidedness, shading and filters.
/// 2. With MaterialGoal::full_resolution no texel is lost that holds anything.
/// 3. Same scene, same settings: the same routes.
namespace wakuzume {

struct RoutePlan;

enum class Route : std::uint8_t {
  fold,    ///< equal by value to another
  tint,    ///< differs from another by its base colour, which its vertices carry
  atlas,   ///< its texels are a tile of a page
  layers,  ///< its textures are layers of texture arrays
  rebake,  ///< its texels are transferred to a new UV layout
  stay
};
inline constexpr std::size_t route_count = 6;
std::string_view to_string(Route route);

enum class MaterialGoal : std::uint8_t {
  keep,             ///< every material stays as it is
  full_resolution,  ///< share what can be shared without losing texels
  fewest_draws      ///< share what can be shared; few pages a kind of material, smaller if need be
};

/// For those who do not know textures of layers.
enum class PlainLook : std::uint8_t {
  beside,  ///< each mesh with layers has primitives with the old materials beside them
  none     ///< the scene requires the extension, and the old textures go
};

/// UV sets are numbered from nought; this stands for the first that no draw of a material uses.
inline constexpr std::uint32_t free_uv_set = 16;

/// How the tiles of a page lie.
enum class TileOrder : std::uint8_t {
  tight,    ///< wherever they leave least room
  by_name,  ///< in rows, by the names of their materials
  by_place  ///< in rows, what is near in the scene near on the page
};

/// What becomes of a scene some of whose materials are in no group by hand.
enum class Ungrouped : std::uint8_t {
  allowed,  ///< they go the usual way
  refused   ///< it is an error, before anything is painted
};

struct MaterialSettings {
  MaterialGoal goal = MaterialGoal::keep;
  /// Factors of materials that count as equal may differ by so much. \range [0, 1]
  double factor_tolerance = 0;
  std::uint32_t max_page_px = 4096;  ///< longest side of a page \range [64, 16384]
  PageSides page_sides = PageSides::multiples_of_four;
  /// Pages that one kind of material may take; 0: any number. Tiles that lose more than they may by
  /// fitting take more. \range [0, 65536]
  std::uint32_t max_pages = 0;
  /// With fewest_draws, what a smaller tile may lose: mean difference of its pictures when they are
  /// shown as large as before, in steps of 8 bits. Cutouts lose nothing by it; what is cut out on
  /// request may lose so much alpha. \range [0, 255]
  double allowed_loss = 1.5;
  Turning turning = Turning::quarter;
  /// Rows take more room, are not turned, and stay as they are when pictures change.
  TileOrder tile_order = TileOrder::tight;
  /// Mip levels below the first in which no tile may show its neighbours; tiles of few texels need
  /// fewer. \range [0, 8]
  std::uint32_t clean_mips = 5;
  /// Times a texture may be repeated and still be unrolled into a page. \range [1, 1024]
  double unrolled_repeats = 4;
  /// Texels per metre that are enough: tiles above it shrink; 0: any number. \range 0, [0.01, 1e6]
  double enough_texels_per_metre = 0;
  /// Layers of one array. \range [2, 2048]
  std::uint32_t max_layers = 256;
  /// Arrays of one stack together, uncompressed with their mip levels. \range [1, 65536]
  std::uint32_t max_stack_megabytes = 256;
  TexelFormat layer_format = TexelFormat::rgba8;
  Supercompression layer_packing = Supercompression::zstd;
  PlainLook plain_look = PlainLook::beside;
  /// Texels per metre of what is rebaked; 0: as fine as it was. \range 0, [0.01, 1e6]
  double rebaked_texels_per_metre = 0;
  /// Where the new UVs go. \range [0, 15], or free_uv_set
  std::uint32_t rebaked_uv_set = free_uv_set;
  /// What pages are written as; alpha is never put into a JPEG. \default png
  PictureType picture_type = PictureType::png;
  /// Of pages that are JPEG. \range [1, 100]
  std::uint32_t jpeg_quality = 92;
  /// Of pages that are WebP; 100: without loss. \range [1, 100]
  std::uint32_t webp_quality = 100;
  /// Of layers that are ASTC, from fast to thorough. \range [0, 100]
  double layer_quality = 60;
  /// Materials and the route they take: "moss_*=stay". Wishes of wakuzume/wishes.h, over names of
  /// materials; the first that speaks of one counts.
  /// "cutout" makes masks of blended ones first, and leaves the route open.
  std::vector<std::string> routes{};
  /// The same with the size of their tile: a scale from above 0 to 1, "sign_*=0.5"; the most pixels
  /// along its longer side, "sign_*=512px"; or the most texels a metre, "wall_*=40/m".
  std::vector<std::string> scales{};
  /// The same with the name of a group: "window_*=glass". All of a group end as one material of
  /// that name, which shares its page, stack and draws with nothing else. Terms speak of draws
  /// alone: a material that others show as well is copied for them.
  std::vector<std::string> together{};
  /// The same for parts that are unwrapped together already: their materials are painted into one
  /// by that UV set, which becomes the first. The name, the set, and perhaps the size of the page:
  /// "hut_*=hut:1", "hut_*=hut:1:1024px", "hut_*=hut:1:64/m". \default as fine as they were
  std::vector<std::string> layouts{};
  /// Whether materials that are drawn may be in none of those groups. \default allowed
  Ungrouped ungrouped = Ungrouped::allowed;
  /// Key in the extras of nodes whose values have pages of their own, as the name of a room; holds
  /// for all below that has none. What is in a group of `together` is there. \default none
  std::string place_key{};

  /// Some materials may become shared ones.
  [[nodiscard]] bool asks() const {
    return goal != MaterialGoal::keep || !together.empty() || !layouts.empty() ||
           !place_key.empty();
  }
  bool operator==(const MaterialSettings&) const = default;
};
/// \error bad_setting  names the member and its range
Result<void> validate(const MaterialSettings& settings);

/// The wishes of the settings as terms, without what they are for.
std::vector<std::string> list_wishes(const MaterialSettings& settings);
/// How many draws show a material that each speaks of. \pre `found` is of `scene`
/// \error bad_setting, cancelled
Result<std::vector<WishUse>> count_wishes(const Scene& scene,
                                          const Survey& found,
                                          const MaterialSettings& settings,
                                          const RunControl& run = {});

/// A texture slot's place on a page, in the slots' order of the standard: what shares one picture.
enum class Channel : std::uint8_t { color, surface, normal, emissive };
inline constexpr std::size_t channel_count = 4;
std::string_view to_string(Channel channel);  ///< "color", "surface", "normal", "emissive"

struct PrimitiveRef {
  MeshId mesh = no_mesh;
  std::uint32_t primitive = 0;
  auto operator<=>(const PrimitiveRef&) const = default;
};

/// Where the texels of one material are; with rebake, those of some of its primitives.
struct Tile {
  MaterialId material = no_material;
  /// Size of the largest of its textures: what `used` counts in. 0 x 0: a solid tile, whose
  /// vertices all look at its centre.
  RectSize texture;
  TexelRect used;       ///< what its draws touch; beyond the texture where it is repeated
  RectSize size;        ///< of `used` on the page, before it is turned, without the gutter
  std::uint32_t x = 0;  ///< of its corner on the page, without the gutter
  std::uint32_t y = 0;
  std::uint32_t gutter = 0;
  bool turned = false;  ///< by a quarter, clockwise as the page is seen
  /// With rebake: equal primitives, whose charts it holds. `used` and `texture` are their
  /// rectangle.
  std::vector<PrimitiveRef> shapes{};
  double texels_per_unit = 0;  ///< of their charts, in the primitives' own space
  [[nodiscard]] bool baked() const { return !shapes.empty(); }
  [[nodiscard]] bool solid() const { return texture.width_px == 0 && !baked(); }
  /// With its gutter, before it is turned. Its far edges are filled up to where a texel of the last
  /// clean mip level ends.
  [[nodiscard]] RectSize outer() const;
  bool operator==(const Tile&) const = default;
};

/// Pictures of one size with the same tiles, and the material that shows them.
struct AtlasPage {
  std::string name;  ///< of the material; its pictures are named after it
  RectSize size;
  std::uint32_t uv_set = 0;  ///< in which its draws look it up
  /// Its tiles lie over one another, each the whole page: their shapes are where this UV set has
  /// them. no_index: tiles lie beside one another.
  std::uint32_t layout_set = no_index;
  /// Which pictures there are, by Channel, and how often each is halved. no_index: none.
  std::array<std::uint32_t, channel_count> halvings{no_index, no_index, no_index, no_index};
  std::vector<Tile> tiles;
  [[nodiscard]] bool has(Channel channel) const {
    return halvings[static_cast<std::size_t>(channel)] != no_index;
  }
  bool operator==(const AtlasPage&) const = default;
};

/// Materials whose textures are layers: an array a channel, and the material that shows them.
struct LayerStack {
  /// One channel: a layer for each look that differs.
  struct Layers {
    RectSize size;                           ///< 0 x 0: the channel has no picture
    std::vector<std::uint32_t> of_member{};  ///< by member
    [[nodiscard]] std::uint32_t count() const;
    /// The first member that shows a layer.
    [[nodiscard]] std::size_t find_member(std::uint32_t layer) const;
    bool operator==(const Layers&) const = default;
  };

  std::string name;                 ///< of the material; its pictures are named after it
  std::uint32_t uv_set = 0;         ///< in which its draws look them up
  std::vector<MaterialId> members;  ///< vertices carry their number in this list as `_LAYER`
  /// By member: copies of its textures side by side along u and v in each of its layers. Its UVs
  /// are divided by them, so that each texel is seen where and as large as it was, at every mip
  /// level.
  std::vector<std::array<std::uint32_t, 2>> copies;
  std::array<Layers, channel_count> channels;
  [[nodiscard]] const Layers& operator[](Channel channel) const {
    return channels[static_cast<std::size_t>(channel)];
  }
  [[nodiscard]] bool has(Channel channel) const { return (*this)[channel].size.width_px > 0; }
  bool operator==(const LayerStack&) const = default;
};

struct MaterialRoute {
  MaterialId material = no_material;
  Route route = Route::stay;
  std::string reason;  ///< one sentence
  /// With fold and tint: the material whose look it shares, which has a route of its own.
  MaterialId onto = no_material;
  bool tinted = false;              ///< its base colour goes into vertex colours
  std::uint32_t page = no_index;    ///< with atlas: position in RoutePlan::pages
  std::uint32_t tile = no_index;    ///< and in its tiles; with rebake the first of its own
  std::uint32_t stack = no_index;   ///< with layers: position in RoutePlan::stacks
  std::uint32_t member = no_index;  ///< and among its members
  std::uint32_t draws = 0;
  double texels_per_metre = 0;  ///< where it is drawn, by area; 0: untextured
  double texels_per_metre_after = 0;
  /// What a smaller tile loses: mean difference of its pictures when they are shown as large as
  /// before, in steps of 8 bits.
  double lost_steps = 0;
};

/// What is wrong with a layout that was there.
struct LayoutFault {
  std::uint32_t page = 0;
  PrimitiveRef shape;
  PrimitiveRef other;  ///< in the same place; the shape itself, or no_mesh: outside of the tile
  std::uint64_t texels = 0;  ///< that both show, of the page; 0: outside
  UvRange range;             ///< of the shape
  bool operator==(const LayoutFault&) const = default;
};
/// "/hut/roof and /hut/wall show the same 120 texels of UV set 1 on hut"
std::string to_string(const Scene& scene, const RoutePlan& routes, const LayoutFault& fault);

/// Where a material was taken back to, once what it shared did not show what it showed.
enum class TakenTo : std::uint8_t {
  larger,  ///< its tile is as large as its texture
  stay     ///< it shares nothing but with what equals it
};
inline constexpr std::size_t taken_to_count = 2;
std::string_view to_string(TakenTo to);

struct MaterialTakenBack {
  MaterialId material = no_material;
  TakenTo to = TakenTo::stay;
  std::string why;  ///< one sentence
};

/// A material that somebody wants cut out where it is blended: a mask needs no order, and shares
/// with masks.
struct Cutout {
  MaterialId material = no_material;
  std::uint32_t draws = 0;
  double between = 0;     ///< share of its texels whose alpha is neither nearly 0 nor nearly 1
  double lost_steps = 0;  ///< by which alpha changes in the mean, in steps of 8 bits
  bool opaque = false;    ///< nothing shows through it: it needs no mask
  std::string obstacle;   ///< why it stays blended; empty: it does not
};
/// What a wish for a route says for it: "leaf_*=cutout".
inline constexpr std::string_view cutout_word = "cutout";

/// Materials that share with one another alone.
struct MaterialGroup {
  std::string name;     ///< as MaterialSettings::together has it, or what the place key says
  bool by_hand = true;  ///< all end as one material; else they are what is in one place
  std::vector<MaterialId> materials;  ///< ascending
  /// By hand: the UV set in which its parts are unwrapped together; no_index: they are not.
  std::uint32_t layout_set = no_index;
  std::string size;  ///< with that: of the page, "1024px" or "64/m"; empty: as fine as they were
};

/// A material that draws of several groups show has a copy for each of them but the first.
struct MaterialCopy {
  MaterialId from = no_material;
  MaterialId to = no_material;  ///< the copy; those of a scene follow its own materials
  std::vector<DrawRef> draws;   ///< ascending, that show it
};

/// Groups by what settings and extras say of draws.
struct MaterialGroups {
  std::vector<MaterialGroup> groups;  ///< by hand in the order of the settings, then by place
  std::vector<MaterialCopy> copies;   ///< ascending by the copy
};

struct RoutePlan {
  MaterialSettings settings;
  MaterialGroups grouped;  ///< done before all else
  /// Materials that are cut out, or should have been, ascending. That is done before all else, and
  /// what is proved then is the scene with its masks.
  std::vector<Cutout> cutouts;
  std::vector<MaterialRoute> routes;  ///< of each material that is drawn, ascending
  std::vector<AtlasPage> pages;
  std::vector<LayerStack> stacks;
  /// Draws that keep their own material, ascending: those that were put back.
  std::vector<DrawRef> untouched;
  /// Draws that a rule keeps as they are, ascending.
  std::vector<DrawRef> left_alone;
  std::vector<MaterialTakenBack> taken_back;  ///< ascending by material, one each
  std::vector<LayoutFault> faults;            ///< of pages with a layout that was there

  /// Materials may become shared ones.
  [[nodiscard]] bool shares() const { return settings.asks(); }
  /// Nothing changes hands.
  [[nodiscard]] bool empty() const { return !shares() && cutouts.empty(); }
  [[nodiscard]] const MaterialRoute* find(MaterialId material) const;
};

/// What sharing materials in one way would give: list_material_choices of wakuzume/job.h.
struct MaterialChoice {
  std::string name;  ///< "keep", "full_resolution", "fewest_draws"
  MaterialSettings settings;
  std::uint64_t materials = 0;  ///< that are shown
  std::uint64_t pages = 0;      ///< of tiles, and stacks of layers
  std::uint64_t draws = 0;      ///< of the plan
  double view_draws = 0;        ///< of its usual view
  /// Of textures with their mip levels, as the profile's hardware holds them.
  double megabytes = 0;
  /// Texels a metre of textured materials: the least, and the middle by their draws.
  double least_texels_per_metre = 0;
  double usual_texels_per_metre = 0;
  /// The smallest share of its texels along a side that some material keeps.
  double least_kept = 1;
};

/// What is known beside a scene where routes are proposed. All borrowed.
struct RouteHints {
  /// From where the scene is seen: mip levels that they look at are kept clean of other tiles.
  /// Empty: as tiles of their size are usually seen.
  std::span<const Viewpoint> views{};
  std::span<const MaterialTakenBack> taken_back{};  ///< ascending
};

/// Which materials are to stay among themselves, and which have to be copied for that.
/// \pre `survey` is of `scene`
/// \error bad_setting  materials in no group where that is refused: names them
/// \error cancelled
Result<MaterialGroups> find_material_groups(const Scene& scene,
                                            const Survey& survey,
                                            const MaterialSettings& settings,
                                            const RunControl& run = {});

/// In the extras of materials that are together by hand: the name of their group. It keeps them
/// from what equals them, and tells who swaps them later.
inline constexpr const char* together_key = "together";

/// Gives draws copies of their materials, and marks materials that are together by hand. Nodes and
/// draws keep their numbers; meshes that others show too are copied as well, without their data.
/// \error plan_mismatch  groups of another scene
Result<void> group_materials(const MaterialGroups& groups, Scene& scene);

/// Whether there is a wish for a cutout.
bool asks_for_cutouts(const MaterialSettings& settings);

/// Blended materials for which the settings' routes wish it, and what comes of that: a loss above
/// MaterialSettings::allowed_loss is an obstacle, as is what shows through evenly.
/// \pre `survey` is of `scene`; `images` has one entry an image, decoded
/// \cost O(draws + materials)
std::vector<Cutout> find_cutouts(const Scene& scene,
                                 const Survey& survey,
                                 std::span<const ImageFacts> images,
                                 const MaterialSettings& settings);

/// \pre `survey` is of `scene`; `images` has one entry an image, decoded
/// \error bad_setting  also of a group by hand that can't be one material: names each that can't
///        join, why, and what would have to change; and where copies were not made
/// \error cancelled
/// \error too_large  a tile that no page can take, asked for by hand
/// \cost O(vertices + indices) of all shapes, in parallel, and the packing of each kind
Result<RoutePlan> propose_routes(const Scene& scene,
                                 const Survey& survey,
                                 std::span<const ImageFacts> images,
                                 const MaterialSettings& settings = {},
                                 const RunControl& run = {},
                                 const RouteHints& hints = {});

}  // namespace wakuzume
