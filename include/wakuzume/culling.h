// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <bit>
#include <cstdint>
#include <span>
#include <vector>

#include "wakuzume/geometry.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/views.h"

/// Frustum culling of many boxes from many views.
namespace wakuzume {

/// Boxes in an order of their own that keeps neighbours together, 64 to a block and 64 blocks to a
/// group. Finds exactly what sees_box finds.
class CullingBoxes {
 public:
  /// \cost O(n log n), in parallel
  explicit CullingBoxes(std::span<const Box3d> boxes, const RunControl& run = {});

  [[nodiscard]] std::size_t size() const { return order_.size(); }
  [[nodiscard]] std::size_t word_count() const { return blocks_.size(); }
  /// Position among the boxes given of the one at `place` in the own order.
  [[nodiscard]] std::uint32_t index_at(std::size_t place) const { return order_[place]; }

  /// Bit p % 64 of word p / 64 tells whether the box at place p is seen.
  /// \pre seen.size() == word_count()
  /// \cost a test a group, one a block of groups that a plane cuts, one a box of such blocks
  void find_seen(const Frustum& frustum, std::span<std::uint64_t> seen) const;
  /// The same with a test for every box; what find_seen is held against.
  void find_seen_one_by_one(const Frustum& frustum, std::span<std::uint64_t> seen) const;

 private:
  struct Around {
    Vec3d centre{0, 0, 0};
    Vec3d half{0, 0, 0};
  };
  /// Centres and half sizes, component by component.
  struct Block {
    std::array<std::array<double, 64>, 3> centre;
    std::array<std::array<double, 64>, 3> half;
    std::uint64_t used = 0;  ///< bits of the places that hold a box
  };
  static std::uint64_t test(const Frustum& frustum, const Block& block);
  void fill_block(std::size_t b, std::span<const Box3d> boxes);
  void fill_groups();

  std::vector<std::uint32_t> order_;
  std::vector<Block> blocks_;
  std::vector<Around> around_blocks_;
  std::vector<Around> around_groups_;
};

/// Which draws each view sees, one bit each.
class Visibility {
 public:
  Visibility(CullingBoxes boxes, std::size_t views)
      : boxes_(std::move(boxes)), views_(views), bits_(views * boxes_.word_count()) {}

  [[nodiscard]] std::size_t view_count() const { return views_; }
  [[nodiscard]] const CullingBoxes& boxes() const { return boxes_; }
  /// The words of one view, by places of `boxes()`.
  [[nodiscard]] std::span<const std::uint64_t> of_view(std::size_t view) const {
    return std::span(bits_).subspan(view * boxes_.word_count(), boxes_.word_count());
  }
  std::span<std::uint64_t> of_view(std::size_t view) {
    return std::span(bits_).subspan(view * boxes_.word_count(), boxes_.word_count());
  }

 private:
  CullingBoxes boxes_;
  std::size_t views_;
  std::vector<std::uint64_t> bits_;
};

/// Tests the box of every draw against every view.
/// \error cancelled
/// \cost one bit a draw and view; in parallel over the views
Result<Visibility> make_visibility(const Survey& survey,
                                   std::span<const Viewpoint> views,
                                   const RunControl& run = {});

/// Calls `visit(place)` for each bit that is set, ascending.
template <class Visit>
void for_each_seen(std::span<const std::uint64_t> words, const Visit& visit) {
  for (std::size_t w = 0; w < words.size(); ++w) {
    for (std::uint64_t word = words[w]; word != 0; word &= word - 1) {
      visit(w * 64 + static_cast<std::size_t>(std::countr_zero(word)));
    }
  }
}

}  // namespace wakuzume
