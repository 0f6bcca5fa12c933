// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "wakuzume/ids.h"
#include "wakuzume/run_control.h"

/// How the triangles of a surface hang together while it loses some.
///
/// A point is a place where corners of triangles meet, a wedge is what some of those corners carry
/// besides: a point on a UV seam has two. Corner c is corner c % 3 of triangle c / 3; edge
/// `edge_of[c]` goes from there to the next corner of the triangle.
namespace wakuzume {

enum class EdgeKind : std::uint8_t {
  inner,
  seam,   ///< what corners carry differs on its two sides
  border  ///< of one triangle, or of more than two that don't pair up
};

struct SurfaceNet {
  std::vector<std::uint32_t> wedge_of;       ///< by corner; no_index: its triangle went
  std::vector<std::uint32_t> next_at_point;  ///< by corner: another at the same point, or no_index
  std::vector<std::uint32_t> edge_of;        ///< by corner
  std::vector<std::uint32_t> point_of;       ///< by wedge
  std::vector<std::uint32_t> first_corner;   ///< by point: no_index where nothing meets
  std::vector<std::array<std::uint32_t, 2>> ends;  ///< by edge: points; no_index: it went
  std::vector<EdgeKind> kind_of;                   ///< by edge

  static std::uint32_t next(std::uint32_t corner) {
    return corner % 3 == 2 ? corner - 2 : corner + 1;
  }
  static std::uint32_t previous(std::uint32_t corner) {
    return corner % 3 == 0 ? corner + 2 : corner - 1;
  }
  [[nodiscard]] bool is_feature(std::uint32_t edge) const {
    return kind_of[edge] != EdgeKind::inner;
  }
  [[nodiscard]] bool lives(std::uint32_t corner) const { return wedge_of[corner] != no_index; }
  [[nodiscard]] std::uint32_t point_at(std::uint32_t corner) const {
    return point_of[wedge_of[corner]];
  }
  /// Calls `body(corner)` for the corners of a point whose triangles are there. Corners of others
  /// leave the list on the way.
  template <class Body>
  void for_each_corner(std::uint32_t point, const Body& body) {
    std::uint32_t* link = &first_corner[point];
    while (*link != no_index) {
      if (lives(*link)) {
        body(*link);
        link = &next_at_point[*link];
      } else {
        *link = next_at_point[*link];
      }
    }
  }
};

/// \param wedges  3 a triangle; a triangle with two corners at one point must not be among them
/// \param point_of  by wedge
/// \cost O(corners), parallel over the points
SurfaceNet make_surface_net(std::vector<std::uint32_t> wedges,
                            std::vector<std::uint32_t> point_of,
                            std::uint32_t points,
                            const RunControl& run);

}  // namespace wakuzume
