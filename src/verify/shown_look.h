// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <vector>

#include "wakuzume/picture_codec.h"
#include "wakuzume/scene.h"

/// What materials show in one place of a draw, by what they say and nothing else.
namespace wakuzume {

/// What a material shows in one place: base colour with alpha, occlusion, roughness and metalness,
/// emission, and how far the normal leans; as encoded, from 0 to 1.
inline constexpr std::size_t look_values = 11;
using Look = std::array<double, look_values>;
/// Which of them are one channel.
struct LookRange {
  std::size_t first = 0;
  std::size_t end = 0;
};
inline constexpr LookRange look_ranges[] = {{0, 4}, {4, 7}, {7, 10}, {10, 11}};

/// One corner of a triangle, or a place within, in one scene.
struct Spot {
  std::map<std::uint32_t, Vec2d> uvs;  ///< by set
  Vec4d color{1, 1, 1, 1};
  std::size_t layer = 0;  ///< its number, of textures with layers
};

/// Decoded pictures of the textures of one material.
class ShownPictures {
 public:
  /// Both are borrowed.
  ShownPictures(const Scene& scene, const PictureCodec& codec) : scene_(scene), codec_(codec) {}

  /// What is missing or can't be decoded is white, as the renderer has it.
  void load(const Material& material);
  /// Was there a picture that can't be decoded?
  [[nodiscard]] bool unread() const { return unread_; }
  /// Looked up between texels as a GPU does. \param srgb  colours are mixed in linear light
  [[nodiscard]] Vec4d look_up(const TextureSlot& slot, const Spot& spot, bool srgb) const;
  [[nodiscard]] Vec2d find_size(const TextureSlot& slot) const;

 private:
  [[nodiscard]] Result<std::vector<Pixels>> read_picture(ImageId id) const;
  [[nodiscard]] Result<std::vector<Pixels>> read_layers(ImageId id) const;
  [[nodiscard]] const Pixels& find_pixels(const TextureSlot& slot, std::size_t number) const;

  const Scene& scene_;
  const PictureCodec& codec_;
  std::map<ImageId, std::vector<Pixels>> pictures_;  ///< with their layers
  bool unread_ = false;
};

/// In one spot, in linear light; the normal's lean is the length of its part along the surface.
Look find_look(const ShownPictures& pictures, const Material& material, const Spot& spot);
/// The mean over the area between three spots. \param spots  a place, and a step along two sides
Look find_mean_look(const ShownPictures& pictures,
                    const Material& material,
                    const Spot (&spots)[3]);

/// Spots on the triangles of a primitive.
class SpotFinder {
 public:
  SpotFinder(const Scene& scene, const Primitive& primitive);
  /// \param corners  three list indices \param weights  of each
  [[nodiscard]] Spot find(const std::uint32_t* corners, const Vec3d& weights) const;

 private:
  std::map<std::uint32_t, std::vector<float>> uvs_;
  std::vector<float> colors_;
  std::vector<float> layers_;
  std::size_t width_ = 0;
};

}  // namespace wakuzume
