// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "texture/route_finder.h"

// Routes of materials that are equal, or differ by colour alone.
namespace wakuzume {

std::array<double, 10> RouteFinder::list_factors(MaterialId id) const {
  const Material& m = material(id);
  return {m.base_color[0], m.base_color[1],
          m.base_color[2], m.base_color[3],
          m.metallic,      m.roughness,
          m.emissive[0],   m.emissive[1],
          m.emissive[2],   m.normal_texture.factor + m.occlusion_texture.factor};
}

void RouteFinder::fold() {
  using Alike = std::map<ContentHash, std::vector<MaterialId>, LessHash>;
  std::map<std::uint32_t, Alike> known;  // by group
  for (MaterialRoute& route : out_.routes) {
    if (!may(route.material, Route::fold)) {
      // Who asks for another route by hand still may be what others fold into.
      if (!may_share(route.material) || is_laid_out(route.material) || route.draws == 0 ||
          !rules_.find_fixed(route.material).empty() ||
          find_forced(route.material) == Route::stay) {
        continue;
      }
    }
    const auto hash = hash_without(parts_.find(route.material), [](KeyPart p) {
      return p == KeyPart::material_name || p == KeyPart::base_color || p == KeyPart::factors;
    });
    std::vector<MaterialId>& alike = known[group_of(route.material)][hash];
    const auto hit = std::find_if(alike.begin(), alike.end(), [&](MaterialId other) {
      return are_equal(route.material, other);
    });
    if (hit == alike.end() || !may(route.material, Route::fold)) {
      alike.push_back(route.material);
      continue;
    }
    route.route = Route::fold;
    route.onto = *hit;
    const bool exact = list_factors(route.material) == list_factors(*hit);
    route.reason = fmt::format("{} {}", exact ? "equal by value to" : "within the tolerance of",
                               name_of(*hit));
    use(*hit).join(use(route.material));
  }
}

void RouteFinder::tint() {
  using Classes = std::map<ContentHash, std::vector<MaterialId>, LessHash>;
  std::map<std::uint32_t, Classes> of_group;
  for (const MaterialRoute& route : out_.routes) {
    if (route.route != Route::fold && may(route.material, Route::tint)) {
      of_group[group_of(route.material)][hash_without(parts_.find(route.material), [](KeyPart p) {
        return p == KeyPart::material_name || p == KeyPart::base_color;
      })].push_back(route.material);
    }
  }
  for (const auto& [group, classes] : of_group) {
    for (const auto& [hash, members] : classes) {
      if (members.size() > 1) {
        tint_class(members);
      }
    }
  }
}

void RouteFinder::tint_class(const std::vector<MaterialId>& members) {
  const MaterialId first = members.front();
  // Instances would leave them several materials.
  if (!is_together(first) && is_for_instances(members)) {
    for (const MaterialId id : members) {
      route(id).route = Route::tint;
      route(id).reason = fmt::format("as {} in another colour: instances carry it",
                                     name_of(id == first ? members[1] : first));
      for_instances_.insert(id);
    }
  } else if (material(first).base_color_texture.texture != no_texture ||
             find_forced(first) == Route::tint) {
    // Without a picture a tile of one colour is as good, and shared with more.
    tint_vertices(members);
  }
}

void RouteFinder::tint_vertices(const std::vector<MaterialId>& members) {
  const MaterialId first = members.front();
  for (const MaterialId id : members) {
    MaterialRoute& tinted = route(id);
    tinted.tinted = true;
    tinted.route = Route::tint;
    tinted.reason = fmt::format("as {} in another colour: vertices carry it",
                                name_of(id == first ? members[1] : first));
    if (id != first) {
      tinted.onto = first;
      use(first).join(use(id));
    }
  }
}

bool RouteFinder::is_for_instances(const std::vector<MaterialId>& members) {
  const std::set<MaterialId> wanted(members.begin(), members.end());
  std::map<FamilyId, std::pair<std::set<MaterialId>, std::size_t>> families;
  std::size_t all = 0;
  for (const Draw& draw : survey_.draws) {
    if (wanted.contains(draw.material)) {
      auto& [colors, draws] = families[survey_[draw.shape].family];
      colors.insert(draw.material);
      ++draws;
      ++all;
    }
  }
  std::size_t shared = 0;
  for (const auto& [family, entry] : families) {
    shared += entry.first.size() > 1 ? entry.second : 0;
  }
  return 2 * shared > all;
}

}  // namespace wakuzume
