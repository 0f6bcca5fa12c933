// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <cstring>
#include <filesystem>
#include <ostream>
#include <random>

#include "glasshouse.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"
#include "wakuzume/stream_codec.h"

// Files whose streams are packed by EXT_meshopt_compression.
namespace wakuzume {
namespace {

namespace fs = std::filesystem;

bool lists(const std::vector<std::string>& names, const char* name) {
  return std::find(names.begin(), names.end(), name) != names.end();
}

Scene read_well(const fs::path& file) {
  auto scene = read_scene(file.string());
  EXPECT_TRUE(scene) << to_string(scene.error());
  return scene ? std::move(*scene) : Scene{};
}

TEST(PackedFiles, HoldTheSameSceneInFewerBytes) {
  const auto folder = test::make_scratch();
  Scene scene = demo::make_glasshouse();
  ASSERT_TRUE(write_scene(scene, (folder / "plain.glb").string()));
  const ContentHash hash = make_content_hash(read_well(folder / "plain.glb"));
  scene.storage = StreamStorage::packed;
  for (const char* const name : {"packed.glb", "packed.gltf"}) {
    ASSERT_TRUE(write_scene(scene, (folder / name).string()));
    const Scene read = read_well(folder / name);
    EXPECT_EQ(to_string(make_content_hash(read)), to_string(hash)) << name;
    EXPECT_EQ(read.storage, StreamStorage::packed);
    EXPECT_TRUE(lists(read.unpacked, "EXT_meshopt_compression"));
    EXPECT_FALSE(lists(read.extensions_used, "EXT_meshopt_compression"));
    EXPECT_EQ(test::ask_validator(folder / name), test::ask_validator(folder / "plain.glb"));
  }
  EXPECT_LT(fs::file_size(folder / "packed.glb") + 200'000, fs::file_size(folder / "plain.glb"));

  // What was read so is written so, and plain where that is asked for.
  Scene again = read_well(folder / "packed.glb");
  ASSERT_TRUE(write_scene(again, (folder / "again.glb").string()));
  EXPECT_EQ(make_content_hash(read_well(folder / "again.glb")), hash);
  EXPECT_NEAR(static_cast<double>(fs::file_size(folder / "again.glb")),
              static_cast<double>(fs::file_size(folder / "packed.glb")), 64);
  again.storage = StreamStorage::plain;
  ASSERT_TRUE(write_scene(again, (folder / "unpacked.glb").string()));
  const Scene unpacked = read_well(folder / "unpacked.glb");
  EXPECT_EQ(make_content_hash(unpacked), hash);
  EXPECT_TRUE(unpacked.unpacked.empty());
}

TEST(PackedFiles, AreTheSameForAnyNumberOfThreads) {
  const auto folder = test::make_scratch();
  Scene scene = test::make_random_scene(3, 40);
  scene.storage = StreamStorage::packed;
  ASSERT_TRUE(write_scene(scene, (folder / "one.glb").string(), {}, {1, nullptr}));
  ASSERT_TRUE(write_scene(scene, (folder / "two.glb").string(), {}, {2, nullptr}));
  EXPECT_EQ(test::read_all(folder / "one.glb"), test::read_all(folder / "two.glb"));
}

TEST(PackedFiles, PackWhatLiesInterleavedAndLeaveWhatCanNotBePacked) {
  test::SceneBuilder builder;
  // Positions and normals side by side, 24 bytes a vertex.
  std::vector<float> interleaved;
  for (int v = 0; v < 300; ++v) {
    interleaved.insert(interleaved.end(),
                       {static_cast<float>(v % 20), static_cast<float>(v / 20), 0, 0, 0, 1});
  }
  Stream stream;
  stream.element = ElementType::vec3;
  stream.count = 300;
  const StreamId positions =
      builder.add_bytes(interleaved.data(), interleaved.size() * 4, stream, 24);
  stream.view = builder.scene[positions].view;
  stream.offset = 12;
  builder.scene.streams.push_back(stream);
  const auto normals = make_id<StreamId>(builder.scene.streams.size() - 1);
  std::vector<std::uint8_t> indices;
  for (std::uint8_t i = 0; i < 252; ++i) {
    indices.push_back(i);
  }
  Primitive primitive;
  primitive.attributes = {{"POSITION", positions}, {"NORMAL", normals}};
  primitive.indices = builder.add_stream(indices, ElementType::scalar, ComponentType::u8);
  builder.add_node("grid", builder.add_mesh("grid", {primitive}));
  Scene scene = builder.finish();
  scene.storage = StreamStorage::packed;
  const auto file = test::make_scratch() / "scene.gltf";
  ASSERT_TRUE(write_scene(scene, file.string()));
  const std::string json = test::read_all(file);
  EXPECT_NE(json.find(R"("byteStride":24,"count":300,"mode":"ATTRIBUTES")"), std::string::npos);
  EXPECT_EQ(json.find("TRIANGLES"), std::string::npos) << "indices of a byte can't be packed";
  EXPECT_EQ(make_content_hash(read_well(file)), make_content_hash(scene));
}

/// A triangle whose positions are packed; the buffer that they stand in has no bytes.
std::string make_file(const std::string& replaced, const std::string& by) {
  const std::vector<float> positions{0, 0, 0, 1, 0, 0, 0, 1, 0};
  const PackLayout layout{PackMode::attributes, PackFilter::none, 12, 3};
  const auto packed = pack_stream(std::as_bytes(std::span(positions)), layout);
  std::string text =
      R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],)"
      R"("extensionsUsed":["EXT_meshopt_compression"],)"
      R"("meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],)"
      R"("accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3",)"
      R"("min":[0,0,0],"max":[1,1,0]}],)"
      R"("bufferViews":[{"buffer":1,"byteLength":36,"byteStride":12,"extensions":{)"
      R"("EXT_meshopt_compression":{"buffer":0,"byteOffset":0,"byteLength":)" +
      std::to_string(packed.size()) +
      R"(,"byteStride":12,"count":3,"mode":"ATTRIBUTES","filter":"NONE"}}}],)"
      R"("buffers":[{"byteLength":)" +
      std::to_string(packed.size()) + R"(,"uri":"packed.bin"},)" +
      R"({"byteLength":36,"extensions":{"EXT_meshopt_compression":{"fallback":true}}}]})";
  if (!replaced.empty()) {
    const std::size_t at = text.find(replaced);
    EXPECT_NE(at, std::string::npos) << replaced;
    text.replace(at, replaced.size(), by);
  }
  const auto folder = test::make_scratch();
  test::write_all(folder / "packed.bin",
                  {reinterpret_cast<const char*>(packed.data()), packed.size()});
  test::write_all(folder / "scene.gltf", text);
  return (folder / "scene.gltf").string();
}

TEST(ReadPacked, ReadsTheFileThatTheOthersSpoil) {
  const auto scene = read_scene(make_file("", ""));
  ASSERT_TRUE(scene) << to_string(scene.error());
  EXPECT_EQ(make_floats(*scene, StreamId{0}), (std::vector<float>{0, 0, 0, 1, 0, 0, 0, 1, 0}));
  EXPECT_EQ(scene->blocks.size(), 1U) << "neither the packed bytes nor what stood for the plain";
  EXPECT_TRUE(scene->extensions_used.empty());
}

struct Fault {
  const char* name;
  const char* replaced;
  const char* by;
  ErrorCode code;
};
std::ostream& operator<<(std::ostream& out, const Fault& fault) { return out << fault.name; }

class ReadPackedFault : public testing::TestWithParam<Fault> {};

TEST_P(ReadPackedFault, IsNamedWithItsPlace) {
  const Fault& fault = GetParam();
  const auto scene = read_scene(make_file(fault.replaced, fault.by));
  ASSERT_FALSE(scene);
  EXPECT_EQ(scene.error().code, fault.code) << to_string(scene.error());
  EXPECT_TRUE(
      scene.error().place.pointer.starts_with("/bufferViews/0/extensions/EXT_meshopt_compression"))
      << to_string(scene.error());
}

INSTANTIATE_TEST_SUITE_P(
    Views,
    ReadPackedFault,
    testing::Values(
        Fault{"mode", "\"ATTRIBUTES\"", "\"VERTICES\"", ErrorCode::bad_value},
        Fault{"no mode", "\"mode\":\"ATTRIBUTES\",", "", ErrorCode::missing_member},
        Fault{"filter", "\"NONE\"", "\"OCTAHEDRAL\"", ErrorCode::bad_value},
        Fault{"other filter", "\"NONE\"", "\"SOFT\"", ErrorCode::bad_value},
        Fault{"buffer", "{\"buffer\":0", "{\"buffer\":7", ErrorCode::index_out_of_range},
        Fault{"end", "\"byteOffset\":0", "\"byteOffset\":9", ErrorCode::out_of_bounds},
        Fault{"overflow", "\"byteOffset\":0", "\"byteOffset\":18446744073709551615",
              ErrorCode::out_of_bounds},
        Fault{"stride", "\"byteStride\":12,\"count\":3", "\"byteStride\":6,\"count\":6",
              ErrorCode::bad_value},
        Fault{"other stride", "\"byteStride\":12,\"count\":3", "\"byteStride\":36,\"count\":1",
              ErrorCode::bad_value},
        Fault{"count", "\"count\":3,\"mode\"", "\"count\":4,\"mode\"", ErrorCode::bad_value},
        Fault{"bomb", "\"count\":3,\"mode\"", "\"count\":4000000000,\"mode\"",
              ErrorCode::bad_value}));

TEST(ReadPacked, MakesNoRoomForWhatTheBytesCanNotHold) {
  // 48 GB of elements from under a hundred bytes.
  std::string text = test::read_all(make_file("", ""));
  for (const auto& [from, to] : {std::pair{"\"byteLength\":36,\"byteStride\":12",
                                           "\"byteLength\":48000000000,\"byteStride\":12"},
                                 {"\"count\":3,\"mode\"", "\"count\":4000000000,\"mode\""}}) {
    text.replace(text.find(from), std::string_view(from).size(), to);
  }
  const auto folder = test::make_scratch();
  test::write_all(folder / "packed.bin", std::string(200, 'x'));
  test::write_all(folder / "scene.gltf", text);
  const auto scene = read_scene((folder / "scene.gltf").string());
  ASSERT_FALSE(scene);
  EXPECT_EQ(scene.error().code, ErrorCode::bad_value);
  EXPECT_NE(scene.error().message.find("can't hold"), std::string::npos);
}

TEST(ReadPacked, KeepsToTheLimitForWhatIsUnpacked) {
  const auto scene = read_scene(make_file("", ""), {.max_unpacked_bytes = 47});
  ASSERT_FALSE(scene);
  EXPECT_EQ(scene.error().code, ErrorCode::too_large);
  EXPECT_TRUE(read_scene(make_file("", ""), {.max_unpacked_bytes = 48}));
}

TEST(ReadPacked, TakesPlainBytesWhereTheyAreThere) {
  // The buffer is no stand-in: it has the plain bytes, and what is packed is not even looked at.
  const std::string plain(
      "\0\0\0\0\0\0\0\0\0\0\0\0\0\0\200\77\0\0\0\0\0\0\0\0\0\0\0\0\0\0\200\77\0\0\0\0", 36);
  const std::string file =
      make_file(R"("byteLength":36,"extensions":{"EXT_meshopt_compression":{"fallback":true}})",
                R"("byteLength":36,"uri":"plain.bin")");
  test::write_all(fs::path(file).parent_path() / "plain.bin", plain);
  test::write_all(fs::path(file).parent_path() / "packed.bin", std::string(200, 'x'));
  const auto scene = read_scene(file);
  ASSERT_TRUE(scene) << to_string(scene.error());
  EXPECT_EQ(make_floats(*scene, StreamId{0}), (std::vector<float>{0, 0, 0, 1, 0, 0, 0, 1, 0}));
}

TEST(ReadPacked, EndsDamagedFilesInAnErrorOrInAScene) {
  const auto folder = test::make_scratch();
  Scene scene = test::make_random_scene(7, 12);
  scene.storage = StreamStorage::packed;
  ASSERT_TRUE(write_scene(scene, (folder / "whole.glb").string()));
  const std::string whole = test::read_all(folder / "whole.glb");
  std::mt19937 random(11);
  int refused = 0;
  std::uint32_t json_length = 0;
  std::memcpy(&json_length, whole.data() + 12, sizeof json_length);
  const std::size_t json_end = 20 + json_length + 8;
  ASSERT_LT(json_end, whole.size());
  for (int round = 0; round < 600; ++round) {
    std::string damaged = whole;
    for (int hits = 1 + static_cast<int>(random() % 3); hits > 0; --hits) {
      damaged[json_end + random() % (whole.size() - json_end)] = static_cast<char>(random());
    }
    test::write_all(folder / "damaged.glb", damaged);
    const auto read = read_scene((folder / "damaged.glb").string());
    if (!read) {
      ++refused;
      ASSERT_FALSE(read.error().place.pointer.empty()) << to_string(read.error());
    }
  }
  EXPECT_GT(refused, 10);
}

TEST(ReadPacked, RefusesAnotherCompressionByName) {
  const auto scene =
      read_scene(make_file("[\"EXT_meshopt_compression\"]", "[\"OTHER_meshopt_compression\"]"));
  ASSERT_FALSE(scene);
  EXPECT_EQ(scene.error().code, ErrorCode::not_supported);
  EXPECT_EQ(scene.error().place.pointer, "/extensionsUsed/0");
}

}  // namespace
}  // namespace wakuzume
