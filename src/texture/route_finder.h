// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <vector>

#include "scene/morton.h"
#include "scene/running.h"
#include "survey/draw_columns.h"
#include "survey/parts.h"
#include "survey/rules.h"
#include "texture/bake_wishes.h"
#include "texture/material_rules.h"
#include "texture/mip_use.h"
#include "texture/stacks.h"
#include "texture/tiles.h"
#include "texture/uses.h"
#include "wakuzume/routes.h"

/// The finding of routes, in its steps: what is equal folds, what differs by colour is tinted, what
/// is left goes into layers, tiles and charts, kind by kind.
namespace wakuzume {

/// What can be done with a material of its own look.
enum class Way : std::uint8_t { none, tile, layer, bake };

class RouteFinder {
 public:
  RouteFinder(const Scene& scene,
              const Survey& survey,
              std::span<const ImageFacts> images,
              const MaterialSettings& settings,
              const RouteHints& hints);

  Result<RoutePlan> run(const RunControl& run);

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
    return find_route(forced_.find(id));
  }
  /// The group it is to stay in; no_index: none.
  [[nodiscard]] std::uint32_t group_of(MaterialId id) const { return groups_[to_index(id)]; }
  [[nodiscard]] bool is_together(MaterialId id) const {
    return group_of(id) != no_index && out_.grouped.groups[group_of(id)].by_hand;
  }
  /// Not where all materials are kept but those of groups.
  /// It goes onto a layout that is there.
  [[nodiscard]] bool is_laid_out(MaterialId id) const {
    return group_of(id) != no_index && out_.grouped.groups[group_of(id)].layout_set != no_index;
  }
  [[nodiscard]] bool may_share(MaterialId id) const {
    return settings_.goal != MaterialGoal::keep || group_of(id) != no_index;
  }
  [[nodiscard]] bool may(MaterialId id, Route route) const {
    // What is painted anew is painted in its own colour.
    if (!may_share(id) || is_laid_out(id)) {
      return false;
    }
    const auto forced = find_forced(id);
    const MaterialTakenBack* const taken = find_taken(id);
    return (!forced || *forced == route) && use(id).draws > 0 && rules_.find_fixed(id).empty() &&
           (taken == nullptr || taken->to != TakenTo::stay || route == Route::fold);
  }

  // ---- fold ----------------------------------------------------------------------------------

  [[nodiscard]] std::array<double, 10> list_factors(MaterialId id) const;

  [[nodiscard]] bool are_equal(MaterialId a, MaterialId b) const {
    const auto x = list_factors(a);
    const auto y = list_factors(b);
    return std::equal(x.begin(), x.end(), y.begin(), [&](double p, double q) {
      return std::abs(p - q) <= settings_.factor_tolerance;
    });
  }

  void fold();

  // ---- tint ----------------------------------------------------------------------------------

  void tint();

  /// Materials that differ by colour alone.
  void tint_class(const std::vector<MaterialId>& members);

  void tint_vertices(const std::vector<MaterialId>& members);

  /// Shapes that are there in several colours of the class: instances tell them apart better than
  /// vertices, which would have to be stored for each colour.
  [[nodiscard]] bool is_for_instances(const std::vector<MaterialId>& members);

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

  [[nodiscard]] ContentHash find_kind(MaterialId id, Way way) const;

  [[nodiscard]] std::uint32_t find_uv_set(MaterialId id, Way way) const {
    return way == Way::bake ? bakes_.find_uv_set(id) : uses_.source(id).set;
  }

  /// All that it shows is one value.
  [[nodiscard]] bool is_flat(MaterialId id) const;

  Result<void> place(const RunControl& run);

  /// Materials without texels go with those that differ in nothing but having some.
  void join_flat(KindList& list);

  [[nodiscard]] Way way_of(MaterialId id) const { return ways_[to_index(id)]; }

  /// What would be alone on a page is a layer as well, where there are some of its kind.
  void join_layers(KindList& tiles, KindList& layers);

  /// What can be done with a material's own look. If nothing, the route says why.
  Way find_way(MaterialRoute& route);

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
  [[nodiscard]] std::string find_layout_problem(MaterialId id) const;

  // ---- layers --------------------------------------------------------------------------------

  /// \param name  of the stack; empty: by its kind
  /// \return those that are in none
  std::vector<MaterialId> stack_kind(const Kind& kind, const std::string& name);

  // ---- together ------------------------------------------------------------------------------

  /// Routes of the materials of a group by hand, which have to end as one.
  Result<void> place_group(const MaterialGroup& group, const RunControl& run);

  /// What did not show what it showed stays as it is, whatever its group.
  bool leaves_group(MaterialId id);

  /// The same of parts that are unwrapped together: one page, by their own UVs.
  Result<void> place_layout(const MaterialGroup& group, const RunControl& run);
  /// A tile a shape, equal ones once; with the first shape of each.
  [[nodiscard]] std::vector<std::pair<Tile, ShapeId>> list_layout_tiles(
      const std::vector<MaterialId>& members) const;

  /// A material that can't join the others of its group, and what would have to change.
  struct Obstacle {
    MaterialId material = no_material;
    std::string why;
  };
  /// Which way all can go; none: the obstacles say why not.
  Way find_common_way(const std::vector<MaterialId>& members, std::vector<Obstacle>& obstacles);
  [[nodiscard]] std::vector<Obstacle> find_kind_obstacles(const std::vector<MaterialId>& members,
                                                          MaterialId first) const;
  void find_layout_obstacles(const std::vector<MaterialId>& members,
                             std::uint32_t set,
                             std::vector<Obstacle>& obstacles) const;
  /// Side of the page that a group asks for, pixels.
  [[nodiscard]] std::uint32_t find_layout_side(const MaterialGroup& group,
                                               const std::vector<MaterialId>& members) const;
  void find_lookup_obstacles(const std::vector<MaterialId>& members,
                             Way way,
                             std::vector<Obstacle>& obstacles) const;
  /// Those that did not come where the others are.
  [[nodiscard]] std::vector<Obstacle> find_scattered(const std::vector<MaterialId>& members);
  [[nodiscard]] Failure refuse_group(const MaterialGroup& group,
                                     const std::vector<Obstacle>& obstacles) const;

  [[nodiscard]] std::string explain_layers(const MaterialRoute& route,
                                           const LayerStack& stack) const;

  /// "shared_mask", "shared_opaque_kitchen": what shared materials of its kind are named by.
  [[nodiscard]] std::string name_shared(MaterialId id) const;
  enum class Numbered : std::uint8_t { always, from_two };
  /// With a number behind it that no other has.
  std::string number_name(const std::string& name, Numbered from);

  /// A layer that would be alone may still be rebaked.
  void leave_out(MaterialRoute& route, KindList& tiles);

  // ---- tiles ---------------------------------------------------------------------------------

  [[nodiscard]] std::string find_unreadable(MaterialId id) const;

  [[nodiscard]] TileWish make_wish(MaterialId id) const;

  /// Of the largest of its textures.
  [[nodiscard]] RectSize find_texture_size(MaterialId id) const;

  static void add_losses(const ImageFacts& facts, TileWish& wish);

  static void add_stretch(const MaterialUse& used, TileWish& wish);

  /// What folds into a material is seen as it, too.
  void add_level(MaterialId id, TileWish& wish) const;

  void add_scale(MaterialId id, TileWish& wish) const;

  [[nodiscard]] double find_density(MaterialId id, const RectSize& texture) const {
    const MaterialUse& used = use(id);
    return used.area_m2 > 0
               ? std::sqrt(used.tiles * texture.width_px * texture.height_px / used.area_m2)
               : 0;
  }

  /// \param settings  by which tiles are placed \param name  of the page; empty: by its kind
  Result<void> place_kind(const Kind& kind,
                          const MaterialSettings& settings,
                          const std::string& name,
                          const RunControl& run);

  static std::string explain(const AtlasPage& page,
                             const Tile& tile,
                             const TileWish& wish,
                             double lost_steps);

  /// What is near in the scene is near in the order.
  [[nodiscard]] std::vector<MaterialId> order_by_place(std::vector<MaterialId> members) const;

  // ---- the end -------------------------------------------------------------------------------

  [[nodiscard]] std::string name_of(MaterialId id) const {
    const std::string& name = material(id).name;
    return name.empty() ? fmt::format("material {}", to_index(id)) : name;
  }

  /// Texels per metre, and the place of those that share the look of another.
  void finish(MaterialRoute& route);

  /// Share of the texels along a side that are left.
  [[nodiscard]] double find_kept(const MaterialRoute& end) const;

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
  MaterialWishes forced_;
  MaterialWishes scales_;
  MaterialParts parts_;
  std::map<std::size_t, std::size_t> number_;  ///< of a material among the routes
  std::vector<std::uint32_t> groups_;          ///< by material
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

}  // namespace wakuzume
