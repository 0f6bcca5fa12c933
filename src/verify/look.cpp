// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/look.h"

#include <algorithm>
#include <cmath>
#include <span>

#include "scene/elements.h"
#include "survey/lightmaps.h"
#include "survey/rules.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

/// The bytes of a texture's picture; empty where it has none.
Bytes find_picture(const Scene& scene, TextureId id) {
  const ImageId image = find_image(scene, id);
  return image == no_image ? Bytes() : find_encoded(scene, image);
}

/// Pictures that are in no file yet, such as pages before they are painted, go by their names.
bool same_picture(const Scene& before, TextureId a, const Scene& after, TextureId b) {
  const Bytes left = find_picture(before, a);
  const Bytes right = find_picture(after, b);
  if (left.size() == 0 && right.size() == 0) {
    const ImageId x = find_image(before, a);
    const ImageId y = find_image(after, b);
    if (x == no_image || y == no_image) {
      // Without a picture it is what an extension says.
      return x == y &&
             same_extra(before.textures[to_index(a)].extra, after.textures[to_index(b)].extra);
    }
    const Image& p = before.images[to_index(x)];
    const Image& q = after.images[to_index(y)];
    // What is embedded in a file has no uri there.
    return p.name == q.name &&
           (p.uri == q.uri || (!p.name.empty() && (p.uri.empty() || q.uri.empty())));
  }
  const bool same = left == right;
  left.let_go();
  right.let_go();
  return same;
}

/// Two textures of either scene show the same picture in the same way.
bool same_texture(const Scene& before, TextureId a, const Scene& after, TextureId b) {
  if (a == b || a == no_texture || b == no_texture) {
    return a == b;
  }
  const auto sampler_of = [](const Scene& scene, TextureId id) {
    const SamplerId sampler = scene.textures[to_index(id)].sampler;
    return make_effective(sampler == no_sampler ? Sampler{} : scene.samplers[to_index(sampler)]);
  };
  const Sampler x = sampler_of(before, a);
  const Sampler y = sampler_of(after, b);
  const Texture& left = before.textures[to_index(a)];
  const Texture& right = after.textures[to_index(b)];
  const bool same_layers = static_cast<bool>(left.layers) == static_cast<bool>(right.layers) &&
                           (!left.layers || left.layers->layer_of == right.layers->layer_of);
  return same_layers && same_picture(before, a, after, b) && x.mag_filter == y.mag_filter &&
         x.min_filter == y.min_filter && x.wrap_s == y.wrap_s && x.wrap_t == y.wrap_t;
}

/// Where a slot's coordinates come from: KHR_texture_transform may say otherwise.
UvTransform find_transform(const TextureSlot& slot) {
  UvTransform out = slot.transform ? *slot.transform : UvTransform{};
  out.texcoord = find_uv_set(slot);
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

namespace {

bool same_extensions(const Boxed<Extra>& a, const Boxed<Extra>& b) {
  const Extra none;
  const Extra& left = a ? *a : none;
  const Extra& right = b ? *b : none;
  return std::equal(left.extensions.begin(), left.extensions.end(), right.extensions.begin(),
                    right.extensions.end(), [](const RawMember& x, const RawMember& y) {
                      return x.name == y.name && x.json == y.json;
                    });
}

/// What keeps materials apart when they are shared does so here. Of lightmaps the texture counts,
/// and not its number.
bool same_own_extra(const Scene& before, const Material& a, const Scene& after, const Material& b) {
  const auto lightmap_a = find_lightmap_extension(before, a);
  const auto lightmap_b = find_lightmap_extension(after, b);
  if (!lightmap_a || !lightmap_b) {
    return find_own_extras(a) == find_own_extras(b) && same_extensions(a.extra, b.extra);
  }
  Material numbered = b;
  set_lightmap_texture(numbered, lightmap_a->texture);
  return find_own_extras(a) == find_own_extras(b) && same_extensions(a.extra, numbered.extra) &&
         same_texture(before, lightmap_a->texture, after, lightmap_b->texture);
}

}  // namespace

bool same_extra(const Boxed<Extra>& a, const Boxed<Extra>& b) {
  return (a ? a->extras : std::string()) == (b ? b->extras : std::string()) &&
         same_extensions(a, b);
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
         same(a.emissive_texture, b.emissive_texture) && same_own_extra(before, a, after, b);
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
