// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/scene_builder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numbers>

namespace wakuzume::test {

Trs at(double x, double y, double z) { return {{x, y, z}, {0, 0, 0, 1}, {1, 1, 1}}; }

Trs scaled(double x, double y, double z, const Vec3d& position) {
  return {position, {0, 0, 0, 1}, {x, y, z}};
}

SceneBuilder::SceneBuilder() {
  scene.levels.emplace_back();
  scene.default_level = LevelId{0};
}

StreamId SceneBuilder::add_bytes(const void* data,
                                 std::size_t size,
                                 Stream stream,
                                 std::uint32_t stride) {
  const auto* from = static_cast<const std::byte*>(data);
  Block block;
  block.bytes = make_bytes(std::vector<std::byte>(from, from + size));
  scene.blocks.push_back(std::move(block));
  BlockView view;
  view.block = make_id<BlockId>(scene.blocks.size() - 1);
  view.length = size;
  view.stride = stride;
  scene.views.push_back(std::move(view));
  stream.view = make_id<ViewId>(scene.views.size() - 1);
  scene.streams.push_back(std::move(stream));
  return make_id<StreamId>(scene.streams.size() - 1);
}

Primitive SceneBuilder::make_primitive(const MeshData& data, MaterialId material) {
  Primitive primitive;
  primitive.material = material;
  primitive.mode = data.mode;
  const auto add = [&](const char* semantic, const Floats& values, ElementType element) {
    if (!values.empty()) {
      primitive.attributes.push_back({semantic, add_stream(values, element, ComponentType::f32)});
    }
  };
  add("POSITION", data.positions, ElementType::vec3);
  StreamBounds bounds{{1e30, 1e30, 1e30}, {-1e30, -1e30, -1e30}};
  for (std::size_t i = 0; i < data.positions.size(); ++i) {
    const auto value = static_cast<double>(data.positions[i]);
    bounds.min[i % 3] = std::min(bounds.min[i % 3], value);
    bounds.max[i % 3] = std::max(bounds.max[i % 3], value);
  }
  scene.streams[to_index(primitive.attributes[0].stream)].bounds = bounds;
  add("NORMAL", data.normals, ElementType::vec3);
  add("TANGENT", data.tangents, ElementType::vec4);
  add("TEXCOORD_0", data.uvs, ElementType::vec2);
  add("TEXCOORD_1", data.lightmap_uvs, ElementType::vec2);
  add("COLOR_0", data.colors, ElementType::vec4);
  if (!data.indices.empty()) {
    primitive.indices = add_stream(data.indices, ElementType::scalar, ComponentType::u32);
  }
  return primitive;
}

MeshId SceneBuilder::add_mesh(const std::string& name, std::vector<Primitive> primitives) {
  Mesh mesh;
  mesh.name = name;
  mesh.primitives = std::move(primitives);
  scene.meshes.push_back(std::move(mesh));
  return make_id<MeshId>(scene.meshes.size() - 1);
}

MeshId SceneBuilder::add_mesh(const std::string& name, const MeshData& data, MaterialId material) {
  return add_mesh(name, {make_primitive(data, material)});
}

MaterialId SceneBuilder::add_material(const std::string& name, AlphaMode mode) {
  Material material;
  material.name = name;
  material.alpha_mode = mode;
  scene.materials.push_back(std::move(material));
  return make_id<MaterialId>(scene.materials.size() - 1);
}

TextureId SceneBuilder::add_texture(ImageId image) {
  Texture texture;
  texture.image = image;
  scene.textures.push_back(std::move(texture));
  return make_id<TextureId>(scene.textures.size() - 1);
}

NodeId SceneBuilder::add_node(const std::string& name, MeshId mesh, const Trs& trs, NodeId parent) {
  Node node;
  node.name = name;
  node.mesh = mesh;
  node.trs = trs;
  scene.nodes.push_back(std::move(node));
  const NodeId id = make_id<NodeId>(scene.nodes.size() - 1);
  if (parent == no_node) {
    scene.levels[0].roots.push_back(id);
  } else {
    scene.nodes[to_index(parent)].children.push_back(id);
  }
  return id;
}

void SceneBuilder::set_extras(NodeId node, const std::string& json) {
  scene.nodes[to_index(node)].extra.ensure().extras = json;
}

void SceneBuilder::animate(NodeId node) {
  Stream times;
  times.count = 2;
  times.bounds = StreamBounds{{0}, {1}};
  const float seconds[] = {0, 1};
  const float turns[] = {0, 0, 0, 1, 0, 1, 0, 0};
  Stream values;
  values.count = 2;
  values.element = ElementType::vec4;
  AnimationSampler sampler;
  sampler.input = add_bytes(seconds, sizeof seconds, std::move(times));
  sampler.output = add_bytes(turns, sizeof turns, std::move(values));
  Animation animation;
  animation.samplers.push_back(std::move(sampler));
  AnimationChannel channel;
  channel.node = node;
  channel.path = "rotation";
  animation.channels.push_back(std::move(channel));
  scene.animations.push_back(std::move(animation));
}

Scene SceneBuilder::finish() {
  const auto linked = link_parents(scene);
  EXPECT_TRUE(linked) << to_string(linked.error());
  const auto valid = check_scene(scene);
  EXPECT_TRUE(valid) << to_string(valid.error());
  return scene;
}

MeshData make_square() {
  MeshData data;
  data.positions = {0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0};
  data.normals = {0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1};
  data.uvs = {0, 1, 1, 1, 1, 0, 0, 0};
  data.indices = {0, 1, 2, 0, 2, 3};
  return data;
}

MeshData make_tetrahedron() {
  MeshData data;
  data.positions = {0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1};
  data.normals = {-0.6F, -0.8F, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1};
  data.uvs = {0, 0, 1, 0, 0, 1, 1, 1};
  data.indices = {0, 2, 1, 0, 1, 3, 0, 3, 2, 1, 2, 3};
  return data;
}

namespace {

/// Draws all its chances from one engine, so that a seed is a scene.
class RandomScene {
 public:
  explicit RandomScene(std::uint32_t seed) : engine_(seed) {}

  Scene make(std::size_t draws) {
    for (int m = 0; m < 4; ++m) {
      materials_.push_back(builder_.add_material("material_" + std::to_string(m)));
    }
    materials_.push_back(builder_.add_material("glass", AlphaMode::blend));
    materials_.push_back(no_material);
    std::vector<NodeId> parents{no_node};
    for (int p = 0; p < 5; ++p) {
      parents.push_back(builder_.add_node("parent_" + std::to_string(p), no_mesh, random_trs(),
                                          parents[pick(parents.size())]));
    }
    builder_.animate(parents.back());
    std::vector<MeshId> meshes;
    while (count_ < draws) {
      if (meshes.empty() || chance() < 0.5) {
        meshes.push_back(random_mesh());
      }
      const MeshId mesh = meshes[pick(meshes.size())];
      const NodeId node = builder_.add_node("part_" + std::to_string(count_), mesh, random_trs(),
                                            parents[pick(parents.size())]);
      if (chance() < 0.2) {
        builder_.set_extras(node, chance() < 0.5 ? R"({"lightmap":1})" : R"({"lightmap":2})");
      }
      count_ += builder_.scene[mesh].primitives.size();
    }
    return builder_.finish();
  }

 private:
  double chance() { return std::uniform_real_distribution<double>(0, 1)(engine_); }
  double between(double low, double high) { return low + (high - low) * chance(); }
  std::size_t pick(std::size_t size) {
    return std::uniform_int_distribution<std::size_t>(0, size - 1)(engine_);
  }

  Trs random_trs() {
    Trs trs;
    double length = 0;
    for (double& q : trs.rotation) {
      q = between(-1, 1);
      length += q * q;
    }
    for (double& q : trs.rotation) {
      q /= std::sqrt(length);
    }
    const double even = between(0.5, 2);
    for (std::size_t i = 0; i < 3; ++i) {
      trs.translation[i] = between(-20, 20);
      trs.scale[i] = chance() < 0.5 ? even : between(0.4, 2.5);
    }
    if (chance() < 0.3) {
      trs.scale[pick(3)] *= -1;
    }
    return trs;
  }

  Floats random_unit(std::size_t vertices, std::size_t width) {
    Floats out;
    for (std::size_t v = 0; v < vertices; ++v) {
      double xyz[3];
      double length = 0;
      for (double& c : xyz) {
        c = between(-1, 1);
        length += c * c;
      }
      for (const double c : xyz) {
        out.push_back(static_cast<float>(c / std::sqrt(length)));
      }
      if (width == 4) {
        out.push_back(chance() < 0.5 ? -1.0F : 1.0F);
      }
    }
    return out;
  }

  Floats random_values(std::size_t count, double low, double high) {
    Floats out(count);
    std::generate(out.begin(), out.end(), [&] { return static_cast<float>(between(low, high)); });
    return out;
  }

  Primitive random_primitive() {
    const std::size_t vertices = 3 + pick(10);
    MeshData data;
    data.mode = static_cast<PrimitiveMode>(chance() < 0.6 ? 4 : pick(7));
    data.positions = random_values(vertices * 3, -1, 1);
    if (chance() < 0.7) {
      data.normals = random_unit(vertices, 3);
      if (chance() < 0.3) {
        data.tangents = random_unit(vertices, 4);
      }
    }
    if (chance() < 0.7) {
      data.uvs = random_values(vertices * 2, -3, 5);
      if (chance() < 0.4) {
        data.lightmap_uvs = random_values(vertices * 2, 0, 1);
      }
    }
    if (chance() < 0.3) {
      data.colors = random_values(vertices * 4, 0, 1);
    }
    if (chance() < 0.8) {
      const std::size_t indices = 3 * (1 + pick(6));
      for (std::size_t i = 0; i < indices; ++i) {
        data.indices.push_back(static_cast<std::uint32_t>(pick(vertices)));
      }
    }
    Primitive primitive = builder_.make_primitive(data, materials_[pick(materials_.size())]);
    if (chance() < 0.3) {
      add_byte_colors(primitive, vertices);
    }
    if (chance() < 0.15) {
      const Floats wear = random_values(vertices, 0, 1);
      primitive.attributes.push_back(
          {"_WEAR", builder_.add_stream(wear, ElementType::scalar, ComponentType::f32)});
    }
    return primitive;
  }

  void add_byte_colors(Primitive& primitive, std::size_t vertices) {
    if (primitive.find("COLOR_0") != no_stream) {
      return;
    }
    std::vector<std::uint8_t> bytes(vertices * 4);
    for (std::uint8_t& byte : bytes) {
      byte = static_cast<std::uint8_t>(pick(256));
    }
    primitive.attributes.push_back(
        {"COLOR_0", builder_.add_stream(bytes, ElementType::vec4, ComponentType::u8, true)});
  }

  MeshId random_mesh() {
    std::vector<Primitive> primitives;
    const std::size_t count = 1 + pick(3);
    for (std::size_t p = 0; p < count; ++p) {
      primitives.push_back(random_primitive());
    }
    return builder_.add_mesh("mesh_" + std::to_string(builder_.scene.meshes.size()),
                             std::move(primitives));
  }

  std::mt19937 engine_;
  SceneBuilder builder_;
  std::vector<MaterialId> materials_;
  std::size_t count_ = 0;
};

}  // namespace

MeshData make_ball(std::uint32_t side, double bump) {
  MeshData out;
  const auto add = [&](double u, double v) {
    const double a = 2 * std::numbers::pi * u;
    const double b = std::numbers::pi * v;
    const double r = 1 + bump * std::sin(5 * a) * std::sin(b) * std::cos(4 * b);
    for (const double value : {std::sin(b) * std::cos(a), std::sin(b) * std::sin(a), std::cos(b)}) {
      out.positions.push_back(static_cast<float>(r * value));
      out.normals.push_back(static_cast<float>(value));
    }
    out.uvs.insert(out.uvs.end(), {static_cast<float>(u), static_cast<float>(v)});
  };
  for (std::uint32_t y = 0; y <= side; ++y) {
    for (std::uint32_t x = 0; x <= side; ++x) {
      add(static_cast<double>(x % side) / side, static_cast<double>(y) / side);
      out.uvs[out.uvs.size() - 2] = static_cast<float>(x) / static_cast<float>(side);
    }
  }
  for (std::uint32_t y = 0; y < side; ++y) {
    for (std::uint32_t x = 0; x < side; ++x) {
      const std::uint32_t a = y * (side + 1) + x;
      const std::uint32_t b = a + side + 1;
      out.indices.insert(out.indices.end(), {a, b + 1, a + 1, a, b, b + 1});
    }
  }
  return out;
}

Scene make_random_scene(std::uint32_t seed, std::size_t draws) {
  return RandomScene(seed).make(draws);
}

}  // namespace wakuzume::test
