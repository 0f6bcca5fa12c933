// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <unordered_map>
#include <vector>

#include "family/points.h"

/// Which prototypes a shape may be a repeat of, without a look at each of them.
namespace wakuzume {

/// What no transform of a shape changes, for all shapes of one signature.
struct Invariants {
  Descriptor descriptor;
  std::vector<double> values;  ///< of list_fixed_values
};

/// Both may be the same shape: a necessary condition, cheap beside a fit.
/// \param tolerance  of fixed values
bool may_fit(const Invariants& a, const Invariants& b, double tolerance);

/// Prototypes in cells of the few invariants that tell these shapes apart best. By how much an
/// invariant may be off depends on the shape (whitening raises the noise of thin ones), so there
/// are cells of several sizes, each for shapes of up to so much noise. \cost some dozen cells
/// looked up a shape, and what is in them
class PrototypeIndex {
 public:
  /// \param all  invariants of the shapes that will be asked for or added; borrowed
  PrototypeIndex(const std::vector<Invariants>& all,
                 const std::vector<std::uint32_t>& shapes,
                 double tolerance);

  void add(std::uint32_t shape);
  /// All prototypes that may_fit, ascending.
  [[nodiscard]] std::vector<std::uint32_t> list(std::uint32_t shape) const;

 private:
  static constexpr std::size_t max_axes = 4;
  /// An invariant by which shapes are told apart.
  struct Axis {
    bool fixed = false;      ///< a fixed value, else a radius
    std::size_t number = 0;  ///< among those
    double factor = 0;       ///< of the noise, by which a radius may be off
  };
  using Cell = std::array<std::int64_t, max_axes>;
  struct CellHash {
    std::size_t operator()(const Cell& cell) const;
  };
  /// Shapes by their cells: of each the last that came, which leads to the one before it.
  struct Grid {
    struct Entry {
      std::uint32_t shape = 0;
      std::uint32_t next = no_index;
    };
    std::unordered_map<Cell, std::uint32_t, CellHash> last;
    std::vector<Entry> entries;

    void add(const Cell& cell, std::uint32_t shape);
  };
  /// Shapes of at most so much noise.
  struct Level {
    double noise = 0;
    Grid up_to;  ///< of this and less noise
    Grid own;    ///< of more than the level before
  };

  void choose_axes(const std::vector<std::uint32_t>& shapes);
  [[nodiscard]] double find(const Axis& axis, std::uint32_t shape) const;
  [[nodiscard]] double find_reach(const Axis& axis, double noise) const;
  [[nodiscard]] Cell find_cell(std::uint32_t shape, double noise) const;
  [[nodiscard]] std::size_t find_level(std::uint32_t shape) const;
  void look_up(const Grid& grid,
               double noise,
               std::uint32_t shape,
               std::vector<std::uint32_t>& out) const;

  const std::vector<Invariants>& all_;
  double tolerance_;
  std::vector<Axis> axes_;
  std::vector<Level> levels_;
};

}  // namespace wakuzume
