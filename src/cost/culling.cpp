// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/culling.h"

#include <tbb/parallel_sort.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "cost/box_side.h"
#include "scene/morton.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// Large enough to be seen by any plane, small enough that no product overflows.
constexpr double boundless = 1e150;

struct Halves {
  Vec3d centre{0, 0, 0};
  Vec3d half{boundless, boundless, boundless};
};

Halves make_halves(const Box3d& box) {
  Halves out;
  for (std::size_t c = 0; c < 3; ++c) {
    if (!std::isfinite(box.min[c]) || !std::isfinite(box.max[c])) {
      return {};
    }
    out.centre[c] = (box.min[c] + box.max[c]) / 2;
    out.half[c] = (box.max[c] - box.min[c]) / 2;
  }
  return out;
}

Vec3d absolute(const Vec3d& v) { return {std::abs(v[0]), std::abs(v[1]), std::abs(v[2])}; }

std::vector<std::uint32_t> make_order(std::span<const Box3d> boxes) {
  Box3d bounds;
  for (const Box3d& box : boxes) {
    const Halves halves = make_halves(box);
    if (halves.half[0] < boundless) {
      bounds.include(halves.centre);
    }
  }
  const PlaceNumbers numbers(bounds);
  std::vector<std::pair<std::uint64_t, std::uint32_t>> codes(boxes.size());
  for (std::size_t i = 0; i < boxes.size(); ++i) {
    const Halves halves = make_halves(boxes[i]);
    const bool bounded = halves.half[0] < boundless && !bounds.empty();
    codes[i] = {bounded ? numbers.find(halves.centre) : 0, static_cast<std::uint32_t>(i)};
  }
  tbb::parallel_sort(codes.begin(), codes.end());
  std::vector<std::uint32_t> order(boxes.size());
  std::transform(codes.begin(), codes.end(), order.begin(), [](const auto& c) { return c.second; });
  return order;
}

}  // namespace

bool sees_box(const Frustum& frustum, const Box3d& box) {
  const Halves halves = make_halves(box);
  return sees(frustum, halves.centre, halves.half);
}

CullingBoxes::CullingBoxes(std::span<const Box3d> boxes, const RunControl& run)
    : blocks_((boxes.size() + 63) / 64), around_blocks_(blocks_.size()) {
  const RunControl quiet{run.threads, nullptr};
  in_arena(quiet, [&] { order_ = make_order(boxes); });
  for_each_range(blocks_.size(), 256, quiet, "", [&](std::size_t begin, std::size_t end) {
    for (std::size_t b = begin; b < end; ++b) {
      fill_block(b, boxes);
    }
  });
  fill_groups();
}

void CullingBoxes::fill_block(std::size_t b, std::span<const Box3d> boxes) {
  Block& block = blocks_[b];
  block.centre = {};
  block.half = {};
  Box3d around;
  for (std::size_t i = 0; i < 64 && b * 64 + i < order_.size(); ++i) {
    const Halves halves = make_halves(boxes[order_[b * 64 + i]]);
    Box3d box;
    for (std::size_t c = 0; c < 3; ++c) {
      block.centre[c][i] = halves.centre[c];
      block.half[c][i] = halves.half[c];
      box.min[c] = halves.centre[c] - halves.half[c];
      box.max[c] = halves.centre[c] + halves.half[c];
    }
    around.include(box);
    block.used |= 1ULL << i;
  }
  const Halves halves = make_halves(around);
  around_blocks_[b] = {halves.centre, halves.half};
}

void CullingBoxes::fill_groups() {
  for (std::size_t first = 0; first < blocks_.size(); first += 64) {
    Box3d around;
    for (std::size_t b = first; b < std::min(first + 64, blocks_.size()); ++b) {
      Box3d box;
      for (std::size_t c = 0; c < 3; ++c) {
        box.min[c] = around_blocks_[b].centre[c] - around_blocks_[b].half[c];
        box.max[c] = around_blocks_[b].centre[c] + around_blocks_[b].half[c];
      }
      around.include(box);
    }
    const Halves halves = make_halves(around);
    around_groups_.push_back({halves.centre, halves.half});
  }
}

std::uint64_t CullingBoxes::test(const Frustum& frustum, const Block& block) {
  // Plain loops over fixed lengths: the compiler makes them wide, and the sums are those of
  // sees_box in the same order, so the answers are equal to the last bit.
  std::array<double, 64> worst{};
  worst.fill(boundless);
  for (const Plane& plane : frustum.planes) {
    const Vec3d n = plane.normal;
    const Vec3d a = absolute(n);
    for (std::size_t i = 0; i < 64; ++i) {
      const double centre =
          n[0] * block.centre[0][i] + n[1] * block.centre[1][i] + n[2] * block.centre[2][i];
      const double half =
          a[0] * block.half[0][i] + a[1] * block.half[1][i] + a[2] * block.half[2][i];
      const double reach = (centre + plane.distance) + half;
      worst[i] = reach < worst[i] ? reach : worst[i];
    }
  }
  std::uint64_t seen = 0;
  for (std::size_t i = 0; i < 64; ++i) {
    seen |= (worst[i] >= 0 ? 1ULL : 0ULL) << i;
  }
  return seen & block.used;
}

void CullingBoxes::find_seen(const Frustum& frustum, std::span<std::uint64_t> seen) const {
  for (std::size_t g = 0; g < around_groups_.size(); ++g) {
    const Side group = find_side(frustum, around_groups_[g].centre, around_groups_[g].half);
    for (std::size_t b = g * 64; b < std::min((g + 1) * 64, blocks_.size()); ++b) {
      const Side side = group == Side::cut
                            ? find_side(frustum, around_blocks_[b].centre, around_blocks_[b].half)
                            : group;
      seen[b] = side == Side::outside  ? 0
                : side == Side::inside ? blocks_[b].used
                                       : test(frustum, blocks_[b]);
    }
  }
}

void CullingBoxes::find_seen_one_by_one(const Frustum& frustum,
                                        std::span<std::uint64_t> seen) const {
  for (std::size_t b = 0; b < blocks_.size(); ++b) {
    seen[b] = test(frustum, blocks_[b]);
  }
}

Result<Visibility> make_visibility(const Survey& survey,
                                   std::span<const Viewpoint> views,
                                   const RunControl& run) {
  std::vector<Box3d> boxes(survey.draws.size());
  std::transform(survey.draws.begin(), survey.draws.end(), boxes.begin(),
                 [](const Draw& draw) { return draw.box; });
  Visibility out(CullingBoxes(boxes, run), views.size());
  const bool finished = for_each_index(views.size(), run, "culling", [&](std::size_t v) {
    out.boxes().find_seen(make_frustum(views[v]), out.of_view(v));
  });
  return finished ? Result<Visibility>(std::move(out)) : Failure(make_cancelled());
}

}  // namespace wakuzume
