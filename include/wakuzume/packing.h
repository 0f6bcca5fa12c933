// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "wakuzume/result.h"

/// Packing rectangles onto pages.
///
/// 1. Every rectangle is on one page, within it, and overlaps no other.
/// 2. Every place and page side is a multiple of the grid: with four, no block of a compressed
///    texture is of two rectangles; with 2^n, no texel of the first n mip levels is.
/// 3. Same rectangles, same settings: the same places.
namespace wakuzume {

struct RectSize {
  std::uint32_t width_px = 0;
  std::uint32_t height_px = 0;
  bool operator==(const RectSize&) const = default;
};

struct TexelRect {
  std::int64_t x = 0;
  std::int64_t y = 0;
  std::int64_t width = 0;
  std::int64_t height = 0;
  bool operator==(const TexelRect&) const = default;
};

enum class PageSides : std::uint8_t { multiples_of_four, powers_of_two };
enum class Turning : std::uint8_t { never, quarter };
enum class RectOrder : std::uint8_t {
  tight,     ///< wherever a rectangle leaves least room
  as_listed  ///< in rows from the top left, as they are given; none is turned
};

struct PackSettings {
  /// Longest side of a page. \range [4, 65536]
  std::uint32_t max_page_px = 4096;
  /// Powers of two, or any multiple of the grid.
  PageSides sides = PageSides::multiples_of_four;
  std::uint32_t grid_px = 4;  ///< a power of two \range [4, 256]
  /// Rectangles may be turned by a quarter, clockwise as the page is seen. \default quarter
  Turning turning = Turning::quarter;
  /// \default tight
  RectOrder order = RectOrder::tight;
};

struct PlacedRect {
  std::uint32_t page = 0;
  std::uint32_t x_px = 0;
  std::uint32_t y_px = 0;
  bool turned = false;
};

struct Packing {
  std::vector<RectSize> pages;
  std::vector<PlacedRect> rects;  ///< in the order they were given
  /// Share of the pages' area that the rectangles take.
  [[nodiscard]] double used_share(std::span<const RectSize> sizes) const;
};

/// Packs onto as few pages as it finds, each as small as it finds; a rectangle comes on no earlier
/// page than those before it, so what is near in the order shares a page.
/// \error too_large    a rectangle that no page can take
/// \error bad_setting  of the settings, or an empty rectangle
/// \cost O(n sizes) for each of at most some hundred tries; few tries from some thousands on
/// \source the lowest gap is filled with what fits it best: E. K. Burke, G. Kendall and
///         G. Whitwell, A new placement heuristic for the orthogonal stock-cutting problem, 2004;
///         beside it a skyline filled bottom left, tallest first
Result<Packing> pack(std::span<const RectSize> sizes, const PackSettings& settings = {});

}  // namespace wakuzume
