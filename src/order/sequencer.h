// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "order/facet_tree.h"

/// A sequence of facets, and the cycles that stand in its way.
namespace wakuzume {

struct Sequenced {
  /// Units, what can be hidden before what can hide it wherever no cycle is in the way. Those of a
  /// cycle follow each other.
  std::vector<std::uint32_t> units;
  std::vector<std::uint32_t> knot_of;  ///< by unit: units of one number form cycles
  std::uint32_t knots = 0;             ///< as many as units where there are no cycles
};

/// Units of facets: each by itself, or those of an owner together.
class Sequencer {
 public:
  /// \param unit_begins  first facets of units, ascending, and the count of facets at the end
  /// \param chained  by unit: comes after the unit before it, whatever it hides
  Sequencer(const Facets& facets,
            std::vector<std::uint32_t> unit_begins,
            std::vector<bool> chained);

  /// \cost O(n log n) where few planes cut through what is far away
  /// \source S. R. Kosaraju's search for strongly connected components, over pairs that are looked
  /// up in the tree and not listed
  [[nodiscard]] Sequenced run();

  /// A unit that can hide one after it; no_index: there is none.
  [[nodiscard]] std::uint32_t find_misplaced();

 private:
  struct Visit {
    std::uint32_t unit = 0;
    std::uint32_t facet = 0;  ///< that is searched from
    bool chain_done = false;
    FacetTree::Search search;
  };

  [[nodiscard]] std::uint32_t unit_count() const {
    return static_cast<std::uint32_t>(unit_begins_.size() - 1);
  }
  void enter(std::uint32_t unit);
  [[nodiscard]] std::uint32_t find_next(Visit& visit, Looking looking);
  [[nodiscard]] std::uint32_t find_chained(const Visit& visit, Looking looking) const;
  template <class Leave>
  void search_from(std::uint32_t unit, Looking looking, const Leave& leave);

  FacetTree tree_;
  std::vector<std::uint32_t> unit_begins_;
  std::vector<bool> chained_;
  std::vector<std::uint32_t> unit_of_;  ///< by facet
  std::vector<bool> met_;               ///< by unit
  std::vector<Visit> open_;
};

}  // namespace wakuzume
