// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>
#include <vector>

#include "plan/items.h"
#include "wakuzume/order.h"

/// Blended items, and which of them may be one so that their order can't be seen.
namespace wakuzume {

/// Gives items of blended draws their parts, with Blended::proved.
/// \cost find_order_parts of order.h, twice; in parallel over keys and repeats
bool find_blend_parts(const ItemInput& input, const RunControl& run, Items& items);

/// How many times a cluster stores what it draws: twice where both sides of it become one each.
std::uint32_t count_sides(const Scene& scene, const Draw& draw, const ProposeSettings& settings);

/// \pre draws of the survey
std::vector<DrawId> find_draws(const Survey& survey, std::span<const DrawRef> draws);

/// Puts the instances of a set into an order that is right from everywhere.
/// \return false where there is none, and nothing is changed
bool order_instances(const Scene& scene,
                     const Survey& survey,
                     const std::vector<Mat4d>& world,
                     Group& group);

/// By which rule the order of a group can't be seen: a clause with the numbers behind it.
std::string describe_order(const Scene& scene,
                           const Survey& survey,
                           const std::vector<Mat4d>& world,
                           const Group& group);

/// What is wrong with the order that a group says it has; empty: nothing.
std::string find_order_fault(const Scene& scene,
                             const Survey& survey,
                             const std::vector<Mat4d>& world,
                             const Group& group);

}  // namespace wakuzume
