// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/uses.h"

#include <algorithm>
#include <charconv>
#include <cmath>

#include "scene/running.h"

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

/// Must the look of a draw stay as it is?
bool MaterialUses::is_left_alone(const Draw& draw) const {
  const bool by_rule = draw.stay == StayRule::collider || draw.stay == StayRule::excluded ||
                       draw.stay == StayRule::own_extension || draw.stay == StayRule::not_finite;
  return by_rule || rules_.varies(primitive_of(scene_, draw));
}

bool MaterialUses::measure(const RunControl& run) {
  std::vector<bool> wanted(survey_.shapes.size(), false);
  for (const Draw& draw : survey_.draws) {
    if (draw.material == no_material) {
      continue;
    }
    if (is_left_alone(draw)) {
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
    if (draw.material != no_material && wanted[to_index(draw.shape)] && !is_left_alone(draw)) {
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

namespace {

std::vector<std::string> list_names(const std::vector<std::string>& entries) {
  std::vector<std::string> globs;
  std::transform(entries.begin(), entries.end(), std::back_inserter(globs),
                 [](const std::string& entry) { return entry.substr(0, entry.rfind('=')); });
  return globs;
}

}  // namespace

ByName::ByName(const std::vector<std::string>& entries)
    : entries_(entries), globs_(list_names(entries)) {}

std::string ByName::find(const std::string& name) const {
  const std::uint32_t hit = globs_.find(name);
  return hit == no_index ? "" : entries_[hit].substr(entries_[hit].rfind('=') + 1);
}

std::optional<Route> find_route(std::string_view word) {
  for (std::size_t r = 0; r < route_count; ++r) {
    if (word == to_string(static_cast<Route>(r))) {
      return static_cast<Route>(r);
    }
  }
  return std::nullopt;
}

std::optional<double> find_scale(const std::string& word) {
  double value = 0;
  const char* end = word.data() + word.size();
  const auto read = std::from_chars(word.data(), end, value);
  const bool good = read.ec == std::errc() && read.ptr == end && value > 0 && value <= 1;
  return good ? std::optional(value) : std::nullopt;
}

}  // namespace wakuzume
