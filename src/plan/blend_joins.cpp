// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <array>
#include <map>
#include <numeric>
#include <set>
#include <tuple>
#include <utility>

#include "plan/blend_views.h"
#include "plan/blends.h"
#include "scene/hasher.h"
#include "scene/matrix.h"
#include "scene/running.h"

// Parts of one key that join again.
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

}  // namespace

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

/// Whether an overlap is drawn right once two parts are one at this point.
bool BlendViews::is_kept_joined(const Parts& parts,
                                const Union& both,
                                const Vec3d& point,
                                const BlendLook& look,
                                const Overlap& overlap) const {
  const auto is_in = [&](std::uint32_t draw) {
    const std::uint32_t of = parts.of_draw[draw];
    return of == both.a || of == both.b;
  };
  const auto point_of = [&](std::uint32_t draw) {
    const std::uint32_t of = parts.of_draw[draw];
    if (stands_still(draw, look)) {
      return points_[draw];
    }
    if (is_in(draw)) {
      return point;
    }
    return of == no_index || is_alone(parts, of) ? points_[draw] : parts.list[of].point;
  };
  return (is_in(overlap.behind) && is_in(overlap.before)) ||
         is_kept(overlap, look, point_of(overlap.behind), point_of(overlap.before));
}

/// Whether both together are drawn right among all others, wherever the source is.
bool BlendViews::stays_right(const Parts& parts, std::uint32_t a, std::uint32_t b) const {
  Box3d box;
  for (const std::uint32_t p : {a, b}) {
    for (const std::uint32_t i : parts.list[p].items) {
      box.include(tight_[i]);
    }
  }
  const Union both{a, b};
  const auto is_right = [&](std::uint32_t i) {
    const auto& overlaps = overlaps_of_[to_index(draw_of(i))];
    return std::all_of(overlaps.begin(), overlaps.end(), [&](const auto& place) {
      const BlendLook& look = looks_.list[place.first];
      return is_kept_joined(parts, both, box.centre(), look, look.overlaps[place.second]);
    });
  };
  const auto all_right = [&](const Part& part) {
    return std::all_of(part.items.begin(), part.items.end(), is_right);
  };
  return all_right(parts.list[a]) && all_right(parts.list[b]);
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
  std::vector<std::pair<std::size_t, ContentHash>> unknown;
  for (std::size_t u = 0; u < unions.size(); ++u) {
    Union& one = unions[u];
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
      unknown.emplace_back(u, hash);
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

/// A pair that may be tried now; one for which another union is tried waits.
void BlendViews::offer(const Near& pair, const Parts& parts, Joining& joining) const {
  const std::uint32_t a = joining.find(std::get<1>(pair));
  const std::uint32_t b = joining.find(std::get<2>(pair));
  if (a == b || joining.misses[a] > most_misses || joining.misses[b] > most_misses) {
    return;
  }
  if (joining.busy.count(a) + joining.busy.count(b) > 0) {
    joining.waiting.push_back(pair);
  } else if (is_cheaper(parts.list[a], parts.list[b]) && stays_right(parts, a, b)) {
    joining.busy.insert({a, b});
    joining.unions.push_back({a, b, list_draws(parts.list[a], parts.list[b])});
  }
}

/// Looks for the orders of the unions, as far as there is work left to spend, and carries out those
/// that have one.
void BlendViews::try_unions(const RunControl& run, Joining& joining, Parts& parts) {
  for (Union& one : joining.unions) {
    const std::size_t triangles =
        std::accumulate(one.draws.begin(), one.draws.end(), std::size_t{0},
                        [&](std::size_t sum, DrawId id) { return sum + survey_[id].triangles; });
    if (triangles > std::min(joining.left, most_tried)) {
      one.draws.clear();  // it is not tried
    } else {
      joining.left -= triangles;
    }
  }
  find_orders(joining.unions, run);
  bool moved = false;
  for (const auto& [a, b, draws, has_order] : joining.unions) {
    if (!has_order) {
      ++joining.misses[a];
      ++joining.misses[b];
    } else if (!moved || stays_right(parts, a, b)) {
      merge(parts, a, b);
      joining.into[b] = a;
      moved = true;
    }
  }
}

/// Joins parts of one key, the nearest first.
void BlendViews::join_key(const std::vector<std::uint32_t>& list,
                          const RunControl& run,
                          Parts& parts) {
  Joining joining;
  joining.left = least_tried;
  for (const std::uint32_t p : list) {
    for (const std::uint32_t i : parts.list[p].items) {
      joining.left += tried_share * items_.items[i].triangles;
    }
  }
  const std::vector<Near> pairs = list_near(parts, list);
  for (std::size_t next = 0; next < pairs.size() || !joining.waiting.empty();) {
    joining.unions.clear();
    joining.busy.clear();
    for (const Near& pair : std::exchange(joining.waiting, {})) {
      offer(pair, parts, joining);
    }
    for (; next < pairs.size() && joining.unions.size() < tried_at_once &&
           joining.waiting.size() < most_waiting;
         ++next) {
      offer(pairs[next], parts, joining);
    }
    try_unions(run, joining, parts);
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

}  // namespace wakuzume
