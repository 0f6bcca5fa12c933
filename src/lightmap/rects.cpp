// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "lightmap/rects.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "scene/places.h"

namespace wakuzume {
namespace {

struct Stretch {
  std::int64_t begin = 0;
  std::int64_t end = 0;
};

/// Along one side: bilinear lookups at a level read the texel on either side of a place.
Stretch find_stretch(
    double min, double max, std::uint32_t side_px, std::uint32_t mips, std::uint32_t gutter_px) {
  Stretch out{static_cast<std::int64_t>(std::floor(min * side_px - 0.5)),
              static_cast<std::int64_t>(std::floor(max * side_px - 0.5)) + 2};
  for (std::uint32_t level = 1; level <= mips; ++level) {
    const double texel = std::ldexp(1.0, static_cast<int>(level));
    const auto first = static_cast<std::int64_t>(std::floor(min * side_px / texel - 0.5));
    const auto last = static_cast<std::int64_t>(std::floor(max * side_px / texel - 0.5)) + 2;
    out.begin = std::min(out.begin, first << level);
    out.end = std::max(out.end, last << level);
  }
  const std::int64_t block = std::int64_t{1} << mips;
  out.begin = (out.begin - gutter_px) >> mips << mips;
  out.end = (out.end + gutter_px + block - 1) >> mips << mips;
  return out;
}

std::int64_t area(const TexelRect& rect) { return rect.width * rect.height; }

TexelRect unite(const TexelRect& a, const TexelRect& b) {
  const std::int64_t x = std::min(a.x, b.x);
  const std::int64_t y = std::min(a.y, b.y);
  return {x, y, std::max(a.x + a.width, b.x + b.width) - x,
          std::max(a.y + a.height, b.y + b.height) - y};
}

bool overlap(const TexelRect& a, const TexelRect& b) {
  return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
}

/// Unites what overlaps: rectangles in the order of their left sides, each against those that
/// reach beyond it.
/// \return whether something was united
bool unite_overlapping(const std::vector<TexelRect>& rects, DisjointSets& sets) {
  std::vector<std::uint32_t> order(rects.size());
  std::iota(order.begin(), order.end(), 0U);
  std::stable_sort(order.begin(), order.end(),
                   [&](std::uint32_t a, std::uint32_t b) { return rects[a].x < rects[b].x; });
  std::vector<std::uint32_t> open;
  bool any = false;
  for (const std::uint32_t r : order) {
    std::erase_if(open, [&](std::uint32_t o) { return rects[o].x + rects[o].width <= rects[r].x; });
    for (const std::uint32_t o : open) {
      if (overlap(rects[o], rects[r]) && sets.find(o) != sets.find(r)) {
        sets.join(o, r);
        any = true;
      }
    }
    open.push_back(r);
  }
  return any;
}

}  // namespace

TexelRect find_touched(const LightmapPage& page,
                       const Vec2d& min,
                       const Vec2d& max,
                       std::uint32_t gutter_px) {
  const Stretch u = find_stretch(min[0], max[0], page.size.width_px, page.clean_mips, gutter_px);
  const Stretch v = find_stretch(min[1], max[1], page.size.height_px, page.clean_mips, gutter_px);
  return {u.begin, v.begin, u.end - u.begin, v.end - v.begin};
}

RectParts join_rects(std::span<const TexelRect> rects) {
  // One rectangle around all costs one gutter, and needs one place.
  constexpr double about_as_small = 1.25;
  RectParts out;
  out.parts.assign(rects.begin(), rects.end());
  out.part_of.resize(rects.size());
  std::iota(out.part_of.begin(), out.part_of.end(), 0U);
  // Boxes around what was united may overlap anew.
  for (;;) {
    DisjointSets sets(out.parts.size());
    if (!unite_overlapping(out.parts, sets)) {
      break;
    }
    std::vector<std::uint32_t> number(out.parts.size(), no_index);
    std::vector<TexelRect> parts;
    for (std::uint32_t p = 0; p < out.parts.size(); ++p) {
      const std::uint32_t leader = sets.find(p);
      if (leader == p) {
        number[p] = static_cast<std::uint32_t>(parts.size());
        parts.push_back(out.parts[p]);
      } else {
        number[p] = number[leader];
        parts[number[p]] = unite(parts[number[p]], out.parts[p]);
      }
    }
    for (std::uint32_t& part : out.part_of) {
      part = number[part];
    }
    out.parts = std::move(parts);
  }
  if (out.parts.size() > 1) {
    TexelRect around = out.parts.front();
    std::int64_t sum = 0;
    for (const TexelRect& part : out.parts) {
      around = unite(around, part);
      sum += area(part);
    }
    if (static_cast<double>(area(around)) <= about_as_small * static_cast<double>(sum)) {
      out.parts = {around};
      std::fill(out.part_of.begin(), out.part_of.end(), 0U);
    }
  }
  return out;
}

}  // namespace wakuzume
