// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "texture/route_finder.h"

// Tiles of one kind of materials, packed into pages.
namespace wakuzume {
namespace {

/// So near to a whole texel a coordinate counts as being there.
constexpr double texel_slack = 1.0 / 64;

}  // namespace

std::string RouteFinder::find_unreadable(MaterialId id) const {
  for (const TextureSlot* slot : list_slots(material(id))) {
    if (slot->texture == no_texture) {
      continue;
    }
    const ImageId image = find_image(scene_, slot->texture);
    if (image == no_image) {
      return "one of its textures has no picture";
    }
    const ImageFacts& facts = images_[to_index(image)];
    if (!facts.decoded) {
      const Image& broken = scene_.images[to_index(image)];
      return fmt::format("its picture {} can't be read: {}",
                         broken.name.empty() ? broken.uri : broken.name,
                         facts.problem.empty() ? "it is missing" : facts.problem);
    }
  }
  return {};
}

TileWish RouteFinder::make_wish(MaterialId id) const {
  const MaterialUse& used = use(id);
  TileWish wish;
  wish.tile.material = id;
  wish.area_m2 = used.area_m2;
  wish.cutout = material(id).alpha_mode != AlphaMode::opaque;
  if (is_flat(id)) {
    return wish;
  }
  wish.spare_halvings = wish.cutout ? 0 : 3;
  wish.tile.texture = find_texture_size(id);
  for (const TextureSlot* slot : list_slots(material(id))) {
    if (slot->texture != no_texture) {
      add_losses(images_[to_index(find_image(scene_, slot->texture))], wish);
    }
  }
  const auto range = [](double low, double high, std::uint32_t texels, std::int64_t& first,
                        std::int64_t& count) {
    first = static_cast<std::int64_t>(std::floor(low * texels + texel_slack));
    const auto end = static_cast<std::int64_t>(std::ceil(high * texels - texel_slack));
    count = std::max<std::int64_t>(1, end - first);
  };
  TexelRect& rect = wish.tile.used;
  range(used.min[0], used.max[0], wish.tile.texture.width_px, rect.x, rect.width);
  range(used.min[1], used.max[1], wish.tile.texture.height_px, rect.y, rect.height);
  add_stretch(used, wish);
  add_level(id, wish);
  add_scale(id, wish);
  return wish;
}

RectSize RouteFinder::find_texture_size(MaterialId id) const {
  RectSize size;
  for (const TextureSlot* slot : list_slots(material(id))) {
    const ImageId image =
        slot->texture == no_texture ? no_image : find_image(scene_, slot->texture);
    if (image != no_image) {
      const ImageFacts& facts = images_[to_index(image)];
      size = {std::max(size.width_px, facts.width_px), std::max(size.height_px, facts.height_px)};
    }
  }
  return size;
}

void RouteFinder::add_losses(const ImageFacts& facts, TileWish& wish) {
  if (facts.one_color) {
    return;
  }
  wish.spare_halvings = std::min(wish.spare_halvings, count_spare_halvings(facts));
  for (std::size_t h = 0; h < wish.losses.size(); ++h) {
    wish.losses[h] = std::max(wish.losses[h], facts.halving_losses[h]);
  }
}

void RouteFinder::add_stretch(const MaterialUse& used, TileWish& wish) {
  constexpr double most = 64;
  const Vec2d texel{used.lengths[0] / wish.tile.texture.width_px,
                    used.lengths[1] / wish.tile.texture.height_px};
  const double shortest = std::min(texel[0], texel[1]);
  for (std::size_t c = 0; c < 2 && shortest > 0; ++c) {
    wish.stretch[c] = std::min(most, texel[c] / shortest);
  }
}

void RouteFinder::add_level(MaterialId id, TileWish& wish) const {
  if (seen_.empty()) {
    return;
  }
  SeenLevels levels = seen_[to_index(id)];
  for (const MaterialRoute& route : out_.routes) {
    if (route.onto == id) {
      const SeenLevels& own = seen_[to_index(route.material)];
      levels.by_some = std::max(levels.by_some, own.by_some);
      levels.by_many = std::max(levels.by_many, own.by_many);
    }
  }
  wish.deepest_level = static_cast<int>(std::max(0.0, levels.by_some));
  wish.deepest_of_many = static_cast<int>(std::max(0.0, levels.by_many));
}

void RouteFinder::add_scale(MaterialId id, TileWish& wish) const {
  if (find_taken(id) != nullptr) {
    wish.fixed = true;
    return;
  }
  const double density = find_density(id, wish.tile.texture);
  if (const auto size = find_tile_size(scales_.find(id))) {
    const auto longest = static_cast<double>(std::max(wish.tile.used.width, wish.tile.used.height));
    wish.scale = size->unit == TileUnit::scale    ? size->number
                 : size->unit == TileUnit::pixels ? std::min(1.0, size->number / longest)
                 : density > size->number         ? size->number / density
                                                  : 1;
    wish.fixed = true;
    return;
  }
  if (settings_.enough_texels_per_metre > 0 && density > settings_.enough_texels_per_metre) {
    wish.scale = settings_.enough_texels_per_metre / density;
  }
}

Result<void> RouteFinder::place_kind(const Kind& kind,
                                     const MaterialSettings& settings,
                                     const std::string& given,
                                     const RunControl& run) {
  const bool asked = kind.members.size() == 1 && find_forced(kind.members.front()) == Route::rebake;
  if (kind.members.size() < 2 && !asked) {
    for (const MaterialId id : kind.members) {
      if (route(id).route == Route::stay) {
        route(id).reason = (way_of(id) == Way::bake ? route(id).reason + "; " : std::string()) +
                           "alone with its alpha mode, sides, shading, filters";
      }
    }
    return {};
  }
  std::vector<TileWish> wishes;
  for (const MaterialId id : order_by_place(kind.members)) {
    if (way_of(id) == Way::bake) {
      auto baked = bakes_.make_wishes(id, run);
      if (!baked && baked.error().code == ErrorCode::too_large) {
        route(id).reason += "; " + baked.error().message;
        continue;
      }
      if (!baked) {
        return Failure(baked.error());
      }
      if (!std::all_of(baked->begin(), baked->end(),
                       [&](const TileWish& wish) { return can_place(wish, settings); })) {
        route(id).reason += fmt::format(
            "; no page of {} pixels takes its charts without losing detail", settings_.max_page_px);
        continue;
      }
      std::move(baked->begin(), baked->end(), std::back_inserter(wishes));
    } else if (TileWish wish = make_wish(id);
               (wish.fixed && find_taken(id) == nullptr) || can_place(wish, settings)) {
      wishes.push_back(std::move(wish));
    } else {
      route(id).reason =
          fmt::format("no page of {} pixels takes its {} x {} texels without losing detail",
                      settings_.max_page_px, wish.tile.used.width, wish.tile.used.height);
    }
  }
  if (wishes.empty() || (wishes.size() == 1 && !asked && !wishes.front().charts)) {
    return {};
  }
  auto placed = place_tiles(wishes, settings);
  if (!placed) {
    return Failure(placed.error());
  }
  const std::size_t first = out_.pages.size();
  const std::string name = given.empty() ? name_shared(kind.members.front()) : given;
  for (AtlasPage& page : placed->pages) {
    page.name = number_name(name, given.empty() ? Numbered::always : Numbered::from_two);
    const auto hit = std::find_if(page.tiles.begin(), page.tiles.end(),
                                  [](const Tile& tile) { return !tile.solid(); });
    page.uv_set = hit == page.tiles.end() ? 0 : find_uv_set(hit->material, way_of(hit->material));
    rules_.find_channels(page, images_);
    out_.pages.push_back(std::move(page));
  }
  for (std::size_t w = 0; w < wishes.size(); ++w) {
    MaterialRoute& route = this->route(wishes[w].tile.material);
    if (route.page != no_index) {
      continue;  // it has several tiles, and the first stands for them
    }
    route.page = static_cast<std::uint32_t>(first) + placed->places[w].page;
    route.tile = placed->places[w].tile;
    route.lost_steps = placed->places[w].lost_steps;
    if (way_of(route.material) == Way::bake) {
      route.reason = fmt::format("{}; charts on {}", route.reason, out_.pages[route.page].name);
    }
    if (route.route == Route::stay) {
      const AtlasPage& page = out_.pages[route.page];
      const std::string why = explain(page, page.tiles[route.tile], wishes[w], route.lost_steps);
      route.route = way_of(route.material) == Way::bake ? Route::rebake : Route::atlas;
      route.reason = why.empty() ? route.reason : why;
    }
  }
  return {};
}

std::string RouteFinder::explain(const AtlasPage& page,
                                 const Tile& tile,
                                 const TileWish& wish,
                                 double lost_steps) {
  if (tile.solid()) {
    return fmt::format("one value: a solid tile of {}", page.name);
  }
  if (tile.baked()) {
    return {};  // what led there says why
  }
  const bool same = tile.size.width_px == static_cast<std::uint64_t>(tile.used.width) &&
                    tile.size.height_px == static_cast<std::uint64_t>(tile.used.height);
  std::string why = "as fine as before";
  if (!same) {
    const double shrunk = static_cast<double>(tile.used.width) / tile.size.width_px;
    why = wish.fixed                                        ? "scaled by hand"
          : wish.scale < 1                                  ? "shrunk to enough texels per metre"
          : shrunk <= std::exp2(wish.spare_halvings) * 1.01 ? "its pictures hold no more"
                                                            : "shrunk to fit its page";
    why += fmt::format(", which loses {:.2g} of 255 steps", lost_steps);
  }
  return fmt::format("{}: {} x {} texels, on {}", why, tile.used.width, tile.used.height,
                     page.name);
}

std::vector<MaterialId> RouteFinder::order_by_place(std::vector<MaterialId> members) const {
  const PlaceNumbers places(survey_.bounds);
  const auto key = [&](MaterialId id) {
    const Box3d& box = use(id).box;
    return std::pair(box.empty() ? 0 : places.find(box.centre()), id);
  };
  std::sort(members.begin(), members.end(), [&](MaterialId a, MaterialId b) {
    const bool named = settings_.tile_order == TileOrder::by_name;
    return named ? std::pair(name_of(a), a) < std::pair(name_of(b), b) : key(a) < key(b);
  });
  return members;
}

}  // namespace wakuzume
