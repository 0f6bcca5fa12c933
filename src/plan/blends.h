// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>
#include <vector>

#include "order/draw_triangles.h"
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
bool order_instances(const BlendOrders& orders, const Survey& survey, Group& group);

/// Says of a group of blended draws by which rule its order can't be seen: a clause with the
/// numbers behind it. A cluster that needs the eyes gets BlendOrder::given_eyes.
/// \param places  where the eyes are
std::string settle_order(const BlendOrders& orders,
                         const Survey& survey,
                         std::size_t places,
                         Group& group);

/// What is wrong with the order that a group says it has; empty: nothing.
std::string find_order_fault(const Scene& scene,
                             const Survey& survey,
                             const BlendOrders& orders,
                             const Group& group);

}  // namespace wakuzume
