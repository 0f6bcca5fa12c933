// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/rooms.h"

#include <array>
#include <string>
#include <vector>

#include "support/pictures.h"
#include "support/scene_builder.h"

namespace wakuzume::test {
namespace {

constexpr std::array<const char*, 3> paints{"#c03020", "#2050c0", "#e0c040"};

}  // namespace

Scene make_rooms() {
  SceneBuilder builder;
  const auto add_material = [&](const std::string& name, std::uint32_t seed) {
    const MaterialId id = builder.add_material(name);
    builder.scene.materials[to_index(id)].base_color_texture.texture =
        add_picture(builder, make_picture(16, 16, seed));
    return id;
  };
  std::vector<MeshId> meshes;
  for (const char* name : {"sign_0", "sign_1", "wall_0", "wall_1"}) {
    const MaterialId id = add_material(name, static_cast<std::uint32_t>(meshes.size()));
    meshes.push_back(builder.add_mesh(name, make_patch(0, 0, 1, 1), id));
  }
  const MeshId ball = builder.add_mesh("ball", make_ball(6, 0.1), add_material("ball", 9));
  for (const char* room : {"kitchen", "hall"}) {
    const NodeId node = builder.add_node(room);
    builder.set_extras(node, std::string(R"({"room":")") + room + "\"}");
    for (const MeshId mesh : meshes) {
      builder.add_node("part", mesh, at(1.5 * static_cast<double>(builder.scene.nodes.size())),
                       node);
    }
    for (std::size_t i = 0; i < 6; ++i) {
      const NodeId one = builder.add_node(
          "ball", ball, at(3.0 * static_cast<double>(builder.scene.nodes.size())), node);
      builder.set_extras(
          one, R"({"wear":)" + std::to_string(i) + R"(,"paint":")" + paints[i % 3] + "\"}");
    }
  }
  const NodeId hut = builder.add_node("hut");
  for (std::uint32_t p = 0; p < 4; ++p) {
    MeshData data = make_patch(0, 0, 1, 1);
    for (std::size_t i = 0; i < data.uvs.size(); i += 2) {
      data.lightmap_uvs.push_back(0.5F * (static_cast<float>(p % 2) + data.uvs[i]));
      data.lightmap_uvs.push_back(0.5F * (static_cast<float>(p / 2) + data.uvs[i + 1]));
    }
    const std::string name = "hut_" + std::to_string(p);
    builder.add_node(name, builder.add_mesh(name, data, add_material(name, 20 + p)), at(-3.0 - p),
                     hut);
  }
  return builder.finish();
}

}  // namespace wakuzume::test
