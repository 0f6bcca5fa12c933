// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/unseen.h"

#include <algorithm>
#include <cmath>
#include <tuple>
#include <utility>

#include "scene/matrix.h"

namespace wakuzume {
namespace {

/// By which depths of a box and of its triangles differ at most, as a share and beyond it.
constexpr float depth_share = 1e-4F;
constexpr float depth_slack = 1e-6F;
/// Squares a side that are looked at for one box.
constexpr std::uint32_t most_squares = 4;

/// The whole numbers n with n + 0.5 in [low, high], within those of a picture.
std::pair<std::int32_t, std::int32_t> find_centres(double low, double high, double size) {
  const double first = std::max(0.0, std::ceil(low - 0.5));
  const double last = std::min(size - 1, std::floor(high - 0.5));
  return first > last
             ? std::pair(0, -1)
             : std::pair(static_cast<std::int32_t>(first), static_cast<std::int32_t>(last));
}

}  // namespace

Eigen::Matrix4d Projector::make_clip_matrix(const Mat4d& world, const Vec3d& eye) const {
  Eigen::Matrix4d seen = as_eigen(world);
  for (Eigen::Index i = 0; i < 3; ++i) {
    seen(i, 3) -= eye[static_cast<std::size_t>(i)];
  }
  return projection_ * seen;
}

ScreenBox Projector::project(const Eigen::Matrix4d& clip,
                             const RunBox& box,
                             double around_px) const {
  const ScreenBox everything{0, 0, static_cast<std::int32_t>(width_px_) - 1,
                             static_cast<std::int32_t>(height_px_) - 1, 1};
  const Eigen::Vector4d centre =
      clip * Eigen::Vector4d(static_cast<double>(box.centre[0]), static_cast<double>(box.centre[1]),
                             static_cast<double>(box.centre[2]), 1);
  const Eigen::Vector4d x = clip.col(0) * static_cast<double>(box.half[0]);
  const Eigen::Vector4d y = clip.col(1) * static_cast<double>(box.half[1]);
  const Eigen::Vector4d z = clip.col(2) * static_cast<double>(box.half[2]);
  double low_x = 2;
  double high_x = -2;
  double low_y = 2;
  double high_y = -2;
  double nearest = 0;
  for (int corner = 0; corner < 8; ++corner) {
    const Eigen::Vector4d p = centre + ((corner & 1) != 0 ? x : Eigen::Vector4d(-x)) +
                              ((corner & 2) != 0 ? y : Eigen::Vector4d(-y)) +
                              ((corner & 4) != 0 ? z : Eigen::Vector4d(-z));
    const double depth = p.z() / p.w();
    // Nearer than the near plane, or nothing that can be told.
    if (!(p.w() > 0) || !(depth <= 1)) {
      return everything;
    }
    nearest = std::max(nearest, depth);
    low_x = std::min(low_x, p.x() / p.w());
    high_x = std::max(high_x, p.x() / p.w());
    low_y = std::min(low_y, p.y() / p.w());
    high_y = std::max(high_y, p.y() / p.w());
  }
  if (!std::isfinite(low_x + high_x + low_y + high_y)) {
    return everything;
  }
  const double around = snap_px + around_px;
  ScreenBox out;
  out.nearest = static_cast<float>(nearest);
  std::tie(out.left, out.right) =
      find_centres((0.5 + 0.5 * low_x) * width_px_ - around,
                   (0.5 + 0.5 * high_x) * width_px_ + around, width_px_);
  std::tie(out.top, out.bottom) =
      find_centres((0.5 - 0.5 * high_y) * height_px_ - around,
                   (0.5 - 0.5 * low_y) * height_px_ + around, height_px_);
  return out;
}

void DepthPyramid::build(std::vector<float> depths,
                         std::uint32_t width_px,
                         std::uint32_t height_px) {
  levels_.clear();
  levels_.push_back({width_px, height_px, std::move(depths)});
  while (levels_.back().width > most_squares || levels_.back().height > most_squares) {
    const Level& fine = levels_.back();
    Level coarse{(fine.width + 1) / 2, (fine.height + 1) / 2, {}};
    coarse.farthest.resize(std::size_t{coarse.width} * coarse.height);
    for (std::size_t y = 0; y < coarse.height; ++y) {
      const float* const upper = &fine.farthest[2 * y * fine.width];
      const float* const lower =
          &fine.farthest[std::min<std::size_t>(2 * y + 1, fine.height - 1) * fine.width];
      float* const to = &coarse.farthest[y * coarse.width];
      for (std::size_t x = 0; x < fine.width / 2; ++x) {
        to[x] = std::min(std::min(upper[2 * x], upper[2 * x + 1]),
                         std::min(lower[2 * x], lower[2 * x + 1]));
      }
      if (fine.width % 2 == 1) {
        to[coarse.width - 1] = std::min(upper[fine.width - 1], lower[fine.width - 1]);
      }
    }
    levels_.push_back(std::move(coarse));
  }
}

bool DepthPyramid::hides(const ScreenBox& box) const {
  if (levels_.empty()) {
    return false;
  }
  const auto left = static_cast<std::uint32_t>(box.left);
  const auto right = static_cast<std::uint32_t>(box.right);
  const auto top = static_cast<std::uint32_t>(box.top);
  const auto bottom = static_cast<std::uint32_t>(box.bottom);
  std::size_t l = 0;
  while ((right >> l) - (left >> l) >= most_squares || (bottom >> l) - (top >> l) >= most_squares) {
    ++l;
  }
  const Level& level = levels_[l];
  const float limit = box.nearest * (1 + depth_share) + depth_slack;
  for (std::size_t y = top >> l; y <= bottom >> l; ++y) {
    for (std::size_t x = left >> l; x <= right >> l; ++x) {
      if (level.farthest[y * level.width + x] <= limit) {
        return false;
      }
    }
  }
  return true;
}

}  // namespace wakuzume
