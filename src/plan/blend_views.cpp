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

/// With so many of its key, the nearest ones, a part may join.
constexpr std::size_t most_near = 24;
/// What had no order with so many others has none with more: closed bodies, leaves.
constexpr int most_misses = 5;
/// Of so many before and after it in the order of the tree.
constexpr std::size_t looked_at = 1'024;
/// Triangles of a key whose orders are looked for so that parts may join: so many, and so many
/// times those that it has.
constexpr std::size_t least_tried = 20'000;
constexpr std::size_t tried_share = 8;
/// And at once: what is large was cut by what forms cycles, or holds much already.
constexpr std::size_t most_tried = 1'000;
/// Unions side by side; the same for any number of threads.
constexpr std::size_t tried_at_once = 16;
constexpr std::size_t most_waiting = 64;

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
                       Joining joining,
                       std::span<const std::vector<Overlap>> overlaps,
                       std::span<const Group> decided)
    : scene_(scene),
      survey_(survey),
      items_(items),
      trees_(trees),
      outlook_(outlook),
      overlaps_(overlaps),
      world_(world),
      overlaps_of_(survey.draws.size()),
      limits_(limits),
      joining_(joining),
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
    tight_[i] = find_tight_box(survey[draw_of(i)]);
  }
  for (const Group& group : decided) {
    add_fixed(group);
  }
  for (std::uint32_t n = 0; n < trees.by_key.nodes.size(); ++n) {
    if (trees.by_key.nodes[n].leaf()) {
      leaves_[trees.by_key.order[trees.by_key.nodes[n].first]] = n;
    }
  }
  for (std::uint32_t v = 0; v < overlaps.size(); ++v) {
    frusta_.push_back(make_frustum(outlook.views[v]));
    for (std::uint32_t o = 0; o < overlaps[v].size(); ++o) {
      overlaps_of_[overlaps[v][o].behind].emplace_back(v, o);
      overlaps_of_[overlaps[v][o].before].emplace_back(v, o);
    }
  }
}

Box3d BlendViews::find_tight_box(const Draw& draw) const {
  std::vector<FacingTriangle> triangles;
  add_facing(scene_, {draw.node, draw.primitive}, world_[to_index(draw.node)], 0, 0, triangles);
  Box3d box;
  for (const FacingTriangle& triangle : triangles) {
    for (const Vec3d& corner : triangle.corners) {
      box.include(corner);
    }
  }
  return box;
}

void BlendViews::add_fixed(const Group& group) {
  std::vector<DrawId> draws = find_draws(survey_, group.members);
  if (!survey_[draws.front()].blended) {
    return;
  }
  Part part{group.kind == GroupKind::cluster ? Grouping::cluster : Grouping::set};
  part.fixed = true;
  for (const DrawId id : draws) {
    part.box.include(group.kind == GroupKind::cluster ? find_tight_box(survey_[id])
                                                      : survey_[id].box);
  }
  const bool at_origin = outlook_.profile.sorts_blended.at == SortAt::origin;
  part.point = at_origin || part.box.empty() ? group.pivot : part.box.centre();
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
                         std::size_t view,
                         const Vec3d& behind,
                         const Vec3d& before) const {
  const auto distance = [&](const Vec3d& point) {
    return find_sorting_distance(outlook_.profile.sorts_blended, point, outlook_.views[view].world);
  };
  // Equal ones come in the order of the scene, which a group has not.
  const bool was_first = std::pair(distance(points_[overlap.behind]), overlap.before) >
                         std::pair(distance(points_[overlap.before]), overlap.behind);
  if (distance(behind) > distance(before)) {
    return was_first || !overlap.tied;
  }
  return !was_first && (!overlap.tied || distance(behind) < distance(before));
}

/// \return by part: it is to be halved, the larger one of two that are drawn in a wrong order
std::vector<bool> BlendViews::find_wrong(const Parts& parts) const {
  std::vector<bool> out(parts.list.size(), false);
  for (std::size_t v = 0; v < overlaps_.size(); ++v) {
    for (const Overlap& overlap : overlaps_[v]) {
      const std::uint32_t behind = parts.of_draw[overlap.behind];
      const std::uint32_t before = parts.of_draw[overlap.before];
      if (behind == before) {
        continue;  // in one group, or both as they are
      }
      const auto point_of = [&](std::uint32_t part, std::uint32_t draw) {
        return part == no_index ? points_[draw] : parts.list[part].point;
      };
      if (is_kept(overlap, v, point_of(behind, overlap.behind), point_of(before, overlap.before))) {
        continue;
      }
      const auto extent = [&](std::uint32_t part) {
        const bool whole = part == no_index || parts.list[part].fixed;
        return whole ? -1 : find_diagonal(parts.list[part].box);
      };
      const double most = std::max(extent(behind), extent(before));
      if (most >= 0) {
        out[extent(before) == most ? before : behind] = true;
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

/// What stands for itself and may still join others.
void BlendViews::add_singles(const Arrangement& arrangement, Parts& parts) const {
  for (const std::uint32_t i : blended_) {
    if (items_.items[i].order == BlendOrder::every_eye &&
        arrangement.groupings[i] == Grouping::alone) {
      parts.list.push_back({Grouping::alone, no_index, {i}});
      place(parts, static_cast<std::uint32_t>(parts.list.size() - 1));
    }
  }
}

/// Of a mean frame, but for the number of views.
double BlendViews::find_cost(const Box3d& box, double triangles) const {
  const auto seen = std::count_if(frusta_.begin(), frusta_.end(),
                                  [&](const Frustum& frustum) { return sees_box(frustum, box); });
  return static_cast<double>(seen) * (trees_.prices.draw + trees_.prices.triangle * triangles);
}

std::vector<DrawId> BlendViews::list_draws(const Part& a, const Part& b) const {
  std::vector<DrawId> draws;
  for (const Part* part : {&a, &b}) {
    std::transform(part->items.begin(), part->items.end(), std::back_inserter(draws),
                   [&](std::uint32_t i) { return draw_of(i); });
  }
  std::sort(draws.begin(), draws.end());
  return draws;
}

bool BlendViews::is_cheaper(const Part& a, const Part& b) const {
  Box3d box = a.box;
  box.include(b.box);
  double vertices = 0;
  std::array<double, 2> triangles{};
  for (const auto& [part, sum] : {std::pair(&a, &triangles[0]), std::pair(&b, &triangles[1])}) {
    for (const std::uint32_t i : part->items) {
      *sum += static_cast<double>(items_.items[i].triangles);
      vertices += static_cast<double>(items_.items[i].vertices);
    }
  }
  const bool fits = vertices <= static_cast<double>(limits_.vertices) &&
                    (limits_.extent_m <= 0 || box.largest_extent() <= limits_.extent_m);
  return fits && find_cost(box, triangles[0] + triangles[1]) <=
                     find_cost(a.box, triangles[0]) + find_cost(b.box, triangles[1]);
}

/// Whether both together are drawn right among all others, wherever the source is.
bool BlendViews::stays_right(const Parts& parts, std::uint32_t a, std::uint32_t b) const {
  const Part& one = parts.list[a];
  const Part& other = parts.list[b];
  Box3d box;
  for (const Part* part : {&one, &other}) {
    for (const std::uint32_t i : part->items) {
      box.include(tight_[i]);
    }
  }
  const Vec3d point = box.centre();
  for (const Part* part : {&one, &other}) {
    for (const std::uint32_t i : part->items) {
      const DrawId id = draw_of(i);
      for (const auto& [v, o] : overlaps_of_[to_index(id)]) {
        const Overlap& overlap = overlaps_[v][o];
        const auto is_in = [&](std::uint32_t draw) {
          const std::uint32_t of = parts.of_draw[draw];
          return of == a || of == b;
        };
        if (is_in(overlap.behind) && is_in(overlap.before)) {
          continue;
        }
        const auto point_of = [&](std::uint32_t draw) {
          const std::uint32_t of = parts.of_draw[draw];
          return is_in(draw)                             ? point
                 : of == no_index || is_alone(parts, of) ? points_[draw]
                                                         : parts.list[of].point;
        };
        if (!is_kept(overlap, v, point_of(overlap.behind), point_of(overlap.before))) {
          return false;
        }
      }
    }
  }
  return true;
}

/// By merge key: clusters, and draws that stand for themselves and may still join others.
std::map<std::uint32_t, std::vector<std::uint32_t>> BlendViews::list_joinable(Parts& parts) const {
  std::map<std::uint32_t, std::vector<std::uint32_t>> by_key;
  for (std::uint32_t p = 0; p < parts.list.size(); ++p) {
    const Part& part = parts.list[p];
    if (part.items.empty()) {
      continue;  // all that was in this half is drawn otherwise
    }
    const Item& item = items_.items[part.items.front()];
    if (part.grouping != Grouping::set && item.order == BlendOrder::every_eye) {
      by_key[item.merge].push_back(p);
      // Singles are found among their overlaps too.
      for (const std::uint32_t i : part.items) {
        parts.of_draw[to_index(draw_of(i))] = p;
      }
    }
  }
  return by_key;
}

/// Pairs of parts that lie near each other, the nearest first.
std::vector<BlendViews::Near> BlendViews::list_near(const Parts& parts,
                                                    std::vector<std::uint32_t> list) const {
  // In the order of a tree what is near in space is near in the list.
  const auto place_of = [&](std::uint32_t p) { return key_place_[parts.list[p].items.front()]; };
  std::sort(list.begin(), list.end(),
            [&](std::uint32_t a, std::uint32_t b) { return place_of(a) < place_of(b); });
  std::vector<Near> pairs;
  for (std::size_t at = 0; at < list.size(); ++at) {
    std::vector<std::pair<double, std::uint32_t>> near;
    const std::size_t begin = at > looked_at ? at - looked_at : 0;
    for (std::size_t other = begin; other < std::min(list.size(), at + looked_at); ++other) {
      if (other != at) {
        const Vec3d& from = parts.list[list[at]].point;
        const Vec3d& to = parts.list[list[other]].point;
        near.emplace_back((as_eigen(from) - as_eigen(to)).norm(), list[other]);
      }
    }
    const std::size_t count = std::min(most_near, near.size());
    std::partial_sort(near.begin(), near.begin() + static_cast<std::ptrdiff_t>(count), near.end());
    for (std::size_t n = 0; n < count; ++n) {
      const std::uint32_t a = list[at];
      const std::uint32_t b = near[n].second;
      pairs.emplace_back(near[n].first, std::min(a, b), std::max(a, b));
    }
  }
  std::sort(pairs.begin(), pairs.end());
  pairs.erase(std::unique(pairs.begin(), pairs.end()), pairs.end());
  return pairs;
}

/// Which of these unions, those that have draws, have an order: what was not looked for before,
/// side by side.
void BlendViews::find_orders(std::vector<Union>& unions, const RunControl& run) {
  std::vector<std::vector<DrawId>> draws;
  std::vector<std::pair<std::size_t, ContentHash>> unknown;
  for (Union& one : unions) {
    if (one.draws.empty()) {
      continue;
    }
    ValueHasher hasher;
    for (const DrawId id : one.draws) {
      hasher.add(to_index(id));
    }
    const ContentHash hash = hasher.finish();
    const auto known = known_orders_.find(hash);
    if (known == known_orders_.end()) {
      unknown.emplace_back(&one - unions.data(), hash);
    } else {
      one.has_order = known->second;
    }
  }
  for_each_index(unknown.size(), {run.threads, nullptr}, "", [&](std::size_t u) {
    Union& one = unions[unknown[u].first];
    one.has_order = orders_.find_sequence(one.draws).found;
  });
  for (const auto& [index, hash] : unknown) {
    known_orders_.emplace(hash, unions[index].has_order);
  }
}

/// Joins parts of one key, the nearest first.
void BlendViews::join_key(const std::vector<std::uint32_t>& list,
                          const RunControl& run,
                          Parts& parts) {
  std::size_t left = least_tried;
  for (const std::uint32_t p : list) {
    for (const std::uint32_t i : parts.list[p].items) {
      left += tried_share * items_.items[i].triangles;
    }
  }
  std::map<std::uint32_t, std::uint32_t> now;  // parts that went into others
  const auto find = [&](std::uint32_t part) {
    for (auto into = now.find(part); into != now.end(); into = now.find(part)) {
      part = into->second;
    }
    return part;
  };
  std::map<std::uint32_t, int> misses;
  const std::vector<Near> pairs = list_near(parts, list);
  std::vector<Near> waiting;  // for a part that another union is tried with
  for (std::size_t next = 0; next < pairs.size() || !waiting.empty();) {
    std::vector<Union> unions;
    std::set<std::uint32_t> busy;
    std::vector<Near> waited = std::move(waiting);
    waiting.clear();
    const auto offer = [&](const Near& pair) {
      const std::uint32_t a = find(std::get<1>(pair));
      const std::uint32_t b = find(std::get<2>(pair));
      if (a == b || misses[a] > most_misses || misses[b] > most_misses) {
        return;
      }
      if (busy.count(a) + busy.count(b) > 0) {
        waiting.push_back(pair);
      } else if (is_cheaper(parts.list[a], parts.list[b]) && stays_right(parts, a, b)) {
        busy.insert({a, b});
        unions.push_back({a, b, list_draws(parts.list[a], parts.list[b])});
      }
    };
    std::for_each(waited.begin(), waited.end(), offer);
    for (; next < pairs.size() && unions.size() < tried_at_once && waiting.size() < most_waiting;
         ++next) {
      offer(pairs[next]);
    }
    for (Union& one : unions) {
      const std::size_t triangles =
          std::accumulate(one.draws.begin(), one.draws.end(), std::size_t{0},
                          [&](std::size_t sum, DrawId id) { return sum + survey_[id].triangles; });
      if (triangles > std::min(left, most_tried)) {
        one.draws.clear();  // it is not tried
      } else {
        left -= triangles;
      }
    }
    find_orders(unions, run);
    bool moved = false;
    for (const auto& [a, b, draws, has_order] : unions) {
      if (!has_order) {
        ++misses[a];
        ++misses[b];
      } else if (!moved || stays_right(parts, a, b)) {
        merge(parts, a, b);
        now[b] = a;
        moved = true;
      }
    }
  }
}

bool BlendViews::is_alone(const Parts& parts, std::uint32_t part) {
  return parts.list[part].grouping == Grouping::alone;
}

void BlendViews::merge(Parts& parts, std::uint32_t a, std::uint32_t b) const {
  Part& into = parts.list[a];
  Part& from = parts.list[b];
  into.items.insert(into.items.end(), from.items.begin(), from.items.end());
  // Groups are told apart by a node of one of theirs.
  if (into.grouping == Grouping::alone) {
    into.grouping = Grouping::cluster;
    into.node = from.grouping == Grouping::cluster ? from.node : leaves_[into.items.front()];
  }
  from.items.clear();
  place(parts, a);
}

BlendViews::Parts BlendViews::find_settled(std::uint32_t min_instances,
                                           const RunControl& run,
                                           const Arrangement& arrangement) {
  Parts parts = list_parts(arrangement);
  // Each round halves something, and what is alone is drawn as it was.
  while (true) {
    const std::vector<bool> wrong = find_wrong(parts);
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
  if (joining_ == Joining::anywhere) {
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
