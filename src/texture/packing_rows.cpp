// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/packing_rows.h"

#include <algorithm>
#include <bit>
#include <set>
#include <tuple>

namespace wakuzume {
namespace {

constexpr std::uint32_t tried_widths = 64;

/// Steps of the grid.
struct RowSize {
  std::uint32_t width = 0;
  std::uint32_t height = 0;
};

class RowPacker {
 public:
  RowPacker(std::span<const RectSize> sizes, std::uint32_t most, const PackSettings& settings)
      : most_(most), settings_(settings) {
    const std::uint32_t grid = settings.grid_px;
    for (const RectSize& size : sizes) {
      sizes_.push_back({(size.width_px + grid - 1) / grid, (size.height_px + grid - 1) / grid});
    }
  }

  [[nodiscard]] Packing run() const {
    std::uint32_t widest = 1;
    for (const RowSize& size : sizes_) {
      widest = std::max(widest, size.width);
    }
    std::set<std::uint32_t> widths{round(widest), most_};
    for (std::uint32_t i = 1; i < tried_widths; ++i) {
      widths.insert(round(widest + (most_ - widest) * i / tried_widths));
    }
    Packing best;
    std::tuple<std::size_t, std::uint64_t> least{SIZE_MAX, 0};
    for (const std::uint32_t width : widths) {
      Packing made = pack(width);
      std::uint64_t area = 0;
      for (const RectSize& page : made.pages) {
        area += std::uint64_t{page.width_px} * page.height_px;
      }
      if (std::tuple(made.pages.size(), area) < least) {
        least = {made.pages.size(), area};
        best = std::move(made);
      }
    }
    return best;
  }

 private:
  [[nodiscard]] std::uint32_t round(std::uint32_t side) const {
    return std::min(most_,
                    settings_.sides == PageSides::powers_of_two ? std::bit_ceil(side) : side);
  }

  [[nodiscard]] Packing pack(std::uint32_t width) const {
    Packing out;
    RowSize at;     // of the next rectangle, as a corner
    RowSize taken;  // by those on the page
    std::uint32_t row = 0;
    const std::uint32_t grid = settings_.grid_px;
    const auto close = [&] {
      out.pages.push_back({round(taken.width) * grid, round(taken.height) * grid});
    };
    for (const RowSize& size : sizes_) {
      if (at.width + size.width > width) {
        at = {0, at.height + row};
        row = 0;
      }
      if (at.height + size.height > most_) {
        close();
        at = taken = {};
        row = 0;
      }
      out.rects.push_back(
          {static_cast<std::uint32_t>(out.pages.size()), at.width * grid, at.height * grid, false});
      at.width += size.width;
      row = std::max(row, size.height);
      taken = {std::max(taken.width, at.width), std::max(taken.height, at.height + row)};
    }
    if (!sizes_.empty()) {
      close();
    }
    return out;
  }

  std::uint32_t most_;
  const PackSettings& settings_;
  std::vector<RowSize> sizes_;
};

}  // namespace

Packing pack_rows(std::span<const RectSize> sizes,
                  std::uint32_t most,
                  const PackSettings& settings) {
  return RowPacker(sizes, most, settings).run();
}

}  // namespace wakuzume
