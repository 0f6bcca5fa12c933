// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/cut_share.h"

#include <algorithm>
#include <cmath>
#include <cstddef>

namespace wakuzume {
namespace {

/// Below so many texels a side an area can't keep a share of its own.
constexpr std::int64_t least_side = 4;

/// Alpha of the texels of an area, the greatest first.
std::vector<std::uint8_t> list_alpha(const Pixels& pixels, const TexelRect& rect) {
  std::vector<std::uint8_t> out;
  for (std::int64_t y = rect.y; y < rect.y + rect.height; ++y) {
    for (std::int64_t x = rect.x; x < rect.x + rect.width; ++x) {
      const auto at = static_cast<std::size_t>(y) * pixels.width_px + static_cast<std::size_t>(x);
      out.push_back(pixels.rgba[4 * at + 3]);
    }
  }
  std::sort(out.begin(), out.end(), std::greater<>());
  return out;
}

double find_share(const std::vector<std::uint8_t>& alpha, std::uint8_t least) {
  const auto seen = std::partition_point(alpha.begin(), alpha.end(),
                                         [&](std::uint8_t value) { return value >= least; });
  return alpha.empty()
             ? 0
             : static_cast<double>(seen - alpha.begin()) / static_cast<double>(alpha.size());
}

/// The least alpha that has to be seen still. Of texels that are alike all are seen or none,
/// whichever is closer to how many are wanted. \return 0: none
std::uint8_t find_last(const std::vector<std::uint8_t>& alpha, std::size_t wanted) {
  if (wanted == 0) {
    return 0;
  }
  const std::uint8_t at = alpha[wanted - 1];
  const auto [first, end] = std::equal_range(alpha.begin(), alpha.end(), at, std::greater<>());
  const auto without = static_cast<std::size_t>(first - alpha.begin());
  const auto with = static_cast<std::size_t>(end - alpha.begin());
  if (without == 0 || with - wanted <= wanted - without) {
    return at;
  }
  return *std::prev(first);
}

}  // namespace

CutShares::CutShares(const Pixels& full, const CutShare& cut)
    : least_(static_cast<std::uint8_t>(std::clamp(std::ceil(cut.cutoff * 255), 1.0, 255.0))) {
  const auto add = [&](TexelRect rect) {
    const std::int64_t right = std::min<std::int64_t>(full.width_px, rect.x + rect.width);
    const std::int64_t bottom = std::min<std::int64_t>(full.height_px, rect.y + rect.height);
    rect.x = std::max<std::int64_t>(0, rect.x);
    rect.y = std::max<std::int64_t>(0, rect.y);
    rect.width = std::max<std::int64_t>(0, right - rect.x);
    rect.height = std::max<std::int64_t>(0, bottom - rect.y);
    areas_.push_back({rect, find_share(list_alpha(full, rect), least_)});
  };
  add({0, 0, full.width_px, full.height_px});
  for (const TexelRect& rect : cut.areas) {
    add(rect);
  }
}

Pixels CutShares::keep(const Pixels& halved, std::uint32_t level) const {
  Pixels out = halved;
  // Later areas go over the first, which is the whole: what lies between tiles goes by that.
  for (const Area& area : areas_) {
    const auto scaled = [&](std::int64_t value) { return value >> level; };
    TexelRect rect{scaled(area.rect.x), scaled(area.rect.y), scaled(area.rect.width),
                   scaled(area.rect.height)};
    const bool whole = &area == &areas_.front();
    if (whole) {
      rect = {0, 0, halved.width_px, halved.height_px};
    } else if (std::min(rect.width, rect.height) < least_side) {
      continue;
    }
    const std::vector<std::uint8_t> alpha = list_alpha(halved, rect);
    const auto wanted =
        static_cast<std::size_t>(std::lround(area.share * static_cast<double>(alpha.size())));
    const std::uint8_t last = find_last(alpha, wanted);
    if (last == 0) {
      continue;
    }
    const double scale = static_cast<double>(least_) / last;
    for (std::int64_t y = rect.y; y < rect.y + rect.height; ++y) {
      for (std::int64_t x = rect.x; x < rect.x + rect.width; ++x) {
        const std::size_t at =
            4 * (static_cast<std::size_t>(y) * halved.width_px + static_cast<std::size_t>(x)) + 3;
        out.rgba[at] =
            static_cast<std::uint8_t>(std::min(255.0, std::round(halved.rgba[at] * scale)));
      }
    }
  }
  return out;
}

}  // namespace wakuzume
