// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <cmath>
#include <numbers>
#include <random>

#include "large_scene.h"

namespace wakuzume {
namespace {

using std::numbers::pi;

constexpr std::size_t models = 60;
constexpr std::size_t finishes = 90;
constexpr std::size_t copies = 12;  ///< of the models that are stored as copies
constexpr std::size_t pieces_a_room = 8;
constexpr std::size_t rooms_a_floor = 6;
constexpr std::size_t floors = 4;
constexpr double house_m = 24;
constexpr double street_m = 8;

class District {
 public:
  Scene make(std::size_t pieces) {
    add_finishes();
    for (std::size_t m = 0; m < models; ++m) {
      const std::size_t stored = m % 3 == 0 ? copies : 1;
      for (std::size_t c = 0; c < stored; ++c) {
        meshes_[m].push_back(add_model(m, c));
      }
    }
    scene_.blocks.emplace_back().bytes = make_bytes(std::move(data_));
    scene_.levels.emplace_back();
    scene_.default_level = LevelId{0};
    add_houses(pieces);
    return link_parents(scene_) && check_scene(scene_) ? std::move(scene_) : Scene{};
  }

 private:
  double draw(double low, double high) {
    return low + (high - low) * static_cast<double>(random_() % 100'000) / 100'000;
  }

  /// Every third finish comes under a second name.
  void add_finishes() {
    for (std::size_t f = 0; f < finishes; ++f) {
      Material material;
      material.name = fmt::format("finish_{}", f);
      const std::size_t value = f % 3 == 2 ? f - 1 : f;
      material.base_color = {static_cast<double>(value % 7) / 7, static_cast<double>(value % 5) / 5,
                             0.5, 1};
      material.roughness = static_cast<double>(value % 11) / 11;
      material.metallic = value % 4 == 0 ? 1 : 0;
      scene_.materials.push_back(material);
    }
  }

  template <class T>
  StreamId add_stream(const std::vector<T>& values, ElementType element, ComponentType component) {
    BlockView view;
    view.block = BlockId{0};
    view.offset = data_.size();
    view.length = values.size() * sizeof(T);
    const auto* first = reinterpret_cast<const std::byte*>(values.data());
    data_.insert(data_.end(), first, first + view.length);
    data_.resize((data_.size() + 3) / 4 * 4);
    Stream stream;
    stream.view = make_id<ViewId>(scene_.views.size());
    stream.element = element;
    stream.component = component;
    stream.count = values.size() / component_count(element);
    scene_.views.push_back(view);
    scene_.streams.push_back(std::move(stream));
    return make_id<StreamId>(scene_.streams.size() - 1);
  }

  /// A lumpy body; copies hold it turned and moved in their points.
  Primitive add_lump(std::size_t seed, std::size_t copy, double height, MaterialId material) {
    std::mt19937 random(static_cast<std::uint32_t>(seed));
    const std::size_t rings = 5 + random() % 12;
    const std::size_t around = 8 + random() % 24;
    const double turn = 0.7 * static_cast<double>(copy);
    std::vector<float> positions;
    std::vector<float> normals;
    std::vector<float> uvs;
    std::vector<std::uint16_t> indices;
    for (std::size_t r = 0; r <= rings; ++r) {
      for (std::size_t a = 0; a <= around; ++a) {
        std::mt19937 lump(static_cast<std::uint32_t>(seed * 977 + r * 31 + a % around));
        const double radius = 0.2 + 0.05 * static_cast<double>(lump() % 100) / 100;
        const double polar = pi * static_cast<double>(r) / static_cast<double>(rings);
        const double angle =
            2 * pi * static_cast<double>(a % around) / static_cast<double>(around) + turn;
        const double x = std::sin(polar) * std::cos(angle);
        const double z = std::sin(polar) * std::sin(angle);
        for (const double v : {x * radius, height + std::cos(polar) * radius, z * radius}) {
          positions.push_back(static_cast<float>(v));
        }
        for (const double v : {x, std::cos(polar), z}) {
          normals.push_back(static_cast<float>(v));
        }
        uvs.push_back(static_cast<float>(a) / static_cast<float>(around));
        uvs.push_back(static_cast<float>(r) / static_cast<float>(rings));
        if (r < rings && a < around) {
          const std::size_t at = r * (around + 1) + a;
          for (const std::size_t i :
               {at, at + 1, at + around + 2, at, at + around + 2, at + around + 1}) {
            indices.push_back(static_cast<std::uint16_t>(i));
          }
        }
      }
    }
    Primitive primitive;
    primitive.material = material;
    primitive.indices = add_stream(indices, ElementType::scalar, ComponentType::u16);
    primitive.attributes = {
        {"POSITION", add_stream(positions, ElementType::vec3, ComponentType::f32)},
        {"NORMAL", add_stream(normals, ElementType::vec3, ComponentType::f32)},
        {"TEXCOORD_0", add_stream(uvs, ElementType::vec2, ComponentType::f32)}};
    return primitive;
  }

  MeshId add_model(std::size_t model, std::size_t copy) {
    Mesh mesh;
    mesh.name = fmt::format("model_{}{}", model, copy == 0 ? "" : fmt::format("_{}", copy));
    const std::size_t parts = 1 + model % 5;
    for (std::size_t p = 0; p < parts; ++p) {
      // A copy may name the second of two equal finishes.
      std::size_t finish = (model * 7 + p * 13) % finishes;
      finish = finish % 3 == 1 && copy % 2 == 1 ? finish + 1 : finish;
      mesh.primitives.push_back(
          add_lump(model * 8 + p, copy, 0.4 * static_cast<double>(p), make_id<MaterialId>(finish)));
    }
    scene_.meshes.push_back(std::move(mesh));
    return make_id<MeshId>(scene_.meshes.size() - 1);
  }

  NodeId add_node(std::string name, NodeId parent, const Vec3d& at, double turn = 0) {
    Node node;
    node.name = std::move(name);
    node.trs.translation = at;
    node.trs.rotation = {0, std::sin(turn / 2), 0, std::cos(turn / 2)};
    scene_.nodes.push_back(std::move(node));
    const NodeId id = make_id<NodeId>(scene_.nodes.size() - 1);
    if (parent == no_node) {
      scene_.levels[0].roots.push_back(id);
    } else {
      scene_.nodes[to_index(parent)].children.push_back(id);
    }
    return id;
  }

  void add_houses(std::size_t pieces) {
    const std::size_t a_house = pieces_a_room * rooms_a_floor * floors;
    const std::size_t houses = (pieces + a_house - 1) / a_house;
    const auto side = static_cast<std::size_t>(std::ceil(std::sqrt(static_cast<double>(houses))));
    std::size_t placed = 0;
    for (std::size_t h = 0; h < houses; ++h) {
      const NodeId house = add_node(fmt::format("house_{}", h), no_node,
                                    {static_cast<double>(h % side) * (house_m + street_m), 0,
                                     static_cast<double>(h / side) * (house_m + street_m)});
      for (std::size_t r = 0; r < rooms_a_floor * floors; ++r) {
        const NodeId room =
            add_node(fmt::format("room_{}", r), house,
                     {static_cast<double>(r % 3) * 8, static_cast<double>(r / rooms_a_floor) * 3,
                      static_cast<double>(r / 3 % 2) * 12});
        for (std::size_t p = 0; p < pieces_a_room && placed < pieces; ++p, ++placed) {
          const std::size_t model = random_() % models;
          const NodeId piece = add_node(fmt::format("model_{}", model), room,
                                        {draw(0.5, 7.5), 0, draw(0.5, 11.5)}, draw(0, 6.28));
          scene_.nodes[to_index(piece)].mesh = meshes_[model][random_() % meshes_[model].size()];
        }
      }
    }
  }

  Scene scene_;
  std::vector<std::byte> data_;
  std::array<std::vector<MeshId>, models> meshes_;
  std::mt19937 random_{5};
};

}  // namespace

Scene make_district(std::size_t pieces) { return District().make(pieces); }

}  // namespace wakuzume
