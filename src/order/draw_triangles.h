// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <vector>

#include "wakuzume/order.h"
#include "wakuzume/survey.h"

/// Blended draws as triangles that are culled from behind.
namespace wakuzume {

/// Within which corners of a scene's blended draws are where they should be: the rounding of floats
/// at their extent.
double find_order_precision(const Survey& survey);

/// Whether a draw may be one of several in a fixed order: it is blended, of triangles, and if its
/// material has two sides, they can be two materials of one.
bool may_be_ordered(const Scene& scene, const Survey& survey, const Draw& draw);

/// All layers of these draws look alike, so that their order does not show.
bool is_one_color(const Scene& scene, std::span<const DrawRef> draws);

/// The triangles of draws. \param parts  draws of an owner, which follow each other
std::vector<FacingTriangle> make_facing(const Scene& scene,
                                        const Survey& survey,
                                        std::span<const Mat4d> world,
                                        double precision_m,
                                        std::span<const DrawId> draws,
                                        std::size_t parts);

/// Adds the triangles of a draw by its list indices, in the world. Those of a two-sided material
/// follow a second time, turned round. \param owner, anchor  by which they go
void add_facing(const Scene& scene,
                const DrawRef& draw,
                const Mat4d& world,
                std::uint32_t owner,
                std::uint32_t anchor,
                std::vector<FacingTriangle>& out);

}  // namespace wakuzume
