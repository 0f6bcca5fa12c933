// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/packing.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <numeric>
#include <optional>

#include "texture/packing_rows.h"

namespace wakuzume {
namespace {

/// So many are also placed bottom left, at more widths: that is quick.
constexpr std::size_t few_rects = 512;
constexpr std::size_t many_widths = 400;
/// More waste than this under one rectangle is all the same.
constexpr std::uint64_t most_waste = 0xFFFF'FFFFU;

/// In here all lengths count in steps of the grid.
struct Size {
  std::uint32_t width = 0;
  std::uint32_t height = 0;
  [[nodiscard]] std::uint64_t area() const { return std::uint64_t{width} * height; }
};

struct Spot {
  std::uint32_t x = 0;
  std::uint32_t y = 0;
  bool turned = false;
};

/// Rectangles on a strip of some width, and how high it became.
struct Strip {
  std::uint32_t width = 0;
  std::uint32_t height = 0;
  std::vector<Spot> spots;
  [[nodiscard]] std::uint64_t area() const { return Size{width, height}.area(); }
};

/// The upper edge of what is packed so far: steps from left to right.
class Skyline {
 public:
  struct Step {
    std::uint32_t x = 0;
    std::uint32_t y = 0;
    std::uint32_t width = 0;
  };

  explicit Skyline(std::uint32_t width) : steps_{{0, 0, width}} {}

  [[nodiscard]] const std::vector<Step>& steps() const { return steps_; }

  [[nodiscard]] std::size_t find_lowest() const {
    const auto lowest = std::min_element(steps_.begin(), steps_.end(),
                                         [](const Step& a, const Step& b) { return a.y < b.y; });
    return static_cast<std::size_t>(lowest - steps_.begin());
  }

  /// Heights of the steps beside one; the strip's edges are walls.
  [[nodiscard]] std::uint32_t left_of(std::size_t step) const {
    return step == 0 ? wall : steps_[step - 1].y;
  }
  [[nodiscard]] std::uint32_t right_of(std::size_t step) const {
    return step + 1 == steps_.size() ? wall : steps_[step + 1].y;
  }

  /// Lifts a step to its lower neighbour: nothing that is left fits there.
  void fill(std::size_t step) {
    steps_[step].y = std::min(left_of(step), right_of(step));
    join();
  }

  /// Covers [x, x + width) up to `top`. \pre x begins or ends in `step`
  void cover(std::uint32_t x, std::uint32_t width, std::uint32_t top) {
    std::vector<Step> out;
    out.reserve(steps_.size() + 2);
    const std::uint32_t end = x + width;
    bool placed = false;
    for (const Step& step : steps_) {
      const std::uint32_t step_end = step.x + step.width;
      if (step_end <= x || step.x >= end) {
        if (step.x >= end && !placed) {
          out.push_back({x, top, width});
          placed = true;
        }
        out.push_back(step);
        continue;
      }
      if (step.x < x) {
        out.push_back({step.x, step.y, x - step.x});
      }
      if (!placed) {
        out.push_back({x, top, width});
        placed = true;
      }
      if (step_end > end) {
        out.push_back({end, step.y, step_end - end});
      }
    }
    steps_ = std::move(out);
    join();
  }

  static constexpr std::uint32_t wall = 0xFFFF'FFFFU;

 private:
  void join() {
    std::size_t kept = 0;
    for (std::size_t s = 1; s < steps_.size(); ++s) {
      if (steps_[s].y == steps_[kept].y) {
        steps_[kept].width += steps_[s].width;
      } else {
        steps_[++kept] = steps_[s];
      }
    }
    steps_.resize(kept + 1);
  }

  std::vector<Step> steps_;
};

/// Rectangles by their size: real textures come in few.
class Stock {
 public:
  Stock(std::span<const Size> sizes, Turning turning) {
    std::vector<std::uint32_t> order(sizes.size());
    std::iota(order.begin(), order.end(), 0U);
    // Lying, where they may be turned: then equal sizes meet.
    const auto key = [&](std::uint32_t r) {
      const Size& size = sizes[r];
      return turning == Turning::quarter
                 ? std::pair(std::max(size.width, size.height), std::min(size.width, size.height))
                 : std::pair(size.width, size.height);
    };
    std::stable_sort(order.begin(), order.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return key(a) > key(b); });
    for (const std::uint32_t r : order) {
      const auto [width, height] = key(r);
      if (kinds_.empty() || kinds_.back().size.width != width ||
          kinds_.back().size.height != height) {
        kinds_.push_back({{width, height}, {}, 0});
      }
      kinds_.back().rects.push_back(r);
    }
    left_ = sizes.size();
  }

  struct Kind {
    Size size;
    std::vector<std::uint32_t> rects;
    std::size_t taken = 0;
    [[nodiscard]] bool empty() const { return taken == rects.size(); }
  };

  [[nodiscard]] std::vector<Kind>& kinds() { return kinds_; }
  [[nodiscard]] bool empty() const { return left_ == 0; }
  std::uint32_t take(Kind& kind) {
    --left_;
    const std::uint32_t rect = kind.rects[kind.taken++];
    if (kind.empty()) {
      // Emptied kinds would be walked over and over.
      ++gone_;
      if (gone_ * 2 > kinds_.size()) {
        std::erase_if(kinds_, [](const Kind& k) { return k.empty(); });
        gone_ = 0;
      }
    }
    return rect;
  }

 private:
  std::vector<Kind> kinds_;
  std::size_t left_ = 0;
  std::size_t gone_ = 0;
};

/// What decides between rectangles that fit a gap.
enum class Taste : std::uint8_t { widest, flush, tallest };
constexpr Taste tastes[] = {Taste::flush, Taste::widest, Taste::tallest};

/// Fills the lowest gap with what fits it best, until nothing is left.
class GapFiller {
 public:
  GapFiller(std::span<const Size> sizes, Turning turning, Taste taste)
      : sizes_(sizes), turning_(turning), taste_(taste) {}

  std::optional<Strip> run(std::uint32_t width, std::uint32_t max_height) {
    Stock stock(sizes_, turning_);
    Skyline skyline(width);
    Strip strip{width, 0, std::vector<Spot>(sizes_.size())};
    while (!stock.empty()) {
      const std::size_t lowest = skyline.find_lowest();
      const Skyline::Step step = skyline.steps()[lowest];
      const Choice choice = choose(stock, skyline, lowest, max_height);
      if (choice.kind == nullptr) {
        if (skyline.steps().size() == 1) {
          return std::nullopt;
        }
        skyline.fill(lowest);
        continue;
      }
      const Size shown = choice.shown;
      // Against the higher neighbour, so that the gap that is left is beside the lower one.
      const bool left = skyline.left_of(lowest) >= skyline.right_of(lowest);
      const std::uint32_t x = left ? step.x : step.x + step.width - shown.width;
      const std::uint32_t rect = stock.take(*choice.kind);
      strip.spots[rect] = {x, step.y, sizes_[rect].width != shown.width};
      skyline.cover(x, shown.width, step.y + shown.height);
      strip.height = std::max(strip.height, step.y + shown.height);
    }
    return strip;
  }

 private:
  struct Choice {
    Stock::Kind* kind = nullptr;
    Size shown;
    std::uint64_t score = 0;
  };

  Choice choose(Stock& stock,
                const Skyline& skyline,
                std::size_t at,
                std::uint32_t max_height) const {
    const Skyline::Step step = skyline.steps()[at];
    const std::uint32_t left = skyline.left_of(at);
    const std::uint32_t right = skyline.right_of(at);
    Choice best;
    const auto consider = [&](Stock::Kind& kind, const Size& shown) {
      if (shown.width > step.width || step.y + shown.height > max_height) {
        return;
      }
      const std::uint32_t top = step.y + shown.height;
      const std::uint64_t exact = shown.width == step.width ? 1 : 0;
      const std::uint64_t flush = (top == left ? 1U : 0U) + (top == right ? 1U : 0U);
      const std::uint64_t wide = shown.width;
      const std::uint64_t tall = shown.height;
      std::uint64_t score = 0;
      switch (taste_) {
        case Taste::flush:
          score = (exact + flush) << 60U | wide << 30U | tall;
          break;
        case Taste::widest:
          score = wide << 32U | flush << 30U | tall;
          break;
        case Taste::tallest:
          score = exact << 60U | tall << 30U | wide;
          break;
      }
      if (best.kind == nullptr || score > best.score) {
        best = {&kind, shown, score};
      }
    };
    for (Stock::Kind& kind : stock.kinds()) {
      if (kind.empty()) {
        continue;
      }
      consider(kind, kind.size);
      if (turning_ == Turning::quarter && kind.size.width != kind.size.height) {
        consider(kind, {kind.size.height, kind.size.width});
      }
    }
    return best;
  }

  std::span<const Size> sizes_;
  Turning turning_;
  Taste taste_;
};

/// What decides between places of one height: the leftmost, or that with least waste below.
enum class Tie : std::uint8_t { leftmost, least_waste };

/// One rectangle after the other, tallest first, each where its top comes lowest.
std::optional<Strip> fill_bottom_left(std::span<const Size> sizes,
                                      std::uint32_t width,
                                      std::uint32_t max_height,
                                      Tie tie) {
  std::vector<std::uint32_t> order(sizes.size());
  std::iota(order.begin(), order.end(), 0U);
  std::stable_sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    return std::pair(sizes[a].height, sizes[a].width) > std::pair(sizes[b].height, sizes[b].width);
  });
  Skyline skyline(width);
  Strip strip{width, 0, std::vector<Spot>(sizes.size())};
  for (const std::uint32_t r : order) {
    const Size& size = sizes[r];
    const auto& steps = skyline.steps();
    std::uint64_t best = ~0ULL;
    Spot spot;
    for (std::size_t s = 0; s < steps.size() && steps[s].x + size.width <= width; ++s) {
      std::uint32_t y = 0;
      std::uint64_t under = 0;
      std::uint32_t covered = 0;
      for (std::size_t t = s; covered < size.width; ++t) {
        const std::uint32_t part = std::min(steps[t].width, size.width - covered);
        if (steps[t].y > y) {
          under += std::uint64_t{steps[t].y - y} * covered;
          y = steps[t].y;
        }
        under += std::uint64_t{y - steps[t].y} * part;
        covered += part;
      }
      const std::uint64_t waste = tie == Tie::leftmost ? 0 : std::min(under, most_waste);
      const std::uint64_t score = std::uint64_t{y} << 32U | waste;
      if (score < best) {
        best = score;
        spot = {steps[s].x, y, false};
      }
    }
    if (best == ~0ULL || spot.y + size.height > max_height) {
      return std::nullopt;
    }
    strip.spots[r] = spot;
    skyline.cover(spot.x, size.width, spot.y + size.height);
    strip.height = std::max(strip.height, spot.y + size.height);
  }
  return strip;
}

/// Packs onto one page at a time.
class Packer {
 public:
  Packer(std::vector<Size> sizes, const PackSettings& settings)
      : sizes_(std::move(sizes)),
        settings_(settings),
        grid_(settings.grid_px),
        most_(settings.max_page_px / grid_) {
    if (settings.sides == PageSides::powers_of_two) {
      most_ = std::bit_floor(most_);
    }
  }

  [[nodiscard]] std::uint32_t most() const { return most_; }

  Packing run() {
    Packing out;
    for (std::size_t begin = 0; begin < sizes_.size();) {
      const std::span<const Size> rest = std::span(sizes_).subspan(begin);
      std::size_t count = rest.size();
      std::optional<Strip> page = find_page(rest);
      if (!page) {
        count = find_longest(rest);
        page = find_page(rest.first(count));
      }
      // A single rectangle always fits.
      for (const Spot& spot : page->spots) {
        out.rects.push_back({static_cast<std::uint32_t>(out.pages.size()), spot.x * grid_,
                             spot.y * grid_, spot.turned});
      }
      out.pages.push_back({page->width * grid_, page->height * grid_});
      begin += count;
    }
    return out;
  }

 private:
  static std::uint64_t sum_areas(std::span<const Size> sizes) {
    return std::accumulate(sizes.begin(), sizes.end(), std::uint64_t{0},
                           [](std::uint64_t sum, const Size& size) { return sum + size.area(); });
  }

  /// How many from the first on one page takes; by halving, from what their areas allow.
  [[nodiscard]] std::size_t find_longest(std::span<const Size> rest) const {
    const std::uint64_t room = Size{most_, most_}.area();
    std::size_t few = 1;
    std::size_t many = 0;
    for (std::uint64_t sum = 0; many < rest.size() && sum + rest[many].area() <= room; ++many) {
      sum += rest[many].area();
    }
    while (few < many) {
      const std::size_t middle = few + (many - few + 1) / 2;
      if (fits(rest.first(middle))) {
        few = middle;
      } else {
        many = middle - 1;
      }
    }
    return few;
  }

  [[nodiscard]] bool fits(std::span<const Size> sizes) const {
    return static_cast<bool>(pack_strip(sizes, most_, most_, count_tries(sizes.size())));
  }

  /// Tries that are worth their time.
  static std::size_t count_tries(std::size_t rects) {
    // A try takes about n times as long as there are skyline steps, which grow with n as well.
    const auto n = static_cast<double>(std::max<std::size_t>(rects, 1));
    return static_cast<std::size_t>(std::clamp(8e7 / (n * n), 1.0, 128.0));
  }

  /// The lowest strip of some width.
  [[nodiscard]] std::optional<Strip> pack_strip(std::span<const Size> sizes,
                                                std::uint32_t width,
                                                std::uint32_t max_height,
                                                std::size_t tries) const {
    std::optional<Strip> best;
    const auto take = [&](std::optional<Strip> strip) {
      if (strip && (!best || strip->height < best->height)) {
        best = std::move(strip);
      }
    };
    for (std::size_t t = 0; t < std::min<std::size_t>(tries, std::size(tastes)); ++t) {
      take(GapFiller(sizes, settings_.turning, tastes[t]).run(width, max_height));
    }
    if (tries >= std::size(tastes) || !best) {
      take(fill_bottom_left(sizes, width, max_height, Tie::least_waste));
      take(fill_bottom_left(sizes, width, max_height, Tie::leftmost));
    }
    return best;
  }

  /// The smallest page that is found for all of them.
  [[nodiscard]] std::optional<Strip> find_page(std::span<const Size> sizes) const {
    const std::uint64_t area = sum_areas(sizes);
    if (area > Size{most_, most_}.area()) {
      return std::nullopt;
    }
    const std::size_t tries = count_tries(sizes.size());
    std::optional<Strip> best;
    const auto take = [&](std::optional<Strip> strip) {
      if (strip && settings_.sides == PageSides::powers_of_two) {
        strip->height = std::bit_ceil(strip->height);
      }
      const auto rank = [](const Strip& s) {
        return std::pair(s.area(), std::max(s.width, s.height));
      };
      if (strip && (!best || rank(*strip) < rank(*best))) {
        best = std::move(strip);
      }
    };
    for (const std::uint32_t width : list_widths(sizes, area, tries)) {
      take(pack_strip(sizes, width, most_, tries));
    }
    if (sizes.size() <= few_rects) {
      for (const std::uint32_t width : list_widths(sizes, area, many_widths)) {
        take(fill_bottom_left(sizes, width, most_, Tie::least_waste));
        take(fill_bottom_left(sizes, width, most_, Tie::leftmost));
      }
    }
    return best;
  }

  /// Widths to try, from about square on to the widest.
  [[nodiscard]] std::vector<std::uint32_t> list_widths(std::span<const Size> sizes,
                                                       std::uint64_t area,
                                                       std::size_t tries) const {
    std::uint32_t narrowest = 1;
    for (const Size& size : sizes) {
      narrowest = std::max(narrowest, settings_.turning == Turning::quarter
                                          ? std::min(size.width, size.height)
                                          : size.width);
    }
    // Below this a strip of all of them is higher than a page.
    narrowest = std::max(narrowest, static_cast<std::uint32_t>((area + most_ - 1) / most_));
    std::vector<std::uint32_t> widths;
    if (settings_.sides == PageSides::powers_of_two) {
      for (std::uint32_t w = std::bit_ceil(narrowest); w <= most_; w *= 2) {
        widths.push_back(w);
      }
      return widths;
    }
    auto square = std::uint32_t{1};
    while (square < most_ && std::uint64_t{square} * square < area) {
      ++square;
    }
    const std::uint32_t low = std::max(narrowest, square * 7 / 10);
    const std::uint32_t high = std::max(low, std::min(most_, square * 3 / 2 + 1));
    const std::size_t count = std::min<std::size_t>(tries, high - low + 1);
    for (std::size_t w = 0; w < count; ++w) {
      widths.push_back(
          low + static_cast<std::uint32_t>((high - low) * w / std::max<std::size_t>(1, count - 1)));
    }
    if (widths.empty() || widths.back() != most_) {
      widths.push_back(most_);
    }
    return widths;
  }

  std::vector<Size> sizes_;
  const PackSettings& settings_;
  std::uint32_t grid_;
  std::uint32_t most_;
};

}  // namespace

double Packing::used_share(std::span<const RectSize> sizes) const {
  const auto area = [](std::span<const RectSize> list) {
    return std::accumulate(list.begin(), list.end(), 0.0, [](double sum, const RectSize& size) {
      return sum + static_cast<double>(size.width_px) * size.height_px;
    });
  };
  const double room = area(pages);
  return room > 0 ? area(sizes) / room : 1;
}

Result<Packing> pack(std::span<const RectSize> sizes, const PackSettings& settings) {
  const std::uint32_t grid = settings.grid_px;
  if (!std::has_single_bit(grid) || grid < 4 || grid > 256) {
    return Failure(Error{ErrorCode::bad_setting,
                         fmt::format("grid_px must be a power of two from 4 to 256, not {}", grid),
                         {}});
  }
  if (settings.max_page_px < grid || settings.max_page_px > 65536) {
    return Failure(Error{
        ErrorCode::bad_setting,
        fmt::format("max_page_px must be from {} to 65536, not {}", grid, settings.max_page_px),
        {}});
  }
  std::vector<Size> units;
  units.reserve(sizes.size());
  for (const RectSize& size : sizes) {
    if (size.width_px == 0 || size.height_px == 0) {
      return Failure(Error{ErrorCode::bad_setting,
                           fmt::format("rectangle {} is {} x {} pixels", units.size(),
                                       size.width_px, size.height_px),
                           {}});
    }
    const auto steps = [&](std::uint32_t px) { return px / grid + (px % grid != 0 ? 1U : 0U); };
    units.push_back({steps(size.width_px), steps(size.height_px)});
  }
  Packer packer(units, settings);
  for (std::size_t r = 0; r < units.size(); ++r) {
    if (std::max(units[r].width, units[r].height) > packer.most()) {
      return Failure(Error{ErrorCode::too_large,
                           fmt::format("rectangle {} is {} x {} pixels; a page has {} at most", r,
                                       sizes[r].width_px, sizes[r].height_px, packer.most() * grid),
                           {}});
    }
  }
  return settings.order == RectOrder::as_listed ? pack_rows(sizes, packer.most(), settings)
                                                : packer.run();
}

}  // namespace wakuzume
