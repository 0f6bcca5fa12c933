// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/tiles.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <queue>

namespace wakuzume {
namespace {

constexpr std::uint32_t solid_px = 4;
/// A halving beyond those that were measured is taken to lose so much more than the one before.
constexpr double steeper = 1.6;
/// Share of a page that tiles of many sizes are sure to fill.
constexpr double sure_share = 0.9;

/// Levels more that are kept clean where views look at them, or where alpha decides what is seen:
/// in the distance a cutout is there or not, where a colour would only be a little off.
constexpr std::uint32_t deeper_mips = 2;

/// What a tile has lost that was halved so many times, steps of 8 bits.
double find_loss_after(const TileWish& wish, double halvings) {
  const auto whole = static_cast<std::size_t>(std::max(0.0, halvings));
  const auto loss_of = [&](std::size_t times) {
    return times == 0 ? 0
           : times <= wish.losses.size()
               ? wish.losses[times - 1]
               : wish.losses.back() *
                     std::pow(steeper, static_cast<double>(times - wish.losses.size()));
  };
  const double rest = std::max(0.0, halvings) - static_cast<double>(whole);
  return loss_of(whole) + (rest > 0 ? rest * (loss_of(whole + 1) - loss_of(whole)) : 0);
}

/// Of the side that lost more.
double count_halvings(const Tile& tile) {
  return tile.solid()
             ? 0
             : std::log2(std::max(static_cast<double>(tile.used.width) / tile.size.width_px,
                                  static_cast<double>(tile.used.height) / tile.size.height_px));
}

/// Shrinks tiles until they fit, first those that lose least by it.
class TilePlacer {
 public:
  TilePlacer(std::vector<TileWish> wishes, const MaterialSettings& settings)
      : wishes_(std::move(wishes)), settings_(settings), halvings_(wishes_.size(), 0) {
    for (const TileWish& wish : wishes_) {
      densities_.push_back(wish.tile.texels_per_unit);
    }
    // Tiles are aligned to the texels of the last mip level that is kept clean.
    for (const TileWish& wish : wishes_) {
      if (!wish.tile.solid()) {
        grid_ = std::max(grid_, find_gutter(wish, settings.clean_mips));
      }
    }
    grid_ = std::min(grid_, std::bit_floor(settings.max_page_px));
    const std::uint32_t grid = grid_;
    most_ = settings.max_page_px / grid * grid;
    if (settings.page_sides == PageSides::powers_of_two) {
      most_ = std::bit_floor(most_);
    }
    pages_ = settings.max_pages;
    if (settings.goal == MaterialGoal::fewest_draws) {
      pages_ = std::max(1U, pages_);
      allowed_ = settings.allowed_loss;
    }
  }

  /// Whether a page can take the one tile there is, losing no more than it may.
  bool can_place() {
    halvings_[0] = wishes_[0].fixed ? 0 : wishes_[0].spare_halvings;
    resize(0);
    return shrink_to_page(0);
  }

  Result<TilePages> run() {
    for (std::size_t w = 0; w < wishes_.size(); ++w) {
      halvings_[w] = wishes_[w].fixed ? 0 : wishes_[w].spare_halvings;
      resize(w);
      if (!shrink_to_page(w)) {
        return Failure(
            Error{ErrorCode::too_large,
                  fmt::format("a tile of {} x {} pixels does not fit on a page of {}",
                              wishes_[w].tile.size.width_px, wishes_[w].tile.size.height_px, most_),
                  {}});
      }
    }
    for (double share = sure_share;; share *= sure_share) {
      if (pages_ > 0) {
        shrink_to(share * pages_ * most_ * most_);
      }
      auto packing = pack_all();
      // What does not fit when nothing can shrink takes more pages than were asked for.
      if (!packing || pages_ == 0 || packing->pages.size() <= pages_ || stuck_) {
        return packing ? Result<TilePages>(make_pages(*packing)) : Failure(packing.error());
      }
    }
  }

 private:
  bool shrink_to_page(std::size_t w) {
    while (!fits_page(w) && can_halve(w)) {
      ++halvings_[w];
      resize(w);
    }
    return fits_page(w);
  }

  void resize(std::size_t w) {
    TileWish& wish = wishes_[w];
    if (wish.tile.solid()) {
      wish.tile.size = {solid_px, solid_px};
      return;
    }
    const double scale = wish.scale * std::exp2(-static_cast<double>(halvings_[w]));
    if (wish.charts) {
      lay_charts(w, scale);
      return;
    }
    const auto side = [&](std::int64_t texels) {
      return std::max(1U,
                      static_cast<std::uint32_t>(std::lround(static_cast<double>(texels) * scale)));
    };
    wish.tile.size = {side(wish.tile.used.width), side(wish.tile.used.height)};
  }

  /// Charts are laid out anew for each size, so that their margins stay as wide.
  void lay_charts(std::size_t w, double scale) {
    TileWish& wish = wishes_[w];
    wish.tile.texels_per_unit = densities_[w] * scale;
    const auto layout = place_charts(*wish.charts, wish.tile.texels_per_unit, most_);
    wish.tile.size = layout ? layout->size : RectSize{2 * most_, 2 * most_};
    wish.tile.used.width = std::llround(wish.tile.size.width_px / scale);
    wish.tile.used.height = std::llround(wish.tile.size.height_px / scale);
    const auto side = [](std::int64_t px) {
      return static_cast<std::uint32_t>(std::clamp<std::int64_t>(px, 1, 65536));
    };
    wish.tile.texture = {side(wish.tile.used.width), side(wish.tile.used.height)};
  }

  [[nodiscard]] bool can_halve(std::size_t w) const {
    const TileWish& wish = wishes_[w];
    constexpr std::uint32_t most_chart_halvings = 12;
    if (wish.charts && halvings_[w] >= most_chart_halvings) {
      return false;
    }
    return !wish.fixed && !wish.cutout && !wish.tile.solid() && find_loss(w) <= allowed_ &&
           std::max(wish.tile.size.width_px, wish.tile.size.height_px) > solid_px;
  }

  [[nodiscard]] RectSize make_outer(std::size_t w) const {
    Tile tile = wishes_[w].tile;
    tile.gutter = find_gutter(wishes_[w], settings_.clean_mips);
    return tile.outer();
  }

  [[nodiscard]] bool fits_page(std::size_t w) const {
    const RectSize outer = make_outer(w);
    return std::max(outer.width_px, outer.height_px) <= most_;
  }

  [[nodiscard]] double find_area(std::size_t w) const {
    const RectSize outer = make_outer(w);
    return static_cast<double>(outer.width_px) * outer.height_px;
  }

  /// What a tile has lost after the next halving.
  [[nodiscard]] double find_loss(std::size_t w) const {
    return find_loss_after(wishes_[w], halvings_[w] + 1.0);
  }

  /// And that for each texel that it frees.
  [[nodiscard]] double find_price(std::size_t w) const {
    return (find_loss(w) + 1e-3) * (wishes_[w].area_m2 + 1e-6) / find_area(w);
  }

  void shrink_to(double room) {
    double sum = 0;
    using Entry = std::pair<double, std::size_t>;
    std::priority_queue<Entry, std::vector<Entry>, std::greater<>> next;
    for (std::size_t w = 0; w < wishes_.size(); ++w) {
      sum += find_area(w);
      if (can_halve(w)) {
        next.emplace(find_price(w), w);
      }
    }
    while (sum > room && !next.empty()) {
      const std::size_t w = next.top().second;
      next.pop();
      sum -= find_area(w);
      ++halvings_[w];
      resize(w);
      sum += find_area(w);
      if (can_halve(w)) {
        next.emplace(find_price(w), w);
      }
    }
    stuck_ = next.empty();
  }

  [[nodiscard]] Result<Packing> pack_all() const {
    std::vector<RectSize> sizes;
    for (std::size_t w = 0; w < wishes_.size(); ++w) {
      sizes.push_back(make_outer(w));
    }
    const RectOrder order =
        settings_.tile_order == TileOrder::tight ? RectOrder::tight : RectOrder::as_listed;
    return pack(sizes, {most_, settings_.page_sides, grid_, settings_.turning, order});
  }

  [[nodiscard]] TilePages make_pages(const Packing& packing) {
    TilePages out;
    for (const RectSize& size : packing.pages) {
      out.pages.emplace_back().size = size;
    }
    for (std::size_t w = 0; w < wishes_.size(); ++w) {
      const PlacedRect& rect = packing.rects[w];
      Tile tile = wishes_[w].tile;
      tile.gutter = find_gutter(wishes_[w], settings_.clean_mips);
      tile.x = rect.x_px + tile.gutter;
      tile.y = rect.y_px + tile.gutter;
      tile.turned = rect.turned;
      std::vector<Tile>& tiles = out.pages[rect.page].tiles;
      out.places.push_back({rect.page, static_cast<std::uint32_t>(tiles.size()),
                            find_loss_after(wishes_[w], count_halvings(tile))});
      tiles.push_back(tile);
    }
    return out;
  }

  std::vector<TileWish> wishes_;
  const MaterialSettings& settings_;
  std::vector<std::uint32_t> halvings_;
  std::vector<double> densities_;  ///< of charts, as they were wished for
  std::uint32_t most_ = 0;
  std::uint32_t grid_ = 4;
  std::uint32_t pages_ = 0;
  double allowed_ = 0;  ///< loss of a halving
  bool stuck_ = false;
};

/// Times that so many texels can be halved until one is left.
std::uint32_t count_levels(double texels) {
  const auto whole = static_cast<std::uint32_t>(std::clamp(texels, 0.0, 65536.0));
  return whole == 0 ? 0U : static_cast<std::uint32_t>(std::bit_width(whole)) - 1;
}

/// Levels go by the finer direction, so along the other one a tile is longer than its texels say.
double find_longest(const TileWish& wish) {
  return std::max(wish.tile.size.width_px * wish.stretch[0],
                  wish.tile.size.height_px * wish.stretch[1]);
}

/// The last level by which views that look at it tell a tile from its neighbours.
std::uint32_t find_last_seen(int deepest_level, double longest) {
  // A level more, as two are mixed; below that of one texel there is nothing to tell apart.
  return std::min(static_cast<std::uint32_t>(deepest_level) + 1, count_levels(longest) + 1);
}

}  // namespace

std::uint32_t find_gutter(const TileWish& wish, std::uint32_t clean_mips) {
  if (wish.tile.solid()) {
    return std::max(2U, (1U << clean_mips) - solid_px / 2);
  }
  const double longest = find_longest(wish);
  // Where a tile is eight texels long it is too far away to tell its edges from its inside; a
  // cutout may still be told from none where it is two long.
  std::uint32_t levels = std::min(count_levels(longest / (wish.cutout ? 2 : 8)),
                                  clean_mips + (wish.cutout ? deeper_mips : 0));
  if (wish.deepest_level >= 0) {
    levels = std::max(
        levels, std::min(find_last_seen(wish.deepest_level, longest), clean_mips + deeper_mips));
  }
  return std::max(2U, 1U << levels);
}

bool mixes_with_neighbours(const TileWish& wish, std::uint32_t clean_mips) {
  // A hole that closes is told by few pixels and where levels begin to mix, a colour that is a
  // little off by neither.
  const int deepest = wish.cutout ? wish.deepest_level : wish.deepest_of_many - 1;
  const double longest = std::max(wish.tile.texture.width_px * wish.stretch[0],
                                  wish.tile.texture.height_px * wish.stretch[1]);
  return !wish.tile.solid() && deepest >= 0 &&
         find_last_seen(deepest, longest) > clean_mips + deeper_mips;
}

RectSize Tile::outer() const {
  const std::uint32_t step = solid() ? 1 : std::max(1U, gutter);
  const auto side = [&](std::uint32_t px) { return (px + step - 1) / step * step + 2 * gutter; };
  return {side(size.width_px), side(size.height_px)};
}

bool can_place(const TileWish& wish, const MaterialSettings& settings) {
  std::vector<TileWish> alone;
  alone.push_back(wish);
  return TilePlacer(std::move(alone), settings).can_place();
}

Result<TilePages> place_tiles(std::vector<TileWish> wishes, const MaterialSettings& settings) {
  return TilePlacer(std::move(wishes), settings).run();
}

}  // namespace wakuzume
