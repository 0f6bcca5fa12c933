// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/ladder.h"

#include <tbb/enumerable_thread_specific.h>

#include <algorithm>
#include <map>
#include <unordered_map>

#include "cost/stamps.h"
#include "order/draw_triangles.h"
#include "scene/hasher.h"
#include "scene/running.h"
#include "survey/parts.h"
#include "wakuzume/cost.h"

namespace wakuzume {
namespace {

/// Is the part of a key no longer a difference on this rung?
bool is_bridged(Rung rung, KeyPart part) {
  switch (part) {
    case KeyPart::material_name:
      return rung >= Rung::folding;
    case KeyPart::base_color:
      return rung >= Rung::tinting;
    case KeyPart::factors:
    case KeyPart::color_texture:
    case KeyPart::other_textures:
    case KeyPart::extras:
      return rung >= Rung::sharing;
    case KeyPart::lightmap:
      return rung >= Rung::joining;
    case KeyPart::tag:
      return rung >= Rung::floor;
    default:
      return false;
  }
}

/// Triangles of one key beyond which their order is not looked for.
constexpr std::uint64_t most_ordered = 30'000;

struct HashContent {
  std::size_t operator()(const ContentHash& hash) const { return hash.low; }
};

class LadderMaker {
 public:
  LadderMaker(const Scene& scene,
              const Survey& survey,
              const Visibility& visibility,
              std::span<const ImageFacts> images,
              const RoutePlan& routes,
              const BlendSight& sight)
      : scene_(scene),
        survey_(survey),
        visibility_(visibility),
        routes_(routes),
        sight_(sight),
        parts_(make_key_parts(scene, survey, images)) {}

  Result<Ladder> make(const RunControl& run) {
    // Groups of a rung are unions of those of the rung before: each is found by its first draw.
    std::vector<std::uint32_t> firsts(survey_.draws.size());
    for (std::size_t i = 0; i < firsts.size(); ++i) {
      firsts[i] = static_cast<std::uint32_t>(i);
    }
    ladder_.rungs[0].draws = firsts.size();
    for (std::size_t r = 1; r < rung_count; ++r) {
      const auto rung = static_cast<Rung>(r);
      const bool orders =
          rung == Rung::ordering || (rung == Rung::joining && has_several_lightmaps());
      if (orders && !find_parts(rung, run)) {
        return Failure(make_cancelled());
      }
      firsts = climb(rung, firsts);
      ladder_.rungs[r].draws = firsts.size();
    }
    if (!count_views(run)) {
      return Failure(make_cancelled());
    }
    return ladder_;
  }

 private:
  /// Which groups of this rung take in the groups before it; returns the first draw of each.
  std::vector<std::uint32_t> climb(Rung rung, const std::vector<std::uint32_t>& before) {
    const std::vector<ContentHash> keys = hash_keys(rung);
    std::unordered_map<ContentHash, std::uint32_t, HashContent> known;  // never walked
    known.reserve(before.size());
    std::vector<std::uint32_t>& parents = parents_[static_cast<std::size_t>(rung)];
    parents.reserve(before.size());
    std::vector<std::uint32_t> firsts;
    for (const std::uint32_t first : before) {
      const auto [slot, added] = known.try_emplace(find_group(rung, first, keys),
                                                   static_cast<std::uint32_t>(firsts.size()));
      if (added) {
        firsts.push_back(first);
      }
      parents.push_back(slot->second);
    }
    return firsts;
  }

  [[nodiscard]] std::vector<ContentHash> hash_keys(Rung rung) const {
    std::vector<ContentHash> hashes;
    const bool routed = !routes_.empty() && rung >= Rung::sharing && rung < Rung::floor;
    for (std::size_t k = 0; k < parts_.size(); ++k) {
      ValueHasher hasher;
      hasher.add(hash_without(parts_[k], [&](KeyPart p) { return is_bridged(rung, p); }));
      if (rung >= Rung::joining && rung < Rung::floor) {
        hasher.add(survey_.keys[k].lightmap.empty());
      }
      if (routed) {
        add_look(survey_.keys[k].material, hasher);
      }
      hashes.push_back(hasher.finish());
    }
    return hashes;
  }

  /// Where a material's route ends: a page, a stack, or a material.
  void add_look(MaterialId id, ValueHasher& hasher) const {
    const MaterialRoute* route = id == no_material ? nullptr : routes_.find(id);
    while (route != nullptr && route->onto != no_material) {
      route = routes_.find(route->onto);
    }
    hasher.add(route == nullptr ? no_index : route->page);
    hasher.add(route == nullptr ? no_index : route->stack);
    const bool own = route == nullptr || (route->page == no_index && route->stack == no_index);
    hasher.add(!own ? no_material : route == nullptr ? id : route->material);
  }

  [[nodiscard]] bool has_several_lightmaps() const {
    const std::string* first = nullptr;
    for (const MergeKey& key : survey_.keys) {
      if (!key.lightmap.empty() && first != nullptr && *first != key.lightmap) {
        return true;
      }
      first = key.lightmap.empty() ? first : &key.lightmap;
    }
    return false;
  }

  /// Which blended draws of one key have an order together.
  bool find_parts(Rung rung, const RunControl& run) {
    part_of_.assign(survey_.draws.size(), no_index);
    const std::vector<ContentHash> keys = hash_keys(rung);
    std::map<ContentHash, std::vector<DrawId>, LessHash> lots;
    for (std::size_t d = 0; d < survey_.draws.size(); ++d) {
      const DrawId id = make_id<DrawId>(d);
      if (may_be_ordered(scene_, survey_, survey_[id])) {
        lots[keys[to_index(survey_[id].key)]].push_back(id);
      }
    }
    std::vector<const std::vector<DrawId>*> list;
    for (const auto& [key, draws] : lots) {
      list.push_back(&draws);
    }
    const std::vector<Mat4d> world =
        list.empty() ? std::vector<Mat4d>{} : make_world_matrices(scene_);
    const BlendOrders orders(scene_, survey_, world, sight_);
    return for_each_index(list.size(), run, "ordering", [&](std::size_t l) {
      const std::vector<DrawId>& draws = *list[l];
      std::vector<std::uint32_t> part_of(draws.size(), 0);
      std::uint64_t triangles = 0;
      for (const DrawId id : draws) {
        triangles += survey_[id].triangles;
      }
      if (draws.size() > 1 && triangles <= most_ordered) {
        part_of =
            orders.find_parts(draws, orders.make_facing(draws), {run.threads, nullptr}).part_of;
      }
      for (std::size_t d = 0; d < draws.size(); ++d) {
        part_of_[to_index(draws[d])] = part_of[d];
      }
    });
  }

  [[nodiscard]] ContentHash find_group(Rung rung,
                                       std::uint32_t index,
                                       const std::vector<ContentHash>& keys) const {
    const Draw& draw = survey_.draws[index];
    const bool free = draw.stay == StayRule::none ||
                      (rung >= Rung::moving_together && moves_with_others(draw.stay));
    if (!free || (draw.blended && rung < Rung::ordering)) {
      return {0, index};
    }
    ContentHash group = keys[to_index(draw.key)];
    if (draw.blended && (rung == Rung::ordering || rung == Rung::joining)) {
      if (part_of_[index] == no_index) {
        return {0, index};
      }
      ValueHasher hasher;
      hasher.add(group);
      hasher.add(part_of_[index]);
      return hasher.finish();
    }
    if (rung == Rung::instancing) {
      if (draw.deformed) {
        return {0, index};
      }
      ValueHasher hasher;
      hasher.add(group);
      hasher.add(survey_[draw.shape].family);
      hasher.add(draw.mirrored);
      group = hasher.finish();
    }
    return group;
  }

  bool count_views(const RunControl& run) {
    const std::size_t views = visibility_.view_count();
    std::vector<std::array<double, rung_count>> counts(views);
    using Stamped = std::array<Stamps, rung_count>;
    tbb::enumerable_thread_specific<Stamped> scratch;
    const bool finished = for_each_index(views, run, "climbing down", [&](std::size_t v) {
      count_view(v, scratch.local(), counts[v]);
    });
    for (std::size_t r = 0; r < rung_count && finished && views > 0; ++r) {
      std::vector<double> values(views);
      std::transform(counts.begin(), counts.end(), values.begin(),
                     [&](const auto& count) { return count[r]; });
      ladder_.rungs[r].median_draws = static_cast<std::uint64_t>(make_spread(values).median);
    }
    return finished;
  }

  /// Draws in sight, then the groups that hold them, then the groups of those.
  void count_view(std::size_t v,
                  std::array<Stamps, rung_count>& groups,
                  std::array<double, rung_count>& counts) const {
    std::uint64_t seen = 0;
    groups[1].start(ladder_.rungs[1].draws);
    for_each_seen(visibility_.of_view(v), [&](std::size_t place) {
      groups[1].add(parents_[1][visibility_.boxes().index_at(place)]);
      ++seen;
    });
    counts[0] = static_cast<double>(seen);
    counts[1] = static_cast<double>(groups[1].list().size());
    for (std::size_t r = 2; r < rung_count; ++r) {
      groups[r].start(ladder_.rungs[r].draws);
      for (const std::uint32_t group : groups[r - 1].list()) {
        groups[r].add(parents_[r][group]);
      }
      counts[r] = static_cast<double>(groups[r].list().size());
    }
  }

  const Scene& scene_;
  const Survey& survey_;
  const Visibility& visibility_;
  const RoutePlan& routes_;
  const BlendSight& sight_;
  std::vector<PartHashes> parts_;
  std::array<std::vector<std::uint32_t>, rung_count> parents_;  ///< by group of the rung before
  std::vector<std::uint32_t> part_of_;  ///< by draw: those of one have an order together
  Ladder ladder_;
};

}  // namespace

std::string_view to_string(Rung rung) {
  constexpr std::string_view names[rung_count] = {
      "today",   "instancing", "merging", "moving_together", "folding", "tinting",
      "sharing", "ordering",   "joining", "blending",        "floor"};
  return names[static_cast<std::size_t>(rung)];
}

Result<Ladder> make_ladder(const Scene& scene,
                           const Survey& survey,
                           const Visibility& visibility,
                           std::span<const ImageFacts> images,
                           const RoutePlan& routes,
                           const BlendSight& sight,
                           const RunControl& run) {
  return LadderMaker(scene, survey, visibility, images, routes, sight).make(run);
}

}  // namespace wakuzume
