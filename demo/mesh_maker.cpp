// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "mesh_maker.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numbers>

#include "drawing.h"

namespace wakuzume::demo {
namespace {

Vec3f subtract(const Vec3f& a, const Vec3f& b) { return {a[0] - b[0], a[1] - b[1], a[2] - b[2]}; }

Vec3f cross(const Vec3f& a, const Vec3f& b) {
  return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}

Vec3f normalize(const Vec3f& v) {
  const float length = std::sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
  return length > 0 ? Vec3f{v[0] / length, v[1] / length, v[2] / length} : Vec3f{0, 1, 0};
}

Vec3f apply(const Mat4d& matrix, const Vec3f& v, double w) {
  Vec3f out{};
  for (std::size_t r = 0; r < 3; ++r) {
    double sum = matrix[12 + r] * w;
    for (std::size_t c = 0; c < 3; ++c) {
      sum += matrix[4 * c + r] * static_cast<double>(v[c]);
    }
    out[r] = static_cast<float>(sum);
  }
  return out;
}

std::uint16_t to_index16(std::size_t value) { return static_cast<std::uint16_t>(value); }

template <class T>
void append_list(std::vector<T>& to, const std::vector<T>& from) {
  to.insert(to.end(), from.begin(), from.end());
}

}  // namespace

void Shape::append(const Shape& other) {
  const std::size_t base = positions.size();
  append_list(positions, other.positions);
  append_list(normals, other.normals);
  append_list(uvs, other.uvs);
  append_list(lightmap_uvs, other.lightmap_uvs);
  append_list(colors, other.colors);
  append_list(tangents, other.tangents);
  for (const std::uint16_t i : other.indices) {
    indices.push_back(to_index16(base + i));
  }
}

Shape& Shape::place(const Trs& trs) {
  const Mat4d matrix = make_matrix(trs);
  for (Vec3f& p : positions) {
    p = apply(matrix, p, 1);
  }
  for (Vec3f& n : normals) {
    n = normalize(apply(matrix, n, 0));
  }
  for (auto& t : tangents) {
    const Vec3f turned = normalize(apply(matrix, {t[0], t[1], t[2]}, 0));
    t = {turned[0], turned[1], turned[2], t[3]};
  }
  return *this;
}

Shape make_quad(const std::array<Vec3f, 4>& corners, const Vec2f& uv_size) {
  Shape shape;
  const Vec3f normal =
      normalize(cross(subtract(corners[1], corners[0]), subtract(corners[3], corners[0])));
  shape.positions.assign(corners.begin(), corners.end());
  shape.normals.assign(4, normal);
  shape.uvs = {{0, uv_size[1]}, {uv_size[0], uv_size[1]}, {uv_size[0], 0}, {0, 0}};
  shape.indices = {0, 1, 2, 0, 2, 3};
  return shape;
}

Shape make_box(const Vec3f& size, float tile_m) {
  const float x = size[0] / 2;
  const float y = size[1] / 2;
  const float z = size[2] / 2;
  const Vec2f xy{size[0] / tile_m, size[1] / tile_m};
  const Vec2f zy{size[2] / tile_m, size[1] / tile_m};
  const Vec2f xz{size[0] / tile_m, size[2] / tile_m};
  Shape shape;
  shape.append(make_quad({{{-x, -y, z}, {x, -y, z}, {x, y, z}, {-x, y, z}}}, xy));
  shape.append(make_quad({{{x, -y, -z}, {-x, -y, -z}, {-x, y, -z}, {x, y, -z}}}, xy));
  shape.append(make_quad({{{x, -y, z}, {x, -y, -z}, {x, y, -z}, {x, y, z}}}, zy));
  shape.append(make_quad({{{-x, -y, -z}, {-x, -y, z}, {-x, y, z}, {-x, y, -z}}}, zy));
  shape.append(make_quad({{{-x, y, z}, {x, y, z}, {x, y, -z}, {-x, y, -z}}}, xz));
  shape.append(make_quad({{{-x, -y, -z}, {x, -y, -z}, {x, -y, z}, {-x, -y, z}}}, xz));
  return shape;
}

Shape make_lathe(const std::vector<Vec2f>& profile, std::uint32_t sides, float uv_repeats) {
  Shape shape;
  for (std::size_t ring = 0; ring < profile.size(); ++ring) {
    const Vec2f& before = profile[ring == 0 ? 0 : ring - 1];
    const Vec2f& after = profile[std::min(ring + 1, profile.size() - 1)];
    // Across the profile, to the right of its direction: outwards for one that goes up.
    const Vec2f out{after[1] - before[1], before[0] - after[0]};
    for (std::uint32_t side = 0; side <= sides; ++side) {
      const float turn = static_cast<float>(side) / static_cast<float>(sides);
      const float angle = turn * 2 * std::numbers::pi_v<float>;
      const float s = std::sin(angle);
      const float c = std::cos(angle);
      shape.positions.push_back({profile[ring][0] * s, profile[ring][1], profile[ring][0] * c});
      shape.normals.push_back(normalize({out[0] * s, out[1], out[0] * c}));
      shape.uvs.push_back({turn * uv_repeats,
                           1 - static_cast<float>(ring) / static_cast<float>(profile.size() - 1)});
    }
  }
  for (std::size_t ring = 0; ring + 1 < profile.size(); ++ring) {
    for (std::uint32_t side = 0; side < sides; ++side) {
      const std::size_t a = ring * (sides + 1) + side;
      const std::size_t b = a + sides + 1;
      for (const std::size_t i : {a, a + 1, b + 1, a, b + 1, b}) {
        shape.indices.push_back(to_index16(i));
      }
    }
  }
  return shape;
}

Shape make_tuft(std::uint32_t leaves, float length, float width, float lift, std::uint32_t seed) {
  constexpr std::uint32_t bends = 3;
  Shape shape;
  for (std::uint32_t leaf = 0; leaf < leaves; ++leaf) {
    const auto chance = [&](std::uint32_t what) {
      return static_cast<float>(hash_noise(leaf, what, seed));
    };
    const float angle = (static_cast<float>(leaf) + chance(0) * 0.6F) / static_cast<float>(leaves) *
                        2 * std::numbers::pi_v<float>;
    const float reach = length * (0.7F + 0.5F * chance(1));
    const float rise = lift * (0.7F + 0.6F * chance(2));
    const Vec3f along{std::sin(angle), 0, std::cos(angle)};
    const Vec3f across{std::cos(angle), 0, -std::sin(angle)};
    const std::size_t base = shape.positions.size();
    for (std::uint32_t bend = 0; bend <= bends; ++bend) {
      const float t = static_cast<float>(bend) / bends;
      const float out = reach * t * (1 - 0.15F * t);
      const float up = rise * (2.2F * t - 1.5F * t * t);
      const float slope = rise * (2.2F - 3.0F * t) / reach;
      const Vec3f normal = normalize({-along[0] * slope, 1, -along[2] * slope});
      for (const float side : {-0.5F, 0.5F}) {
        shape.positions.push_back({along[0] * out + across[0] * side * width, up,
                                   along[2] * out + across[2] * side * width});
        shape.normals.push_back(normal);
        shape.uvs.push_back({side + 0.5F, 1 - t});
        const auto shade = static_cast<std::uint8_t>(150 + 105 * t);
        shape.colors.push_back({shade, shade, shade, 255});
      }
    }
    for (std::uint32_t bend = 0; bend < bends; ++bend) {
      const std::size_t a = base + std::size_t{2} * bend;
      for (const std::size_t i : {a, a + 1, a + 3, a, a + 3, a + 2}) {
        shape.indices.push_back(to_index16(i));
      }
    }
  }
  return shape;
}

template <class T>
StreamId LaneWriter::add_lane(Scene& scene,
                              Lane lane,
                              const std::vector<T>& values,
                              Stream stream) {
  std::vector<std::byte>& to = bytes_[lane];
  to.resize((to.size() + 3) / 4 * 4);
  stream.view = make_id<ViewId>(lane);
  stream.offset = to.size();
  const auto bytes = std::as_bytes(std::span<const T>(values));
  to.insert(to.end(), bytes.begin(), bytes.end());
  scene.streams.push_back(std::move(stream));
  return make_id<StreamId>(scene.streams.size() - 1);
}

StreamId LaneWriter::add_positions(Scene& scene, const std::vector<Vec3f>& values) {
  StreamBounds bounds{{1e30, 1e30, 1e30}, {-1e30, -1e30, -1e30}};
  for (const Vec3f& value : values) {
    for (std::size_t c = 0; c < 3; ++c) {
      bounds.min[c] = std::min(bounds.min[c], static_cast<double>(value[c]));
      bounds.max[c] = std::max(bounds.max[c], static_cast<double>(value[c]));
    }
  }
  Stream stream;
  stream.count = values.size();
  stream.element = ElementType::vec3;
  stream.bounds = std::move(bounds);
  return add_lane(scene, position, values, std::move(stream));
}

StreamId LaneWriter::add_numbers(Scene& scene, std::span<const float> values, ElementType element) {
  Stream stream;
  stream.element = element;
  stream.count = values.size() / component_count(element);
  if (element == ElementType::scalar) {
    const auto [low, high] = std::minmax_element(values.begin(), values.end());
    stream.bounds = StreamBounds{{static_cast<double>(*low)}, {static_cast<double>(*high)}};
  }
  // A view is either of animations or of skins.
  const Lane lane = element == ElementType::mat4 ? binds : number;
  return add_lane(scene, lane, std::vector<float>(values.begin(), values.end()), std::move(stream));
}

Primitive LaneWriter::add(Scene& scene, const Shape& shape, MaterialId material) {
  Primitive primitive;
  primitive.material = material;
  const auto make_stream = [&](ElementType element, ComponentType component, bool normalized) {
    Stream stream;
    stream.count = shape.positions.size();
    stream.element = element;
    stream.component = component;
    stream.normalized = normalized;
    return stream;
  };
  const auto add_list = [&](const char* semantic, Lane lane, const auto& list, Stream stream) {
    if (!list.empty()) {
      primitive.attributes.push_back({semantic, add_lane(scene, lane, list, std::move(stream))});
    }
  };
  primitive.attributes.push_back({"POSITION", add_positions(scene, shape.positions)});
  constexpr ComponentType f32 = ComponentType::f32;
  add_list("NORMAL", normal, shape.normals, make_stream(ElementType::vec3, f32, false));
  add_list("TANGENT", tangent, shape.tangents, make_stream(ElementType::vec4, f32, false));
  add_list("TEXCOORD_0", uv, shape.uvs, make_stream(ElementType::vec2, f32, false));
  add_list("TEXCOORD_1", lightmap_uv, shape.lightmap_uvs,
           make_stream(ElementType::vec2, f32, false));
  add_list("COLOR_0", color, shape.colors, make_stream(ElementType::vec4, ComponentType::u8, true));
  Stream indices = make_stream(ElementType::scalar, ComponentType::u16, false);
  indices.count = shape.indices.size();
  primitive.indices = add_lane(scene, index, shape.indices, std::move(indices));
  return primitive;
}

void LaneWriter::add_influences(Scene& scene,
                                const std::vector<std::array<std::uint8_t, 4>>& joints,
                                const std::vector<std::array<float, 4>>& weights,
                                Primitive& primitive) {
  Stream stream;
  stream.count = joints.size();
  stream.element = ElementType::vec4;
  stream.component = ComponentType::u8;
  primitive.attributes.push_back({"JOINTS_0", add_lane(scene, joints_of, joints, stream)});
  stream.component = ComponentType::f32;
  primitive.attributes.push_back({"WEIGHTS_0", add_lane(scene, weights_of, weights, stream)});
}

void LaneWriter::finish(Scene& scene) {
  constexpr std::array<const char*, lanes> names{
      "positions", "normals", "uvs",    "lightmap uvs", "colors",    "tangents",
      "indices",   "numbers", "joints", "weights",      "bind poses"};
  constexpr std::array<std::uint32_t, lanes> strides{12, 12, 8, 8, 4, 16, 0, 0, 4, 16, 0};
  std::vector<std::byte> all;
  for (std::size_t lane = 0; lane < lanes; ++lane) {
    bytes_[lane].resize((bytes_[lane].size() + 3) / 4 * 4);
    BlockView view;
    view.block = BlockId{0};
    view.offset = all.size();
    view.length = bytes_[lane].size();
    view.stride = strides[lane];
    view.target = strides[lane] != 0 ? 34962 : lane == index ? 34963 : 0;
    view.name = names[lane];
    scene.views.push_back(std::move(view));
    append_list(all, bytes_[lane]);
  }
  Block block;
  block.bytes = make_bytes(std::move(all));
  scene.blocks.push_back(std::move(block));
}

}  // namespace wakuzume::demo
