// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/lit_scene.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <random>

#include "support/scene_builder.h"

namespace wakuzume::test {
namespace {

/// A square with UVs of a rectangle.
MeshData make_lit_square(double left, double top, double right, double bottom) {
  MeshData data = make_square();
  const auto f = [](double v) { return static_cast<float>(v); };
  data.lightmap_uvs.clear();
  for (std::size_t v = 0; v < data.positions.size() / 3; ++v) {
    data.lightmap_uvs.push_back(f(data.positions[3 * v] > 0 ? right : left));
    data.lightmap_uvs.push_back(f(data.positions[3 * v + 1] > 0 ? bottom : top));
  }
  return data;
}

}  // namespace

TexelGrid make_numbered_page(std::size_t page, RectSize size) {
  TexelGrid grid;
  grid.size = size;
  grid.format = "test";
  grid.texel_bytes = 4;
  grid.texels.resize(std::size_t{4} * size.width_px * size.height_px);
  for (std::uint32_t i = 0; i < size.width_px * size.height_px; ++i) {
    const std::uint32_t texel = static_cast<std::uint32_t>(page + 1) << 16U | i;
    std::memcpy(&grid.texels[std::size_t{4} * i], &texel, 4);
  }
  return grid;
}

LitScene make_lit_scene(const LitSceneSettings& settings) {
  std::mt19937 random(settings.seed);
  const auto chance = [&] { return static_cast<double>(random()) / 4294967296.0; };
  const auto below = [&](std::uint32_t n) { return static_cast<std::uint32_t>(random() % n); };
  LitScene out;
  SceneBuilder builder;
  std::vector<MaterialId> materials;
  for (std::uint32_t m = 0; m < settings.materials; ++m) {
    materials.push_back(builder.add_material(fmt::format("paint_{}", m)));
  }
  for (std::size_t p = 0; p < settings.pages; ++p) {
    RectSize size{settings.page_px, settings.page_px};
    if (settings.odd_sizes) {
      size = {3 + below(settings.page_px), 3 + below(settings.page_px)};
    }
    out.grids.push_back(make_numbered_page(p, size));
    out.pictures.push_back({std::to_string(p), no_image, fmt::format("page_{}", p), size, "test"});
  }
  std::vector<MeshId> shared;
  for (std::size_t d = 0; d < settings.draws; ++d) {
    const std::size_t page =
        d < settings.pages ? d : below(static_cast<std::uint32_t>(settings.pages));
    const double width = 0.05 + 0.5 * chance();
    const double height = 0.05 + 0.5 * chance();
    const double left = (1 - width) * chance();
    const double top = (1 - height) * chance();
    std::string extras = fmt::format("\"id\":{},\"lightmap\":{}", d, page);
    MeshData data = make_lit_square(left, top, left + width, top + height);
    if (settings.by_transform) {
      data = make_lit_square(0, 0, 1, 1);
      extras += fmt::format(",\"lightmap_place\":[{},{},{},{}]", width, height, left, top);
    }
    const MaterialId material = materials[below(settings.materials)];
    MeshId mesh = no_mesh;
    if (settings.shared_mesh && shared.size() >= 2) {
      mesh = shared[d % shared.size()];
    } else {
      mesh = builder.add_mesh(fmt::format("mesh_{}", d), data, material);
      shared.push_back(mesh);
    }
    const double column = static_cast<double>(d % 8);
    const double row = static_cast<double>(d / 8);
    const NodeId node =
        builder.add_node(fmt::format("part_{}", d), mesh, at(2 * column, 0, 2 * row));
    builder.set_extras(node, "{" + extras + "}");
  }
  out.rules.lightmap_transform_key = settings.by_transform ? "lightmap_place" : "";
  out.scene = builder.finish();
  return out;
}

}  // namespace wakuzume::test
