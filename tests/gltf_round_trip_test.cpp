// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>
#include <simdjson.h>

#include <map>

#include "glasshouse.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

namespace dom = simdjson::dom;

std::string json_of(const std::filesystem::path& file) {
  const std::string bytes = test::read_all(file);
  if (bytes.substr(0, 4) != "glTF") {
    return bytes;
  }
  std::uint32_t length = 0;
  std::memcpy(&length, bytes.data() + 12, 4);
  return bytes.substr(20, length);
}

/// Every scalar of a JSON document by its pointer, so that two documents can be compared whatever
/// the order of their members. Numbers are compared by value.
void flatten(dom::element value, const std::string& at, std::map<std::string, std::string>& out) {
  if (value.is_object()) {
    out[at + "/{}"] = "";
    for (const auto field : value.get_object()) {
      flatten(field.value, at + "/" + std::string(field.key), out);
    }
  } else if (value.is_array()) {
    std::size_t index = 0;
    for (const auto item : value.get_array()) {
      flatten(item, at + "/" + std::to_string(index++), out);
    }
    out[at + "/[]"] = std::to_string(index);
  } else if (value.is_number()) {
    char text[40];
    std::snprintf(text, sizeof text, "%.17g", value.get_double().value());
    out[at] = text;
  } else {
    out[at] = simdjson::minify(value);
  }
}

std::map<std::string, std::string> flatten(const std::string& json) {
  dom::parser parser;
  std::map<std::string, std::string> out;
  flatten(parser.parse(json), "", out);
  // Where bytes lie is the writer's business.
  std::erase_if(out, [](const auto& entry) {
    return entry.first.starts_with("/buffers") ||
           (entry.first.starts_with("/bufferViews") && entry.first.ends_with("/byteOffset"));
  });
  return out;
}

/// A file with every property of the standard and more, written by hand.
const char* everything = R"({
 "asset": {"version": "2.0", "generator": "hand", "copyright": "nobody", "minVersion": "2.0",
           "extras": {"tool": 7}},
 "extensionsUsed": ["KHR_texture_transform", "KHR_lights_punctual", "KHR_materials_unlit",
                    "KHR_materials_clearcoat", "X_unknown", "EXT_mesh_gpu_instancing"],
 "extensionsRequired": ["KHR_texture_transform"],
 "extensions": {"KHR_lights_punctual": {"lights": [
    {"type": "spot", "name": "s", "color": [1, 0.5, 0.25], "intensity": 1, "range": 12.5,
     "spot": {"innerConeAngle": 0, "outerConeAngle": 0.7}, "extras": "l"},
    {"type": "directional"}]},
   "X_unknown": {"list": [1, 2.5, true, null, "\u00e9\n"]}},
 "extras": [1, {"deep": {"deeper": []}}],
 "scene": 1,
 "scenes": [{"name": "first", "nodes": [0]}, {"name": "second", "nodes": [0, 4], "extras": 1}],
 "nodes": [
  {"name": "root \"quoted\" \\ \u0001", "children": [1, 2, 3], "translation": [0, 0, 0],
   "rotation": [0, 0, 0, 1], "scale": [1, 1, 1]},
  {"mesh": 0, "matrix": [1,0,0,0, 0,1,0,0, 0,0,1,0, 50000.123456789,2,3,1], "skin": 0,
   "weights": [0.25]},
  {"camera": 0, "extensions": {"X_unknown": {"hand": "left"}}},
  {"camera": 1, "extensions": {"KHR_lights_punctual": {"light": 0}}, "extras": {"a": {"b": [1]}}},
  {"name": "set", "mesh": 1,
   "extensions": {"EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": 0}}}}],
 "cameras": [
  {"type": "perspective", "name": "p", "perspective": {"yfov": 0.8, "znear": 0.01,
   "extras": "lens"}},
  {"type": "orthographic", "orthographic": {"xmag": 2, "ymag": 1.5, "znear": 0, "zfar": 10}}],
 "meshes": [
  {"name": "morphing", "weights": [0.5], "extras": {"m": 1}, "primitives": [
   {"attributes": {"POSITION": 0, "JOINTS_0": 3, "WEIGHTS_0": 4, "_WEAR": 2}, "indices": 1,
    "material": 0, "mode": 4, "targets": [{"POSITION": 0}], "extras": {"p": 2},
    "extensions": {"X_unknown": {}}}]},
  {"primitives": [{"attributes": {"POSITION": 0}, "mode": 0}]}],
 "materials": [
  {"name": "all", "pbrMetallicRoughness": {"baseColorFactor": [1, 1, 1, 1],
    "metallicFactor": 1, "roughnessFactor": 0.3,
    "baseColorTexture": {"index": 0, "texCoord": 0, "extensions": {"KHR_texture_transform":
     {"offset": [0, 0], "rotation": 0.5, "scale": [2, 3], "texCoord": 1}}},
    "metallicRoughnessTexture": {"index": 1}, "extras": "pbr"},
   "normalTexture": {"index": 1, "scale": 1}, "occlusionTexture": {"index": 1, "strength": 0.5},
   "emissiveTexture": {"index": 1, "texCoord": 1, "extras": {"slot": 1}},
   "emissiveFactor": [0, 0, 0], "alphaMode": "OPAQUE", "alphaCutoff": 0.5, "doubleSided": false,
   "extensions": {"KHR_materials_clearcoat": {"clearcoatFactor": 0.1}}},
  {"alphaMode": "MASK", "alphaCutoff": 0.25, "doubleSided": true,
   "extensions": {"KHR_materials_unlit": {}}},
  {}],
 "textures": [{"sampler": 0, "source": 0, "name": "t"}, {"source": 0, "extras": 3}],
 "images": [{"bufferView": 5, "mimeType": "image/png", "name": "i"}],
 "samplers": [{"magFilter": 9728, "minFilter": 9987, "wrapS": 10497, "wrapT": 33648, "name": "n"}],
 "skins": [{"joints": [2, 3], "skeleton": 0, "name": "bones"}],
 "animations": [{"name": "moves", "channels": [
    {"sampler": 0, "target": {"node": 2, "path": "translation", "extras": 1}}],
   "samplers": [{"input": 5, "output": 0, "interpolation": "STEP", "extras": 2}]}],
 "accessors": [
  {"bufferView": 0, "byteOffset": 0, "componentType": 5126, "count": 3, "type": "VEC3",
   "min": [0, 0, 0], "max": [1, 1, 0], "name": "positions", "normalized": false},
  {"bufferView": 1, "componentType": 5123, "count": 3, "type": "SCALAR"},
  {"componentType": 5126, "count": 3, "type": "SCALAR", "sparse": {"count": 1,
   "indices": {"bufferView": 2, "componentType": 5121}, "values": {"bufferView": 3},
   "extras": "sparse"}},
  {"bufferView": 4, "componentType": 5121, "count": 3, "type": "VEC4"},
  {"bufferView": 4, "componentType": 5121, "count": 3, "type": "VEC4", "normalized": true,
   "extras": {"acc": 1}},
  {"bufferView": 3, "componentType": 5126, "count": 3, "type": "SCALAR", "min": [0], "max": [1]}],
 "bufferViews": [
  {"buffer": 0, "byteLength": 36, "target": 34962, "byteStride": 12, "name": "v"},
  {"buffer": 0, "byteOffset": 36, "byteLength": 8, "target": 34963},
  {"buffer": 0, "byteOffset": 44, "byteLength": 1},
  {"buffer": 0, "byteOffset": 48, "byteLength": 12, "extras": [true]},
  {"buffer": 0, "byteOffset": 60, "byteLength": 12},
  {"buffer": 0, "byteOffset": 72, "byteLength": 4}],
 "buffers": [{"byteLength": 76, "uri": "all.bin", "name": "the buffer", "extras": {"buf": 1}}]
})";

/// Numbers that are sane for every use the file makes of them.
std::string make_everything_bytes() {
  const float positions[9] = {0, 0, 0, 1, 0, 0, 0, 1, 0};
  const std::uint16_t indices[4] = {0, 1, 2, 0};
  const float times[3] = {0, 0.5F, 1};
  std::string bytes(76, '\0');
  std::memcpy(bytes.data(), positions, 36);
  std::memcpy(bytes.data() + 36, indices, 8);
  bytes[44] = 2;
  std::memcpy(bytes.data() + 48, times, 12);
  std::memcpy(bytes.data() + 72, "\x89PNG", 4);
  return bytes;
}

std::filesystem::path write_everything() {
  const auto folder = test::make_scratch();
  std::filesystem::create_directories(folder / "in");
  test::write_all(folder / "in" / "all.gltf", everything);
  test::write_all(folder / "in" / "all.bin", make_everything_bytes());
  return folder;
}

TEST(RoundTrip, KeepsEveryPropertyExtensionAndExtra) {
  const auto folder = write_everything();
  const auto scene = read_scene((folder / "in" / "all.gltf").string());
  ASSERT_TRUE(scene) << to_string(scene.error());
  for (const char* name : {"out.gltf", "out.glb"}) {
    const auto file = folder / name;
    const auto report = write_scene(*scene, file.string());
    ASSERT_TRUE(report) << to_string(report.error());
    EXPECT_TRUE(report->left_out.empty());
    EXPECT_EQ(flatten(json_of(file)), flatten(everything)) << name;
    const auto again = read_scene(file.string());
    ASSERT_TRUE(again) << to_string(again.error());
    EXPECT_EQ(make_content_hash(*again), make_content_hash(*scene)) << name;
  }
}

TEST(RoundTrip, KeepsTheBuffersOwnPropertiesToo) {
  const auto folder = write_everything();
  const auto scene = read_scene((folder / "in" / "all.gltf").string());
  ASSERT_TRUE(scene);
  ASSERT_TRUE(write_scene(*scene, (folder / "out.gltf").string()));
  const std::string json = json_of(folder / "out.gltf");
  EXPECT_NE(json.find(R"("name":"the buffer")"), std::string::npos);
  EXPECT_NE(json.find(R"("extras":{"buf": 1})"), std::string::npos);
  EXPECT_NE(json.find(R"("uri":"out.bin")"), std::string::npos);
  EXPECT_EQ(test::list_folder(folder), (std::vector<std::string>{"in", "out.bin", "out.gltf"}));
}

TEST(RoundTrip, KeepsDoublesToTheLastDigit) {
  const auto folder = write_everything();
  const auto scene = read_scene((folder / "in" / "all.gltf").string());
  ASSERT_TRUE(scene);
  EXPECT_EQ((*scene->nodes[1].matrix)[12], 50000.123456789);
  ASSERT_TRUE(write_scene(*scene, (folder / "out.glb").string()));
  EXPECT_NE(json_of(folder / "out.glb").find("50000.123456789"), std::string::npos);
}

TEST(RoundTrip, SaysWhatAGlbCanNotHold) {
  auto scene = test::make_random_scene(2, 6);
  scene.blocks[1].name = "second";
  const auto report = write_scene(scene, (test::make_scratch() / "out.glb").string());
  ASSERT_TRUE(report);
  ASSERT_EQ(report->left_out.size(), 1U);
  EXPECT_NE(report->left_out[0].find("buffer 1"), std::string::npos);
}

TEST(RoundTrip, WritesAnUnchangedSceneTheSameWayEveryTime) {
  const auto folder = test::make_scratch();
  const Scene scene = test::make_random_scene(11, 30);
  ASSERT_TRUE(write_scene(scene, (folder / "a.glb").string()));
  const auto again = read_scene((folder / "a.glb").string());
  ASSERT_TRUE(again);
  ASSERT_TRUE(write_scene(*again, (folder / "b.glb").string()));
  const auto third = read_scene((folder / "b.glb").string());
  ASSERT_TRUE(third);
  ASSERT_TRUE(write_scene(*third, (folder / "c.glb").string()));
  EXPECT_EQ(test::read_all(folder / "b.glb"), test::read_all(folder / "c.glb"));
}

TEST(RoundTrip, SharesBytesThatViewsShare) {
  test::SceneBuilder builder;
  builder.add_stream(test::Floats(4096), ElementType::scalar, ComponentType::f32);
  for (std::uint32_t i = 0; i < 20; ++i) {
    BlockView view = builder.scene.views[0];
    view.offset = i * 16;
    view.length -= i * 16;
    builder.scene.views.push_back(view);
  }
  const auto report = write_scene(builder.finish(), (test::make_scratch() / "shared.glb").string());
  ASSERT_TRUE(report);
  EXPECT_LT(report->bytes, 16384U + 4096U) << "overlapping views were written more than once";
}

TEST(RoundTrip, TakesImageFilesAlongAndEmbedsThemInAGlb) {
  const auto folder = test::make_scratch();
  std::filesystem::create_directories(folder / "in" / "art work");
  test::write_all(folder / "in" / "art work" / "leaf.png", "\x89PNG\r\n\x1a\n....");
  test::write_all(folder / "in" / "scene.gltf",
                  R"({"asset":{"version":"2.0"},"images":[{"uri":"art%20work/leaf.png"},)"
                  R"({"uri":"data:image/jpeg;base64,/9j/AAAA"}]})");
  const auto scene = read_scene((folder / "in" / "scene.gltf").string());
  ASSERT_TRUE(scene) << to_string(scene.error());
  EXPECT_EQ(scene->images[1].mime_type, "image/jpeg");

  std::filesystem::create_directories(folder / "out");
  ASSERT_TRUE(write_scene(*scene, (folder / "out" / "scene.gltf").string()));
  EXPECT_EQ(test::read_all(folder / "out" / "art work" / "leaf.png"), "\x89PNG\r\n\x1a\n....");
  EXPECT_NE(json_of(folder / "out" / "scene.gltf").find("data:image/jpeg;base64,/9j/AAAA"),
            std::string::npos);

  ASSERT_TRUE(write_scene(*scene, (folder / "out" / "scene.glb").string()));
  const auto packed = read_scene((folder / "out" / "scene.glb").string());
  ASSERT_TRUE(packed) << to_string(packed.error());
  EXPECT_EQ(packed->images[0].mime_type, "image/png");
  EXPECT_EQ(packed->views[to_index(packed->images[0].view)].length, 12U);
}

TEST(RoundTrip, KeepsTheDemoSceneAsItIs) {
  const auto folder = test::make_scratch();
  const Scene scene = demo::make_glasshouse();
  ASSERT_TRUE(write_scene(scene, (folder / "a.glb").string()));
  const auto read = read_scene((folder / "a.glb").string());
  ASSERT_TRUE(read);
  EXPECT_EQ(make_content_hash(*read), make_content_hash(scene));
  ASSERT_TRUE(write_scene(*read, (folder / "b.glb").string()));
  EXPECT_EQ(flatten(json_of(folder / "b.glb")), flatten(json_of(folder / "a.glb")));
}

TEST(ListFiles, NamesTheSceneItsBuffersAndItsImages) {
  const auto folder = write_everything();
  const std::string path = (folder / "in" / "all.gltf").string();
  const auto scene = read_scene(path);
  ASSERT_TRUE(scene);
  EXPECT_EQ(list_files(*scene, path),
            (std::vector<std::string>{path, (folder / "in" / "all.bin").string()}));
}

TEST(MissingImage, IsListedAndItsNameIsWrittenAgain) {
  const auto folder = test::make_scratch();
  test::write_all(
      folder / "a.gltf",
      R"({"asset":{"version":"2.0"},"images":[{"uri":"pictures/gone%20away.png"}],)"
      R"("textures":[{"source":0}],"materials":[{"name":"m","normalTexture":{"index":0}}]})");
  const auto scene = read_scene((folder / "a.gltf").string());
  ASSERT_TRUE(scene) << to_string(scene.error());
  ASSERT_EQ(scene->missing_files.size(), 1U);
  EXPECT_EQ(scene->missing_files[0].uri, "pictures/gone%20away.png");
  EXPECT_EQ(scene->missing_files[0].used_for, "image 0");
  for (const char* name : {"b.glb", "b.gltf"}) {
    const auto written = write_scene(*scene, (folder / name).string());
    ASSERT_TRUE(written) << to_string(written.error());
    const auto again = read_scene((folder / name).string());
    ASSERT_TRUE(again);
    EXPECT_EQ(again->images[0].uri, "pictures/gone%20away.png");
    EXPECT_EQ(again->missing_files.size(), 1U);
  }
  EXPECT_FALSE(std::filesystem::exists(folder / "pictures")) << "nothing is made up for it";
}

}  // namespace
}  // namespace wakuzume
