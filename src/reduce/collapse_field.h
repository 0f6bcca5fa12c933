// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <utility>
#include <vector>

#include "reduce/quadric.h"
#include "reduce/surface_net.h"
#include "wakuzume/surface.h"

namespace wakuzume {

/// What becomes of the two ends of an edge.
struct Move {
  std::uint32_t from = no_index;  ///< the point that goes; no_index: nothing can be done
  std::uint32_t to = no_index;    ///< the one that stays
  bool best = false;              ///< and moves by `by`
  Vec3d by{};
  double cost = 0;
  double error = 0;  ///< mean square over the area, square metres
};

/// Wedges of a point that goes, and those that they become.
using WedgePairs = std::vector<std::pair<std::uint32_t, std::uint32_t>>;

/// A surface that is reduced, and what each edge of it would cost.
///
/// Every point has the quadric of what it stands for, every wedge how its values run over its
/// triangles (Hoppe 1999): both as seen from where and what they are now, so that differences of
/// large numbers never matter.
struct CollapseField {
  SurfaceNet net;
  std::vector<float> places;  ///< by point: 3
  std::uint32_t counted = 0;  ///< components of a wedge that count
  std::vector<float> values;  ///< by wedge: those, scaled so that their squares are square metres
  std::uint32_t carried = 0;  ///< components that only go along
  std::uint32_t labels = 0;   ///< the last of these, which have nothing in between
  std::vector<float> along;   ///< by wedge: those that only go along
  std::vector<float> held;    ///< by point: 0 to 1; empty: all are free
  VertexPlaces vertex_places = VertexPlaces::best;

  // What `weigh` makes of that.
  std::vector<Quadric> quadrics;  ///< by point
  /// By wedge: for each component that counts the sum of gradients and of offsets, each times its
  /// area; then the area.
  std::vector<float> records;
  std::vector<std::uint32_t> versions;  ///< by point: goes up with each change
  /// By point: 1 where a seam or border goes through it, 2 where a shape has one of its corners.
  std::vector<std::uint8_t> on_feature;
  std::vector<std::uint32_t> lone_wedge;  ///< by point: its only one, or no_index
  std::vector<std::uint8_t> marks;        ///< by point: scratch, zero between uses
  std::vector<std::uint8_t> moved;        ///< by wedge: not where or what it was
  std::vector<std::uint32_t> judged_at;   ///< by edge: sum of its ends' versions then
  /// By edge: moves that failed, and whether it waits for a change.
  std::vector<std::uint8_t> tried;
  static constexpr std::uint8_t first_goes = 1;
  static constexpr std::uint8_t second_goes = 2;
  static constexpr std::uint8_t both_move = 4;
  static constexpr std::uint8_t rests = 128;

  void weigh(const RunControl& run);

  [[nodiscard]] Vec3d place(std::uint32_t point) const;
  [[nodiscard]] bool is_held(std::uint32_t point) const {
    return !held.empty() && held[point] >= 1;
  }
  [[nodiscard]] float* gradients(std::uint32_t wedge) { return &records[wedge * record_size()]; }
  [[nodiscard]] std::size_t record_size() const { return 4 * std::size_t{counted} + 1; }
  static constexpr std::uint8_t is_corner = 2;
  void mark_feature(std::uint32_t point);

  void pair_wedges(std::uint32_t from, std::uint32_t to, WedgePairs& pairs);
  Quadric join(std::uint32_t from, std::uint32_t to, const WedgePairs& pairs, bool fits);
  /// The cheapest of the moves of an edge that did not fail yet.
  Move judge(std::uint32_t edge, WedgePairs& pairs);

 private:
  void add_faces(std::uint32_t point);
  bool has_corner(std::uint32_t point, double least_side);
  void add_traits(std::uint32_t corner, const Vec3d& e1, const Vec3d& e2, double area, Quadric& q);
  void add_rim(std::uint32_t edge, const Vec3d& side, const Vec3d& normal, Quadric& q) const;
  void free_values(std::uint32_t from, std::uint32_t to, const WedgePairs& pairs, Quadric& q);
  Quadric join_freely(std::uint32_t from,
                      std::uint32_t to,
                      std::uint32_t wedge,
                      std::uint32_t there);
  void judge_old(std::uint32_t from, std::uint32_t to, WedgePairs& pairs, Move& cheapest);
  void judge_best(std::uint32_t from, std::uint32_t to, WedgePairs& pairs, Move& cheapest);
  [[nodiscard]] bool may_go(std::uint32_t edge, std::uint32_t point) const;
  void offer(Move move, double error, double area, double length2, Move& cheapest) const;
};

}  // namespace wakuzume
