// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <string_view>

#include "texture/route_finder.h"

// Groups by hand, of which each has to end as one material.
namespace wakuzume {

Result<void> RouteFinder::place_group(const MaterialGroup& group, const RunControl& run) {
  std::vector<MaterialId> members;
  for (const MaterialId id : group.materials) {
    if (route(id).draws > 0 && route(id).onto == no_material && !leaves_group(id)) {
      members.push_back(id);
    }
  }
  if (members.size() < 2) {
    for (const MaterialId id : members) {
      if (route(id).route == Route::stay) {
        route(id).reason = fmt::format("alone in the group {}", group.name);
      }
    }
    return {};
  }
  std::vector<Obstacle> obstacles;
  const Way way = find_common_way(members, obstacles);
  if (!obstacles.empty()) {
    return refuse_group(group, obstacles);
  }
  Kind kind;
  kind.members = members;
  for (const MaterialId id : members) {
    ways_[to_index(id)] = way == Way::layer || is_flat(id) ? way : ways_[to_index(id)];
    kind.textured = kind.textured || !is_flat(id);
  }
  if (way == Way::layer) {
    stack_kind(kind, group.name);
  } else {
    MaterialSettings one_page = settings_;
    one_page.max_pages = 1;
    if (auto placed = place_kind(kind, one_page, group.name, run); !placed) {
      return placed;
    }
  }
  obstacles = find_scattered(members);
  return obstacles.empty() ? Result<void>() : refuse_group(group, obstacles);
}

bool RouteFinder::leaves_group(MaterialId id) {
  const MaterialTakenBack* const taken = find_taken(id);
  if (taken == nullptr || taken->to != TakenTo::stay) {
    return false;
  }
  route(id).reason = "taken back: " + taken->why;
  return true;
}

Way RouteFinder::find_common_way(const std::vector<MaterialId>& members,
                                 std::vector<Obstacle>& obstacles) {
  const MaterialId first = *std::max_element(
      members.begin(), members.end(),
      [&](MaterialId a, MaterialId b) { return route(a).draws < route(b).draws; });
  obstacles = find_kind_obstacles(members, first);
  bool layered = false;
  bool baked = false;
  for (const MaterialId id : members) {
    const Way way = find_way(route(id));
    ways_[to_index(id)] = way;
    layered = layered || way == Way::layer;
    baked = baked || way == Way::bake;
    if (way == Way::none) {
      const bool new_uvs = !find_layout_problem(id).empty() && find_unreadable(id).empty();
      obstacles.push_back(
          {id, route(id).reason + (new_uvs ? ": a route of rebake gives it UVs of its own" : "")});
    }
  }
  if (!obstacles.empty()) {
    return Way::none;
  }
  // What repeats can't be baked with what needs new UVs, unless it is baked as well.
  const Way way = baked ? Way::bake : layered ? Way::layer : Way::tile;
  for (const MaterialId id : members) {
    if (way == Way::bake && !is_flat(id)) {
      const std::string against = bakes_.find_problem(id, true);
      if (!against.empty()) {
        obstacles.push_back({id, against});
      }
      ways_[to_index(id)] = Way::bake;
    }
  }
  find_lookup_obstacles(members, way, obstacles);
  return way;
}

std::vector<RouteFinder::Obstacle> RouteFinder::find_kind_obstacles(
    const std::vector<MaterialId>& members, MaterialId first) const {
  constexpr const char* alphas[] = {"opaque", "cut out", "blended"};
  const auto alpha_of = [&](MaterialId id) {
    return alphas[static_cast<std::size_t>(material(id).alpha_mode)];
  };
  const PartHashes wanted = parts_.find(first);
  std::vector<Obstacle> out;
  for (const MaterialId id : members) {
    const PartHashes own = parts_.find(id);
    const auto differs = [&](KeyPart part) {
      return own[static_cast<std::size_t>(part)] != wanted[static_cast<std::size_t>(part)];
    };
    const std::string other = name_of(first);
    if (differs(KeyPart::alpha)) {
      out.push_back({id, fmt::format("it is {}, and {} is {}: give both one alpha mode and cutoff",
                                     alpha_of(id), other, alpha_of(first))});
    }
    if (differs(KeyPart::sidedness)) {
      out.push_back(
          {id, fmt::format("it is {}, unlike {}: make both so, or none",
                           material(id).double_sided ? "two-sided" : "one-sided", other)});
    }
    if (differs(KeyPart::shading)) {
      out.push_back(
          {id, fmt::format("it has other extensions than {}: give both the same", other)});
    }
    if (differs(KeyPart::extras)) {
      out.push_back({id, fmt::format("it has other extras than {}: give both the same", other)});
    }
  }
  return out;
}

void RouteFinder::find_lookup_obstacles(const std::vector<MaterialId>& members,
                                        Way way,
                                        std::vector<Obstacle>& obstacles) const {
  const auto first =
      std::find_if(members.begin(), members.end(), [&](MaterialId id) { return !is_flat(id); });
  if (first == members.end()) {
    return;
  }
  const auto sampler_of = [&](MaterialId id) {
    return make_effective(find_sampler(scene_, find_first_texture(material(id))));
  };
  const Sampler wanted = sampler_of(*first);
  const std::uint32_t set = find_uv_set(*first, way);
  for (const MaterialId id : members) {
    if (is_flat(id)) {
      continue;
    }
    const Sampler own = sampler_of(id);
    if (find_uv_set(id, way) != set) {
      obstacles.push_back(
          {id,
           fmt::format("its UVs would be in set {}, those of {} in {}: a route of rebake for all "
                       "gives them one set",
                       find_uv_set(id, way), name_of(*first), set)});
    }
    if (own.mag_filter != wanted.mag_filter || own.min_filter != wanted.min_filter) {
      obstacles.push_back({id, fmt::format("its textures are filtered otherwise than those of {}: "
                                           "give both one sampler",
                                           name_of(*first))});
    }
    if (way == Way::layer && (own.wrap_s != wanted.wrap_s || own.wrap_t != wanted.wrap_t)) {
      obstacles.push_back({id, fmt::format("its textures repeat otherwise than those of {}: give "
                                           "both one sampler",
                                           name_of(*first))});
    }
  }
}

std::vector<RouteFinder::Obstacle> RouteFinder::find_scattered(
    const std::vector<MaterialId>& members) {
  std::set<std::uint32_t> pages;
  std::set<std::uint32_t> stacks;
  std::vector<Obstacle> out;
  for (const MaterialId id : members) {
    const MaterialRoute& own = route(id);
    if (own.page == no_index && own.stack == no_index) {
      const RectSize size = find_texture_size(id);
      out.push_back(
          {id,
           way_of(id) == Way::layer
               ? fmt::format("its textures of {} x {} don't fit the layers of the others without "
                             "losing texels: pictures of one size, or materials.goal "
                             "fewest_draws, would make them fit",
                             size.width_px, size.height_px)
               : own.reason});
    } else if (own.page != no_index) {
      pages.insert(own.page);
    } else {
      stacks.insert(own.stack);
    }
  }
  if (out.empty() && pages.size() > 1) {
    out.push_back({members.front(),
                   fmt::format("all together take {} pages of {} pixels: a larger "
                               "materials.max_page_px or smaller tiles by materials.scales would "
                               "make it one",
                               pages.size(), settings_.max_page_px)});
  }
  if (out.empty() && stacks.size() > 1) {
    out.push_back(
        {members.front(),
         fmt::format("all together take {} stacks of layers: more materials.max_layers or "
                     "materials.max_stack_megabytes would make it one",
                     stacks.size())});
  }
  return out;
}

Failure RouteFinder::refuse_group(const MaterialGroup& group,
                                  const std::vector<Obstacle>& obstacles) const {
  std::vector<std::string> lines;
  for (const Obstacle& obstacle : obstacles) {
    lines.push_back(fmt::format("{}: {}", name_of(obstacle.material), obstacle.why));
  }
  return Failure(Error{ErrorCode::bad_setting,
                       fmt::format("materials.{}: the group {} can't be one material\n  {}",
                                   group.layout_set == no_index ? "together" : "layouts",
                                   group.name, fmt::join(lines, "\n  ")),
                       {}});
}

}  // namespace wakuzume
