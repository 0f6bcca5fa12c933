// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cmath>

#include "reduce/points.h"
#include "wakuzume/reduce.h"

namespace wakuzume {
namespace {

double find_distance(const Box3d& box, const Vec3d& eye) {
  double sum = 0;
  for (std::size_t k = 0; k < 3; ++k) {
    const double off = std::max({box.min[k] - eye[k], eye[k] - box.max[k], 0.0});
    sum += off * off;
  }
  return std::sqrt(sum);
}

/// Pixels that a metre takes in a view, where the box is nearest.
double find_px_per_m(const Viewpoint& view, const Box3d& box, double height_px) {
  if (!view.perspective) {
    return height_px / (2 * view.ymag);
  }
  const Vec3d eye{view.world[12], view.world[13], view.world[14]};
  // Inside of a box it is not the box that is near.
  const double distance =
      std::max({find_distance(box, eye), view.znear_m, box.largest_extent() / 8});
  return height_px / (2 * std::tan(view.yfov / 2) * distance);
}

}  // namespace

std::vector<ShownSize> find_shown_sizes(const Scene& scene,
                                        const Survey& survey,
                                        std::span<const Viewpoint> views,
                                        std::uint32_t height_px) {
  std::vector<ShownSize> out(scene.meshes.size());
  const std::vector<Mat4d> world = make_world_matrices(scene);
  std::vector<Frustum> frustums;
  for (const Viewpoint& view : views) {
    frustums.push_back(make_frustum(view));
  }
  for (const Draw& draw : survey.draws) {
    ShownSize& size = out[to_index(draw.mesh)];
    const double scale = find_scale(world[to_index(draw.node)]);
    size.scale = std::max(size.scale, scale);
    for (std::size_t v = 0; v < views.size(); ++v) {
      if (sees_box(frustums[v], draw.box)) {
        const double px = find_px_per_m(views[v], draw.box, height_px);
        size.px_per_m = std::max(size.px_per_m, px);
        size.weight += std::pow(px * scale, 4);
      }
    }
    if (views.empty()) {
      size.weight += std::pow(scale, 4);
    }
  }
  return out;
}

}  // namespace wakuzume
