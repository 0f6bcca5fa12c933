// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "materials.h"

#include "textures.h"

namespace wakuzume::demo {
namespace {

Material make_plain(const std::string& name,
                    const Vec3d& color,
                    double roughness,
                    double metallic) {
  Material material;
  material.name = name;
  material.base_color = {color[0], color[1], color[2], 1};
  material.roughness = roughness;
  material.metallic = metallic;
  return material;
}

Material make_textured(const std::string& name, TextureId texture, double roughness) {
  Material material = make_plain(name, {1, 1, 1}, roughness, 0);
  material.base_color_texture.texture = texture;
  return material;
}

MaterialId add_leaf(SceneMaker& maker, const std::string& name, TextureId texture) {
  Material leaf = make_textured(name, texture, 0.8);
  leaf.alpha_mode = AlphaMode::mask;
  leaf.double_sided = true;
  return maker.add_material(std::move(leaf));
}

void add_stone(SceneMaker& maker, Materials& out) {
  Material slabs =
      make_textured("stone_slabs", maker.add_texture("stone", draw_stone_slabs()), 0.9);
  Material worn = slabs;
  worn.name = "stone_slabs_worn";
  worn.normal_texture.texture = maker.add_texture("stone_normals", draw_stone_normals());
  worn.normal_texture.factor = 0.8;
  out.slabs = maker.add_material(std::move(slabs));
  out.worn_slabs = maker.add_material(std::move(worn));
  out.bricks =
      maker.add_material(make_textured("bricks", maker.add_texture("bricks", draw_bricks()), 0.95));
  out.wood =
      maker.add_material(make_textured("bench_wood", maker.add_texture("wood", draw_wood()), 0.75));
  out.terracotta = maker.add_material(
      make_textured("terracotta", maker.add_texture("terracotta", draw_terracotta()), 0.9));
  out.grass =
      maker.add_material(make_textured("lawn", maker.add_texture("grass", draw_grass()), 1));
  out.sign = maker.add_material(make_textured("sign", maker.add_texture("sign", draw_sign()), 0.5));
}

void add_metals(SceneMaker& maker, Materials& out) {
  const auto paint = [&](const std::string& name, const Color& color, std::uint32_t seed) {
    return maker.add_material(
        make_textured(name, maker.add_texture(name, draw_paint(color, seed)), 0.55));
  };
  out.iron_green = paint("iron_green", {0.16, 0.33, 0.26, 1}, 61);
  out.iron_white = paint("iron_white", {0.90, 0.90, 0.86, 1}, 62);
  out.iron_black = paint("iron_black", {0.14, 0.14, 0.15, 1}, 63);
  const TextureId worn = maker.add_texture("worn_metal", draw_worn_metal());
  const auto metal = [&](const std::string& name, const Vec3d& color) {
    Material material = make_plain(name, color, 0.8, 1);
    material.metallic_roughness_texture.texture = worn;
    return maker.add_material(std::move(material));
  };
  out.copper = metal("copper", {0.85, 0.45, 0.30});
  out.brass = metal("brass", {0.80, 0.62, 0.28});
  out.red_paint = maker.add_material(make_plain("valve_red", {0.55, 0.04, 0.03}, 0.4, 0));
  out.dial =
      maker.add_material(make_textured("gauge_dial", maker.add_texture("dial", draw_dial()), 0.3));
  out.lamp_shade = maker.add_material(make_plain("lamp_shade", {0.05, 0.14, 0.10}, 0.35, 0));
  Material bulb = make_plain("lamp_bulb", {1, 0.9, 0.7}, 0.5, 0);
  bulb.emissive = {1, 0.85, 0.6};
  out.bulb = maker.add_material(std::move(bulb));
}

}  // namespace

Materials make_materials(SceneMaker& maker) {
  Materials out{};
  add_stone(maker, out);
  add_metals(maker, out);
  Material glass = make_plain("glass", {0.80, 0.92, 0.90}, 0.05, 0);
  glass.base_color[3] = 0.18;
  glass.alpha_mode = AlphaMode::blend;
  glass.double_sided = true;
  out.glass = maker.add_material(std::move(glass));
  out.fronds = add_leaf(maker, "leaf_fronds", maker.add_texture("fronds", draw_fronds()));
  out.broad_leaf =
      add_leaf(maker, "leaf_broad", maker.add_texture("broad_leaf", draw_broad_leaf()));
  out.trap_flesh = maker.add_material(make_plain("trap_flesh", {0.65, 0.10, 0.16}, 0.5, 0));
  Material skin = make_plain("trap_skin", {0.25, 0.45, 0.12}, 0.6, 0);
  skin.double_sided = true;
  out.trap_skin = maker.add_material(std::move(skin));
  out.glazes = {maker.add_material(make_plain("glaze_blue", {0.05, 0.16, 0.38}, 0.2, 0)),
                maker.add_material(make_plain("glaze_mustard", {0.70, 0.42, 0.06}, 0.2, 0)),
                maker.add_material(make_plain("glaze_white", {0.82, 0.80, 0.74}, 0.2, 0))};
  const auto plain = [&](const char* name, const Vec3d& color, double roughness) {
    return maker.add_material(make_plain(name, color, roughness, 0));
  };
  out.gardener_skin = {plain("gardener_face", {0.72, 0.45, 0.33}, 0.55),
                       plain("gardener_hands", {0.72, 0.45, 0.33}, 0.55)};
  out.gardener_eyes = plain("gardener_eyes", {0.03, 0.02, 0.02}, 0.2);
  out.gardener_hair = plain("gardener_hair", {0.20, 0.10, 0.05}, 0.7);
  out.gardener_shirt = plain("gardener_shirt", {0.80, 0.72, 0.55}, 0.9);
  out.gardener_denim = plain("gardener_denim", {0.07, 0.14, 0.26}, 0.9);
  out.gardener_boots = plain("gardener_boots", {0.10, 0.24, 0.12}, 0.4);
  out.gardener_straw = plain("gardener_straw", {0.78, 0.60, 0.28}, 0.9);
  const std::array<const char*, 8> species{"ferns", "palms",  "aroids", "orchids",
                                           "cacti", "lilies", "mosses", "vines"};
  const std::array<Vec3d, 3> colors{Vec3d{0.85, 0.83, 0.75}, Vec3d{0.75, 0.65, 0.20},
                                    Vec3d{0.20, 0.40, 0.55}};
  for (std::size_t i = 0; i < species.size(); ++i) {
    out.plates[i] = maker.add_material(
        make_plain(std::string("plate_") + species[i], colors[i % colors.size()], 0.4, 0));
  }
  // The pages an engine multiplies in by the number in a node's extras; no material refers to them.
  for (std::uint32_t page = 0; page < 8; ++page) {
    maker.add_texture("lightmap_" + std::to_string(page), draw_lightmap(page));
  }
  return out;
}

}  // namespace wakuzume::demo
