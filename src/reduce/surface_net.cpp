// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/surface_net.h"

#include <algorithm>
#include <numeric>
#include <tuple>

#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr std::size_t points_numbered_at_once = 8192;

/// A side of a triangle as seen from one of its ends.
struct Side {
  std::uint32_t point = 0;  ///< the other end
  std::uint32_t wedge_here = 0;
  std::uint32_t wedge_there = 0;
  bool leaves = false;       ///< the triangle goes from here to there
  std::uint32_t corner = 0;  ///< whose side it is

  [[nodiscard]] auto sheet() const { return std::tie(point, wedge_here, wedge_there); }
};

/// Sides from a point to such of a higher number, by the point and then by sheet.
void list_sides(const SurfaceNet& net, std::uint32_t point, std::vector<Side>& sides) {
  sides.clear();
  const auto add = [&](std::uint32_t here, std::uint32_t there, bool leaves, std::uint32_t corner) {
    const std::uint32_t other = net.point_at(there);
    if (other > point) {
      sides.push_back({other, net.wedge_of[here], net.wedge_of[there], leaves, corner});
    }
  };
  for (std::uint32_t c = net.first_corner[point]; c != no_index; c = net.next_at_point[c]) {
    add(c, SurfaceNet::next(c), true, c);
    add(c, SurfaceNet::previous(c), false, SurfaceNet::previous(c));
  }
  std::stable_sort(sides.begin(), sides.end(),
                   [](const Side& a, const Side& b) { return a.sheet() < b.sheet(); });
}

/// On each sheet of an edge as many triangles come as go where it is inner surface; on a seam they
/// do so on all sheets together.
EdgeKind find_kind(std::span<const Side> edge) {
  EdgeKind kind = EdgeKind::inner;
  int all = 0;
  for (std::size_t begin = 0; begin < edge.size();) {
    std::size_t end = begin;
    int balance = 0;
    for (; end < edge.size() && edge[end].sheet() == edge[begin].sheet(); ++end) {
      balance += edge[end].leaves ? 1 : -1;
    }
    all += balance;
    kind = balance != 0 ? EdgeKind::seam : kind;
    begin = end;
  }
  return all != 0 ? EdgeKind::border : kind;
}

template <class Body>
std::uint32_t for_each_edge(std::span<const Side> sides, const Body& body) {
  std::uint32_t count = 0;
  for (std::size_t begin = 0; begin < sides.size(); ++count) {
    std::size_t end = begin;
    while (end < sides.size() && sides[end].point == sides[begin].point) {
      ++end;
    }
    body(count, sides.subspan(begin, end - begin));
    begin = end;
  }
  return count;
}

void link_corners(SurfaceNet& net, std::uint32_t points) {
  net.first_corner.assign(points, no_index);
  net.next_at_point.resize(net.wedge_of.size());
  for (std::size_t c = net.wedge_of.size(); c-- > 0;) {
    std::uint32_t& first = net.first_corner[net.point_at(static_cast<std::uint32_t>(c))];
    net.next_at_point[c] = first;
    first = static_cast<std::uint32_t>(c);
  }
}

}  // namespace

SurfaceNet make_surface_net(std::vector<std::uint32_t> wedges,
                            std::vector<std::uint32_t> point_of,
                            std::uint32_t points,
                            const RunControl& run) {
  SurfaceNet net;
  net.wedge_of = std::move(wedges);
  net.point_of = std::move(point_of);
  link_corners(net, points);
  net.edge_of.resize(net.wedge_of.size());

  // Edges are numbered by their lower point, so each piece of points can number its own once it is
  // known how many those before it have.
  std::vector<std::uint32_t> begins(
      (points + points_numbered_at_once - 1) / points_numbered_at_once + 1, 0);
  for_each_range(
      points, points_numbered_at_once, run, "reducing", [&](std::size_t begin, std::size_t end) {
        std::vector<Side> sides;
        for (std::size_t p = begin; p < end; ++p) {
          list_sides(net, static_cast<std::uint32_t>(p), sides);
          begins[begin / points_numbered_at_once + 1] += for_each_edge(sides, [](auto, auto) {});
        }
      });
  std::partial_sum(begins.begin(), begins.end(), begins.begin());
  net.ends.resize(begins.back());
  net.kind_of.resize(begins.back());
  for_each_range(
      points, points_numbered_at_once, run, "reducing", [&](std::size_t begin, std::size_t end) {
        std::vector<Side> sides;
        std::uint32_t first = begins[begin / points_numbered_at_once];
        for (std::size_t p = begin; p < end; ++p) {
          const auto here = static_cast<std::uint32_t>(p);
          list_sides(net, here, sides);
          first += for_each_edge(sides, [&](std::uint32_t number, std::span<const Side> edge) {
            net.ends[first + number] = {here, edge.front().point};
            net.kind_of[first + number] = find_kind(edge);
            for (const Side& side : edge) {
              net.edge_of[side.corner] = first + number;
            }
          });
        }
      });
  return net;
}

}  // namespace wakuzume
