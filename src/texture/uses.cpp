// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/uses.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

#include "scene/running.h"
#include "survey/wish.h"

namespace wakuzume {

void MaterialUse::join(const MaterialUse& other) {
  area_m2 += other.area_m2;
  tiles += other.tiles;
  for (std::size_t c = 0; c < 2; ++c) {
    lengths[c] += other.lengths[c];
  }
  box.include(other.box);
  missing = missing || other.missing;
  finite = finite && other.finite;
  for (std::size_t c = 0; c < 2; ++c) {
    min[c] = std::min(min[c], other.min[c]);
    max[c] = std::max(max[c], other.max[c]);
  }
  std::vector<ShapeId> all;
  std::set_union(shapes.begin(), shapes.end(), other.shapes.begin(), other.shapes.end(),
                 std::back_inserter(all));
  shapes = std::move(all);
}

MaterialUses::MaterialUses(const Scene& scene, const Survey& survey, const MaterialRules& rules)
    : scene_(scene),
      survey_(survey),
      rules_(rules),
      uses_(scene.materials.size()),
      scales_(survey.shapes.size(), 0) {
  sources_.reserve(scene.materials.size());
  for (const Material& material : scene.materials) {
    sources_.push_back(find_uv_source(scene, material));
  }
}

bool MaterialUses::measure(const RunControl& run) {
  std::vector<bool> wanted(survey_.shapes.size(), false);
  for (const Draw& draw : survey_.draws) {
    if (draw.material == no_material) {
      continue;
    }
    if (rules_.leaves_alone(draw)) {
      left_alone_.push_back({draw.node, draw.primitive});
      ++uses_[to_index(draw.material)].left_alone;
    } else {
      wanted[to_index(draw.shape)] = true;
    }
  }
  std::sort(left_alone_.begin(), left_alone_.end());
  std::vector<UvExtent> extents(wanted.size());
  if (!for_each_index(wanted.size(), run, "measuring UVs", [&](std::size_t s) {
        if (wanted[s]) {
          const Shape& shape = survey_.shapes[s];
          extents[s] = find_uv_extent(scene_, primitive_of(scene_, shape),
                                      sources_[to_index(shape.material)]);
        }
      })) {
    return false;
  }
  const std::vector<Mat4d> worlds = make_world_matrices(scene_);
  draws_.resize(survey_.draws.size());
  for (std::size_t d = 0; d < draws_.size(); ++d) {
    const Draw& draw = survey_.draws[d];
    if (draw.material != no_material && wanted[to_index(draw.shape)] &&
        !rules_.leaves_alone(draw)) {
      add(draw, extents[to_index(draw.shape)], worlds[to_index(draw.node)], draws_[d]);
    }
  }
  for (MaterialUse& use : uses_) {
    std::sort(use.shapes.begin(), use.shapes.end());
    use.shapes.erase(std::unique(use.shapes.begin(), use.shapes.end()), use.shapes.end());
  }
  return true;
}

void MaterialUses::add(const Draw& draw, const UvExtent& extent, const Mat4d& world, DrawUse& own) {
  MaterialUse& use = uses_[to_index(draw.material)];
  ++use.draws;
  use.shapes.push_back(draw.shape);
  const double scale = std::cbrt(std::abs(linear_determinant(world)));
  double& largest = scales_[to_index(draw.shape)];
  largest = std::isfinite(scale) ? std::max(largest, scale) : largest;
  const double area = extent.area * scale * scale * static_cast<double>(draw.instances);
  use.area_m2 += std::isfinite(area) ? area : 0;
  if (std::isfinite(area) && extent.area > 0) {
    own.area_m2 = area;
    own.tile_m = {extent.lengths[0] / extent.area * scale, extent.lengths[1] / extent.area * scale};
  }
  for (std::size_t c = 0; c < 2; ++c) {
    const double lengths =
        extent.lengths[c] * scale * scale * scale * static_cast<double>(draw.instances);
    use.lengths[c] += std::isfinite(lengths) ? lengths : 0;
  }
  use.tiles +=
      std::isfinite(extent.uv_area) ? extent.uv_area * static_cast<double>(draw.instances) : 0;
  use.box.include(draw.box);
  use.missing = use.missing || extent.missing;
  use.finite = use.finite && extent.finite;
  for (std::size_t c = 0; c < 2 && !extent.missing; ++c) {
    use.min[c] = std::min(use.min[c], extent.min[c]);
    use.max[c] = std::max(use.max[c], extent.max[c]);
  }
}

std::optional<LayoutWish> find_layout(const std::string& word) {
  const std::size_t first = word.find(':');
  const std::size_t second = std::min(word.find(':', first + 1), word.size());
  if (first == std::string::npos || first == 0) {
    return std::nullopt;
  }
  LayoutWish out{word.substr(0, first), 0, word.substr(std::min(second + 1, word.size()))};
  const char* const end = word.data() + second;
  const auto read = std::from_chars(word.data() + first + 1, end, out.set);
  const auto size = find_tile_size(out.size);
  const bool sized = second == word.size() || (size && size->unit != TileUnit::scale);
  return read.ec == std::errc() && read.ptr == end && out.set < free_uv_set && sized
             ? std::optional(out)
             : std::nullopt;
}

MaterialEntry cut_entry(const std::string& entry) {
  const std::size_t sign = entry.rfind('=');
  return sign == std::string::npos ? MaterialEntry{}
                                   : MaterialEntry{entry.substr(0, sign), entry.substr(sign + 1)};
}

MaterialWishes::MaterialWishes(const std::vector<std::string>& entries,
                               const Scene& scene,
                               const Survey& found)
    : values_(scene.materials.size()) {
  for (const std::string& entry : entries) {
    const MaterialEntry cut = cut_entry(entry);
    const auto draws = find_draws(scene, found, cut.wish, WishOver::materials);
    for (const DrawId draw : draws ? *draws : std::vector<DrawId>{}) {
      std::string& value = values_[to_index(found[draw].material)];
      value = value.empty() ? cut.value : value;
    }
  }
}

namespace {

struct EntryList {
  const char* setting;
  const std::vector<std::string>& entries;
  WishOver over;  ///< what terms are about: groups are of draws, all else is of materials
};

std::array<EntryList, 4> list_entries(const MaterialSettings& settings) {
  return {{{"materials.routes", settings.routes, WishOver::materials},
           {"materials.scales", settings.scales, WishOver::materials},
           {"materials.together", settings.together, WishOver::node_paths},
           {"materials.layouts", settings.layouts, WishOver::node_paths}}};
}

}  // namespace

std::vector<std::string> list_wishes(const MaterialSettings& settings) {
  std::vector<std::string> out;
  for (const EntryList& list : list_entries(settings)) {
    for (const std::string& entry : list.entries) {
      out.push_back(to_material_terms(cut_entry(entry).wish));
    }
  }
  return out;
}

Result<std::vector<WishUse>> count_wishes(const Scene& scene,
                                          const Survey& found,
                                          const MaterialSettings& settings,
                                          const RunControl& run) {
  std::vector<WishUse> out;
  for (const EntryList& list : list_entries(settings)) {
    for (const std::string& entry : list.entries) {
      const MaterialEntry cut = cut_entry(entry);
      const auto draws = find_draws(scene, found, to_material_terms(cut.wish), list.over, run);
      if (!draws) {
        return Failure(draws.error());
      }
      out.push_back({list.setting, cut.wish, cut.value, draws->size()});
    }
  }
  return out;
}

std::optional<Route> find_route(std::string_view word) {
  for (std::size_t r = 0; r < route_count; ++r) {
    if (word == to_string(static_cast<Route>(r))) {
      return static_cast<Route>(r);
    }
  }
  return std::nullopt;
}

std::optional<TileSize> find_tile_size(const std::string& word) {
  TileSize size;
  const char* const end = word.data() + word.size();
  const auto read = std::from_chars(word.data(), end, size.number);
  const std::string_view unit(read.ptr, static_cast<std::size_t>(end - read.ptr));
  if (read.ec != std::errc() || !(size.number > 0)) {
    return std::nullopt;
  }
  if (unit.empty()) {
    return size.number <= 1 ? std::optional(size) : std::nullopt;
  }
  size.unit = unit == "px" ? TileUnit::pixels : TileUnit::per_metre;
  const double most = unit == "px" ? 16384 : 1e6;
  return (unit == "px" || unit == "/m") && size.number <= most ? std::optional(size) : std::nullopt;
}

}  // namespace wakuzume
