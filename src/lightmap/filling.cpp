// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cstring>
#include <vector>

#include "wakuzume/lightmaps.h"

namespace wakuzume {
namespace {

/// Texels of a row that some rectangle fills: from, to.
struct Span {
  std::size_t begin = 0;
  std::size_t end = 0;
};

/// One page with its rectangles, row by row.
class GapFiller {
 public:
  GapFiller(std::span<const LightmapMove> moves, std::uint32_t page, TexelGrid& to)
      : to_(to), width_(to.size.width_px), rows_(to.size.height_px) {
    for (const LightmapMove& move : moves) {
      for (std::int64_t y = move.y; move.to == page && y < move.y + move.rect.height; ++y) {
        rows_[static_cast<std::size_t>(y)].push_back(
            {move.x, move.x + static_cast<std::size_t>(move.rect.width)});
      }
    }
  }

  void fill() {
    std::vector<std::size_t> filled;
    for (std::size_t y = 0; y < rows_.size(); ++y) {
      if (!rows_[y].empty()) {
        fill_row(y);
        filled.push_back(y);
      }
    }
    for (std::size_t y = 0; y < rows_.size() && !filled.empty(); ++y) {
      if (rows_[y].empty()) {
        std::memcpy(at(0, y), at(0, find_nearest(filled, y)), width_ * to_.texel_bytes);
      }
    }
  }

 private:
  std::byte* at(std::size_t x, std::size_t y) {
    return &to_.texels[(y * width_ + x) * to_.texel_bytes];
  }

  void fill_row(std::size_t y) {
    std::vector<Span>& spans = rows_[y];
    std::sort(spans.begin(), spans.end(),
              [](const Span& a, const Span& b) { return a.begin < b.begin; });
    repeat(spans.front().begin, y, 0, spans.front().begin);
    for (std::size_t s = 1; s < spans.size(); ++s) {
      const std::size_t left = spans[s - 1].end;
      const std::size_t right = spans[s].begin;
      const std::size_t middle = (left + right) / 2;
      repeat(left - 1, y, left, middle);
      repeat(right, y, middle, right);
    }
    repeat(spans.back().end - 1, y, spans.back().end, width_);
  }

  /// The texel at `from` from `begin` on.
  void repeat(std::size_t from, std::size_t y, std::size_t begin, std::size_t end) {
    for (std::size_t x = begin; x < end; ++x) {
      std::memcpy(at(x, y), at(from, y), to_.texel_bytes);
    }
  }

  static std::size_t find_nearest(const std::vector<std::size_t>& filled, std::size_t y) {
    const auto below = std::lower_bound(filled.begin(), filled.end(), y);
    if (below == filled.begin()) {
      return *below;
    }
    const std::size_t above = *(below - 1);
    return below == filled.end() || y - above <= *below - y ? above : *below;
  }

  TexelGrid& to_;
  std::size_t width_;
  std::vector<std::vector<Span>> rows_;
};

}  // namespace

void fill_gaps(std::span<const LightmapMove> moves, std::uint32_t page, TexelGrid& to) {
  GapFiller(moves, page, to).fill();
}

}  // namespace wakuzume
