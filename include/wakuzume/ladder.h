// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <string_view>
#include <vector>

#include "wakuzume/culling.h"
#include "wakuzume/image_facts.h"
#include "wakuzume/order.h"
#include "wakuzume/result.h"
#include "wakuzume/routes.h"
#include "wakuzume/run_control.h"
#include "wakuzume/survey.h"

/// The ladder: from today's draws down to the fewest that are possible, step by step.
namespace wakuzume {

/// Each step includes those before it.
enum class Rung : std::uint8_t {
  today,
  instancing,       ///< repeats of one family under one key become one instance set
  merging,          ///< what has the same key becomes one draw
  moving_together,  ///< parts that move as one merge under their own root
  folding,          ///< materials that are equal by value become one
  tinting,          ///< materials that differ by base colour share one
  sharing,          ///< materials share one by their routes: an atlas, layers, rebaking
  ordering,         ///< blended draws merge too, where their order can't be seen
  joining,          ///< lightmap pages go together; what has none stays by itself
  blending,         ///< blended draws merge, whatever becomes of their order
  floor,            ///< one draw a pipeline key, moving root and level
};
inline constexpr std::size_t rung_count = 11;
std::string_view to_string(Rung rung);

struct RungCount {
  std::uint64_t draws = 0;
  /// Of the views: how many of these draws have something in sight; 0 without views.
  std::uint64_t median_draws = 0;
};

struct Ladder {
  std::array<RungCount, rung_count> rungs;  ///< indexed by Rung, never rising
  const RungCount& operator[](Rung rung) const { return rungs[static_cast<std::size_t>(rung)]; }
};

/// Counts that no plan can beat with the same means: a plan that keeps clusters small enough to be
/// culled needs more. What must stay by itself is counted on every rung.
/// \pre `visibility` is of `survey`; `images` is empty or has one entry an image
/// \param routes  of the scene's materials, which say what `sharing` can share; empty: all of one
///                pipeline
/// \param sight   by which `ordering` may decide cycles; without eyes it cuts them
/// \error cancelled
/// \cost O(draws), and O(draws seen) a view; in parallel over the views. find_order_parts of
///       order.h for what is blended; of what has more than 30,000 triangles of one key it is
///       taken that all have one order
Result<Ladder> make_ladder(const Scene& scene,
                           const Survey& survey,
                           const Visibility& visibility,
                           std::span<const ImageFacts> images,
                           const RoutePlan& routes = {},
                           const BlendSight& sight = {},
                           const RunControl& run = {});

}  // namespace wakuzume
