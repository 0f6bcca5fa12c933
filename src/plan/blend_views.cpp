// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/blend_views.h"

#include <algorithm>
#include <array>
#include <map>
#include <numeric>
#include <set>
#include <tuple>

#include "plan/blends.h"
#include "scene/hasher.h"
#include "scene/matrix.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

std::vector<std::uint32_t> list_places(const Forest& forest, std::size_t items) {
  std::vector<std::uint32_t> out(items, no_index);
  for (std::uint32_t p = 0; p < forest.order.size(); ++p) {
    out[forest.order[p]] = p;
  }
  return out;
}

}  // namespace

BlendViews::BlendViews(const Scene& scene,
                       const Survey& survey,
                       const Items& items,
                       const Trees& trees,
                       const Outlook& outlook,
                       const BlendSight& sight,
                       const std::vector<Mat4d>& world,
                       const CutLimits& limits,
                       MayJoin may_join,
                       const BlendLooks& looks,
                       std::span<const Group> decided)
    : scene_(scene),
      survey_(survey),
      items_(items),
      trees_(trees),
      outlook_(outlook),
      looks_(looks),
      world_(world),
      overlaps_of_(survey.draws.size()),
      limits_(limits),
      may_join_(may_join),
      orders_(scene, survey, world, sight),
      leaves_(items.items.size(), no_index),
      points_(find_sorting_points(survey, world, outlook.profile.sorts_blended.at)),
      key_place_(list_places(trees.by_key, items.items.size())),
      repeat_place_(list_places(trees.by_repeat, items.items.size())) {
  for (std::uint32_t i = 0; i < items.items.size(); ++i) {
    if (items.items[i].order != BlendOrder::as_members) {
      blended_.push_back(i);
    }
  }
  tight_.resize(items.items.size());
  for (const std::uint32_t i : blended_) {
    tight_[i] = find_tight_box(scene, survey[draw_of(i)], world);
  }
  for (const Group& group : decided) {
    add_fixed(group);
  }
  for (std::uint32_t n = 0; n < trees.by_key.nodes.size(); ++n) {
    if (trees.by_key.nodes[n].leaf()) {
      leaves_[trees.by_key.order[trees.by_key.nodes[n].first]] = n;
    }
  }
  for (const Viewpoint& view : outlook.views) {
    frusta_.push_back(make_frustum(view));
  }
  for (std::uint32_t l = 0; l < looks.list.size(); ++l) {
    const std::vector<Overlap>& overlaps = looks.list[l].overlaps;
    for (std::uint32_t o = 0; o < overlaps.size(); ++o) {
      overlaps_of_[overlaps[o].behind].emplace_back(l, o);
      overlaps_of_[overlaps[o].before].emplace_back(l, o);
    }
  }
}

void BlendViews::add_fixed(const Group& group) {
  std::vector<DrawId> draws = find_draws(survey_, group.members);
  if (!survey_[draws.front()].blended) {
    return;
  }
  Part part{group.kind == GroupKind::cluster ? Grouping::cluster : Grouping::set};
  part.fixed = true;
  const SortedThing sorted =
      find_sorted_thing(scene_, survey_, world_, outlook_.profile.sorts_blended.at, group);
  part.box = sorted.box;
  part.point = sorted.point;
  fixed_.emplace_back(std::move(part), std::move(draws));
}

/// Where its result will be sorted: a group's origin is the centre of its box.
void BlendViews::place(Parts& parts, std::uint32_t p) const {
  Part& part = parts.list[p];
  Box3d box;
  for (const std::uint32_t i : part.items) {
    box.include(part.grouping == Grouping::cluster ? tight_[i] : items_.items[i].box);
    parts.of_draw[to_index(draw_of(i))] = part.grouping == Grouping::alone ? no_index : p;
  }
  part.box = box;
  part.point = box.empty() ? Vec3d{0, 0, 0} : box.centre();
}

BlendViews::Parts BlendViews::list_parts(const Arrangement& arrangement) const {
  std::map<std::pair<Grouping, std::uint32_t>, std::vector<std::uint32_t>> groups;
  for (const std::uint32_t i : blended_) {
    if (arrangement.groupings[i] != Grouping::alone) {
      groups[{arrangement.groupings[i], arrangement.nodes[i]}].push_back(i);
    }
  }
  Parts parts;
  parts.of_draw.assign(survey_.draws.size(), no_index);
  for (auto& [key, items] : groups) {
    parts.list.push_back({key.first, key.second, std::move(items)});
    place(parts, static_cast<std::uint32_t>(parts.list.size() - 1));
  }
  for (const auto& [part, draws] : fixed_) {
    for (const DrawId id : draws) {
      parts.of_draw[to_index(id)] = static_cast<std::uint32_t>(parts.list.size());
    }
    parts.list.push_back(part);
  }
  return parts;
}

/// Whether two layers of a view are drawn in their true order, or in that of the source where that
/// is no better. \param behind, before  the points that they are sorted by now
bool BlendViews::is_kept(const Overlap& overlap,
                         const BlendLook& look,
                         const Vec3d& behind,
                         const Vec3d& before) const {
  const auto distance = [&](const Vec3d& point, std::uint32_t draw) {
    const NodeId root = survey_[survey_.draws[draw].key].moving_root;
    return find_sorting_distance(outlook_.profile.sorts_blended, looks_.move(point, root, look),
                                 outlook_.views[look.view].world);
  };
  const float far = distance(behind, overlap.behind);
  const float near = distance(before, overlap.before);
  // Equal ones come in the order of the scene, which a group has not.
  const bool was_first =
      std::pair(distance(points_[overlap.behind], overlap.behind), overlap.before) >
      std::pair(distance(points_[overlap.before], overlap.before), overlap.behind);
  if (far > near) {
    return was_first || !overlap.tied;
  }
  return !was_first && (!overlap.tied || far < near);
}

/// While something moves, what stands still counts as it was one by one: only what moves is held
/// against it.
bool BlendViews::stands_still(std::uint32_t draw, const BlendLook& look) const {
  return look.pose != no_index && survey_[survey_.draws[draw].key].moving_root == no_node;
}

/// The part that is to be halved where two layers are drawn in a wrong order: the larger of those
/// that can be; no_index: neither can.
std::uint32_t BlendViews::find_larger(const Parts& parts,
                                      const BlendLook& look,
                                      const Overlap& overlap) const {
  const auto extent = [&](std::uint32_t draw) {
    const std::uint32_t part = parts.of_draw[draw];
    const bool whole = part == no_index || parts.list[part].fixed || stands_still(draw, look);
    return whole ? -1 : find_diagonal(parts.list[part].box);
  };
  const double far = extent(overlap.behind);
  const double near = extent(overlap.before);
  return std::max(far, near) < 0 ? no_index
                                 : parts.of_draw[far > near ? overlap.behind : overlap.before];
}

/// \return by part: it is to be halved
std::vector<bool> BlendViews::find_wrong(const Parts& parts) const {
  std::vector<bool> out(parts.list.size(), false);
  for (const BlendLook& look : looks_.list) {
    for (const Overlap& overlap : look.overlaps) {
      if (parts.of_draw[overlap.behind] == parts.of_draw[overlap.before]) {
        continue;  // in one group, or both as they are
      }
      const auto point_of = [&](std::uint32_t draw) {
        const std::uint32_t part = parts.of_draw[draw];
        return part == no_index || stands_still(draw, look) ? points_[draw]
                                                            : parts.list[part].point;
      };
      const bool kept = is_kept(overlap, look, point_of(overlap.behind), point_of(overlap.before));
      const std::uint32_t part = kept ? no_index : find_larger(parts, look, overlap);
      if (part != no_index) {
        out[part] = true;
      }
    }
  }
  return out;
}

/// Whether nobody says from where the scene is seen, and the engine's order has cells that are
/// right from everywhere.
bool BlendViews::has_cells() const {
  return outlook_.views.empty() && outlook_.profile.sorts_blended.by == SortBy::distance;
}

/// Groups, and then draws that stand for themselves.
std::vector<BlendViews::Thing> BlendViews::list_things(const Parts& parts,
                                                       std::size_t& groups) const {
  std::vector<Thing> things;
  std::map<std::uint32_t, std::size_t> of_part;
  for (std::uint32_t p = 0; p < parts.list.size(); ++p) {
    const Part& part = parts.list[p];
    if (part.grouping != Grouping::alone) {
      of_part[p] = things.size();
      things.push_back({{part.box, part.point}, part.fixed ? no_index : p});
    }
  }
  groups = things.size();
  for (std::uint32_t d = 0; d < survey_.draws.size(); ++d) {
    const auto group = of_part.find(parts.of_draw[d]);
    if (group != of_part.end()) {
      things[group->second].draws.push_back(make_id<DrawId>(d));
    } else if (survey_.draws[d].blended) {
      things.push_back({{survey_.draws[d].box, points_[d]}, no_index, {make_id<DrawId>(d)}});
    }
  }
  return things;
}

/// \return by part: it is to be halved, the larger one of two that share no pair of cells and of
/// which one can hide the other
std::vector<bool> BlendViews::find_outside_cells(const Parts& parts) const {
  std::size_t groups = 0;
  const std::vector<Thing> things = list_things(parts, groups);
  std::vector<bool> out(parts.list.size(), false);
  for (std::size_t a = 0; a < groups; ++a) {
    for (std::size_t b = a + 1; b < things.size(); ++b) {
      const Thing& larger = things[b].extent() > things[a].extent() ? things[b] : things[a];
      if (larger.part != no_index &&
          !are_cells(things[a].sorted, things[b].sorted, orders_.precision_m()) &&
          !orders_.are_free(things[a].draws, things[b].draws)) {
        out[larger.part] = true;
      }
    }
  }
  return out;
}

void BlendViews::halve(std::uint32_t p, std::uint32_t min_instances, Parts& parts) const {
  const Part whole = parts.list[p];
  const bool cluster = whole.grouping == Grouping::cluster;
  const Forest& forest = cluster ? trees_.by_key : trees_.by_repeat;
  const std::vector<std::uint32_t>& places = cluster ? key_place_ : repeat_place_;
  const TreeNode& node = forest.nodes[whole.node];
  const TreeNode& right = forest.nodes[node.right()];
  std::array<Part, 2> halves{Part{whole.grouping, node.left}, Part{whole.grouping, node.right()}};
  for (const std::uint32_t i : whole.items) {
    halves[places[i] < right.first ? 0 : 1].items.push_back(i);
  }
  const std::size_t least = cluster ? 2 : std::max(2U, min_instances);
  for (Part& half : halves) {
    if (half.items.size() < least) {
      half.grouping = Grouping::alone;
      half.node = no_index;
    }
  }
  const auto second = static_cast<std::uint32_t>(parts.list.size());
  parts.list[p] = std::move(halves[0]);
  parts.list.push_back(std::move(halves[1]));
  place(parts, p);
  place(parts, second);
}

BlendViews::Parts BlendViews::find_settled(std::uint32_t min_instances,
                                           const RunControl& run,
                                           const Arrangement& arrangement) {
  Parts parts = list_parts(arrangement);
  // Each round halves something, and what is alone is drawn as it was.
  while (true) {
    const std::vector<bool> wrong = has_cells() ? find_outside_cells(parts) : find_wrong(parts);
    bool any = false;
    for (std::uint32_t p = 0; p < wrong.size(); ++p) {
      if (wrong[p]) {
        any = true;
        halve(p, min_instances, parts);
      }
    }
    if (!any) {
      break;
    }
  }
  if (may_join_ == MayJoin::anywhere && !has_cells()) {
    add_singles(arrangement, parts);
    for (const auto& [key, list] : list_joinable(parts)) {
      join_key(list, run, parts);
    }
  }
  return parts;
}

void BlendViews::settle(std::uint32_t min_instances,
                        const RunControl& run,
                        Arrangement& arrangement) {
  std::vector<std::pair<Grouping, std::uint32_t>> was;
  for (const std::uint32_t i : blended_) {
    was.emplace_back(arrangement.groupings[i], arrangement.nodes[i]);
  }
  const auto [slot, added] = settled_.try_emplace(was, was);
  if (added) {
    for (const Part& part : find_settled(min_instances, run, arrangement).list) {
      for (const std::uint32_t i : part.items) {
        arrangement.groupings[i] = part.grouping;
        arrangement.nodes[i] = part.node;
      }
    }
    for (std::size_t b = 0; b < blended_.size(); ++b) {
      slot->second[b] = {arrangement.groupings[blended_[b]], arrangement.nodes[blended_[b]]};
    }
  }
  for (std::size_t b = 0; b < blended_.size(); ++b) {
    arrangement.groupings[blended_[b]] = slot->second[b].first;
    arrangement.nodes[blended_[b]] = slot->second[b].second;
  }
}

}  // namespace wakuzume
