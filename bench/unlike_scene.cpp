// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <array>
#include <cmath>
#include <cstring>
#include <numbers>
#include <random>

#include "large_scene.h"

namespace wakuzume {
namespace {

/// Every so many shapes repeat the one before them in another place.
constexpr std::size_t apart = 100;

class Unlike {
 public:
  explicit Unlike(UnlikeShape shape) : shape_(shape) {}

  Scene make(std::size_t count) {
    scene_.materials.emplace_back();
    scene_.materials.back().name = "plaster";
    // Views of one block, which has to be known before they are.
    scene_.blocks.emplace_back();
    scene_.levels.emplace_back();
    scene_.default_level = LevelId{0};
    for (std::size_t n = 0; n < count; ++n) {
      if (n % apart != apart - 1) {
        points_ = pick_points();
      }
      add_shape();
    }
    scene_.blocks.front().bytes = make_bytes(std::move(data_));
    return link_parents(scene_) && check_scene(scene_) ? std::move(scene_) : Scene{};
  }

 private:
  using Points = std::vector<std::array<float, 2>>;

  float draw(double low, double high) {
    return static_cast<float>(low +
                              (high - low) * static_cast<double>(random_() % 1'000'000) / 1e6);
  }

  /// In the plane, anticlockwise.
  Points pick_points() {
    switch (shape_) {
      case UnlikeShape::triangle:
        return {{0, 0}, {draw(0.5, 4), draw(-1, 1)}, {draw(-2, 3), draw(0.5, 4)}};
      case UnlikeShape::quad:
        return {{0, 0},
                {draw(1, 5), draw(-0.5, 0.5)},
                {draw(1, 5), draw(1, 5)},
                {draw(-0.5, 0.5), draw(1, 5)}};
      case UnlikeShape::strip:
        break;
    }
    Points out;
    float x = 0;
    for (int i = 0; i < 6; ++i) {
      out.push_back({x, draw(-0.3, 0.3)});
      out.push_back({x + draw(-0.2, 0.2), draw(1, 2)});
      x += draw(0.5, 2);
    }
    return out;
  }

  template <class T>
  StreamId add(const std::vector<T>& values, ElementType element, ComponentType type) {
    while (data_.size() % 4 != 0) {
      data_.push_back({});
    }
    BlockView view;
    view.block = BlockId{0};
    view.offset = data_.size();
    view.length = values.size() * sizeof(T);
    data_.resize(data_.size() + view.length);
    std::memcpy(&data_[view.offset], values.data(), view.length);
    Stream stream;
    stream.view = make_id<ViewId>(scene_.views.size());
    stream.element = element;
    stream.component = type;
    stream.count = values.size() / component_count(element);
    scene_.views.push_back(view);
    scene_.streams.push_back(std::move(stream));
    return make_id<StreamId>(scene_.streams.size() - 1);
  }

  /// Where it stands is baked into its vertices, turned about the vertical.
  void add_shape() {
    const double turn = static_cast<double>(draw(0, 2 * std::numbers::pi));
    const auto c = static_cast<float>(std::cos(turn));
    const auto s = static_cast<float>(std::sin(turn));
    const std::array<float, 3> at{draw(-500, 500), draw(0, 40), draw(-500, 500)};
    std::vector<float> positions;
    std::vector<float> uvs;
    std::vector<double> low(3, 1e9);
    std::vector<double> high(3, -1e9);
    for (const auto& [u, v] : points_) {
      const std::array<float, 3> p{at[0] + c * u, at[1] + v, at[2] + s * u};
      for (std::size_t i = 0; i < 3; ++i) {
        positions.push_back(p[i]);
        low[i] = std::min(low[i], static_cast<double>(p[i]));
        high[i] = std::max(high[i], static_cast<double>(p[i]));
      }
      uvs.insert(uvs.end(), {u / 4, v / 4});
    }
    std::vector<std::uint16_t> indices;
    const bool strip = shape_ == UnlikeShape::strip;
    for (std::uint16_t i = 0; i + 2U < points_.size(); ++i) {
      const auto a = static_cast<std::uint16_t>(strip ? i : 0);
      const auto b = static_cast<std::uint16_t>(i + 1 + (strip ? i % 2 : 0));
      const auto d = static_cast<std::uint16_t>(i + 2 - (strip ? i % 2 : 0));
      indices.insert(indices.end(), {a, b, d});
    }
    Primitive primitive;
    primitive.attributes = {{"POSITION", add(positions, ElementType::vec3, ComponentType::f32)},
                            {"TEXCOORD_0", add(uvs, ElementType::vec2, ComponentType::f32)}};
    scene_.streams[to_index(primitive.attributes[0].stream)].bounds =
        StreamBounds{std::move(low), std::move(high)};
    primitive.indices = add(indices, ElementType::scalar, ComponentType::u16);
    primitive.material = MaterialId{0};
    Node node;
    node.mesh = make_id<MeshId>(scene_.meshes.size());
    scene_.meshes.emplace_back().primitives = {primitive};
    scene_.levels.front().roots.push_back(make_id<NodeId>(scene_.nodes.size()));
    scene_.nodes.push_back(std::move(node));
  }

  UnlikeShape shape_;
  Scene scene_;
  Points points_;
  std::vector<std::byte> data_;
  std::mt19937 random_{11};
};

}  // namespace

Scene make_unlike_scene(std::size_t count, UnlikeShape shape) { return Unlike(shape).make(count); }

}  // namespace wakuzume
