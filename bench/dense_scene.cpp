// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <cmath>

#include "large_scene.h"

namespace wakuzume {
namespace {

/// A stream over values that become a block of their own.
template <class T>
StreamId add_values(Scene& scene, std::vector<T> values, ElementType element, ComponentType type) {
  Stream stream;
  stream.element = element;
  stream.component = type;
  stream.count = values.size() / component_count(element);
  if (type == ComponentType::f32 && element == ElementType::vec3) {
    stream.bounds = StreamBounds{{0, 0, 0}, {1, 1, 1}};
  }
  BlockView view;
  view.block = make_id<BlockId>(scene.blocks.size());
  view.length = values.size() * sizeof(T);
  scene.blocks.emplace_back().bytes = make_bytes(std::move(values));
  stream.view = make_id<ViewId>(scene.views.size());
  scene.views.push_back(view);
  scene.streams.push_back(std::move(stream));
  return make_id<StreamId>(scene.streams.size() - 1);
}

/// A bumpy square of side x side vertices.
Primitive make_square(Scene& scene, std::uint32_t side, std::size_t number) {
  std::vector<float> positions;
  std::vector<float> normals;
  std::vector<float> uvs;
  std::vector<std::uint32_t> indices;
  for (std::uint32_t y = 0; y < side; ++y) {
    for (std::uint32_t x = 0; x < side; ++x) {
      const float u = static_cast<float>(x) / static_cast<float>(side - 1);
      const float v = static_cast<float>(y) / static_cast<float>(side - 1);
      const float bump =
          0.5F + 0.4F * std::sin(9 * u + static_cast<float>(number)) * std::cos(7 * v);
      positions.insert(positions.end(), {u, bump, v});
      normals.insert(normals.end(), {0, 1, 0});
      uvs.insert(uvs.end(), {u, v});
      if (x + 1 < side && y + 1 < side) {
        const std::uint32_t at = y * side + x;
        indices.insert(indices.end(), {at, at + side, at + 1, at + 1, at + side, at + side + 1});
      }
    }
  }
  Primitive primitive;
  primitive.attributes = {
      {"POSITION", add_values(scene, std::move(positions), ElementType::vec3, ComponentType::f32)},
      {"NORMAL", add_values(scene, std::move(normals), ElementType::vec3, ComponentType::f32)},
      {"TEXCOORD_0", add_values(scene, std::move(uvs), ElementType::vec2, ComponentType::f32)}};
  primitive.indices =
      add_values(scene, std::move(indices), ElementType::scalar, ComponentType::u32);
  primitive.material = MaterialId{0};
  return primitive;
}

}  // namespace

Scene make_dense_scene(std::size_t nodes, std::size_t vertices) {
  Scene scene;
  scene.materials.emplace_back();
  scene.levels.emplace_back();
  scene.default_level = LevelId{0};
  const auto side = static_cast<std::uint32_t>(std::sqrt(static_cast<double>(vertices)));
  for (std::size_t n = 0; n < nodes; ++n) {
    Mesh mesh;
    mesh.primitives.push_back(make_square(scene, side, n));
    scene.meshes.push_back(std::move(mesh));
    Node node;
    node.mesh = make_id<MeshId>(n);
    node.trs.translation = {2 * static_cast<double>(n), 0, 0};
    const double half_angle = 0.1 * static_cast<double>(n % 30);
    node.trs.rotation = {0, std::sin(half_angle), 0, std::cos(half_angle)};
    scene.nodes.push_back(std::move(node));
    scene.levels[0].roots.push_back(make_id<NodeId>(n));
  }
  return link_parents(scene) && check_scene(scene) ? std::move(scene) : Scene{};
}

}  // namespace wakuzume
