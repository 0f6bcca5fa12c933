// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "render/pieces.h"

/// Elements too small to show: far off, thousands of triangles lie between the centres of pixels.
namespace wakuzume {

/// A piece with what of it can cover the centre of some pixel.
struct CoveringElements {
  std::uint32_t piece = 0;
  std::vector<std::uint32_t> elements;  ///< from the first of the piece's run, ascending
};

/// Whether it pays to look at a piece element by element: it has more of them than pixels.
bool is_crowded(const DrawItems& items, const GpuGeometry& geometry, const Piece& piece);

/// The elements of crowded pieces, by what vertices are on the screen and a margin for how devices
/// round. Those of them that cover nothing are left out.
/// \param pieces  positions in `all` \param run  its threads alone
/// \cost O(vertices + elements) of the pieces, some nanoseconds each
std::vector<CoveringElements> list_covering(const DrawItems& items,
                                            const GpuGeometry& geometry,
                                            const std::vector<Piece>& all,
                                            const std::vector<std::uint32_t>& pieces,
                                            const Eye& eye,
                                            const Projector& projector,
                                            const RunControl& run);

}  // namespace wakuzume
