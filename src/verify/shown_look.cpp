// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/shown_look.h"

#include <algorithm>
#include <cmath>

#include "scene/elements.h"
#include "scene/semantics.h"
#include "scene/srgb.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

constexpr int taps = 4;  ///< along each side of the area that is averaged

Pixels make_white() { return {1, 1, {255, 255, 255, 255}}; }

std::size_t wrap(double at, std::uint32_t texels, std::uint32_t mode) {
  const double count = texels;
  if (!std::isfinite(at)) {
    return 0;
  }
  if (mode == wrap_clamp) {
    return static_cast<std::size_t>(std::clamp(at, 0.0, count - 1));
  }
  const double period = mode == wrap_mirrored ? 2 * count : count;
  const double place = at - period * std::floor(at / period);
  return static_cast<std::size_t>(
      std::clamp(place < count ? place : period - 1 - place, 0.0, count - 1));
}

Spot move(const Spot (&spots)[3], double along, double across) {
  Spot out = spots[0];
  for (auto& [set, uv] : out.uvs) {
    for (std::size_t c = 0; c < 2; ++c) {
      uv[c] += along * (spots[1].uvs.at(set)[c] - spots[0].uvs.at(set)[c]) +
               across * (spots[2].uvs.at(set)[c] - spots[0].uvs.at(set)[c]);
    }
  }
  return out;
}

}  // namespace

void ShownPictures::load(const Material& material) {
  for (const TextureSlot* slot : list_slots(material)) {
    const ImageId id = slot->texture == no_texture ? no_image : find_image(scene_, slot->texture);
    if (id == no_image || pictures_.contains(id)) {
      continue;
    }
    const bool layered = static_cast<bool>(scene_.textures[to_index(slot->texture)].layers);
    auto pixels = layered ? read_layers(id) : read_picture(id);
    unread_ = unread_ || !pixels;
    pictures_.emplace(id, pixels ? std::move(*pixels) : std::vector{make_white()});
  }
}

Vec4d ShownPictures::look_up(const TextureSlot& slot, const Spot& spot, bool srgb) const {
  const UvTransform t = slot.transform ? *slot.transform : UvTransform{};
  const auto uv = spot.uvs.find(find_uv_set(slot));
  const Vec2d raw = uv == spot.uvs.end() ? Vec2d{0, 0} : uv->second;
  const double u = t.scale[0] * raw[0];
  const double v = t.scale[1] * raw[1];
  const Vec2d at{std::cos(t.rotation) * u + std::sin(t.rotation) * v + t.offset[0],
                 -std::sin(t.rotation) * u + std::cos(t.rotation) * v + t.offset[1]};
  const Texture& texture = scene_.textures[to_index(slot.texture)];
  const Sampler sampler =
      texture.sampler == no_sampler ? Sampler{} : scene_.samplers[to_index(texture.sampler)];
  const Pixels& pixels = find_pixels(slot, spot.layer);
  const double x = at[0] * pixels.width_px - 0.5;
  const double y = at[1] * pixels.height_px - 0.5;
  const double fx = x - std::floor(x);
  const double fy = y - std::floor(y);
  Vec4d sum{0, 0, 0, 0};
  for (int corner = 0; corner < 4; ++corner) {
    const int right = corner & 1;
    const int below = corner >> 1;
    const double share = (right != 0 ? fx : 1 - fx) * (below != 0 ? fy : 1 - fy);
    const std::size_t column = wrap(std::floor(x) + right, pixels.width_px, sampler.wrap_s);
    const std::size_t row = wrap(std::floor(y) + below, pixels.height_px, sampler.wrap_t);
    for (std::size_t c = 0; c < 4; ++c) {
      const double value = pixels.rgba[4 * (row * pixels.width_px + column) + c] / 255.0;
      sum[c] += share * (srgb && c < 3 ? to_linear(value) : value);
    }
  }
  return sum;
}

Vec2d ShownPictures::find_size(const TextureSlot& slot) const {
  const Pixels& pixels = find_pixels(slot, 0);
  return {static_cast<double>(pixels.width_px), static_cast<double>(pixels.height_px)};
}

Result<std::vector<Pixels>> ShownPictures::read_picture(ImageId id) const {
  auto pixels = codec_.decode(find_encoded(scene_, id));
  if (!pixels) {
    return Failure(pixels.error());
  }
  std::vector<Pixels> out;
  out.push_back(std::move(*pixels));
  return out;
}

Result<std::vector<Pixels>> ShownPictures::read_layers(ImageId id) const {
  auto array = codec_.decode_array(find_encoded(scene_, id), 0);
  if (!array) {
    return Failure(array.error());
  }
  return std::move(array->layers);
}

const Pixels& ShownPictures::find_pixels(const TextureSlot& slot, std::size_t number) const {
  const std::vector<Pixels> none{make_white()};
  const auto hit = pictures_.find(find_image(scene_, slot.texture));
  const std::vector<Pixels>& layers = hit == pictures_.end() ? none : hit->second;
  const Boxed<TextureLayers>& of = scene_.textures[to_index(slot.texture)].layers;
  const std::size_t layer =
      of && number < of->layer_of.size() ? of->layer_of[number] : std::size_t{0};
  return layers[std::min(layer, layers.size() - 1)];
}

Look find_look(const ShownPictures& pictures, const Material& m, const Spot& spot) {
  Look look{};
  const auto tex = [&](const TextureSlot& slot, bool srgb) {
    return slot.texture == no_texture ? Vec4d{1, 1, 1, 1} : pictures.look_up(slot, spot, srgb);
  };
  const Vec4d base = tex(m.base_color_texture, true);
  const Vec4d surface = tex(m.metallic_roughness_texture, false);
  const Vec4d emission = tex(m.emissive_texture, true);
  for (std::size_t c = 0; c < 3; ++c) {
    look[c] = base[c] * m.base_color[c] * spot.color[c];
    look[4 + c] = emission[c] * m.emissive[c];
  }
  look[3] = m.alpha_mode == AlphaMode::opaque ? 1 : base[3] * m.base_color[3] * spot.color[3];
  look[7] = surface[1] * m.roughness;
  look[8] = surface[2] * m.metallic;
  look[9] = 1 + m.occlusion_texture.factor * (tex(m.occlusion_texture, false)[0] - 1);
  if (m.normal_texture.texture != no_texture) {
    const Vec4d n = pictures.look_up(m.normal_texture, spot, false);
    const double x = (2 * n[0] - 1) * m.normal_texture.factor;
    const double y = (2 * n[1] - 1) * m.normal_texture.factor;
    const double z = 2 * n[2] - 1;
    const double length = std::sqrt(x * x + y * y + z * z);
    look[10] = length > 0 ? std::sqrt(x * x + y * y) / length : 0;
    // An eight-bit normal that means straight up leans by less than this.
    look[10] = std::max(0.0, look[10] - 0.006);
  }
  return look;
}

Look find_mean_look(const ShownPictures& pictures,
                    const Material& material,
                    const Spot (&spots)[3]) {
  Look sum{};
  for (int i = 0; i < taps * taps; ++i) {
    const double along = (i % taps + 0.5) / taps - 0.5;
    const double across = (i / taps + 0.5) / taps - 0.5;
    const Look look = find_look(pictures, material, move(spots, along, across));
    for (std::size_t v = 0; v < look_values; ++v) {
      sum[v] += look[v] / (taps * taps);
    }
  }
  for (const std::size_t v : {0U, 1U, 2U, 4U, 5U, 6U}) {
    sum[v] = to_srgb(std::clamp(sum[v], 0.0, 1.0));
  }
  return sum;
}

SpotFinder::SpotFinder(const Scene& scene, const Primitive& primitive) {
  for (const Attribute& attribute : primitive.attributes) {
    if (const auto set = find_uv_number(attribute.semantic)) {
      uvs_[*set] = make_floats(scene, attribute.stream);
    } else if (attribute.semantic == "COLOR_0") {
      colors_ = make_floats(scene, attribute.stream);
      width_ = component_count(scene[attribute.stream].element);
    } else if (attribute.semantic == layer_semantic) {
      layers_ = make_floats(scene, attribute.stream);
    }
  }
}

Spot SpotFinder::find(const std::uint32_t* corners, const Vec3d& weights) const {
  Spot spot;
  for (const auto& [set, values] : uvs_) {
    Vec2d uv{0, 0};
    for (std::size_t k = 0; k < 3; ++k) {
      for (std::size_t c = 0; c < 2; ++c) {
        uv[c] += weights[k] * static_cast<double>(values[2 * std::size_t{corners[k]} + c]);
      }
    }
    spot.uvs[set] = uv;
  }
  for (std::size_t c = 0; c < width_; ++c) {
    spot.color[c] = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      spot.color[c] += weights[k] * static_cast<double>(colors_[width_ * corners[k] + c]);
    }
  }
  spot.layer = layers_.empty() ? 0 : static_cast<std::size_t>(std::lround(layers_[corners[0]]));
  return spot;
}

}  // namespace wakuzume
