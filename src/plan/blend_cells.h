// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <vector>

#include "wakuzume/propose.h"

/// Blended things that an engine sorts by their distance, each as a whole.
namespace wakuzume {

/// Something that is drawn at once, and the point by which it is sorted.
struct SortedThing {
  Box3d box{};
  Vec3d point{};
};

/// A group as its result is drawn. \pre its members are draws of the survey
SortedThing find_sorted_thing(const Scene& scene,
                              const Survey& survey,
                              std::span<const Mat4d> world,
                              SortAt at,
                              const Group& group);

/// Whether the plane half way between their points has each on the side of its own: then the nearer
/// of the two is never hidden by the other, wherever one stands. Cells of a Voronoi diagram of the
/// points are such.
/// \source H. Edelsbrunner, "An acyclicity theorem for cell complexes in d dimensions", 1990
bool are_cells(const SortedThing& a, const SortedThing& b, double precision_m);

/// By group of a plan: it is blended, and with all else that is blended in cells.
/// \pre the plan's members are draws of the survey
/// \cost O(blended groups x what is blended), some ten operations each
std::vector<bool> find_cells(const Scene& scene,
                             const Survey& survey,
                             std::span<const Mat4d> world,
                             SortAt at,
                             const Plan& plan);

}  // namespace wakuzume
