// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <limits>
#include <span>
#include <utility>
#include <vector>

#include "reduce/collapse_field.h"
#include "reduce/cost_queue.h"
#include "wakuzume/run_control.h"

namespace wakuzume {

/// Takes edges of a piece of a field away, the one that shows least first.
class Collapser {
 public:
  /// Edges that are its own. What it changes and looks at belongs to points of the piece, so that
  /// several can work at a time.
  struct Piece {
    std::vector<std::uint32_t> edges;
    /// By point: the piece that it is deep in: all around it are points whose triangles are whole
    /// in that piece. Empty: this one is all there is.
    std::span<const std::uint32_t> deep_in;
    std::uint32_t number = 0;
  };
  struct Limits {
    std::uint64_t dropped = 0;  ///< triangles
    float cost = std::numeric_limits<float>::infinity();
    double error_m = 0;
  };

  /// \param below  room for the queue, by edge of the field
  Collapser(CollapseField& field, std::span<std::uint32_t> below, Piece piece)
      : field_(field), piece_(std::move(piece)), queue_(below) {}

  [[nodiscard]] std::span<const std::uint32_t> edges() const { return piece_.edges; }
  /// \param costs  of its edges; negative: not now
  void queue(std::span<const float> costs);
  /// \return false when the observer asked to stop
  bool collapse(const Limits& limits, const RunControl& run);

  /// Triangles that went, and the dearest move then; now and then.
  [[nodiscard]] std::span<const SurfaceStep> steps() const { return steps_; }
  [[nodiscard]] std::uint64_t dropped() const { return dropped_; }
  [[nodiscard]] double error_m() const { return error_m_; }
  [[nodiscard]] bool too_far() const { return too_far_; }

 private:
  [[nodiscard]] bool takes(std::uint32_t edge) const;
  void try_edge(std::uint32_t edge, double limit2);
  bool is_allowed(std::uint32_t edge, const Move& move);
  bool hangs_together(const Move& move);
  bool keeps_sides(std::uint32_t point, std::uint32_t without, const Vec3d& there);
  bool pairs_up(const Move& move);
  void apply(std::uint32_t edge, const Move& move);
  void join_data(const Move& move);
  void join_wedges(std::uint32_t wedge, std::uint32_t there, const Move& move, const Vec3d& gap);
  void take_along(std::uint32_t wedge, const Move& move, const Vec3d& gap);
  void move_point(const Move& move);
  void join_corners(const Move& move);
  void drop_triangle(std::uint32_t corner, std::uint32_t to);
  void requeue(std::uint32_t edge);
  void revive(std::uint32_t point);
  bool revive_all();

  CollapseField& field_;
  Piece piece_;
  CostQueue queue_;
  std::uint64_t dropped_ = 0;
  std::uint64_t collapses_ = 0;
  std::vector<SurfaceStep> steps_;
  double cost_ = 0;
  double error_m_ = 0;
  bool too_far_ = false;  // something was not done for its error

  // Scratch.
  WedgePairs pairs_;
  std::vector<std::uint32_t> thirds_;
  std::vector<std::uint32_t> shared_;     // corners at `from` of triangles that go
  std::vector<std::uint32_t> surviving_;  // corners at `from` of those that stay
  std::vector<std::pair<std::uint32_t, std::uint32_t>> replaced_;  // edges, and what they became
};

}  // namespace wakuzume
