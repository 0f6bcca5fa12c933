// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/lit_scene.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <random>

#include "support/scene_builder.h"
#include "wakuzume/image.h"

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
    builder.scene.materials.back().metallic = 0;
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

/// Squares whose materials are equal but for the lightmap that they name, each with a transform.
Scene make_lit_by_materials(std::size_t pages, std::size_t draws) {
  SceneBuilder builder;
  std::vector<MaterialId> materials;
  for (std::size_t p = 0; p < pages; ++p) {
    TexelGrid grid = make_numbered_page(p, {32, 32});
    grid.format = "image/png rgba 8";
    Image image;
    image.name = "light_" + std::to_string(p);
    image.mime_type = "image/png";
    image.bytes = make_bytes(*pack_texels(grid));
    const ImageId id = make_id<ImageId>(builder.scene.images.size());
    builder.scene.images.push_back(std::move(image));
    const TextureId texture = builder.add_texture(id);
    materials.push_back(builder.add_material("paint"));
    builder.scene.materials.back().metallic = 0;
    builder.scene.materials.back().extra.ensure().extensions.push_back(
        {"MOZ_lightmap",
         "{\"intensity\":1.5,\"index\":" + std::to_string(to_index(texture)) +
             ",\"texCoord\":1,\"extensions\":{\"KHR_texture_transform\":{\"scale\":[0.5,0.5],"
             "\"offset\":[0.25,0]}}}"});
  }
  builder.scene.extensions_used.push_back("MOZ_lightmap");
  MeshData data = make_square();
  for (std::size_t v = 0; v < data.positions.size() / 3; ++v) {
    data.lightmap_uvs.push_back(data.positions[3 * v] > 0 ? 0.9F : 0.1F);
    data.lightmap_uvs.push_back(data.positions[3 * v + 1] > 0 ? 0.8F : 0.2F);
  }
  std::vector<MeshId> meshes;
  for (std::size_t p = 0; p < pages; ++p) {
    meshes.push_back(builder.add_mesh("square", data, materials[p]));
  }
  for (std::size_t d = 0; d < draws; ++d) {
    builder.add_node("part", meshes[d % pages], at(2 * static_cast<double>(d)));
  }
  return builder.finish();
}

Album::Album(std::size_t pages, RectSize size) {
  for (std::size_t p = 0; p < pages; ++p) {
    TexelGrid grid = make_numbered_page(p, size);
    grid.format = "image/png rgba 8";
    grids.push_back(std::move(grid));
  }
}

void Album::soften() {
  for (std::size_t p = 0; p < grids.size(); ++p) {
    const std::uint32_t width = grids[p].size.width_px;
    for (std::uint32_t i = 0; i < width * grids[p].size.height_px; ++i) {
      const double x = (i % width) * 0.2 + static_cast<double>(p);
      const double y = (i / width) * 0.17;
      const double light = 130 + 60 * std::sin(x) * std::cos(y);
      const std::array<double, 4> rgba{light, 0.9 * light, 0.8 * light, 255};
      for (std::size_t c = 0; c < rgba.size(); ++c) {
        grids[p].texels[std::size_t{4} * i + c] = static_cast<std::byte>(std::lround(rgba[c]));
      }
    }
  }
}

Result<LightmapFile> Album::find(const std::string& name) const {
  for (std::size_t p = 0; p < grids.size(); ++p) {
    const std::string file = "lightmap_" + std::to_string(p);
    if (name == file || name == file + ".png") {
      return LightmapFile{file + ".png", make_bytes(*pack_texels(grids[p]))};
    }
  }
  return LightmapFile{};
}

}  // namespace wakuzume::test
