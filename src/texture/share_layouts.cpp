// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <map>

#include "texture/layouts.h"
#include "texture/route_finder.h"

// Groups whose parts are unwrapped together already: one page, by the UVs they have.
namespace wakuzume {
namespace {

/// Of a page whose parts have no texels to go by.
constexpr double plain_side_px = 64;

UvExtent find_layout_extent(const Scene& scene, const Shape& shape, std::uint32_t set) {
  UvSource source;
  source.textured = true;
  source.set = set;
  return find_uv_extent(scene, primitive_of(scene, shape), source);
}

/// What a material's shapes add up to on a layout.
struct LayoutSum {
  double area_m2 = 0;
  double uv_area = 0;
  [[nodiscard]] double texels_per_metre(double side_px) const {
    return area_m2 > 0 ? side_px * std::sqrt(uv_area / area_m2) : 0;
  }
};

}  // namespace

Result<void> RouteFinder::place_layout(const MaterialGroup& group, const RunControl& run) {
  std::vector<MaterialId> members;
  for (const MaterialId id : group.materials) {
    if (route(id).draws > 0 && !leaves_group(id)) {
      members.push_back(id);
    }
  }
  if (members.empty()) {
    return {};
  }
  std::vector<Obstacle> obstacles = find_kind_obstacles(members, members.front());
  find_layout_obstacles(members, group.layout_set, obstacles);
  if (!obstacles.empty()) {
    return refuse_group(group, obstacles);
  }
  const std::uint32_t side = find_layout_side(group, members);
  AtlasPage page;
  page.name = number_name(group.name, Numbered::from_two);
  page.size = {side, side};
  page.layout_set = group.layout_set;
  const auto number = static_cast<std::uint32_t>(out_.pages.size());
  std::map<MaterialId, LayoutSum> sums;
  for (auto& [tile, shape] : list_layout_tiles(members)) {
    const UvExtent extent = find_layout_extent(scene_, survey_[shape], group.layout_set);
    const double scale = uses_.find_scale(shape);
    sums[tile.material].area_m2 += extent.area * scale * scale;
    sums[tile.material].uv_area += extent.uv_area;
    const double fine = extent.area > 0 ? side * std::sqrt(extent.uv_area / extent.area) : 1;
    tile.texels_per_unit = fine > 0 && std::isfinite(fine) ? fine : 1;
    tile.texture = tile.size = page.size;
    page.tiles.push_back(std::move(tile));
  }
  for (std::uint32_t t = 0; t < page.tiles.size(); ++t) {
    Tile& tile = page.tiles[t];
    MaterialRoute& own = route(tile.material);
    // As many texels as there would be at the old density: what is kept is told by the two.
    const double after = sums[tile.material].texels_per_metre(side);
    const double before = find_density(tile.material, find_texture_size(tile.material));
    const double whole = after > 0 && before > 0 ? side * before / after : side;
    tile.used.width = tile.used.height = std::max<std::int64_t>(1, std::llround(whole));
    if (own.page == no_index) {
      own.page = number;
      own.tile = t;
      own.route = Route::rebake;
      own.reason = fmt::format("painted by UV set {}, on {}, {} x {}", group.layout_set, page.name,
                               side, side);
    }
  }
  rules_.find_channels(page, images_);
  for (std::uint32_t& halvings : page.halvings) {
    halvings = halvings == no_index ? no_index : 0;
  }
  auto faults = find_layout_faults(scene_, page, number, run);
  if (!faults) {
    return Failure(faults.error());
  }
  out_.faults.insert(out_.faults.end(), faults->begin(), faults->end());
  out_.pages.push_back(std::move(page));
  return {};
}

std::vector<std::pair<Tile, ShapeId>> RouteFinder::list_layout_tiles(
    const std::vector<MaterialId>& members) const {
  std::vector<std::pair<Tile, ShapeId>> tiles;
  for (const MaterialId id : members) {
    std::map<FamilyId, std::size_t> known;
    for (const ShapeId s : use(id).shapes) {
      const auto [slot, added] = known.try_emplace(survey_[s].family, tiles.size());
      if (added) {
        tiles.emplace_back(Tile{}, s).first.material = id;
      }
      tiles[slot->second].first.shapes.push_back({survey_[s].mesh, survey_[s].primitive});
    }
  }
  return tiles;
}

void RouteFinder::find_layout_obstacles(const std::vector<MaterialId>& members,
                                        std::uint32_t set,
                                        std::vector<Obstacle>& obstacles) const {
  for (const MaterialId id : members) {
    if (std::string why = rules_.find_fixed(id); !why.empty()) {
      obstacles.push_back({id, std::move(why)});
    }
    if (std::string why = find_unreadable(id); !why.empty()) {
      obstacles.push_back({id, std::move(why)});
    }
    for (const ShapeId s : use(id).shapes) {
      const Shape& shape = survey_[s];
      const std::string mesh = column_name(scene_, shape.mesh);
      const UvRange* const range = shape.find_uvs(set);
      if (shape.topology != Topology::triangles || !shape.finite) {
        obstacles.push_back(
            {id, fmt::format("the mesh {} is not all triangles in finite places", mesh)});
      } else if (range == nullptr || !range->finite) {
        obstacles.push_back(
            {id, fmt::format("the mesh {} has no {} in UV set {}: unwrap it with the others, or "
                             "leave it out",
                             mesh, range == nullptr ? "UVs" : "finite UVs", set)});
      }
    }
  }
}

std::uint32_t RouteFinder::find_layout_side(const MaterialGroup& group,
                                            const std::vector<MaterialId>& members) const {
  LayoutSum sum;
  double finest = 0;
  for (const MaterialId id : members) {
    for (const ShapeId s : use(id).shapes) {
      const UvExtent extent = find_layout_extent(scene_, survey_[s], group.layout_set);
      const double scale = uses_.find_scale(s);
      sum.area_m2 += extent.area * scale * scale;
      sum.uv_area += extent.uv_area;
      if (uses_.source(id).textured && !is_flat(id) && extent.uv_area > 0) {
        finest =
            std::max(finest, bakes_.find_density(id, s) * std::sqrt(extent.area / extent.uv_area));
      }
    }
  }
  const auto size = find_tile_size(group.size);
  double side = finest > 0 ? finest : plain_side_px;
  if (size && size->unit == TileUnit::pixels) {
    side = size->number;
  } else if (size && sum.uv_area > 0) {
    side = size->number * std::sqrt(sum.area_m2 / sum.uv_area);
  }
  constexpr double least_px = 4;
  const auto whole = static_cast<std::uint32_t>(
      std::ceil(std::clamp(std::isfinite(side) ? side - 1e-6 : plain_side_px, least_px,
                           static_cast<double>(settings_.max_page_px))));
  const std::uint32_t rounded =
      settings_.page_sides == PageSides::powers_of_two ? std::bit_ceil(whole) : (whole + 3) / 4 * 4;
  return rounded > settings_.max_page_px ? settings_.max_page_px / 4 * 4 : rounded;
}

}  // namespace wakuzume
