// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "render/geometry.h"
#include "render/pictures.h"
#include "render/programs.h"
#include "wakuzume/scene.h"
#include "wakuzume/shot.h"
#include "wakuzume/survey.h"

/// What is drawn, prepared once for all views: plain values in the layouts that shaders read.
namespace wakuzume {

/// As `Record` in view.vert.
struct GpuRecord {
  std::array<std::array<float, 4>, 3> rows;
  std::array<float, 4> tint;
  std::array<float, 4> emission;
  std::array<float, 2> surface;
  std::uint32_t first_shown;   ///< of its elements that are shaded, among those of all
  float light;                 ///< times that of the lightmap
  std::array<float, 4> baked;  ///< scale and offset of lightmap UVs
};
/// As `Material` in view.frag.
struct GpuTextureUse {
  std::array<float, 4> u;
  std::array<float, 4> v;
};
struct GpuMaterial {
  std::array<float, 4> base;
  std::array<float, 4> emission;
  std::array<float, 4> surface;
  std::array<GpuTextureUse, 5> uses;
};

/// A material with what it binds.
struct BoundMaterial {
  std::array<GLuint, 5> textures{};
  std::array<GLuint, 5> samplers{};
  std::uint8_t mask = 0;  ///< slots that have a texture
  bool masked = false;
  bool blended = false;
  bool unlit = false;
};

enum class Sides : std::uint8_t { culled, both, by_shader, none };

struct DrawItem {
  DrawId draw = no_draw;
  GpuRange place;
  std::uint32_t material = 0;  ///< 0: the standard's; else the scene's number and one
  std::uint32_t page = 0;      ///< as BakedUse has it
  Sides sides = Sides::culled;
  bool mirrored = false;
  std::uint32_t first_instance = 0;
  std::uint32_t instance_count = 1;
  /// Items of one group follow each other and differ by their instances alone.
  std::uint32_t group = 0;
};

struct DrawItems {
  std::vector<DrawItem> items;  ///< opaque ones by state, then the blended in draw order
  std::size_t first_blended = 0;
  std::vector<Mat4d> instance_world;
  std::vector<GpuRecord> instance_factors;  ///< without their rows
  std::vector<GLuint> pages;                ///< textures of lightmaps
  std::vector<BoundMaterial> materials;
  std::vector<GpuMaterial> gpu_materials;
  std::vector<std::uint32_t> layers;  ///< tables of all layered textures
};

DrawItems make_draw_items(const Scene& scene,
                          const Survey& survey,
                          const GpuGeometry& geometry,
                          const GpuTextures& textures,
                          const BakedLight& baked);

/// What a program has to do for an item in a pass. \param layout  of its vertices
ProgramKey make_program_key(const BoundMaterial& material,
                            const VertexLayout& layout,
                            const DrawItem& item,
                            const ShotRequest& request,
                            Pass pass);

}  // namespace wakuzume
