// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/collapse_field.h"

#include <algorithm>
#include <cmath>

#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr std::size_t points_at_once = 4096;

/// Squared metres that the sideways error of an edge stands for, for each of its length's squared.
constexpr double border_weight = 0.1;
constexpr double seam_weight = 0.001;
/// Thinner triangles, height by length, tell nothing of how values run.
constexpr double thinnest = 1e-3;
/// Keeps the places of flat parts even: the error of a length, squared.
constexpr double length_price = 1e-9;
/// How strongly a place is held near the middle of its edge.
constexpr double pull = 1e-8;
/// What makes no difference: the error of a length, squared.
constexpr double as_good = 1e-12;

/// Sides of a surface that meet at more than 66 degrees are two sides of a thing; a line that
/// leaves less than 100 degrees between its edges has a corner. Both where an edge is so long, of
/// the extent.
constexpr double sharp_cosine = 0.4;
constexpr double bend_cosine = -0.17;
constexpr double corner_side = 0.05;

}  // namespace

void CollapseField::weigh(const RunControl& run) {
  const std::size_t points = net.first_corner.size();
  quadrics.resize(points);
  records.resize(net.point_of.size() * record_size());
  versions.resize(points);
  on_feature.resize(points);
  lone_wedge.resize(points);
  marks.resize(points);
  moved.resize(net.point_of.size());
  judged_at.resize(net.ends.size());
  tried.resize(net.ends.size());
  Box3d box;
  for (std::size_t p = 0; p < points; ++p) {
    const Vec3d at = place(static_cast<std::uint32_t>(p));
    if (std::isfinite(length2(at))) {
      box.include(at);
    }
  }
  const double least_side = corner_side * box.largest_extent();
  for_each_range(points, points_at_once, run, "reducing", [&](std::size_t begin, std::size_t end) {
    for (std::size_t p = begin; p < end; ++p) {
      add_faces(static_cast<std::uint32_t>(p));
      mark_feature(static_cast<std::uint32_t>(p));
      if (on_feature[p] != 0 && has_corner(static_cast<std::uint32_t>(p), least_side)) {
        on_feature[p] = is_corner;
      }
    }
  });
}

Vec3d CollapseField::place(std::uint32_t point) const { return load_point(places, point); }

void CollapseField::add_rim(std::uint32_t edge,
                            const Vec3d& side,
                            const Vec3d& normal,
                            Quadric& q) const {
  if (!net.is_feature(edge)) {
    return;
  }
  const Vec3d across = cross(side, normal);
  const double size2 = length2(across);
  if (size2 > 0) {
    q.add_square(
        1 / std::sqrt(size2) * across, 0,
        (net.kind_of[edge] == EdgeKind::border ? border_weight : seam_weight) * length2(side));
  }
}

void CollapseField::add_traits(
    std::uint32_t corner, const Vec3d& e1, const Vec3d& e2, double area, Quadric& q) {
  const double aa = length2(e1);
  const double ab = dot(e1, e2);
  const double bb = length2(e2);
  const double size2 = aa * bb - ab * ab;
  const double longest2 = std::max({aa, bb, length2(e2 - e1)});
  if (counted == 0 || !(size2 > thinnest * thinnest * longest2 * longest2)) {
    return;
  }
  const std::size_t n = counted;
  const float* here = &values[net.wedge_of[corner] * n];
  const float* first = &values[net.wedge_of[SurfaceNet::next(corner)] * n];
  const float* second = &values[net.wedge_of[SurfaceNet::previous(corner)] * n];
  float* record = gradients(net.wedge_of[corner]);
  for (std::size_t j = 0; j < n; ++j) {
    const double d1 = double{first[j]} - here[j];
    const double d2 = double{second[j]} - here[j];
    const Vec3d g = 1 / size2 * ((d1 * bb - d2 * ab) * e1 + (d2 * aa - d1 * ab) * e2);
    q.add_square(g, 0, area);
    for (std::size_t k = 0; k < 3; ++k) {
      record[4 * j + k] += static_cast<float>(area * g[k]);
    }
  }
  record[4 * n] += static_cast<float>(area);
}

void CollapseField::add_faces(std::uint32_t point) {
  Quadric& q = quadrics[point];
  const Vec3d here = place(point);
  std::uint32_t wedge = no_index;
  bool several = false;
  net.for_each_corner(point, [&](std::uint32_t c) {
    const Vec3d e1 = place(net.point_at(SurfaceNet::next(c))) - here;
    const Vec3d e2 = place(net.point_at(SurfaceNet::previous(c))) - here;
    const Vec3d normal = cross(e1, e2);
    const double size = std::sqrt(length2(normal));
    const double area = size / 6;  // a third of the triangle
    q.area += area;
    if (size > 0) {
      q.add_square(1 / size * normal, 0, area);
      add_rim(net.edge_of[c], e1, normal, q);
      add_rim(net.edge_of[SurfaceNet::previous(c)], e2, normal, q);
    }
    add_traits(c, e1, e2, area, q);
    several = several || (wedge != no_index && wedge != net.wedge_of[c]);
    wedge = net.wedge_of[c];
  });
  lone_wedge[point] = several ? no_index : wedge;
}

void CollapseField::mark_feature(std::uint32_t point) {
  bool any = false;
  net.for_each_corner(point, [&](std::uint32_t c) {
    any = any || net.is_feature(net.edge_of[c]) ||
          net.is_feature(net.edge_of[SurfaceNet::previous(c)]);
  });
  if (on_feature[point] != is_corner) {
    on_feature[point] = any ? 1 : 0;
  }
}

/// Whether a shape would not be the same without this point: three sharp edges meet, or one bends
/// sharply, and one of them is long.
bool CollapseField::has_corner(std::uint32_t point, double least_side) {
  struct SharpEdge {
    std::uint32_t edge = no_index;
    Vec3d along{};
    Vec3d normal{};
    bool sharp = true;  ///< until a second side is found that goes on nearly as the first
  };
  std::vector<SharpEdge> edges;
  const Vec3d here = place(point);
  net.for_each_corner(point, [&](std::uint32_t c) {
    const Vec3d to_next = place(net.point_at(SurfaceNet::next(c))) - here;
    const Vec3d to_previous = place(net.point_at(SurfaceNet::previous(c))) - here;
    const Vec3d normal = cross(to_next, to_previous);
    for (const auto& [edge, side] :
         {std::pair(net.edge_of[c], to_next),
          std::pair(net.edge_of[SurfaceNet::previous(c)], to_previous)}) {
      if (!net.is_feature(edge)) {
        continue;
      }
      const auto known = std::find_if(edges.begin(), edges.end(),
                                      [e = edge](const SharpEdge& of) { return of.edge == e; });
      if (known == edges.end()) {
        edges.push_back({edge, side, normal});
      } else {
        known->sharp = dot(known->normal, normal) <
                       sharp_cosine * std::sqrt(length2(known->normal) * length2(normal));
      }
    }
  });
  std::erase_if(edges, [](const SharpEdge& of) { return !of.sharp; });
  const bool any_long = std::any_of(edges.begin(), edges.end(), [&](const SharpEdge& of) {
    return length2(of.along) >= least_side * least_side;
  });
  if (!any_long || edges.size() < 2) {
    return false;
  }
  return edges.size() > 2 ||
         dot(edges[0].along, edges[1].along) >
             bend_cosine * std::sqrt(length2(edges[0].along) * length2(edges[1].along));
}

/// What each wedge of a point becomes: the one it shares a triangle with. The same wedge twice
/// where it has two to choose from; no_index: it shares none, and goes there as it is.
void CollapseField::pair_wedges(std::uint32_t from, std::uint32_t to, WedgePairs& pairs) {
  pairs.clear();
  if (lone_wedge[from] != no_index && lone_wedge[to] != no_index) {
    pairs.emplace_back(lone_wedge[from], lone_wedge[to]);
    return;
  }

  const auto add = [&](std::uint32_t wedge, std::uint32_t there) {
    const auto known = std::find_if(pairs.begin(), pairs.end(), [&](const auto& pair) {
      return pair.first == wedge && (pair.second == there || pair.second == no_index);
    });
    if (known == pairs.end()) {
      pairs.emplace_back(wedge, there);
    } else {
      known->second = there;
    }
  };
  net.for_each_corner(from, [&](std::uint32_t c) {
    const std::uint32_t next = SurfaceNet::next(c);
    const std::uint32_t previous = SurfaceNet::previous(c);
    if (net.point_at(next) == to) {
      add(net.wedge_of[c], net.wedge_of[next]);
    } else if (net.point_at(previous) == to) {
      add(net.wedge_of[c], net.wedge_of[previous]);
    } else if (std::none_of(pairs.begin(), pairs.end(),
                            [&](const auto& pair) { return pair.first == net.wedge_of[c]; })) {
      pairs.emplace_back(net.wedge_of[c], no_index);
    }
  });
}

/// The quadrics of both points as seen from `to`, with what its wedges are now.
/// \param fits  wedges that go there take the values that fit best there
Quadric CollapseField::join(std::uint32_t from,
                            std::uint32_t to,
                            const WedgePairs& pairs,
                            bool fits) {
  const Vec3d gap = place(to) - place(from);
  Quadric q = quadrics[from];
  q.shift(gap);
  const std::size_t n = counted;
  for (const auto& [wedge, there] : pairs) {
    const float* record = gradients(wedge);
    const double area = record[4 * n];
    for (std::size_t j = 0; j < n; ++j) {
      const Vec3d g{record[4 * j], record[4 * j + 1], record[4 * j + 2]};
      const double foretold = dot(g, gap) + record[4 * j + 3];
      const double step = there != no_index  ? double{values[there * n + j]} - values[wedge * n + j]
                          : fits && area > 0 ? foretold / area
                                             : 0;
      q.b = q.b - step * g;
      q.c += step * (area * step - 2 * foretold);
    }
  }
  q.add(quadrics[to]);
  return q;
}

bool CollapseField::may_go(std::uint32_t edge, std::uint32_t point) const {
  return !is_held(point) && on_feature[point] != is_corner &&
         (on_feature[point] == 0 || net.is_feature(edge));
}

void CollapseField::offer(
    Move move, double error, double area, double length2, Move& cheapest) const {
  const double hold = held.empty() ? 0 : std::max(held[move.from], held[move.to]);
  const double factor = hold < 1 ? 1 / ((1 - hold) * (1 - hold)) : 1;
  error = factor * std::max(error, 0.0);
  move.cost = error + length_price * area * length2;
  move.error = area > 0 ? error / area : 0;
  if (cheapest.from == no_index || move.cost < cheapest.cost) {
    cheapest = move;
  }
}

void CollapseField::judge_old(std::uint32_t from,
                              std::uint32_t to,
                              WedgePairs& pairs,
                              Move& cheapest) {
  pair_wedges(from, to, pairs);
  const Quadric q = join(from, to, pairs, true);
  offer({.from = from, .to = to}, q.c, q.area, length2(place(to) - place(from)), cheapest);
}

/// Takes out of a quadric what the values of wedges can make good, at whatever place.
void CollapseField::free_values(std::uint32_t from,
                                std::uint32_t to,
                                const WedgePairs& pairs,
                                Quadric& q) {
  const Vec3d gap = place(to) - place(from);
  const std::size_t n = counted;
  for (auto pair = pairs.begin(); pair != pairs.end(); ++pair) {
    const std::uint32_t there = pair->second;
    const auto alike = [&](const auto& other) { return other.second == there; };
    if (there != no_index && std::any_of(pairs.begin(), pair, alike)) {
      continue;
    }
    const float* kept = there == no_index ? nullptr : gradients(there);
    for (std::size_t j = 0; j < n; ++j) {
      Vec3d sum{};
      double d = 0;
      double area = 0;
      if (kept != nullptr) {
        sum = {kept[4 * j], kept[4 * j + 1], kept[4 * j + 2]};
        d = kept[4 * j + 3];
        area = kept[4 * n];
      }
      for (auto other = pair; other != pairs.end(); ++other) {
        if (other != pair && (there == no_index || !alike(*other))) {
          continue;
        }
        const float* gone = gradients(other->first);
        const Vec3d g{gone[4 * j], gone[4 * j + 1], gone[4 * j + 2]};
        const double step =
            there == no_index ? 0 : double{values[there * n + j]} - values[other->first * n + j];
        sum = sum + g;
        d += dot(g, gap) + gone[4 * j + 3] - gone[4 * n] * step;
        area += gone[4 * n];
      }
      if (area > 0) {
        q.add_square(sum, d, -1 / area);
      }
    }
  }
}

/// join and free_values of a wedge that becomes another, the usual case, in one go.
Quadric CollapseField::join_freely(std::uint32_t from,
                                   std::uint32_t to,
                                   std::uint32_t wedge,
                                   std::uint32_t there) {
  const Vec3d gap = place(to) - place(from);
  Quadric q = quadrics[from];
  q.shift(gap);
  q.add(quadrics[to]);
  const std::size_t n = counted;
  const float* gone = gradients(wedge);
  const float* kept = gradients(there);
  const float* value = &values[wedge * n];
  const float* wanted = &values[there * n];
  const double area_gone = gone[4 * n];
  const double area = area_gone + kept[4 * n];
  const double per_area = area > 0 ? 1 / area : 0;
  for (std::size_t j = 0; j < n; ++j) {
    const Vec3d g{gone[4 * j], gone[4 * j + 1], gone[4 * j + 2]};
    const double step = double{wanted[j]} - value[j];
    const double foretold = dot(g, gap) + gone[4 * j + 3];
    q.b = q.b - step * g;
    q.c += step * (area_gone * step - 2 * foretold);
    const Vec3d sum{g[0] + kept[4 * j], g[1] + kept[4 * j + 1], g[2] + kept[4 * j + 2]};
    const double d = foretold - area_gone * step + kept[4 * j + 3];
    q.add_square(sum, d, -per_area);
  }
  return q;
}

void CollapseField::judge_best(std::uint32_t from,
                               std::uint32_t to,
                               WedgePairs& pairs,
                               Move& cheapest) {
  pair_wedges(from, to, pairs);
  Quadric q;
  if (pairs.size() == 1 && pairs.front().second != no_index) {
    q = join_freely(from, to, pairs.front().first, pairs.front().second);
  } else {
    q = join(from, to, pairs, false);
    free_values(from, to, pairs, q);
  }
  const Vec3d gap = place(to) - place(from);
  const Vec3d middle = -0.5 * gap;
  Vec3d at = find_least(q, middle, pull);
  if (!(length2(at - middle) < 4 * length2(gap))) {
    at = middle;
  }
  // Where an end is as good it stays where it is: what is straight keeps its very corners.
  const double good = q.at(at) + as_good * q.area * length2(gap);
  const Vec3d other = -1.0 * gap;
  if (const double here = q.at({}), there = q.at(other); std::min(here, there) <= good) {
    at = here <= there ? Vec3d{} : other;
  }
  offer({.from = from, .to = to, .best = true, .by = at}, q.at(at), q.area, length2(gap), cheapest);
}

Move CollapseField::judge(std::uint32_t edge, WedgePairs& pairs) {
  const auto [a, b] = net.ends[edge];
  const std::uint8_t failed = tried[edge];
  Move cheapest;
  const bool free = may_go(edge, a) && may_go(edge, b) && vertex_places == VertexPlaces::best;
  if (free && (failed & both_move) == 0) {
    judge_best(a, b, pairs, cheapest);
    return cheapest;
  }
  if ((failed & first_goes) == 0 && may_go(edge, a)) {
    judge_old(a, b, pairs, cheapest);
  }
  if ((failed & second_goes) == 0 && may_go(edge, b)) {
    judge_old(b, a, pairs, cheapest);
  }
  return cheapest;
}

}  // namespace wakuzume
