// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "texture/route_finder.h"

namespace wakuzume {

RouteFinder::RouteFinder(const Scene& scene,
                         const Survey& survey,
                         std::span<const ImageFacts> images,
                         const MaterialSettings& settings,
                         const RouteHints& hints)
    : scene_(scene),
      survey_(survey),
      images_(images),
      settings_(settings),
      forced_(settings.routes, scene, survey),
      scales_(settings.scales, scene, survey),
      parts_(scene, images),
      groups_(scene.materials.size(), no_index),
      rules_(scene),
      uses_(scene, survey, rules_),
      ways_(scene.materials.size(), Way::none),
      bakes_(scene, survey, images, settings, uses_),
      views_(hints.views) {
  out_.settings = settings;
  out_.taken_back.assign(hints.taken_back.begin(), hints.taken_back.end());
}

Result<RoutePlan> RouteFinder::run(const RunControl& run) {
  if (!uses_.measure(run)) {
    return Failure(make_cancelled());
  }
  auto grouped = find_material_groups(scene_, survey_, settings_, run);
  if (!grouped) {
    return Failure(grouped.error());
  }
  if (!grouped->copies.empty()) {
    return Failure(Error{ErrorCode::bad_setting,
                         fmt::format("{} materials are shown by draws of several groups: "
                                     "group_materials has to copy them first",
                                     grouped->copies.size()),
                         {}});
  }
  out_.grouped = std::move(*grouped);
  for (std::uint32_t g = 0; g < out_.grouped.groups.size(); ++g) {
    for (const MaterialId id : out_.grouped.groups[g].materials) {
      groups_[to_index(id)] = g;
    }
  }
  if (!views_.empty()) {
    std::vector<RectSize> sizes(scene_.materials.size());
    for (std::size_t m = 0; m < sizes.size(); ++m) {
      sizes[m] = find_texture_size(make_id<MaterialId>(m));
    }
    seen_ = find_seen_levels(survey_, uses_, sizes, views_, run);
  }
  for (std::size_t m = 0; m < scene_.materials.size(); ++m) {
    const MaterialId id = make_id<MaterialId>(m);
    if (use(id).draws + use(id).left_alone > 0) {
      number_[m] = out_.routes.size();
      MaterialRoute& route = out_.routes.emplace_back();
      route.material = id;
      route.draws = use(id).draws;
    }
  }
  out_.left_alone = uses_.left_alone();
  fold();
  tint();
  if (auto placed = place(run); !placed) {
    return Failure(placed.error());
  }
  for (MaterialRoute& route : out_.routes) {
    finish(route);
  }
  return std::move(out_);
}

void RouteFinder::finish(MaterialRoute& route) {
  const MaterialId at = find_end(route);
  const MaterialRoute& end = this->route(at);
  route.page = end.page;
  route.tile = end.tile;
  // What folds into a white picture has a colour of its own, too.
  route.tinted = end.tinted;
  route.stack = end.stack;
  route.lost_steps = end.lost_steps;
  route.member = end.member;
  if (uses_.source(at).textured && find_unreadable(at).empty() && use(at).touched() &&
      use(at).finite && !is_flat(at)) {
    route.texels_per_metre = find_density(route.material, find_texture_size(at));
    route.texels_per_metre_after = route.texels_per_metre * find_kept(end);
  }
  if (route.reason.empty()) {
    route.reason = "nothing else is like it";
  }
}

double RouteFinder::find_kept(const MaterialRoute& end) const {
  if (end.stack != no_index) {
    return find_kept_share(scene_, images_, out_.stacks[end.stack], end.material);
  }
  if (end.page == no_index) {
    return 1;
  }
  const Tile& tile = out_.pages[end.page].tiles[end.tile];
  if (tile.solid()) {
    return 1;
  }
  return std::sqrt(static_cast<double>(tile.size.width_px) * tile.size.height_px /
                   (static_cast<double>(tile.used.width) * static_cast<double>(tile.used.height)));
}

Result<RoutePlan> propose_routes(const Scene& scene,
                                 const Survey& survey,
                                 std::span<const ImageFacts> images,
                                 const MaterialSettings& settings,
                                 const RunControl& run,
                                 const RouteHints& hints) {
  if (auto valid = validate(settings); !valid) {
    return Failure(valid.error());
  }
  if (!settings.asks()) {
    RoutePlan nothing;
    nothing.settings = settings;
    return nothing;
  }
  return RouteFinder(scene, survey, images, settings, hints).run(run);
}

}  // namespace wakuzume
