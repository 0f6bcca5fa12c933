// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <vector>

#include "wakuzume/lightmaps.h"

/// Rectangles of texels that go along together.
namespace wakuzume {

/// All texels that lookups between two UVs read, the four around each at every clean mip level,
/// whole blocks of the last one. May reach beyond the page.
/// \param min, max  UVs on the page
TexelRect find_touched(const LightmapPage& page,
                       const Vec2d& min,
                       const Vec2d& max,
                       std::uint32_t gutter_px);

/// Rectangles of one page joined where they overlap; to a single one where that is about as small
/// as all of them.
struct RectParts {
  std::vector<TexelRect> parts;        ///< none overlaps another
  std::vector<std::uint32_t> part_of;  ///< by rectangle that was given
};
/// \cost O(n log n) and the blocks that rectangles cover
RectParts join_rects(std::span<const TexelRect> rects);

}  // namespace wakuzume
