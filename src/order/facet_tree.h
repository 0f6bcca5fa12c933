// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "order/facets.h"

/// A tree over facets, by place and by where they face, out of which they are taken as they are
/// met.
namespace wakuzume {

/// Which of the two a search looks for, seen from a facet that is given.
enum class Looking : std::uint8_t {
  after,  ///< what can hide it
  before  ///< what it can hide
};

class FacetTree {
 public:
  /// \cost O(n log n)
  explicit FacetTree(const Facets& facets);

  /// All are there again.
  void fill();
  void take_out(std::uint32_t facet);

  /// A way through the tree, which goes on where it was. What is taken out meanwhile is passed by.
  using Search = std::vector<std::uint32_t>;
  [[nodiscard]] Search begin() const;
  /// The next facet that comes after the one given, or before; no_index: there is none any more.
  std::uint32_t find_next(Search& search, std::uint32_t facet, Looking looking) const;

 private:
  struct TreeNode {
    Box3d box;
    Box3d normals;
    std::uint32_t left = no_index;  ///< of two children; the right one follows it
    std::uint32_t first = 0;        ///< in order_
    std::uint32_t count = 0;
    std::uint32_t there = 0;  ///< facets that are not taken out
    std::uint32_t above = no_index;
  };

  void split(std::uint32_t node);
  [[nodiscard]] bool may_hold(const TreeNode& node, const Facet& facet, Looking looking) const;

  const Facets& facets_;
  std::vector<TreeNode> nodes_;
  std::vector<std::uint32_t> order_;
  std::vector<std::uint32_t> leaf_of_;  ///< by facet
  std::vector<bool> there_;             ///< by facet
  double extent_m_ = 0;
};

}  // namespace wakuzume
