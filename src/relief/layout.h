// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/relief.h"

/// Where the corners of reduced primitives are on normal pictures.
namespace wakuzume {

/// A reduced primitive that is to show a picture.
struct ReliefWish {
  MeshId before = no_mesh;
  MeshId mesh = no_mesh;
  std::uint32_t primitive = 0;
  MaterialId material = no_material;  ///< the first of those that are equal by value
  std::size_t first = 0;  ///< position of the first wish that is alike: itself, or an earlier one
  double scale = 1;       ///< largest of the nodes that show it
};

/// By mesh, then primitive. \param reduced  without anything given back
std::vector<ReliefWish> list_relief_wishes(const Scene& before,
                                           const ReducePlan& plan,
                                           const Reduced& reduced);

/// How far the normals of a wish's surface are turned from those that were there: the root of the
/// mean square over its area, degrees.
double find_turned(const Scene& before, const Scene& reduced, const ReliefWish& wish);

/// The picture of the wishes of one material.
struct ReliefLayout {
  RectSize size;
  std::uint32_t uv_set = 0;
  bool own_charts = false;
  std::vector<std::vector<double>> places;  ///< by wish: two a corner, pixels
  std::string problem;                      ///< why there is none; empty: there is one
};

/// A side that shows all that there is to show: some texels for each triangle that there was, and
/// for a material with a normal picture the longest.
std::uint32_t find_relief_side(const Scene& before,
                               const std::vector<ReliefWish>& wishes,
                               std::uint32_t most_px);

/// \param wishes  of one material, none alike another \param side_px  longest side
ReliefLayout find_relief_layout(const Scene& reduced,
                                const std::vector<ReliefWish>& wishes,
                                std::uint32_t side_px);

}  // namespace wakuzume
