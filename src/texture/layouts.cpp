// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/layouts.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "scene/running.h"
#include "texture/bake.h"
#include "texture/coverage.h"

namespace wakuzume {
namespace {

/// Beyond the tile by less than this is not told.
constexpr double slack = 1e-4;
/// A texel on the edge that two triangles share is in neither.
constexpr double inside = 1e-6;

/// Calls `visit(texel)` for each texel whose centre is within a triangle of a page.
template <class Visit>
void for_each_texel(const FlatCorners& corners, const RectSize& page, const Visit& visit) {
  const auto limit = [](double at, std::uint32_t most) {
    return static_cast<std::uint32_t>(std::clamp(at, 0.0, static_cast<double>(most)));
  };
  const auto [left, right] = std::minmax({corners[0].x(), corners[1].x(), corners[2].x()});
  const auto [top, bottom] = std::minmax({corners[0].y(), corners[1].y(), corners[2].y()});
  for (std::uint32_t y = limit(std::floor(top), page.height_px);
       y < limit(std::ceil(bottom), page.height_px); ++y) {
    for (std::uint32_t x = limit(std::floor(left), page.width_px);
         x < limit(std::ceil(right), page.width_px); ++x) {
      const auto weights = find_weights(corners, {x + 0.5, y + 0.5});
      if (weights && weights->minCoeff() > inside) {
        visit(std::size_t{y} * page.width_px + x);
      }
    }
  }
}

}  // namespace

std::string find_shape_path(const Scene& scene, const PrimitiveRef& shape) {
  for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
    if (scene.nodes[n].mesh == shape.mesh) {
      const std::string path = make_node_path(scene, make_id<NodeId>(n));
      return scene[shape.mesh].primitives.size() < 2
                 ? path
                 : fmt::format("{} primitive {}", path, shape.primitive);
    }
  }
  return fmt::format("mesh {}", to_index(shape.mesh));
}

Result<std::vector<LayoutFault>> find_layout_faults(const Scene& scene,
                                                    const AtlasPage& page,
                                                    std::uint32_t number,
                                                    const RunControl& run) {
  std::vector<LayoutFault> out;
  std::vector<UvRange> ranges;
  std::vector<std::uint32_t> owner(std::size_t{page.size.width_px} * page.size.height_px, no_index);
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint64_t> shared;
  for (std::uint32_t t = 0; t < page.tiles.size(); ++t) {
    if (!goes_on(run, "checking layouts",
                 static_cast<double>(t) / static_cast<double>(page.tiles.size()))) {
      return Failure(make_cancelled());
    }
    const Tile& tile = page.tiles[t];
    const auto places =
        make_page_places(scene, primitive_of(scene, tile.shapes.front()), tile, page);
    if (!places) {
      return Failure(places.error());
    }
    UvRange range{page.layout_set, {1e300, 1e300}, {-1e300, -1e300}, true};
    const double sides[] = {static_cast<double>(page.size.width_px),
                            static_cast<double>(page.size.height_px)};
    for (std::size_t i = 0; i < places->size(); ++i) {
      range.min[i % 2] = std::min(range.min[i % 2], (*places)[i] / sides[i % 2]);
      range.max[i % 2] = std::max(range.max[i % 2], (*places)[i] / sides[i % 2]);
    }
    if (std::min(range.min[0], range.min[1]) < -slack ||
        std::max(range.max[0], range.max[1]) > 1 + slack) {
      out.push_back({number, tile.shapes.front(), {}, 0, range});
    }
    ranges.push_back(range);
    for (std::size_t c = 0; c + 6 <= places->size(); c += 6) {
      const double* const p = &(*places)[c];
      for_each_texel({Eigen::Vector2d(p[0], p[1]), {p[2], p[3]}, {p[4], p[5]}}, page.size,
                     [&](std::size_t texel) {
                       if (owner[texel] != no_index) {
                         ++shared[{owner[texel], t}];
                       }
                       owner[texel] = t;
                     });
    }
  }
  for (const auto& [pair, texels] : shared) {
    out.push_back({number, page.tiles[pair.second].shapes.front(),
                   page.tiles[pair.first].shapes.front(), texels, ranges[pair.second]});
  }
  return out;
}

std::string to_string(const Scene& scene, const RoutePlan& routes, const LayoutFault& fault) {
  const std::string& page = routes.pages[fault.page].name;
  const std::string shape = find_shape_path(scene, fault.shape);
  if (fault.other.mesh == no_mesh) {
    return fmt::format(
        "{} leaves the tile of UV set {} on {}: from {:.3g}, {:.3g} to {:.3g}, {:.3g}; what is "
        "outside is not painted",
        shape, fault.range.set, page, fault.range.min[0], fault.range.min[1], fault.range.max[0],
        fault.range.max[1]);
  }
  if (fault.other == fault.shape) {
    return fmt::format("{} shows {} texels of UV set {} on {} in several places", shape,
                       fault.texels, fault.range.set, page);
  }
  return fmt::format("{} and {} show the same {} texels of UV set {} on {}",
                     find_shape_path(scene, fault.other), shape, fault.texels, fault.range.set,
                     page);
}

}  // namespace wakuzume
