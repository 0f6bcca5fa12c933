// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "wakuzume/blend_sorting.h"
#include "wakuzume/fwd.h"
#include "wakuzume/geometry.h"
#include "wakuzume/ids.h"
#include "wakuzume/run_control.h"

/// Orders in which blended triangles may be drawn, whoever looks and from wherever.
///
/// In: triangles that are culled from behind, and whose they are. Out: a sequence that is right for
/// every eye, or into which parts they have to go so that each has one.
/// 1. In a sequence what can be hidden comes before what can hide it: B can hide A from some eye
///    only where a part of B lies before A's plane and a part of A behind B's.
/// 2. Two triangles of one owner of which each can hide the other, as where they pass through one
///    another, keep the order that they have there: no order of those is right. So do owners that
///    are sorted at one point. Triangles that cover each other in one plane hide each other.
/// 3. Cycles can be decided by eyes that are given: there what can be hidden from one of them, in
///    whichever direction, comes before what hides it. Where that forms cycles too, as where
///    surfaces pass through one another, pairs do not count that owners which are drawn one by one,
///    sorted as an engine does, show in a wrong order as well.
/// 4. The relation is one of pairs: what has an order has one without some of its owners too.
/// 5. Same triangles, same result, for any number of threads.
/// \source R. A. Schumacker et al., "Study for applying computer-generated images to visual
/// simulation", 1969; M. E. Newell, R. G. Newell, T. L. Sancha, "A solution to the hidden surface
/// problem", 1972
namespace wakuzume {

/// A triangle that is seen from the side alone from which its corners go round counter-clockwise.
struct FacingTriangle {
  std::array<Vec3d, 3> corners{};  ///< metres, in a space that all share
  std::uint32_t owner = 0;         ///< whose it is, such as a draw
  std::uint32_t rank = 0;          ///< its place in the order that its owner draws in
  /// Owners with one number are sorted at one point, so that they are drawn in their order from
  /// wherever one looks. no_index: it is the only one.
  std::uint32_t anchor = no_index;
};

/// What stays together in a sequence.
enum class OrderUnit : std::uint8_t {
  triangle,
  owner  ///< an owner's triangles follow each other, as those of an instance do
};

/// Somewhere to look from, in any direction.
struct OrderEye {
  Vec3d at{};               ///< metres
  Vec3d axis{0, 0, 1};      ///< of length one; where sorting by depth looks
  bool perspective = true;  ///< else all looks go along the axis
  bool operator==(const OrderEye&) const = default;
};

/// Where views stand.
std::vector<OrderEye> make_eyes(std::span<const Viewpoint> views);

/// From where blended draws are looked at, and how an engine sorts them.
struct BlendSight {
  std::vector<OrderEye> eyes{};
  BlendSorting sorting{};
  bool operator==(const BlendSight&) const = default;
};

struct OrderSettings {
  OrderUnit unit = OrderUnit::triangle;
  /// By how much corners may be off their places: what is nearer to a plane lies in it.
  /// \range [0, 1e9]
  double precision_m = 1e-6;
  /// What decides cycles of triangles; empty: nothing does. Those that follow each other at one
  /// place are looked from once.
  std::span<const OrderEye> eyes{};
  BlendSorting sorting{};  ///< with eyes: how an engine sorts owners
  /// With eyes: by owner, the point that it is sorted by.
  std::span<const Vec3d> points{};
};

struct DrawSequence {
  bool found = false;
  bool by_eyes = false;  ///< eyes decided cycles: it is right for those, not for every eye
  /// All triangles, by their places in the list; those without an area come last. Runs of places
  /// that follow each other stay together where they can. Empty where no sequence is right.
  std::vector<std::uint32_t> triangles{};
};

/// \pre owners ascend
/// \cost O(n log n) where few planes cut through what is far away; some 300 bytes a triangle
DrawSequence find_sequence(std::span<const FacingTriangle> triangles,
                           const OrderSettings& settings = {});

/// Holds a sequence of owners, that of the list, against what is right.
/// \return an owner that comes before one that it can hide; no_index: there is none
/// \pre the triangles of an owner follow each other \cost that of find_sequence
std::uint32_t find_misplaced(std::span<const FacingTriangle> triangles,
                             const OrderSettings& settings = {});

/// Whether all triangles that have an area lie in one plane, whichever way they face.
bool lie_in_one_plane(std::span<const FacingTriangle> triangles, double precision_m);

struct OrderParts {
  /// By owner: owners of one part have a sequence together. Parts are numbered from 0, by size.
  std::vector<std::uint32_t> part_of{};
  /// By owner: another that it forms a cycle with; no_index: it forms none.
  std::vector<std::uint32_t> rival{};
  std::uint32_t count = 0;
};

/// As few parts as a search in halves of space finds.
/// \pre owners ascend and are below `owner_count`
/// \cost that of find_sequence, and for what forms cycles again for each half it is cut into
/// \threads knots and halves side by side
OrderParts find_order_parts(std::span<const FacingTriangle> triangles,
                            std::uint32_t owner_count,
                            const OrderSettings& settings = {},
                            const RunControl& run = {});

}  // namespace wakuzume
