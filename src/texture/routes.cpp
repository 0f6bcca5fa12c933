// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/routes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>

#include "scene/morton.h"
#include "scene/running.h"
#include "survey/parts.h"
#include "survey/rules.h"
#include "texture/bake_wishes.h"
#include "texture/material_rules.h"
#include "texture/mip_use.h"
#include "texture/stacks.h"
#include "texture/tiles.h"
#include "texture/uses.h"

namespace wakuzume {
namespace {

/// So near to a whole texel a coordinate counts as being there.
constexpr double texel_slack = 1.0 / 64;
/// Texture coordinates beyond this are no places any more.
constexpr double farthest_tile = 1e6;

/// What can be done with a material of its own look.
enum class Way : std::uint8_t { none, tile, layer, bake };

class RouteFinder {
 public:
  RouteFinder(const Scene& scene,
              const Survey& survey,
              std::span<const ImageFacts> images,
              const MaterialSettings& settings,
              const RouteHints& hints)
      : scene_(scene),
        survey_(survey),
        images_(images),
        settings_(settings),
        forced_(settings.routes),
        scales_(settings.scales),
        parts_(scene, images),
        rules_(scene),
        uses_(scene, survey, rules_),
        ways_(scene.materials.size(), Way::none),
        bakes_(scene, survey, images, settings, uses_),
        views_(hints.views) {
    out_.settings = settings;
    out_.taken_back.assign(hints.taken_back.begin(), hints.taken_back.end());
  }

  Result<RoutePlan> run(const RunControl& run) {
    if (!uses_.measure(run)) {
      return Failure(make_cancelled());
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

 private:
  [[nodiscard]] const Material& material(MaterialId id) const { return scene_[id]; }
  [[nodiscard]] MaterialUse& use(MaterialId id) { return uses_[id]; }
  [[nodiscard]] const MaterialUse& use(MaterialId id) const { return uses_[id]; }
  [[nodiscard]] MaterialRoute& route(MaterialId id) {
    return out_.routes[number_.at(to_index(id))];
  }

  [[nodiscard]] const MaterialTakenBack* find_taken(MaterialId id) const {
    const auto hit = std::find_if(out_.taken_back.begin(), out_.taken_back.end(),
                                  [&](const MaterialTakenBack& t) { return t.material == id; });
    return hit == out_.taken_back.end() ? nullptr : &*hit;
  }

  /// What the settings ask for this material; stay where nothing may be done with it.
  [[nodiscard]] std::optional<Route> find_forced(MaterialId id) const {
    return find_route(forced_.find(material(id).name));
  }
  [[nodiscard]] bool may(MaterialId id, Route route) const {
    const auto forced = find_forced(id);
    const MaterialTakenBack* const taken = find_taken(id);
    return (!forced || *forced == route) && use(id).draws > 0 && rules_.find_fixed(id).empty() &&
           (taken == nullptr || taken->to != TakenTo::stay || route == Route::fold);
  }

  // ---- fold ----------------------------------------------------------------------------------

  [[nodiscard]] std::array<double, 10> list_factors(MaterialId id) const {
    const Material& m = material(id);
    return {m.base_color[0], m.base_color[1],
            m.base_color[2], m.base_color[3],
            m.metallic,      m.roughness,
            m.emissive[0],   m.emissive[1],
            m.emissive[2],   m.normal_texture.factor + m.occlusion_texture.factor};
  }

  [[nodiscard]] bool are_equal(MaterialId a, MaterialId b) const {
    const auto x = list_factors(a);
    const auto y = list_factors(b);
    return std::equal(x.begin(), x.end(), y.begin(), [&](double p, double q) {
      return std::abs(p - q) <= settings_.factor_tolerance;
    });
  }

  void fold() {
    std::map<ContentHash, std::vector<MaterialId>, LessHash> known;
    for (MaterialRoute& route : out_.routes) {
      if (!may(route.material, Route::fold)) {
        // Who asks for another route by hand still may be what others fold into.
        if (route.draws == 0 || !rules_.find_fixed(route.material).empty() ||
            find_forced(route.material) == Route::stay) {
          continue;
        }
      }
      const auto hash = hash_without(parts_.find(route.material), [](KeyPart p) {
        return p == KeyPart::material_name || p == KeyPart::base_color || p == KeyPart::factors;
      });
      std::vector<MaterialId>& alike = known[hash];
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

  // ---- tint ----------------------------------------------------------------------------------

  void tint() {
    std::map<ContentHash, std::vector<MaterialId>, LessHash> classes;
    for (const MaterialRoute& route : out_.routes) {
      if (route.route != Route::fold && may(route.material, Route::tint)) {
        classes[hash_without(parts_.find(route.material), [](KeyPart p) {
          return p == KeyPart::material_name || p == KeyPart::base_color;
        })].push_back(route.material);
      }
    }
    for (const auto& [hash, members] : classes) {
      if (members.size() < 2) {
        continue;
      }
      const MaterialId first = members.front();
      if (is_for_instances(members)) {
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
  }

  void tint_vertices(const std::vector<MaterialId>& members) {
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

  /// Shapes that are there in several colours of the class: instances tell them apart better than
  /// vertices, which would have to be stored for each colour.
  [[nodiscard]] bool is_for_instances(const std::vector<MaterialId>& members) {
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

  // ---- kinds ---------------------------------------------------------------------------------

  /// Those that may share a page, or a stack.
  struct Kind {
    std::vector<MaterialId> members;
    bool textured = false;
  };
  using Kinds = std::map<ContentHash, Kind, LessHash>;
  /// Kinds in the order in which they were found.
  struct KindList {
    Kinds kinds;
    std::vector<ContentHash> order;

    void add(const ContentHash& hash, MaterialId id, bool textured) {
      const auto [slot, added] = kinds.try_emplace(hash);
      if (added) {
        order.push_back(hash);
      }
      slot->second.members.push_back(id);
      slot->second.textured = slot->second.textured || textured;
    }
  };

  [[nodiscard]] ContentHash find_kind(MaterialId id, Way way) const {
    const PartHashes parts = parts_.find(id);
    ValueHasher hasher;
    for (const KeyPart part :
         {KeyPart::alpha, KeyPart::sidedness, KeyPart::shading, KeyPart::extras}) {
      hasher.add(parts[static_cast<std::size_t>(part)]);
    }
    if (uses_.source(id).textured && !is_flat(id)) {
      const Sampler sampler =
          make_effective(find_sampler(scene_, find_first_texture(material(id))));
      hasher.add(find_uv_set(id, way));
      hasher.add(std::array{sampler.mag_filter, sampler.min_filter});
      if (way == Way::layer) {
        hasher.add(std::array{sampler.wrap_s, sampler.wrap_t});
      }
    }
    return hasher.finish();
  }

  [[nodiscard]] std::uint32_t find_uv_set(MaterialId id, Way way) const {
    return way == Way::bake ? bakes_.find_uv_set(id) : uses_.source(id).set;
  }

  /// All that it shows is one value.
  [[nodiscard]] bool is_flat(MaterialId id) const {
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

  Result<void> place(const RunControl& run) {
    KindList tiles;
    KindList layers;
    for (MaterialRoute& route : out_.routes) {
      if (route.onto != no_material || for_instances_.contains(route.material)) {
        continue;
      }
      const MaterialId id = route.material;
      ways_[to_index(id)] = find_way(route);
      const Way way = ways_[to_index(id)];
      if (way != Way::none) {
        (way == Way::layer ? layers : tiles).add(find_kind(id, way), id, !is_flat(id));
      }
    }
    join_flat(tiles);
    join_layers(tiles, layers);
    for (const ContentHash& hash : layers.order) {
      stack_kind(layers.kinds[hash], tiles);
    }
    for (const ContentHash& hash : tiles.order) {
      if (auto placed = place_kind(tiles.kinds[hash], run); !placed) {
        return placed;
      }
    }
    return {};
  }

  /// Materials without texels go with those that differ in nothing but having some.
  void join_flat(KindList& list) {
    for (const ContentHash& hash : list.order) {
      Kind& flat = list.kinds[hash];
      if (flat.textured || flat.members.empty()) {
        continue;
      }
      Kind* best = nullptr;
      for (const ContentHash& other : list.order) {
        Kind& kind = list.kinds[other];
        if (kind.textured && find_uv_set(kind.members.front(), way_of(kind.members.front())) == 0 &&
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

  [[nodiscard]] Way way_of(MaterialId id) const { return ways_[to_index(id)]; }

  /// What would be alone on a page is a layer as well, where there are some of its kind.
  void join_layers(KindList& tiles, KindList& layers) {
    for (const ContentHash& hash : tiles.order) {
      Kind& kind = tiles.kinds[hash];
      if (kind.members.size() != 1 || find_forced(kind.members.front()) ||
          way_of(kind.members.front()) != Way::tile) {
        continue;
      }
      const MaterialId id = kind.members.front();
      for (const ContentHash& other : layers.order) {
        Kind& layered = layers.kinds[other];
        const bool fits = is_flat(id) ? rules_.same_kind(id, layered.members.front(), parts_)
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

  /// What can be done with a material's own look. If nothing, the route says why.
  Way find_way(MaterialRoute& route) {
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

  [[nodiscard]] bool mixes_with_neighbours(MaterialId id) const {
    return !is_flat(id) && wakuzume::mixes_with_neighbours(make_wish(id), settings_.clean_mips);
  }

  [[nodiscard]] std::string tell_repeats(double repeats) const {
    return fmt::format("repeats {:.1f} times, above {:g}", repeats, settings_.unrolled_repeats);
  }

  [[nodiscard]] double count_repeats(MaterialId id) const {
    const Tile tile = make_wish(id).tile;
    return static_cast<double>(tile.used.width) / tile.texture.width_px *
           static_cast<double>(tile.used.height) / tile.texture.height_px;
  }

  /// Why its draws can't look all of its textures up in one place of theirs.
  [[nodiscard]] std::string find_layout_problem(MaterialId id) const {
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

  // ---- layers --------------------------------------------------------------------------------

  void stack_kind(const Kind& kind, KindList& tiles) {
    std::vector<StackMember> members;
    for (const MaterialId id : order_by_place(kind.members)) {
      StackMember& member = members.emplace_back();
      member.material = id;
      member.scale = is_flat(id) ? 1 : make_wish(id).scale;
    }
    const std::string name = rules_.name_kind(kind.members.front()) + "_layers";
    for (LayerStack& stack :
         make_stacks(scene_, images_, parts_.image_contents(), members, settings_)) {
      stack.name = fmt::format("{}_{}", name, ++kind_pages_[name]);
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
    for (const MaterialId id : kind.members) {
      if (route(id).stack == no_index) {
        leave_out(route(id), tiles);
      }
    }
  }

  [[nodiscard]] std::string explain_layers(const MaterialRoute& route,
                                           const LayerStack& stack) const {
    const std::string why = route.reason.empty() ? "nothing else would share a page" : route.reason;
    RectSize size;
    for (const LayerStack::Layers& layers : stack.channels) {
      size = {std::max(size.width_px, layers.size.width_px),
              std::max(size.height_px, layers.size.height_px)};
    }
    return fmt::format("{}; layer of {}, {} x {}", why, stack.name, size.width_px, size.height_px);
  }

  /// A layer that would be alone may still be rebaked.
  void leave_out(MaterialRoute& route, KindList& tiles) {
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

  // ---- tiles ---------------------------------------------------------------------------------

  [[nodiscard]] std::string find_unreadable(MaterialId id) const {
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

  [[nodiscard]] TileWish make_wish(MaterialId id) const {
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

  /// Of the largest of its textures.
  [[nodiscard]] RectSize find_texture_size(MaterialId id) const {
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

  static void add_losses(const ImageFacts& facts, TileWish& wish) {
    if (facts.one_color) {
      return;
    }
    wish.spare_halvings = std::min(wish.spare_halvings, count_spare_halvings(facts));
    for (std::size_t h = 0; h < wish.losses.size(); ++h) {
      wish.losses[h] = std::max(wish.losses[h], facts.halving_losses[h]);
    }
  }

  static void add_stretch(const MaterialUse& used, TileWish& wish) {
    constexpr double most = 64;
    const Vec2d texel{used.lengths[0] / wish.tile.texture.width_px,
                      used.lengths[1] / wish.tile.texture.height_px};
    const double shortest = std::min(texel[0], texel[1]);
    for (std::size_t c = 0; c < 2 && shortest > 0; ++c) {
      wish.stretch[c] = std::min(most, texel[c] / shortest);
    }
  }

  /// What folds into a material is seen as it, too.
  void add_level(MaterialId id, TileWish& wish) const {
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

  void add_scale(MaterialId id, TileWish& wish) const {
    if (find_taken(id) != nullptr) {
      wish.fixed = true;
      return;
    }
    if (const auto scale = find_scale(scales_.find(material(id).name))) {
      wish.scale = *scale;
      wish.fixed = true;
      return;
    }
    const double density = find_density(id, wish.tile.texture);
    if (settings_.enough_texels_per_metre > 0 && density > settings_.enough_texels_per_metre) {
      wish.scale = settings_.enough_texels_per_metre / density;
    }
  }

  [[nodiscard]] double find_density(MaterialId id, const RectSize& texture) const {
    const MaterialUse& used = use(id);
    return used.area_m2 > 0
               ? std::sqrt(used.tiles * texture.width_px * texture.height_px / used.area_m2)
               : 0;
  }

  Result<void> place_kind(const Kind& kind, const RunControl& run) {
    const bool asked =
        kind.members.size() == 1 && find_forced(kind.members.front()) == Route::rebake;
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
        std::move(baked->begin(), baked->end(), std::back_inserter(wishes));
      } else if (TileWish wish = make_wish(id);
                 (wish.fixed && find_taken(id) == nullptr) || can_place(wish, settings_)) {
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
    auto placed = place_tiles(wishes, settings_);
    if (!placed) {
      return Failure(placed.error());
    }
    const std::size_t first = out_.pages.size();
    const std::string name = rules_.name_kind(kind.members.front());
    for (AtlasPage& page : placed->pages) {
      page.name = fmt::format("{}_{}", name, ++kind_pages_[name]);
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

  static std::string explain(const AtlasPage& page,
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

  /// What is near in the scene is near in the order.
  [[nodiscard]] std::vector<MaterialId> order_by_place(std::vector<MaterialId> members) const {
    const PlaceNumbers places(survey_.bounds);
    const auto key = [&](MaterialId id) {
      const Box3d& box = use(id).box;
      return std::pair(box.empty() ? 0 : places.find(box.centre()), id);
    };
    std::sort(members.begin(), members.end(),
              [&](MaterialId a, MaterialId b) { return key(a) < key(b); });
    return members;
  }

  // ---- the end -------------------------------------------------------------------------------

  [[nodiscard]] std::string name_of(MaterialId id) const {
    const std::string& name = material(id).name;
    return name.empty() ? fmt::format("material {}", to_index(id)) : name;
  }

  /// Texels per metre, and the place of those that share the look of another.
  void finish(MaterialRoute& route) {
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

  /// Share of the texels along a side that are left.
  [[nodiscard]] double find_kept(const MaterialRoute& end) const {
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
    return std::sqrt(
        static_cast<double>(tile.size.width_px) * tile.size.height_px /
        (static_cast<double>(tile.used.width) * static_cast<double>(tile.used.height)));
  }

  [[nodiscard]] MaterialId find_end(const MaterialRoute& route) {
    const MaterialRoute* at = &route;
    while (at->onto != no_material) {
      at = &this->route(at->onto);
    }
    return at->material;
  }

  const Scene& scene_;
  const Survey& survey_;
  std::span<const ImageFacts> images_;
  const MaterialSettings& settings_;
  ByName forced_;
  ByName scales_;
  MaterialParts parts_;
  std::map<std::size_t, std::size_t> number_;  ///< of a material among the routes
  std::set<MaterialId> for_instances_;
  std::map<std::string, std::uint32_t> kind_pages_;
  MaterialRules rules_;
  MaterialUses uses_;
  std::vector<Way> ways_;  ///< by material
  BakeFinder bakes_;
  std::span<const Viewpoint> views_;
  std::vector<SeenLevels> seen_;  ///< by material; empty: not known
  RoutePlan out_;
};

}  // namespace

Result<RoutePlan> propose_routes(const Scene& scene,
                                 const Survey& survey,
                                 std::span<const ImageFacts> images,
                                 const MaterialSettings& settings,
                                 const RunControl& run,
                                 const RouteHints& hints) {
  if (auto valid = validate(settings); !valid) {
    return Failure(valid.error());
  }
  if (settings.goal == MaterialGoal::keep) {
    RoutePlan nothing;
    nothing.settings = settings;
    return nothing;
  }
  return RouteFinder(scene, survey, images, settings, hints).run(run);
}

}  // namespace wakuzume
