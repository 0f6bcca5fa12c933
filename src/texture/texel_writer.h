// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>

#include "scene/srgb.h"
#include "texture/resample.h"
#include "wakuzume/routes.h"

namespace wakuzume {

/// Writes what one material shows in a channel, its factors with it, as the texels of a page.
class TexelWriter {
 public:
  /// \param material  borrowed
  TexelWriter(const Material& material, Channel channel) : material_(material), channel_(channel) {}

  [[nodiscard]] const Material& material() const { return material_; }
  [[nodiscard]] Averaging averaging() const {
    return channel_ == Channel::surface  ? Averaging::plain
           : channel_ == Channel::normal ? Averaging::normal
                                         : Averaging::srgb;
  }

  /// \param value  four numbers: colours linear and not multiplied by alpha, directions from -1 to
  /// 1
  ///               along the page's own axes: see scale_normal
  /// \param slot   where it was looked up; null: it is the material's own, factors and all
  void write(const float* value, const TextureSlot* slot, std::uint8_t* to) const {
    switch (channel_) {
      case Channel::color:
      case Channel::emissive:
        write_color(value, slot, to);
        break;
      case Channel::surface:
        write_surface(value, slot, to);
        break;
      case Channel::normal:
        write_direction(value, to);
        break;
    }
  }

  /// A direction as the material's normal scale bends it.
  void scale_normal(float* n) const {
    const auto scale = static_cast<float>(material_.normal_texture.factor);
    n[0] *= scale;
    n[1] *= scale;
  }

 private:
  void write_color(const float* value, const TextureSlot* slot, std::uint8_t* to) const {
    const bool color = channel_ == Channel::color;
    for (std::size_t c = 0; c < 3; ++c) {
      const double factor = color ? material_.base_color[c] : material_.emissive[c];
      to[c] = linear_to_srgb(slot == nullptr ? value[c] : value[c] * static_cast<float>(factor));
    }
    if (color && material_.alpha_mode != AlphaMode::opaque) {
      const auto factor = slot == nullptr ? 1.0F : static_cast<float>(material_.base_color[3]);
      to[3] = to_byte(value[3] * factor);
    } else {
      to[3] = 255;
    }
  }

  /// Occlusion in red, roughness in green, metalness in blue, as the standard reads them.
  void write_surface(const float* value, const TextureSlot* slot, std::uint8_t* to) const {
    if (slot == nullptr || slot == &material_.occlusion_texture) {
      const auto strength = slot == nullptr ? 1.0F : static_cast<float>(slot->factor);
      to[0] = to_byte(1 + strength * (value[0] - 1));
    }
    if (slot != &material_.occlusion_texture) {
      const bool plain = slot == nullptr;
      to[1] = to_byte(value[1] * (plain ? 1.0F : static_cast<float>(material_.roughness)));
      to[2] = to_byte(value[2] * (plain ? 1.0F : static_cast<float>(material_.metallic)));
    }
    to[3] = 255;
  }

  static void write_direction(const float* n, std::uint8_t* to) {
    const float length = std::sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]);
    for (std::size_t c = 0; c < 3; ++c) {
      to[c] = length > 1e-6F ? to_byte((n[c] / length + 1) / 2) : (c == 2 ? 255 : 128);
    }
    to[3] = 255;
  }

  const Material& material_;
  Channel channel_;
};

}  // namespace wakuzume
