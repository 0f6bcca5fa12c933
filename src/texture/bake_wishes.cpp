// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/bake_wishes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "scene/running.h"
#include "survey/textures.h"
#include "texture/charts.h"
#include "texture/stacks.h"

namespace wakuzume {
namespace {

/// Pixels along what has no texels to go by.
constexpr double plain_chart_px = 8;
/// Share of a page that the charts of one material may take.
constexpr double most_baked_share = 0.5;

}  // namespace

BakeFinder::BakeFinder(const Scene& scene,
                       const Survey& survey,
                       std::span<const ImageFacts> images,
                       const MaterialSettings& settings,
                       const MaterialUses& uses)
    : scene_(scene),
      survey_(survey),
      images_(images),
      settings_(settings),
      uses_(uses),
      scales_(settings.scales, scene, survey) {}

std::uint32_t BakeFinder::find_uv_set(MaterialId id) const {
  const auto taken = [&](std::uint32_t set) {
    return std::any_of(uses_[id].shapes.begin(), uses_[id].shapes.end(), [&](ShapeId s) {
      return primitive_of(scene_, survey_[s]).find(fmt::format("TEXCOORD_{}", set)) != no_stream;
    });
  };
  if (settings_.rebaked_uv_set != free_uv_set) {
    return taken(settings_.rebaked_uv_set) ? no_index : settings_.rebaked_uv_set;
  }
  std::uint32_t set = 0;
  while (set < free_uv_set && taken(set)) {
    ++set;
  }
  return set < free_uv_set ? set : no_index;
}

std::string BakeFinder::find_problem(MaterialId id, bool asked) {
  for (const ShapeId s : uses_[id].shapes) {
    if (survey_[s].topology != Topology::triangles || !survey_[s].finite) {
      return "what it is on are not all triangles in finite places";
    }
  }
  if (find_uv_set(id) == no_index) {
    return settings_.rebaked_uv_set == free_uv_set
               ? "no UV set is free for new UVs"
               : fmt::format("the UV set {} is taken", settings_.rebaked_uv_set);
  }
  std::vector<BakeShape> shapes = list_shapes(id);
  double texels = 0;
  for (const BakeShape& shape : shapes) {
    texels += shape.area * shape.texels_per_unit * shape.texels_per_unit;
  }
  const double room = most_baked_share * settings_.max_page_px * settings_.max_page_px;
  if (texels > room && !asked) {
    return fmt::format(
        "on UVs of its own it would take {:.1f} megapixels, and {:.1f} are room "
        "for one material",
        texels / 1e6, room / 1e6);
  }
  shapes_[id] = std::move(shapes);
  return {};
}

/// Shapes that are equal share their charts.
std::vector<BakeFinder::BakeShape> BakeFinder::list_shapes(MaterialId id) const {
  std::map<FamilyId, std::size_t> families;
  std::vector<BakeShape> out;
  for (const ShapeId s : uses_[id].shapes) {
    const Shape& shape = survey_[s];
    const auto [slot, added] = families.try_emplace(shape.family, out.size());
    if (added) {
      out.emplace_back();
    }
    BakeShape& bake = out[slot->second];
    bake.shapes.push_back({shape.mesh, shape.primitive});
    const double scale = uses_.find_scale(s) > 0 ? uses_.find_scale(s) : 1;
    const UvExtent extent =
        find_uv_extent(scene_, primitive_of(scene_, survey_[s]), uses_.source(id));
    bake.area = extent.area;
    bake.area_m2 = std::max(bake.area_m2, extent.area * scale * scale);
    const auto size = find_tile_size(scales_.find(id));
    const double fine = settings_.rebaked_texels_per_metre > 0
                            ? settings_.rebaked_texels_per_metre * scale
                            : find_density(id, s);
    double wanted = fine;
    if (size && size->unit == TileUnit::per_metre) {
      wanted = size->number * scale;
    } else if (size && size->unit == TileUnit::pixels && extent.area > 0) {
      wanted = size->number / std::sqrt(extent.area);
    }
    bake.texels_per_unit = std::max(bake.texels_per_unit, std::min(wanted, fine));
  }
  std::sort(out.begin(), out.end(), [](const BakeShape& a, const BakeShape& b) {
    return a.shapes.front() < b.shapes.front();
  });
  return out;
}

double BakeFinder::find_density(MaterialId id, ShapeId s) const {
  double density = 0;
  for (const TextureSlot* slot : list_slots(scene_[id])) {
    const ImageId image =
        slot->texture == no_texture ? no_image : find_image(scene_, slot->texture);
    if (image == no_image || images_[to_index(image)].one_color) {
      continue;
    }
    const ImageFacts& facts = images_[to_index(image)];
    const UvExtent extent =
        find_uv_extent(scene_, primitive_of(scene_, survey_[s]), find_slot_source(*slot));
    const double texels = extent.uv_area * facts.width_px * facts.height_px *
                          std::exp2(-2.0 * count_spare_halvings(facts));
    if (extent.area > 0 && std::isfinite(texels)) {
      density = std::max(density, std::sqrt(texels / extent.area));
    }
  }
  const double length = survey_[s].box.largest_extent();
  return std::max(density, length > 0 ? plain_chart_px / length : 1);
}

Result<std::vector<TileWish>> BakeFinder::make_wishes(MaterialId id, const RunControl& run) const {
  const std::vector<BakeShape>& shapes = shapes_.at(id);
  std::vector<TileWish> wishes(shapes.size());
  if (!for_each_index(shapes.size(), run, "cutting charts", [&](std::size_t i) {
        TileWish& wish = wishes[i];
        wish.tile.material = id;
        wish.tile.shapes = shapes[i].shapes;
        wish.tile.texels_per_unit = shapes[i].texels_per_unit;
        wish.area_m2 = shapes[i].area_m2;
        wish.cutout = scene_[id].alpha_mode != AlphaMode::opaque;
        const PrimitiveRef& first = shapes[i].shapes.front();
        wish.charts = std::make_shared<ChartSet>(
            make_charts(make_corner_positions(scene_, primitive_of(scene_, first))));
      })) {
    return Failure(make_cancelled());
  }
  constexpr double least_px = 2 * chart_margin_px + 1;  // of a chart along a side
  double least = 0;
  for (const TileWish& wish : wishes) {
    least += least_px * least_px * static_cast<double>(wish.charts->charts.size());
  }
  if (least > most_baked_share * settings_.max_page_px * settings_.max_page_px) {
    return Failure(
        Error{ErrorCode::too_large, "its charts are too many and too small for a page", {}});
  }
  for (TileWish& wish : wishes) {
    for (const TextureSlot* slot : list_slots(scene_[id])) {
      if (slot->texture != no_texture) {
        const ImageFacts& facts = images_[to_index(find_image(scene_, slot->texture))];
        for (std::size_t h = 0; h < wish.losses.size() && !facts.one_color; ++h) {
          wish.losses[h] = std::max(wish.losses[h], facts.halving_losses[h]);
        }
      }
    }
    if (const auto size = find_tile_size(scales_.find(id))) {
      // The others are in the density already.
      wish.scale = size->unit == TileUnit::scale ? size->number : 1;
      wish.fixed = true;
    }
  }
  return wishes;
}

}  // namespace wakuzume
