// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "wakuzume/scene.h"

/// Shapes as plain lists, and the lanes of one buffer they are written into.
namespace wakuzume::demo {

using Vec3f = std::array<float, 3>;
using Vec2f = std::array<float, 2>;

/// Triangles facing outwards, counter-clockwise. Lists that are not empty have one entry a vertex.
struct Shape {
  std::vector<Vec3f> positions;
  std::vector<Vec3f> normals;
  std::vector<Vec2f> uvs;
  std::vector<Vec2f> lightmap_uvs;
  std::vector<std::array<std::uint8_t, 4>> colors;
  std::vector<std::array<float, 4>> tangents;
  std::vector<std::uint16_t> indices;

  void append(const Shape& other);
  /// Moves every vertex; normals and tangents turn along. \pre no shear, no uneven scale
  Shape& place(const Trs& trs);
};

/// A box around the origin. UVs run with the size: `tile_m` metres to one repeat of the texture.
Shape make_box(const Vec3f& size, float tile_m);
/// A profile of (radius, height) turned around the y axis; smooth along it, `sides` around.
Shape make_lathe(const std::vector<Vec2f>& profile, std::uint32_t sides, float uv_repeats = 1);
/// A rectangle from four corners, counter-clockwise, with UVs from 0 to `uv_size`.
Shape make_quad(const std::array<Vec3f, 4>& corners, const Vec2f& uv_size);
/// Leaves around the y axis, each a bent strip of quads; darker towards the ground.
Shape make_tuft(std::uint32_t leaves, float length, float width, float lift, std::uint32_t seed);

/// Writes shapes into shared lanes: one view for all positions, one for all normals ...
class LaneWriter {
 public:
  /// The attributes and indices of a shape, as accessors of `scene`.
  Primitive add(Scene& scene, const Shape& shape, MaterialId material);
  /// Differences of positions, for morph targets.
  StreamId add_positions(Scene& scene, const std::vector<Vec3f>& values);
  /// One set of four influences a vertex.
  void add_influences(Scene& scene,
                      const std::vector<std::array<std::uint8_t, 4>>& joints,
                      const std::vector<std::array<float, 4>>& weights,
                      Primitive& primitive);
  /// Plain floats, for animations; as matrices for skins.
  StreamId add_numbers(Scene& scene, std::span<const float> values, ElementType element);
  /// Makes the block and the views. Nothing may be added after it.
  void finish(Scene& scene);

 private:
  enum Lane : std::uint32_t {
    position,
    normal,
    uv,
    lightmap_uv,
    color,
    tangent,
    index,
    number,
    joints_of,
    weights_of,
    binds,
    lanes
  };

  template <class T>
  StreamId add_lane(Scene& scene, Lane lane, const std::vector<T>& values, Stream stream);

  std::array<std::vector<std::byte>, lanes> bytes_;
};

}  // namespace wakuzume::demo
