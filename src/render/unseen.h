// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <array>
#include <cstdint>
#include <vector>

#include "render/geometry.h"
#include "wakuzume/geometry.h"

/// What no pixel can show: found before it is drawn, and never by a guess.
namespace wakuzume {

/// Devices snap vertices to a sixteenth of a pixel or finer; float transforms add far less.
inline constexpr double snap_px = 1.0 / 16;

/// Pixels that a box can cover, and how near it comes.
struct ScreenBox {
  std::int32_t left = 0;  ///< all four are pixels that it may cover
  std::int32_t top = 0;
  std::int32_t right = -1;  ///< below left: it covers no pixel's centre
  std::int32_t bottom = -1;
  float nearest = 1;  ///< depth, 1 at the near plane
  [[nodiscard]] bool empty() const { return right < left || bottom < top; }
};

/// From boxes in the space of a draw to pixels.
class Projector {
 public:
  /// \param projection  from the eye's place, along the world's axes, to the clip space
  Projector(const Eigen::Matrix4d& projection, std::uint32_t width_px, std::uint32_t height_px)
      : projection_(projection), width_px_(width_px), height_px_(height_px) {}

  /// \param world  of the draw \param eye  where it is seen from
  [[nodiscard]] Eigen::Matrix4d make_clip_matrix(const Mat4d& world, const Vec3d& eye) const;

  /// A little more than what the device makes of it: by what vertices are snapped to, and by
  /// `around_px` for lines and points.
  /// \param clip  of make_clip_matrix; a box that reaches behind the eye can cover everything
  [[nodiscard]] ScreenBox project(const Eigen::Matrix4d& clip,
                                  const RunBox& box,
                                  double around_px) const;
  [[nodiscard]] double width_px() const { return width_px_; }
  [[nodiscard]] double height_px() const { return height_px_; }

 private:
  Eigen::Matrix4d projection_;
  double width_px_;
  double height_px_;
};

/// Of a depth buffer: the farthest depth of ever larger squares of pixels.
class DepthPyramid {
 public:
  /// \param depths  one a pixel, rows from the top, 0 where nothing is
  /// \cost O(pixels)
  void build(std::vector<float> depths, std::uint32_t width_px, std::uint32_t height_px);

  /// All that the box can cover is nearer already. Errs on the side of no.
  [[nodiscard]] bool hides(const ScreenBox& box) const;

 private:
  struct Level {
    std::uint32_t width = 0;
    std::uint32_t height = 0;
    std::vector<float> farthest;
  };
  std::vector<Level> levels_;  ///< each half of the one before; none: nothing is known
};

}  // namespace wakuzume
