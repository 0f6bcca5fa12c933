// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

/// Shading order: triangles in the order in which a GPU shades fewest vertices twice, and of pixels
/// few that are covered again.
///
/// In: the indices of a triangle list, and where its vertices stand. Out: the same triangles in
/// another order, and vertices in that of their first use.
/// 1. Each triangle comes out once, its corners as they were.
/// 2. Never more vertices are shaded than in the order that was given.
/// 3. Same input: same output.
namespace wakuzume {

struct ShadingSettings {
  /// Vertices that a GPU remembers: the one that was shaded first goes first. \range [3, 64]
  std::uint32_t remembered = 16;
  /// How much more is shaded so that what faces outwards comes first, as a share of what the best
  /// order shades; without places nothing is. \range [0, 1]
  double outward = 0.05;
};

/// Vertices that are shaded while the list is drawn: those that were not remembered.
/// \pre indices are below `vertices`
/// \cost O(indices), 4 bytes a vertex
std::uint64_t count_shaded(std::span<const std::uint32_t> indices,
                           std::uint32_t vertices,
                           const ShadingSettings& settings = {});

/// Positions of triangles in the list, in the order in which they should be drawn: runs that shade
/// little, those first that face away from the middle of all, as they hide more than they are
/// hidden.
/// \param positions  3 a vertex; empty: what hides what counts for nothing
/// \pre three indices a triangle, all below `vertices`
/// \cost O(indices), 24 bytes a triangle and 16 a vertex; serial
/// \source P. Sander, D. Nehab and J. Barczak, "Fast Triangle Reordering for Vertex Locality and
///         Reduced Overdraw", 2007: fans around vertices that are remembered, cut into clusters
std::vector<std::uint32_t> order_for_shading(std::span<const std::uint32_t> indices,
                                             std::uint32_t vertices,
                                             std::span<const float> positions = {},
                                             const ShadingSettings& settings = {});

/// A list of triangles in another order.
/// \param order  as order_for_shading gives it, for as many triangles
std::vector<std::uint32_t> reorder_triangles(std::span<const std::uint32_t> indices,
                                             std::span<const std::uint32_t> order);

/// By vertex: its number when vertices are stored in the order of their first use; those that
/// nothing uses come last, in their own order.
/// \cost O(indices + vertices)
std::vector<std::uint32_t> number_by_use(std::span<const std::uint32_t> indices,
                                         std::uint32_t vertices);

}  // namespace wakuzume
