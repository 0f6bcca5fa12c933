// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "texture/route_finder.h"

// Kinds of materials that may share a picture, and which way each goes; layers.
namespace wakuzume {
namespace {

/// Texture coordinates beyond this are no places any more.
constexpr double farthest_tile = 1e6;

}  // namespace

ContentHash RouteFinder::find_kind(MaterialId id, Way way) const {
  const PartHashes parts = parts_.find(id);
  ValueHasher hasher;
  for (const KeyPart part :
       {KeyPart::alpha, KeyPart::sidedness, KeyPart::shading, KeyPart::extras}) {
    hasher.add(parts[static_cast<std::size_t>(part)]);
  }
  hasher.add(group_of(id));
  if (uses_.source(id).textured && !is_flat(id)) {
    const Sampler sampler = make_effective(find_sampler(scene_, find_first_texture(material(id))));
    hasher.add(find_uv_set(id, way));
    hasher.add(std::array{sampler.mag_filter, sampler.min_filter});
    if (way == Way::layer) {
      hasher.add(std::array{sampler.wrap_s, sampler.wrap_t});
    }
  }
  return hasher.finish();
}

bool RouteFinder::is_flat(MaterialId id) const {
  for (const TextureSlot* slot : list_slots(material(id))) {
    if (slot->texture != no_texture) {
      const ImageId image = find_image(scene_, slot->texture);
      if (image == no_image || !images_[to_index(image)].one_color) {
        return false;
      }
    }
  }
  return true;
}

Result<void> RouteFinder::place(const RunControl& run) {
  KindList tiles;
  KindList layers;
  for (MaterialRoute& route : out_.routes) {
    const MaterialId id = route.material;
    if (route.onto != no_material || for_instances_.contains(id) || is_together(id)) {
      continue;
    }
    ways_[to_index(id)] = find_way(route);
    const Way way = ways_[to_index(id)];
    if (way != Way::none) {
      (way == Way::layer ? layers : tiles).add(find_kind(id, way), id, !is_flat(id));
    }
  }
  join_flat(tiles);
  join_layers(tiles, layers);
  for (const ContentHash& hash : layers.order) {
    for (const MaterialId id : stack_kind(layers.kinds[hash], "")) {
      leave_out(route(id), tiles);
    }
  }
  for (const ContentHash& hash : tiles.order) {
    if (auto placed = place_kind(tiles.kinds[hash], settings_, "", run); !placed) {
      return placed;
    }
  }
  for (const MaterialGroup& group : out_.grouped.groups) {
    auto placed = group.layout_set != no_index ? place_layout(group, run)
                  : group.by_hand              ? place_group(group, run)
                                               : Result<void>();
    if (!placed) {
      return placed;
    }
  }
  return {};
}

void RouteFinder::join_flat(KindList& list) {
  for (const ContentHash& hash : list.order) {
    Kind& flat = list.kinds[hash];
    if (flat.textured || flat.members.empty()) {
      continue;
    }
    Kind* best = nullptr;
    for (const ContentHash& other : list.order) {
      Kind& kind = list.kinds[other];
      if (kind.textured && find_uv_set(kind.members.front(), way_of(kind.members.front())) == 0 &&
          group_of(kind.members.front()) == group_of(flat.members.front()) &&
          rules_.same_kind(kind.members.front(), flat.members.front(), parts_) &&
          (best == nullptr || kind.members.size() > best->members.size())) {
        best = &kind;
      }
    }
    if (best != nullptr) {
      best->members.insert(best->members.end(), flat.members.begin(), flat.members.end());
      flat.members.clear();
    }
  }
}

void RouteFinder::join_layers(KindList& tiles, KindList& layers) {
  for (const ContentHash& hash : tiles.order) {
    Kind& kind = tiles.kinds[hash];
    if (kind.members.size() != 1 || find_forced(kind.members.front()) ||
        way_of(kind.members.front()) != Way::tile) {
      continue;
    }
    const MaterialId id = kind.members.front();
    for (const ContentHash& other : layers.order) {
      Kind& layered = layers.kinds[other];
      const bool fits = is_flat(id) ? group_of(id) == group_of(layered.members.front()) &&
                                          rules_.same_kind(id, layered.members.front(), parts_)
                                    : find_kind(id, Way::layer) == other;
      if (fits) {
        layered.members.push_back(id);
        ways_[to_index(id)] = Way::layer;
        kind.members.clear();
        break;
      }
    }
  }
}

Way RouteFinder::find_way(MaterialRoute& route) {
  const MaterialId id = route.material;
  const auto forced = find_forced(id);
  const bool tinted = route.route == Route::tint;
  const auto refuse = [&](std::string why) {
    if (!tinted) {
      route.reason = std::move(why);
    }
    return Way::none;
  };
  if (route.draws == 0) {
    return refuse("drawn only by what stays as it is");
  }
  if (!may_share(id)) {
    return refuse("materials.goal is \"keep\", and it is in no group");
  }
  if (const std::string fixed = rules_.find_fixed(id); !fixed.empty()) {
    return refuse(fixed);
  }
  if (const MaterialTakenBack* taken = find_taken(id);
      taken != nullptr && taken->to == TakenTo::stay) {
    return refuse("taken back: " + taken->why);
  }
  const bool own = forced == Route::atlas || forced == Route::layers || forced == Route::rebake;
  if (forced && !own && !tinted) {
    return refuse(fmt::format("by hand: {}", to_string(*forced)));
  }
  if (forced == Route::tint) {
    return Way::none;
  }
  if (std::string unreadable = find_unreadable(id); !unreadable.empty()) {
    return refuse(std::move(unreadable));
  }
  if (is_flat(id) && forced != Route::layers) {
    return Way::tile;
  }
  std::string problem = find_layout_problem(id);
  const auto try_bake = [&](std::string why) {
    const bool wanted =
        forced == Route::rebake || (!forced && settings_.goal == MaterialGoal::fewest_draws);
    const std::string against =
        wanted ? bakes_.find_problem(id, find_forced(id) == Route::rebake) : std::string();
    if (wanted && against.empty()) {
      route.reason = std::move(why);
      return Way::bake;
    }
    return refuse(against.empty() ? std::move(why) : fmt::format("{}; {}", why, against));
  };
  if (forced == Route::rebake || !problem.empty()) {
    return try_bake(forced == Route::rebake ? "by hand" : std::move(problem));
  }
  if (forced == Route::layers) {
    route.reason = "by hand";
    return Way::layer;
  }
  const double repeats = count_repeats(id);
  if (repeats > settings_.unrolled_repeats && forced != Route::atlas) {
    route.reason = tell_repeats(repeats);
    return Way::layer;
  }
  if (forced != Route::atlas && mixes_with_neighbours(id)) {
    route.reason = "seen from so far that its neighbours on a page would mix in";
    return Way::layer;
  }
  return Way::tile;
}

std::string RouteFinder::find_layout_problem(MaterialId id) const {
  const MaterialUse& used = use(id);
  if (!uses_.source(id).problem.empty()) {
    return uses_.source(id).problem;
  }
  if (used.missing) {
    return "some of its draws lack the UVs of its textures";
  }
  const auto far = [](double a, double b) {
    return std::max(std::abs(a), std::abs(b)) > farthest_tile;
  };
  if (!used.finite || far(used.min[0], used.max[0]) || far(used.min[1], used.max[1])) {
    return "some of its UVs are no finite places on a texture";
  }
  return {};
}

std::vector<MaterialId> RouteFinder::stack_kind(const Kind& kind, const std::string& given) {
  std::vector<StackMember> members;
  for (const MaterialId id : order_by_place(kind.members)) {
    StackMember& member = members.emplace_back();
    member.material = id;
    member.scale = is_flat(id) ? 1 : make_wish(id).scale;
  }
  const std::string name = given.empty() ? name_shared(kind.members.front()) + "_layers" : given;
  for (LayerStack& stack :
       make_stacks(scene_, images_, parts_.image_contents(), members, settings_)) {
    stack.name = number_name(name, given.empty() ? Numbered::always : Numbered::from_two);
    const auto textured = std::find_if(stack.members.begin(), stack.members.end(),
                                       [&](MaterialId id) { return !is_flat(id); });
    stack.uv_set = textured == stack.members.end() ? 0 : uses_.source(*textured).set;
    for (std::uint32_t m = 0; m < stack.members.size(); ++m) {
      MaterialRoute& route = this->route(stack.members[m]);
      route.stack = static_cast<std::uint32_t>(out_.stacks.size());
      route.member = m;
      if (route.route == Route::stay) {
        route.route = Route::layers;
        route.reason = explain_layers(route, stack);
      }
    }
    out_.stacks.push_back(std::move(stack));
  }
  std::vector<MaterialId> left;
  std::copy_if(kind.members.begin(), kind.members.end(), std::back_inserter(left),
               [&](MaterialId id) { return route(id).stack == no_index; });
  return left;
}

std::string RouteFinder::name_shared(MaterialId id) const {
  std::string name = rules_.name_kind(id);
  if (group_of(id) != no_index) {
    // Files are named after it.
    for (const char c : "_" + out_.grouped.groups[group_of(id)].name) {
      const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
      name += plain || c == '-' ? c : '_';
    }
  }
  return name;
}

std::string RouteFinder::number_name(const std::string& name, Numbered from) {
  const std::uint32_t number = ++kind_pages_[name];
  return from == Numbered::always || number > 1 ? fmt::format("{}_{}", name, number) : name;
}

std::string RouteFinder::explain_layers(const MaterialRoute& route, const LayerStack& stack) const {
  const std::string why = route.reason.empty() ? "nothing else would share a page" : route.reason;
  RectSize size;
  for (const LayerStack::Layers& layers : stack.channels) {
    size = {std::max(size.width_px, layers.size.width_px),
            std::max(size.height_px, layers.size.height_px)};
  }
  return fmt::format("{}; layer of {}, {} x {}", why, stack.name, size.width_px, size.height_px);
}

void RouteFinder::leave_out(MaterialRoute& route, KindList& tiles) {
  const MaterialId id = route.material;
  ways_[to_index(id)] = Way::none;
  if (settings_.goal == MaterialGoal::fewest_draws && !find_forced(id) && !is_flat(id) &&
      !mixes_with_neighbours(id)) {
    const std::string against = bakes_.find_problem(id, find_forced(id) == Route::rebake);
    if (against.empty()) {
      ways_[to_index(id)] = Way::bake;
      const ContentHash hash = find_kind(id, Way::bake);
      const auto hit = tiles.kinds.find(hash);
      if (hit != tiles.kinds.end() && !hit->second.members.empty()) {
        tiles.add(hash, id, true);
        return;
      }
      ways_[to_index(id)] = Way::none;
    } else if (route.route == Route::stay) {
      route.reason += "; " + against;
    }
  }
  if (route.route == Route::stay) {
    route.reason +=
        route.reason.empty() ? "nothing else is of its kind" : "; nothing else of its kind does";
  }
}

}  // namespace wakuzume
