// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "findings/uv_use.h"

#include <algorithm>
#include <cmath>

namespace wakuzume {
namespace {

/// The box around a transformed range: scale, then rotation, then offset, as the extension says.
UvRange make_transformed(const UvRange& range, const UvTransform& transform) {
  UvRange out = range;
  if (range.min[0] > range.max[0]) {
    return out;
  }
  const double cosine = std::cos(transform.rotation);
  const double sine = std::sin(transform.rotation);
  for (std::size_t corner = 0; corner < 4; ++corner) {
    const double u = transform.scale[0] * ((corner & 1U) != 0 ? range.max[0] : range.min[0]);
    const double v = transform.scale[1] * ((corner & 2U) != 0 ? range.max[1] : range.min[1]);
    const Vec2d at{cosine * u + sine * v + transform.offset[0],
                   -sine * u + cosine * v + transform.offset[1]};
    for (std::size_t c = 0; c < 2; ++c) {
      out.min[c] = corner == 0 ? at[c] : std::min(out.min[c], at[c]);
      out.max[c] = corner == 0 ? at[c] : std::max(out.max[c], at[c]);
    }
  }
  return out;
}

}  // namespace

std::vector<UvUse> list_uv_uses(const Scene& scene, const Shape& shape) {
  std::vector<UvUse> uses;
  if (shape.material == no_material) {
    return uses;
  }
  for (const TextureSlot* slot : list_slots(scene[shape.material])) {
    if (slot->texture == no_texture) {
      continue;
    }
    const UvTransform transform = slot->transform ? *slot->transform : UvTransform{};
    const UvRange* const hit = shape.find_uvs(find_uv_set(*slot));
    if (hit == nullptr) {
      continue;
    }
    UvUse use;
    use.image = find_image(scene, slot->texture);
    use.range = make_transformed(*hit, transform);
    use.area_scale = std::abs(transform.scale[0] * transform.scale[1]);
    use.uv = static_cast<std::size_t>(hit - shape.uvs.data());
    const SamplerId id = scene.textures[to_index(slot->texture)].sampler;
    const Sampler sampler = id == no_sampler ? Sampler{} : scene.samplers[to_index(id)];
    use.repeats = sampler.wrap_s != wrap_clamp || sampler.wrap_t != wrap_clamp;
    uses.push_back(use);
  }
  return uses;
}

}  // namespace wakuzume
