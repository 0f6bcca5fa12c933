// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "plan/item_input.h"

/// What a plan arranges: single draws, and parts of repeated assemblies that always stay together.
namespace wakuzume {

/// Of the tolerance of families, what a transform may lose on its way to a triple.
inline constexpr double triple_share = 0.25;

/// Of one instance: translation, rotation and scale as floats.
inline constexpr std::uint64_t instance_bytes = 40;

/// The world matrix of an instance as a translation-rotation-scale triple; nothing where that would
/// move a corner of `box` by more than `allowed_m`. \param box  of the prototype, in its own space
std::optional<Trs> make_instance_trs(const Mat4d& world, const Box3d& box, double allowed_m);

/// Geometry that items share: a family, or the parts of an assembly under one key.
struct Repeat {
  std::vector<DrawId> prototype;
  Mat4d axes = identity_matrix;  ///< see Group::axes
  bool mirrored = false;         ///< its instances' world matrices
  double bytes = 0;              ///< of the prototype
  std::uint32_t items = 0;
};

struct Item {
  std::uint32_t first_part = 0;  ///< position in Items::parts
  std::uint32_t part_count = 1;
  std::uint32_t merge = 0;          ///< number of PlanKeys::merge
  std::uint32_t repeat = no_index;  ///< position in Items::repeats; no_index: nothing is like it
  /// Of its one draw; no_index: it has several. What has one shape looks like one thing to an
  /// engine.
  std::uint32_t shape = no_index;
  std::uint32_t fit = no_index;  ///< position in Items::fits; no_index: the identity
  Box3d box;                     ///< world
  std::uint64_t triangles = 0;
  std::uint64_t vertices = 0;  ///< at most, when merged
  double bytes_merged = 0;
  double bytes_alone = 0;  ///< its share of data that several draws use
  /// Of blended draws: only items of one part have an order together, merged or as instances.
  /// no_index: with none.
  std::uint32_t order_part = 0;
  std::uint32_t set_part = 0;
  BlendOrder order = BlendOrder::as_members;      ///< merged
  BlendOrder set_order = BlendOrder::as_members;  ///< as an instance
};

struct Items {
  std::vector<DrawId> parts;
  std::vector<Item> items;
  std::vector<Repeat> repeats;
  std::vector<Fit> fits;  ///< from the space of the repeat's first draw to that of the item's

  [[nodiscard]] std::span<const DrawId> parts_of(const Item& item) const {
    return std::span(parts).subspan(item.first_part, item.part_count);
  }
};

/// Arranges draws into items. An assembly is taken as a whole where its prototype, merged and
/// instanced, takes fewer draws than its parts would one family at a time.
/// \cost O(nodes + draws) and the parts of each repeated subtree once a level
Items make_items(const ItemInput& input, const RunControl& run);

}  // namespace wakuzume
