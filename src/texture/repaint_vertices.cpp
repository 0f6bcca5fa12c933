// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "texture/repainter.h"

// UVs, tangents, colours and layers of what shows another material.
namespace wakuzume {

void Repainter::make_streams(Rework& work) const {
  const Primitive& primitive = source_of(work);
  if (work.aim.page != no_index && tile_of(work).baked()) {
    bake(work);
  } else if (work.aim.page != no_index) {
    const AtlasPage& page = routes_.pages[work.aim.page];
    const Tile& tile = tile_of(work);
    work.uvs = make_page_coordinates(primitive, tile, page.size);
    if (tile.turned && !tile.solid() && primitive.find("TANGENT") != no_stream &&
        primitive.find("NORMAL") != no_stream) {
      work.tangents = make_turned_tangents(primitive);
    }
  }
  if (work.aim.end->stack != no_index) {
    make_layer_streams(work);
  }
  if (work.aim.own->tinted) {
    work.colors = make_colors(primitive, scene_[work.aim.own->material].base_color);
  }
}

void Repainter::bake(Rework& work) const {
  auto baked =
      make_baked_primitive(scene_, source_of(work), tile_of(work), routes_.pages[work.aim.page]);
  if (!baked) {
    work.failed = true;
    work.problem = baked.error();
    work.problem.code = ErrorCode::plan_mismatch;
    work.problem.place.pointer =
        fmt::format("/materials/pages/{}/tiles/{}", work.aim.page, work.aim.tile);
    return;
  }
  work.uvs = std::move(baked->uvs);
  work.tangents = std::move(baked->tangents);
  work.vertices = std::move(baked->vertices);
  work.indices = std::move(baked->indices);
}

void Repainter::make_layer_streams(Rework& work) const {
  const Primitive& primitive = source_of(work);
  const LayerStack& stack = routes_.stacks[work.aim.end->stack];
  if (shows_layers(stack)) {
    work.layers.assign(count_vertices(scene_, primitive), static_cast<float>(work.aim.end->member));
  }
  UvSource source = find_uv_source(scene_, scene_[primitive.material]);
  source.periods = {0, 0};
  const UvTransform plain;
  const UvTransform& t = source.transform;
  const auto& copies = stack.copies[work.aim.end->member];
  if (t.offset == plain.offset && t.rotation == plain.rotation && t.scale == plain.scale &&
      copies[0] == 1 && copies[1] == 1) {
    return;
  }
  for (const Vec2d& uv : make_texture_coordinates(scene_, primitive, source)) {
    work.uvs.push_back(static_cast<float>(uv[0] / copies[0]));
    work.uvs.push_back(static_cast<float>(uv[1] / copies[1]));
  }
}

std::vector<float> Repainter::make_page_coordinates(const Primitive& primitive,
                                                    const Tile& tile,
                                                    const RectSize& page) const {
  const std::uint64_t count = count_vertices(scene_, primitive);
  std::vector<float> out(2 * count);
  const double width = tile.size.width_px;
  const double height = tile.size.height_px;
  std::vector<Vec2d> uvs;
  if (!tile.solid()) {
    uvs = make_texture_coordinates(scene_, primitive,
                                   find_uv_source(scene_, scene_[primitive.material]));
  }
  for (std::size_t v = 0; v < count; ++v) {
    // From the corner of the tile, in pixels of the page.
    double a = width / 2;
    double b = height / 2;
    if (v < uvs.size()) {
      a = (uvs[v][0] * tile.texture.width_px - static_cast<double>(tile.used.x)) * width /
          static_cast<double>(tile.used.width);
      b = (uvs[v][1] * tile.texture.height_px - static_cast<double>(tile.used.y)) * height /
          static_cast<double>(tile.used.height);
    }
    const double x = tile.turned ? height - b : a;
    const double y = tile.turned ? a : b;
    out[2 * v] = static_cast<float>((tile.x + x) / page.width_px);
    out[2 * v + 1] = static_cast<float>((tile.y + y) / page.height_px);
  }
  return out;
}

std::vector<float> Repainter::make_turned_tangents(const Primitive& primitive) const {
  std::vector<float> tangents = make_floats(scene_, primitive.find("TANGENT"));
  const std::vector<float> normals = make_floats(scene_, primitive.find("NORMAL"));
  for (std::size_t v = 0; 4 * v + 3 < tangents.size() && 3 * v + 2 < normals.size(); ++v) {
    const float* n = &normals[3 * v];
    float* t = &tangents[4 * v];
    const float turned[3] = {n[1] * t[2] - n[2] * t[1], n[2] * t[0] - n[0] * t[2],
                             n[0] * t[1] - n[1] * t[0]};
    for (std::size_t c = 0; c < 3; ++c) {
      t[c] = turned[c] * t[3];
    }
  }
  return tangents;
}

std::vector<std::uint16_t> Repainter::make_colors(const Primitive& primitive,
                                                  const Vec4d& color) const {
  const std::uint64_t count = count_vertices(scene_, primitive);
  const StreamId stream = primitive.find("COLOR_0");
  const std::vector<float> had =
      stream == no_stream ? std::vector<float>() : make_floats(scene_, stream);
  const std::size_t width = stream == no_stream ? 0 : component_count(scene_[stream].element);
  std::vector<std::uint16_t> out(4 * count);
  for (std::size_t v = 0; v < count; ++v) {
    for (std::size_t c = 0; c < 4; ++c) {
      const double own = c < width ? static_cast<double>(had[v * width + c]) : 1;
      out[4 * v + c] =
          static_cast<std::uint16_t>(std::lround(std::clamp(own * color[c], 0.0, 1.0) * 65535));
    }
  }
  return out;
}

}  // namespace wakuzume
