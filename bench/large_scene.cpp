// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "large_scene.h"

#include <fmt/format.h>

#include <cmath>

namespace wakuzume {
namespace {

constexpr std::size_t materials = 200;
constexpr double spacing_m = 4;

/// A box of 12 triangles with normals and UVs would do, but every mesh needs bytes of its own.
struct BoxVertex {
  std::array<float, 3> position;
  std::array<float, 3> normal;
  std::array<float, 2> uv;
};

std::vector<BoxVertex> make_box(float width, float height, float texture) {
  std::vector<BoxVertex> vertices;
  for (std::size_t side = 0; side < 6; ++side) {
    const std::size_t axis = side / 2;
    const float towards = side % 2 == 0 ? 1.0F : -1.0F;
    for (std::size_t corner = 0; corner < 4; ++corner) {
      const float a = corner == 1 || corner == 2 ? 1.0F : -1.0F;
      const float b = corner >= 2 ? 1.0F : -1.0F;
      BoxVertex vertex{};
      vertex.position[axis] = towards;
      vertex.position[(axis + 1) % 3] = a * towards;
      vertex.position[(axis + 2) % 3] = b;
      vertex.normal[axis] = towards;
      vertex.uv = {(a + 1) / 2 * texture, (b + 1) / 2};
      vertex.position[0] *= width;
      vertex.position[2] *= width;
      vertex.position[1] = (vertex.position[1] + 1) * height;
      vertices.push_back(vertex);
    }
  }
  return vertices;
}

class LargeScene {
 public:
  Scene make(std::size_t draws, std::size_t families) {
    families_ = families;
    add_indices();
    for (std::size_t m = 0; m < materials; ++m) {
      Material material;
      material.name = fmt::format("kit_{}/surface_{}", m % 7, m);
      material.base_color = {static_cast<double>(m % 10) / 10, 0.5, 0.5, 1};
      material.roughness = static_cast<double>(m / 10) / 20;
      scene_.materials.push_back(material);
    }
    for (std::size_t m = 0; m < families_; ++m) {
      add_mesh(m);
    }
    scene_.blocks.emplace_back().bytes = make_bytes(std::move(data_));
    add_nodes(draws);
    scene_.default_level = LevelId{0};
    return link_parents(scene_) && check_scene(scene_) ? std::move(scene_) : Scene{};
  }

 private:
  StreamId add_stream(const void* bytes, std::size_t size, Stream stream) {
    BlockView view;
    view.block = BlockId{0};
    view.offset = data_.size();
    view.length = size;
    const auto* first = static_cast<const std::byte*>(bytes);
    data_.insert(data_.end(), first, first + size);
    stream.view = make_id<ViewId>(scene_.views.size());
    scene_.views.push_back(view);
    scene_.streams.push_back(std::move(stream));
    return make_id<StreamId>(scene_.streams.size() - 1);
  }

  void add_indices() {
    std::vector<std::uint16_t> indices;
    for (unsigned side = 0; side < 6; ++side) {
      for (const unsigned corner : {0U, 1U, 2U, 0U, 2U, 3U}) {
        indices.push_back(static_cast<std::uint16_t>(4 * side + corner));
      }
    }
    Stream stream;
    stream.count = indices.size();
    stream.component = ComponentType::u16;
    indices_ = add_stream(indices.data(), indices.size() * 2, stream);
  }

  void add_mesh(std::size_t m) {
    const float size = 0.3F + 0.001F * static_cast<float>(m % 1000);
    const std::vector<BoxVertex> box = make_box(size, 2 * size, 1 + 0.01F * static_cast<float>(m));
    Primitive primitive;
    primitive.indices = indices_;
    primitive.material = make_id<MaterialId>(m % materials);
    const auto add = [&](const char* semantic, ElementType element, auto member) {
      std::vector<float> values;
      for (const BoxVertex& vertex : box) {
        values.insert(values.end(), (vertex.*member).begin(), (vertex.*member).end());
      }
      Stream stream;
      stream.count = box.size();
      stream.element = element;
      primitive.attributes.push_back(
          {semantic, add_stream(values.data(), values.size() * sizeof(float), stream)});
    };
    add("POSITION", ElementType::vec3, &BoxVertex::position);
    add("NORMAL", ElementType::vec3, &BoxVertex::normal);
    add("TEXCOORD_0", ElementType::vec2, &BoxVertex::uv);
    Mesh mesh;
    mesh.name = fmt::format("part_{}", m);
    mesh.primitives.push_back(std::move(primitive));
    scene_.meshes.push_back(std::move(mesh));
  }

  void add_nodes(std::size_t draws) {
    const auto side = static_cast<std::size_t>(std::ceil(std::sqrt(static_cast<double>(draws))));
    scene_.levels.emplace_back();
    for (std::size_t d = 0; d < draws; ++d) {
      if (d % 100 == 0) {
        scene_.levels[0].roots.push_back(make_id<NodeId>(scene_.nodes.size()));
        district_ = scene_.nodes.size();
        scene_.nodes.emplace_back().name = fmt::format("district_{}", d / 100);
      }
      scene_.nodes[district_].children.push_back(make_id<NodeId>(scene_.nodes.size()));
      Node node;
      node.name = fmt::format("part_{}", d);
      node.mesh = make_id<MeshId>((d * 7919) % families_);
      node.trs.translation = {static_cast<double>(d % side) * spacing_m, 0,
                              static_cast<double>(d / side) * spacing_m};
      scene_.nodes.push_back(std::move(node));
    }
  }

  Scene scene_;
  std::vector<std::byte> data_;
  StreamId indices_ = no_stream;
  std::size_t district_ = 0;
  std::size_t families_ = 0;
};

}  // namespace

Scene make_large_scene(std::size_t draws, std::size_t families) {
  return LargeScene().make(draws, families);
}

}  // namespace wakuzume
