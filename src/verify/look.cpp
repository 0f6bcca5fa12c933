// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/look.h"

#include <algorithm>
#include <cmath>
#include <span>

#include "scene/elements.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

/// The bytes of a texture's picture as they are stored; empty where it has none.
std::span<const std::byte> find_picture(const Scene& scene, TextureId id) {
  const ImageId image = find_image(scene, id);
  if (image == no_image) {
    return {};
  }
  const Image& found = scene.images[to_index(image)];
  if (found.view == no_view) {
    return found.bytes.data();
  }
  const BlockView& view = scene[found.view];
  return scene[view.block].bytes.data().subspan(view.offset, view.length);
}

/// Two textures of either scene show the same picture in the same way.
bool same_texture(const Scene& before, TextureId a, const Scene& after, TextureId b) {
  if (a == b || a == no_texture || b == no_texture) {
    return a == b;
  }
  const auto sampler_of = [](const Scene& scene, TextureId id) {
    const SamplerId sampler = scene.textures[to_index(id)].sampler;
    return sampler == no_sampler ? Sampler{} : scene.samplers[to_index(sampler)];
  };
  const Sampler x = sampler_of(before, a);
  const Sampler y = sampler_of(after, b);
  const auto left = find_picture(before, a);
  const auto right = find_picture(after, b);
  return !left.empty() && std::equal(left.begin(), left.end(), right.begin(), right.end()) &&
         x.mag_filter == y.mag_filter && x.min_filter == y.min_filter && x.wrap_s == y.wrap_s &&
         x.wrap_t == y.wrap_t;
}

/// Where a slot's coordinates come from: KHR_texture_transform may say otherwise.
UvTransform find_transform(const TextureSlot& slot) {
  UvTransform out = slot.transform ? *slot.transform : UvTransform{};
  out.texcoord = out.texcoord == no_index ? slot.texcoord : out.texcoord;
  return out;
}

bool same_slot(const Scene& before,
               const TextureSlot& a,
               const Scene& after,
               const TextureSlot& b) {
  const UvTransform x = find_transform(a);
  const UvTransform y = find_transform(b);
  const bool placed =
      a.texture == no_texture || (x.offset == y.offset && x.rotation == y.rotation &&
                                  x.scale == y.scale && x.texcoord == y.texcoord);
  return placed && same_texture(before, a.texture, after, b.texture) && a.factor == b.factor &&
         same_extra(a.extra, b.extra);
}

/// The factors of a material that an instance's attribute is multiplied into; none for others.
std::span<double> find_factors(Material& material, const std::string& semantic) {
  if (semantic == "_COLOR_0") {
    return std::span(material.base_color).first(3);
  }
  if (semantic == "_EMISSIVE") {
    return material.emissive;
  }
  if (semantic == "_METALLIC") {
    return {&material.metallic, 1};
  }
  return semantic == "_ROUGHNESS" ? std::span(&material.roughness, 1) : std::span<double>();
}

}  // namespace

bool same_extra(const Boxed<Extra>& a, const Boxed<Extra>& b) {
  const Extra none;
  const Extra& left = a ? *a : none;
  const Extra& right = b ? *b : none;
  return left.extras == right.extras &&
         std::equal(left.extensions.begin(), left.extensions.end(), right.extensions.begin(),
                    right.extensions.end(), [](const RawMember& x, const RawMember& y) {
                      return x.name == y.name && x.json == y.json;
                    });
}

bool same_material(const Scene& before, const Material& a, const Scene& after, const Material& b) {
  const auto same = [&](const TextureSlot& x, const TextureSlot& y) {
    return same_slot(before, x, after, y);
  };
  const bool cutoff = a.alpha_mode != AlphaMode::mask || a.alpha_cutoff == b.alpha_cutoff;
  return a.base_color == b.base_color && a.metallic == b.metallic && a.roughness == b.roughness &&
         a.emissive == b.emissive && a.alpha_mode == b.alpha_mode && cutoff &&
         a.double_sided == b.double_sided && same(a.base_color_texture, b.base_color_texture) &&
         same(a.metallic_roughness_texture, b.metallic_roughness_texture) &&
         same(a.normal_texture, b.normal_texture) &&
         same(a.occlusion_texture, b.occlusion_texture) &&
         same(a.emissive_texture, b.emissive_texture) && same_extra(a.extra, b.extra);
}

Material make_tinted(const Scene& after,
                     const Material& material,
                     const Instancing& set,
                     std::uint32_t instance,
                     const Material& wanted) {
  Material shown = material;
  Material aim = wanted;
  for (const Attribute& attribute : set.attributes) {
    const std::span<double> factors = find_factors(shown, attribute.semantic);
    const std::span<double> aims = find_factors(aim, attribute.semantic);
    if (factors.empty() || instance >= after[attribute.stream].count) {
      continue;
    }
    const ElementReader reader(after, attribute.stream);
    double carried[16] = {};
    reader.load(instance, carried);
    // A byte is as near as it can get: half a step.
    const double slack = reader.stream().component == ComponentType::u8 ? 0.5 / 255 : 1e-6;
    for (std::size_t f = 0; f < factors.size(); ++f) {
      factors[f] *= carried[f];
      factors[f] = std::abs(factors[f] - aims[f]) <= slack * 1.01 ? aims[f] : factors[f];
    }
  }
  return shown;
}

}  // namespace wakuzume
