// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <functional>
#include <ostream>

#include "support/scene_builder.h"

namespace wakuzume {
namespace {

using test::SceneBuilder;

/// A valid scene with one of everything, to be spoilt in one place.
Scene make_valid() {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("paint");
  builder.scene.images.emplace_back().mime_type = "image/png";
  builder.scene.textures.emplace_back().image = ImageId{0};
  builder.scene.samplers.emplace_back();
  builder.scene.textures[0].sampler = SamplerId{0};
  builder.scene.materials[0].base_color_texture.texture = TextureId{0};
  const MeshId mesh = builder.add_mesh("square", test::make_square(), material);
  const NodeId node = builder.add_node("a", mesh);
  const NodeId joint = builder.add_node("joint");
  builder.animate(joint);
  builder.scene.cameras.emplace_back();
  builder.scene.lights.emplace_back().type = "point";
  Skin skin;
  skin.joints = {joint};
  builder.scene.skins.push_back(skin);
  builder.scene.nodes[to_index(node)].skin = SkinId{0};
  return builder.finish();
}

struct Spoiling {
  const char* name;
  std::function<void(Scene&)> spoil;
  ErrorCode code;
  const char* pointer;
};
std::ostream& operator<<(std::ostream& out, const Spoiling& fault) { return out << fault.name; }

class CheckScene : public testing::TestWithParam<Spoiling> {};

TEST_P(CheckScene, NamesThePlaceAndTheKindOfFault) {
  Scene scene = make_valid();
  GetParam().spoil(scene);
  const auto checked = check_scene(scene);
  ASSERT_FALSE(checked);
  EXPECT_EQ(checked.error().code, GetParam().code) << to_string(checked.error());
  EXPECT_EQ(checked.error().place.pointer, GetParam().pointer) << to_string(checked.error());
}

constexpr auto range = ErrorCode::index_out_of_range;
constexpr auto bounds = ErrorCode::out_of_bounds;
constexpr auto value = ErrorCode::bad_value;
constexpr auto missing = ErrorCode::missing_member;

INSTANTIATE_TEST_SUITE_P(
    Tables,
    CheckScene,
    testing::Values(
        Spoiling{"block", [](Scene& s) { s.views[1].block = BlockId{99}; }, range,
                 "/bufferViews/1/buffer"},
        Spoiling{"no block", [](Scene& s) { s.views[1].block = no_block; }, missing,
                 "/bufferViews/1"},
        Spoiling{"view end", [](Scene& s) { s.views[0].length += 1; }, bounds, "/bufferViews/0"},
        Spoiling{"view offset overflow",
                 [](Scene& s) { s.views[0].offset = ~std::uint64_t{0} - 3; }, bounds,
                 "/bufferViews/0"},
        Spoiling{"stride", [](Scene& s) { s.views[0].stride = 6; }, value,
                 "/bufferViews/0/byteStride"},
        Spoiling{"stride too small", [](Scene& s) { s.views[0].stride = 8; }, value,
                 "/accessors/0"},
        Spoiling{"stream view", [](Scene& s) { s.streams[2].view = ViewId{77}; }, range,
                 "/accessors/2/bufferView"},
        Spoiling{"stream count", [](Scene& s) { s.streams[1].count = 5; }, bounds, "/accessors/1"},
        Spoiling{"stream count overflow", [](Scene& s) { s.streams[1].count = 0xFFFF'FFFEULL; },
                 bounds, "/accessors/1"},
        Spoiling{"no elements", [](Scene& s) { s.streams[1].count = 0; }, value,
                 "/accessors/1/count"},
        Spoiling{"misaligned",
                 [](Scene& s) {
                   s.streams[0].count = 3;
                   s.streams[0].offset = 2;
                 },
                 value, "/accessors/0/byteOffset"},
        Spoiling{"normalized float", [](Scene& s) { s.streams[0].normalized = true; }, value,
                 "/accessors/0/normalized"},
        Spoiling{"bounds", [](Scene& s) { s.streams[0].bounds.ensure().min = {0}; }, value,
                 "/accessors/0/min"}));

INSTANTIATE_TEST_SUITE_P(
    References,
    CheckScene,
    testing::Values(
        Spoiling{"image", [](Scene& s) { s.textures[0].image = ImageId{4}; }, range,
                 "/textures/0/source"},
        Spoiling{"sampler", [](Scene& s) { s.textures[0].sampler = SamplerId{4}; }, range,
                 "/textures/0/sampler"},
        Spoiling{"texture", [](Scene& s) { s.materials[0].normal_texture.texture = TextureId{1}; },
                 range, "/materials/0/normalTexture/index"},
        Spoiling{"image view", [](Scene& s) { s.images[0].view = ViewId{50}; }, range,
                 "/images/0/bufferView"},
        Spoiling{"mesh", [](Scene& s) { s.nodes[0].mesh = MeshId{1}; }, range, "/nodes/0/mesh"},
        Spoiling{"camera", [](Scene& s) { s.nodes[0].camera = CameraId{1}; }, range,
                 "/nodes/0/camera"},
        Spoiling{"light", [](Scene& s) { s.nodes[0].light = LightId{1}; }, range,
                 "/nodes/0/extensions/KHR_lights_punctual/light"},
        Spoiling{"skin", [](Scene& s) { s.nodes[0].skin = SkinId{1}; }, range, "/nodes/0/skin"},
        Spoiling{"joint", [](Scene& s) { s.skins[0].joints = {NodeId{9}}; }, range,
                 "/skins/0/joints/0"},
        Spoiling{"no joints", [](Scene& s) { s.skins[0].joints.clear(); }, missing,
                 "/skins/0/joints"},
        Spoiling{"channel", [](Scene& s) { s.animations[0].channels[0].sampler = 1; }, range,
                 "/animations/0/channels/0/sampler"},
        Spoiling{"animated node", [](Scene& s) { s.animations[0].channels[0].node = NodeId{9}; },
                 range, "/animations/0/channels/0/target/node"},
        Spoiling{"animation output",
                 [](Scene& s) { s.animations[0].samplers[0].output = StreamId{90}; }, range,
                 "/animations/0/samplers/0/output"},
        Spoiling{"scene root", [](Scene& s) { s.levels[0].roots.push_back(NodeId{8}); }, range,
                 "/scenes/0/nodes/2"},
        Spoiling{"root twice", [](Scene& s) { s.levels[0].roots.push_back(NodeId{0}); }, value,
                 "/scenes/0/nodes"},
        Spoiling{"root with a parent", [](Scene& s) { s.nodes[1].parent = NodeId{0}; }, value,
                 "/scenes/0/nodes/1"},
        Spoiling{"default scene", [](Scene& s) { s.default_level = LevelId{1}; }, range,
                 "/scene"}));

INSTANTIATE_TEST_SUITE_P(
    Geometry,
    CheckScene,
    testing::Values(
        Spoiling{"material", [](Scene& s) { s.meshes[0].primitives[0].material = MaterialId{1}; },
                 range, "/meshes/0/primitives/0/material"},
        Spoiling{"attribute stream",
                 [](Scene& s) { s.meshes[0].primitives[0].attributes[1].stream = StreamId{70}; },
                 range, "/meshes/0/primitives/0/attributes/NORMAL"},
        Spoiling{"attribute type",
                 [](Scene& s) { s.meshes[0].primitives[0].attributes[1].stream = StreamId{2}; },
                 value, "/meshes/0/primitives/0/attributes/NORMAL"},
        Spoiling{"attribute count", [](Scene& s) { s.streams[1].count = 3; }, value,
                 "/meshes/0/primitives/0/attributes/NORMAL"},
        Spoiling{"target count",
                 [](Scene& s) {
                   Stream shorter = s.streams[0];
                   shorter.count = 2;
                   s.streams.push_back(shorter);
                   s.meshes[0].primitives[0].morph_targets.push_back(
                       {{"POSITION", make_id<StreamId>(s.streams.size() - 1)}});
                 },
                 value, "/meshes/0/primitives/0/targets/0/POSITION"},
        Spoiling{"index type", [](Scene& s) { s.meshes[0].primitives[0].indices = StreamId{0}; },
                 value, "/meshes/0/primitives/0/indices"},
        Spoiling{"index value",
                 [](Scene& s) {
                   for (Stream& stream : s.streams) {
                     if (stream.count == 4) {
                       stream.count = 3;
                       stream.bounds.reset();
                     }
                   }
                 },
                 range, "/meshes/0/primitives/0/indices"}));

TEST(CheckSceneSparse, WantsAscendingPlacesInsideTheStream) {
  for (const auto& [places, good] : {std::pair{std::vector<std::uint16_t>{0, 3}, true},
                                     std::pair{std::vector<std::uint16_t>{3, 0}, false},
                                     std::pair{std::vector<std::uint16_t>{1, 1}, false},
                                     std::pair{std::vector<std::uint16_t>{0, 4}, false}}) {
    SceneBuilder builder;
    const StreamId index = builder.add_stream(places, ElementType::scalar, ComponentType::u16);
    const StreamId values =
        builder.add_stream(test::Floats{1, 2}, ElementType::scalar, ComponentType::f32);
    const StreamId id =
        builder.add_stream(test::Floats{0, 0, 0, 0}, ElementType::scalar, ComponentType::f32);
    SparseSubstitution sparse;
    sparse.count = 2;
    sparse.index_view = builder.scene[index].view;
    sparse.value_view = builder.scene[values].view;
    builder.scene.streams[to_index(id)].sparse = sparse;
    const auto checked = check_scene(builder.scene);
    EXPECT_EQ(checked.has_value(), good) << places[0] << "," << places[1];
    if (!good) {
      EXPECT_EQ(checked.error().place.pointer, "/accessors/2/sparse/indices");
    }
  }
}

TEST(CheckSceneDraws, AreLimited) {
  SceneBuilder builder;
  const Primitive primitive = builder.make_primitive(test::make_square(), no_material);
  const MeshId mesh = builder.add_mesh("many", std::vector<Primitive>(4'096, primitive));
  for (int i = 0; i < 4'096; ++i) {
    builder.add_node("n", mesh);
  }
  EXPECT_TRUE(check_scene(builder.scene));
  builder.add_node("n", mesh);
  const auto checked = check_scene(builder.scene);
  ASSERT_FALSE(checked);
  EXPECT_EQ(checked.error().code, ErrorCode::too_large);
  EXPECT_EQ(checked.error().place.pointer, "/nodes/4096/mesh");
}

TEST(CheckSceneViews, RefuseToShowTheSameBytesOverAndOver) {
  SceneBuilder builder;
  builder.add_stream(test::Floats(1000), ElementType::scalar, ComponentType::f32);
  for (int i = 0; i < 70; ++i) {
    builder.scene.views.push_back(builder.scene.views[0]);
  }
  const auto checked = check_scene(builder.scene);
  ASSERT_FALSE(checked);
  EXPECT_EQ(checked.error().code, ErrorCode::too_large);
}

}  // namespace
}  // namespace wakuzume
