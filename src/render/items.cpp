// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/items.h"

#include <algorithm>
#include <cmath>
#include <tuple>

#include "survey/draws.h"
#include "survey/textures.h"
#include "wakuzume/lightmaps.h"

namespace wakuzume {
namespace {

std::array<float, 4> pack_value(double x, double y, double z, double w) {
  return {static_cast<float>(x), static_cast<float>(y), static_cast<float>(z),
          static_cast<float>(w)};
}

GpuTextureUse pack_use(const TextureSlot& slot,
                       const std::vector<std::uint32_t>& sets,
                       double first_layer) {
  const UvTransform t = slot.transform ? *slot.transform : UvTransform{};
  const auto place = std::find(sets.begin(), sets.end(), find_uv_set(slot)) - sets.begin();
  // KHR_texture_transform: scale, then turn counter-clockwise (v runs down), then shift.
  const double c = std::cos(t.rotation);
  const double s = std::sin(t.rotation);
  return {pack_value(c * t.scale[0], s * t.scale[1], t.offset[0], static_cast<double>(place)),
          pack_value(-s * t.scale[0], c * t.scale[1], t.offset[1], first_layer)};
}

class MaterialPacker {
 public:
  MaterialPacker(const Scene& scene, const GpuTextures& textures, DrawItems& out)
      : scene_(scene), textures_(textures), out_(out) {}

  void pack_material(const Material& material) {
    BoundMaterial bound;
    GpuMaterial gpu{};
    bound.masked = material.alpha_mode == AlphaMode::mask;
    bound.blended = material.alpha_mode == AlphaMode::blend;
    bound.unlit = material.unlit();
    gpu.base = pack_value(material.base_color[0], material.base_color[1], material.base_color[2],
                          material.base_color[3]);
    gpu.emission = pack_value(material.emissive[0], material.emissive[1], material.emissive[2],
                              bound.masked ? material.alpha_cutoff : -1);
    const double strength = find_emissive_strength(material);
    for (std::size_t i = 0; i < 3; ++i) {
      gpu.emission[i] *= static_cast<float>(strength);
    }
    gpu.surface = pack_value(material.metallic, material.roughness,
                             material.occlusion_texture.factor, material.normal_texture.factor);
    const auto slots = list_slots(material);
    const std::vector<std::uint32_t> sets = list_uv_sets(material);
    for (std::size_t s = 0; s < slots.size(); ++s) {
      const TextureSlot& slot = *slots[s];
      const Colors colors = find_colors(s);
      const auto hit = textures_.pictures.find({slot.texture, colors});
      const bool there = slot.texture != no_texture && hit != textures_.pictures.end();
      bound.mask = static_cast<std::uint8_t>(bound.mask | (there ? 1U << s : 0U));
      bound.textures[s] = (there ? hit->second : textures_.white)->texture.id();
      bound.samplers[s] =
          textures_.samplers
              .at(there ? scene_.textures[to_index(slot.texture)].sampler : no_sampler)
              .id();
      gpu.uses[s] = pack_use(slot, sets, there ? add_layers(slot.texture) : -1);
    }
    out_.materials.push_back(bound);
    out_.gpu_materials.push_back(gpu);
  }

 private:
  /// KHR_materials_emissive_strength; its JSON is one number.
  static double find_emissive_strength(const Material& material) {
    if (material.extra) {
      for (const RawMember& extension : material.extra->extensions) {
        const std::size_t at = extension.json.find("\"emissiveStrength\"");
        if (extension.name == "KHR_materials_emissive_strength" && at != std::string::npos) {
          const std::size_t number = extension.json.find_first_of("0123456789.", at + 18);
          return number == std::string::npos ? 1 : std::atof(extension.json.c_str() + number);
        }
      }
    }
    return 1;
  }

  /// Where the table of a layered texture begins; -1 for others.
  double add_layers(TextureId id) {
    const Boxed<TextureLayers>& layers = scene_.textures[to_index(id)].layers;
    if (!layers) {
      return -1;
    }
    const auto first = static_cast<double>(out_.layers.size());
    out_.layers.insert(out_.layers.end(), layers->layer_of.begin(), layers->layer_of.end());
    return first;
  }

  const Scene& scene_;
  const GpuTextures& textures_;
  DrawItems& out_;
};

std::array<float, 4> pack_place(const LightmapPlace& place) {
  return pack_value(place.scale[0], place.scale[1], place.offset[0], place.offset[1]);
}

/// Factors that the instances of a node carry.
std::vector<GpuRecord> make_factors(const Scene& scene,
                                    const Node& node,
                                    std::size_t count,
                                    const BakedUse& baked) {
  GpuRecord plain{};
  plain.tint = {1, 1, 1, 1};
  plain.emission = {1, 1, 1, 1};
  plain.surface = {1, 1};
  plain.light = baked.intensity;
  plain.baked = pack_place(make_product(baked.beyond, baked.place));
  std::vector<GpuRecord> out(count, plain);
  if (!node.instancing) {
    return out;
  }
  for (const Attribute& attribute : node.instancing->attributes) {
    const std::size_t width = component_count(scene[attribute.stream].element);
    const auto apply = [&](std::size_t at_most, auto&& member) {
      const std::vector<float> values = make_floats(scene, attribute.stream);
      for (std::size_t i = 0; i < std::min(count, values.size() / width); ++i) {
        for (std::size_t c = 0; c < std::min(at_most, width); ++c) {
          member(out[i], c) *= values[i * width + c];
        }
      }
    };
    if (attribute.semantic == "_COLOR_0") {
      apply(3, [](GpuRecord& r, std::size_t c) -> float& { return r.tint[c]; });
    } else if (attribute.semantic == "_EMISSIVE") {
      apply(3, [](GpuRecord& r, std::size_t c) -> float& { return r.emission[c]; });
    } else if (attribute.semantic == "_METALLIC") {
      apply(1, [](GpuRecord& r, std::size_t) -> float& { return r.surface[0]; });
    } else if (attribute.semantic == "_ROUGHNESS") {
      apply(1, [](GpuRecord& r, std::size_t) -> float& { return r.surface[1]; });
    } else if (attribute.semantic == lightmap_semantic && width == 4) {
      const std::vector<double> values = make_doubles(scene, attribute.stream);
      for (std::size_t i = 0; i < std::min(count, values.size() / width); ++i) {
        const double* const own = &values[i * width];
        out[i].baked = pack_place(make_product(baked.beyond, {{own[0], own[1]}, {own[2], own[3]}}));
      }
    }
  }
  return out;
}

void add_instances(const Scene& scene,
                   const Mat4d& world,
                   const Node& node,
                   const BakedUse& baked,
                   DrawItem& item,
                   DrawItems& out) {
  item.first_instance = static_cast<std::uint32_t>(out.instance_world.size());
  if (node.instancing) {
    for (const Trs& trs : make_instance_transforms(scene, node)) {
      out.instance_world.push_back(make_product(world, make_matrix(trs)));
    }
  } else {
    out.instance_world.push_back(world);
  }
  item.instance_count = static_cast<std::uint32_t>(out.instance_world.size()) - item.first_instance;
  std::vector<GpuRecord> factors = make_factors(scene, node, item.instance_count, baked);
  std::uint32_t mirrored = 0;
  for (std::uint32_t i = 0; i < item.instance_count; ++i) {
    const bool turned = linear_determinant(out.instance_world[item.first_instance + i]) < 0;
    mirrored += turned ? 1U : 0U;
    factors[i].emission[3] = turned ? -1.0F : 1.0F;
  }
  item.mirrored = mirrored > 0 && mirrored == item.instance_count;
  if (item.sides == Sides::culled && mirrored > 0 && !item.mirrored) {
    item.sides = Sides::by_shader;
  }
  out.instance_factors.insert(out.instance_factors.end(), factors.begin(), factors.end());
}

/// Opaque items by what they need of the driver, then by their geometry, so that many of them can
/// be drawn at once; blended ones behind them in the order of the scene, each by itself.
void sort_by_state(DrawItems& out) {
  const auto rank = [&](const DrawItem& i) {
    const BoundMaterial& m = out.materials[i.material];
    return m.blended ? std::tuple(true, false, 0U, std::uint8_t{0}, Sides::culled, false, 0U,
                                  std::uint64_t{0}, 0U, 0U)
                     : std::tuple(false, m.masked, i.place.arena, m.mask, i.sides, i.mirrored,
                                  i.material, i.place.first_index, i.place.index_count, i.page);
  };
  std::stable_sort(out.items.begin(), out.items.end(),
                   [&](const DrawItem& a, const DrawItem& b) { return rank(a) < rank(b); });
  out.first_blended = static_cast<std::size_t>(
      std::find_if(out.items.begin(), out.items.end(),
                   [&](const DrawItem& i) { return out.materials[i.material].blended; }) -
      out.items.begin());
  for (std::size_t i = 1; i < out.items.size(); ++i) {
    const bool same = i < out.first_blended && rank(out.items[i]) == rank(out.items[i - 1]);
    out.items[i].group = out.items[i - 1].group + (same ? 0U : 1U);
  }
}

}  // namespace

DrawItems make_draw_items(const Scene& scene,
                          const Survey& survey,
                          const GpuGeometry& geometry,
                          const GpuTextures& textures,
                          const BakedLight& baked) {
  DrawItems out;
  for (const GlTextureArray& page : baked.pages) {
    out.pages.push_back(page.id());
  }
  MaterialPacker packer(scene, textures, out);
  packer.pack_material(Material());
  for (const Material& material : scene.materials) {
    packer.pack_material(material);
  }
  out.layers.push_back(0);  // a buffer may not be empty
  const std::vector<Mat4d> world = make_world_matrices(scene);
  for (std::size_t d = 0; d < survey.draws.size(); ++d) {
    const Draw& draw = survey.draws[d];
    DrawItem item;
    item.draw = make_id<DrawId>(d);
    item.place = geometry.places[d];
    item.material =
        draw.material == no_material ? 0 : static_cast<std::uint32_t>(to_index(draw.material)) + 1;
    const bool surface = item.place.mode == GL_TRIANGLES;
    const bool both = draw.material != no_material && scene[draw.material].double_sided;
    item.sides = !surface ? Sides::none : both ? Sides::both : Sides::culled;
    const BakedUse use = baked.of(item.draw);
    item.page = use.page;
    add_instances(scene, world[to_index(draw.node)], scene[draw.node], use, item, out);
    out.items.push_back(item);
  }
  sort_by_state(out);
  return out;
}

ProgramKey make_program_key(const BoundMaterial& material,
                            const VertexLayout& layout,
                            const DrawItem& item,
                            const ShotRequest& request,
                            Pass pass) {
  ProgramKey key;
  key.pass = pass;
  const bool whole = pass == Pass::shade || pass == Pass::blend;
  key.lit = (whole && request.shading == Shading::lit) || pass == Pass::collect;
  key.unlit = key.lit && material.unlit;
  key.measure = whole ? request.measure : Measure::none;
  // What is shaded was found visible before.
  key.may_discard = pass != Pass::shade && (material.masked || item.sides == Sides::by_shader);
  const bool shaded = key.lit && !material.unlit;
  const bool base = key.lit || material.masked || key.measure == Measure::tile_checks ||
                    key.measure == Measure::texels_per_metre;
  key.textures = shaded ? material.mask : (base ? material.mask & 1U : 0U);
  key.baked = layout.baked && item.page > 0 && (shaded || key.measure == Measure::baked_light);
  key.normals = layout.normals && (shaded || key.measure == Measure::facing ||
                                   (key.measure == Measure::baked_light && !key.baked));
  key.tangents = layout.tangents && shaded && key.normals && (material.mask & 4U) != 0;
  key.colors = layout.colors && base;
  key.layers = layout.layers && key.textures != 0;
  key.uv_sets = key.textures != 0 ? std::max<std::uint8_t>(1, layout.uv_sets) : std::uint8_t{1};
  return key;
}

}  // namespace wakuzume
