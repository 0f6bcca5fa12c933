// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <Eigen/Core>
#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "wakuzume/ids.h"
#include "wakuzume/packing.h"

/// Which triangle each texel of a picture shows.
namespace wakuzume {

/// The pixels of one picture of a page that a tile takes; ends are not in it.
struct PixelRect {
  std::uint32_t left = 0;
  std::uint32_t top = 0;
  std::uint32_t right = 0;
  std::uint32_t bottom = 0;
};

/// Corners of a triangle on a picture.
using FlatCorners = std::array<Eigen::Vector2d, 3>;

/// Weights of a place in a triangle, none below nought where it lies within; nothing: no area.
std::optional<Eigen::Vector3d> find_weights(const FlatCorners& t, const Eigen::Vector2d& at);

/// The place of a triangle that is nearest to a texel.
struct TexelHit {
  std::uint32_t triangle = no_index;
  std::array<float, 3> weights{};
  float distance = 1e30F;  ///< pixels; nought within the triangle
};

class TexelCoverage {
 public:
  /// \param places  two numbers a corner, in pixels of the picture
  /// \param margin  pixels around triangles that show what is nearest
  TexelCoverage(std::span<const double> places, const PixelRect& rect, double margin);

  /// By texel of the rectangle.
  [[nodiscard]] const std::vector<TexelHit>& hits() const { return hits_; }
  /// For each texel the number of one that shows something: itself, or the nearest by steps.
  [[nodiscard]] std::vector<std::uint32_t> find_nearest() const;

 private:
  void add(std::uint32_t t, const FlatCorners& corners, double margin);

  PixelRect rect_;
  std::uint32_t width_;
  std::vector<TexelHit> hits_;
};

/// Texels take on what the nearest by steps shows.
/// \param from  by texel: the one that it shows, itself at first, or no_index
void spread_texels(std::vector<std::uint32_t>& from, std::uint32_t width);

/// Places on a page as UVs. \param places  two numbers a corner, in pixels
std::vector<float> make_page_uvs(std::span<const double> places, const RectSize& page);

/// Tangent, bitangent and normal as an engine mixes them between corners.
/// \param normals  three a corner \param tangents  four a corner
Eigen::Matrix3d find_frame(std::span<const float> normals,
                           std::span<const float> tangents,
                           const TexelHit& hit);

}  // namespace wakuzume
