// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/mip_use.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "scene/matrix.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// Rows of pixels of a view that levels are found for.
constexpr double view_rows = 1080;
/// Fewer pixels of one material in a view are told by nobody.
constexpr double some_pixels = 60;
constexpr double many_pixels = 400;
/// A draw is looked at in so many parts, from its nearest to its farthest.
constexpr int parts_a_draw = 4;
/// Levels are sorted into bins of one each, from this one on.
constexpr int lowest_bin = static_cast<int>(SeenLevels::lowest_level);
constexpr std::size_t bin_count = 40;

using Bins = std::array<double, bin_count>;  ///< pixels

/// Pixels of each material by the level they need, from one view.
class ViewLevels {
 public:
  ViewLevels(const Survey& survey,
             const MaterialUses& uses,
             std::span<const RectSize> sizes,
             const Viewpoint& view)
      : survey_(survey),
        uses_(uses),
        sizes_(sizes),
        frustum_(make_frustum(view)),
        eye_(view.world[12], view.world[13], view.world[14]),
        perspective_(view.perspective),
        pixel_(view.perspective ? 2 * std::tan(view.yfov / 2) / view_rows
                                : 2 * view.ymag / view_rows),
        near_m_(std::max(view.znear_m, 1e-3)) {}

  void add_all(std::vector<Bins>& bins) const {
    for (std::size_t d = 0; d < survey_.draws.size(); ++d) {
      const Draw& draw = survey_.draws[d];
      const DrawUse& use = uses_.of_draw(make_id<DrawId>(d));
      const double texel_m = find_texel(draw, use);
      if (use.area_m2 > 0 && texel_m > 0 && sees_box(frustum_, draw.box)) {
        add(draw, use.area_m2, texel_m, bins[to_index(draw.material)]);
      }
    }
  }

 private:
  /// Metres along a texel, in the direction in which that is less; 0: it shows none.
  [[nodiscard]] double find_texel(const Draw& draw, const DrawUse& use) const {
    const RectSize size =
        draw.material == no_material ? RectSize{} : sizes_[to_index(draw.material)];
    return size.width_px == 0 || size.height_px == 0
               ? 0
               : std::min(use.tile_m[0] / size.width_px, use.tile_m[1] / size.height_px);
  }

  void add(const Draw& draw, double area_m2, double texel_m, Bins& bins) const {
    const Eigen::Vector3d centre = as_eigen(draw.box.centre());
    const double reach = find_diagonal(draw.box) / 2;
    const double middle = (centre - eye_).norm();
    const double nearest = std::max(near_m_, middle - reach);
    const double farthest = std::max(nearest, middle + reach);
    for (int part = 0; part < parts_a_draw; ++part) {
      const double share = (part + 0.5) / parts_a_draw;
      const double pixel_m =
          perspective_ ? pixel_ * (nearest + share * (farthest - nearest)) : pixel_;
      // Surfaces are seen at half of their area on average.
      const double pixels =
          std::min(area_m2 / parts_a_draw / 2 / (pixel_m * pixel_m), view_rows * view_rows * 2);
      const double level = std::log2(pixel_m / texel_m);
      const int bin = std::clamp(static_cast<int>(std::ceil(level)) - lowest_bin, 0,
                                 static_cast<int>(bin_count) - 1);
      bins[static_cast<std::size_t>(bin)] += pixels;
    }
  }

  const Survey& survey_;
  const MaterialUses& uses_;
  std::span<const RectSize> sizes_;
  Frustum frustum_;
  Eigen::Vector3d eye_;
  bool perspective_;
  double pixel_;  ///< metres at a distance of one, or anywhere
  double near_m_;
};

/// The level beyond which fewer pixels are left.
double find_deepest(const Bins& bins, double least_pixels) {
  double beyond = 0;
  for (std::size_t b = bins.size(); b-- > 0;) {
    beyond += bins[b];
    if (beyond > least_pixels) {
      return static_cast<double>(b) + lowest_bin;
    }
  }
  return lowest_bin;
}

}  // namespace

std::vector<SeenLevels> find_seen_levels(const Survey& survey,
                                         const MaterialUses& uses,
                                         std::span<const RectSize> sizes,
                                         std::span<const Viewpoint> views,
                                         const RunControl& run) {
  std::vector<std::vector<SeenLevels>> of_view(views.size());
  for_each_index(views.size(), {run.threads, nullptr}, "", [&](std::size_t v) {
    std::vector<Bins> bins(uses.material_count(), Bins{});
    ViewLevels(survey, uses, sizes, views[v]).add_all(bins);
    std::transform(bins.begin(), bins.end(), std::back_inserter(of_view[v]), [](const Bins& b) {
      return SeenLevels{find_deepest(b, some_pixels), find_deepest(b, many_pixels)};
    });
  });
  std::vector<SeenLevels> out(uses.material_count());
  for (const std::vector<SeenLevels>& levels : of_view) {
    for (std::size_t m = 0; m < out.size(); ++m) {
      out[m].by_some = std::max(out[m].by_some, levels[m].by_some);
      out[m].by_many = std::max(out[m].by_many, levels[m].by_many);
    }
  }
  return out;
}

}  // namespace wakuzume
