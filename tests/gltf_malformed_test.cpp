// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <ostream>

#include "support/process.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

/// Parts of a small valid file: two triangles, one texture in a data URI.
constexpr const char* buffer_uri =
    "data:application/octet-stream;base64,"
    "AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAAAAABAAIAAAA=";  // 3 positions, 3 indices

std::string make_file(const std::string& replaced = "", const std::string& by = "") {
  std::string text =
      R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],)"
      R"("nodes":[{"mesh":0,"children":[1]},{"name":"child"}],)"
      R"("meshes":[{"primitives":[{"attributes":{"POSITION":0},"indices":1,"mode":4}]}],)"
      R"("accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3",)"
      R"("min":[0,0,0],"max":[1,1,0]},)"
      R"({"bufferView":1,"componentType":5123,"count":3,"type":"SCALAR"}],)"
      R"("bufferViews":[{"buffer":0,"byteLength":36},{"buffer":0,"byteOffset":36,"byteLength":8}],)"
      R"("materials":[{"alphaMode":"OPAQUE"}],)"
      R"("buffers":[{"byteLength":44,"uri":")" +
      std::string(buffer_uri) + R"("}]})";
  if (!replaced.empty()) {
    const std::size_t at = text.find(replaced);
    EXPECT_NE(at, std::string::npos) << replaced;
    text.replace(at, replaced.size(), by);
  }
  return text;
}

Result<Scene> read_text(const std::string& text, const std::string& name = "scene.gltf") {
  const auto file = test::make_scratch() / name;
  test::write_all(file, text);
  return read_scene(file.string());
}

TEST(ReadScene, ReadsTheFileThatTheOthersSpoil) {
  const auto scene = read_text(make_file());
  ASSERT_TRUE(scene) << to_string(scene.error());
  EXPECT_EQ(scene->nodes.size(), 2U);
  EXPECT_EQ(scene->nodes[1].parent, NodeId{0});
  EXPECT_EQ(make_floats(*scene, StreamId{0}), (std::vector<float>{0, 0, 0, 1, 0, 0, 0, 1, 0}));
  EXPECT_EQ(make_indices(*scene, scene->meshes[0].primitives[0]),
            (std::vector<std::uint32_t>{0, 1, 2}));
}

struct Malformed {
  const char* name;
  const char* replaced;
  const char* by;
  ErrorCode code;
  const char* pointer;
};
std::ostream& operator<<(std::ostream& out, const Malformed& fault) { return out << fault.name; }

class ReadSceneFault : public testing::TestWithParam<Malformed> {};

TEST_P(ReadSceneFault, IsNamedWithItsPlace) {
  const Malformed& fault = GetParam();
  const auto scene = read_text(make_file(fault.replaced, fault.by));
  ASSERT_FALSE(scene) << "read without an error";
  EXPECT_EQ(scene.error().code, fault.code) << to_string(scene.error());
  EXPECT_EQ(scene.error().place.pointer, fault.pointer) << to_string(scene.error());
  EXPECT_NE(scene.error().place.file.find("scene.gltf"), std::string::npos);
  EXPECT_FALSE(scene.error().message.empty());
}

INSTANTIATE_TEST_SUITE_P(
    Json,
    ReadSceneFault,
    testing::Values(
        Malformed{"version", "\"2.0\"", "\"1.0\"", ErrorCode::not_supported, "/asset"},
        Malformed{"no asset", "\"asset\"", "\"assets\"", ErrorCode::missing_member, ""},
        Malformed{"wrong type", "\"count\":3", "\"count\":\"3\"", ErrorCode::bad_type,
                  "/accessors/0/count"},
        Malformed{"negative count", "\"count\":3", "\"count\":-3", ErrorCode::bad_value,
                  "/accessors/0/count"},
        Malformed{"fraction", "\"count\":3", "\"count\":3.5", ErrorCode::bad_value,
                  "/accessors/0/count"},
        Malformed{"huge number", "\"count\":3", "\"count\":1e300", ErrorCode::bad_value,
                  "/accessors/0/count"},
        Malformed{"object for array", "\"nodes\":[0]", "\"nodes\":{}", ErrorCode::bad_type,
                  "/scenes/0/nodes"},
        Malformed{"wrong enum", "5126", "5127", ErrorCode::bad_value, "/accessors/0/componentType"},
        Malformed{"wrong type name", "VEC3", "VEC5", ErrorCode::bad_value, "/accessors/0"},
        Malformed{"wrong mode", "\"mode\":4", "\"mode\":7", ErrorCode::bad_value,
                  "/meshes/0/primitives/0/mode"},
        Malformed{"wrong alpha mode", "OPAQUE", "SOLID", ErrorCode::bad_value,
                  "/materials/0/alphaMode"},
        Malformed{"no attributes", "\"attributes\":{\"POSITION\":0},", "",
                  ErrorCode::missing_member, "/meshes/0/primitives/0"},
        Malformed{"both transforms", "\"name\":\"child\"",
                  "\"scale\":[1,1,1],\"matrix\":[1,0,0,0,0,1,0,0,0,0,1,0,0,0,0,1]",
                  ErrorCode::bad_value, "/nodes/1"},
        Malformed{"short vector", "\"name\":\"child\"", "\"scale\":[1,1]", ErrorCode::bad_value,
                  "/nodes/1/scale"},
        Malformed{"long vector", "\"name\":\"child\"", "\"scale\":[1,1,1,1]", ErrorCode::bad_value,
                  "/nodes/1/scale"}));

INSTANTIATE_TEST_SUITE_P(
    References,
    ReadSceneFault,
    testing::Values(
        Malformed{"mesh", "\"mesh\":0", "\"mesh\":3", ErrorCode::index_out_of_range,
                  "/nodes/0/mesh"},
        Malformed{"null index", "\"mesh\":0", "\"mesh\":4294967295", ErrorCode::index_out_of_range,
                  "/nodes/0/mesh"},
        Malformed{"child", "\"children\":[1]", "\"children\":[2]", ErrorCode::index_out_of_range,
                  "/nodes/0/children/0"},
        Malformed{"own child", "\"children\":[1]", "\"children\":[0]", ErrorCode::node_cycle,
                  "/nodes/0"},
        Malformed{"cycle", "\"name\":\"child\"", "\"children\":[0]", ErrorCode::node_cycle,
                  "/nodes/0"},
        Malformed{"accessor", "\"POSITION\":0", "\"POSITION\":9", ErrorCode::index_out_of_range,
                  "/meshes/0/primitives/0/attributes/POSITION"},
        Malformed{"buffer", "\"buffer\":0", "\"buffer\":1", ErrorCode::index_out_of_range,
                  "/bufferViews/0/buffer"},
        Malformed{"view end", "\"byteLength\":36", "\"byteLength\":360", ErrorCode::out_of_bounds,
                  "/bufferViews/0"},
        Malformed{"accessor end", "\"count\":3", "\"count\":4", ErrorCode::out_of_bounds,
                  "/accessors/0"},
        Malformed{"stated length", "\"byteLength\":44", "\"byteLength\":45",
                  ErrorCode::out_of_bounds, "/buffers/0/byteLength"},
        Malformed{"index value", "AAABAAIAAAA=", "AAABAAkAAAA=", ErrorCode::index_out_of_range,
                  "/meshes/0/primitives/0/indices"},
        Malformed{"zero bomb", "\"bufferView\":0,\"componentType\":5126,\"count\":3",
                  "\"componentType\":5126,\"count\":4000000000", ErrorCode::too_large,
                  "/accessors/0/count"},
        Malformed{"scene", "\"scene\":0", "\"scene\":1", ErrorCode::index_out_of_range, "/scene"}));

INSTANTIATE_TEST_SUITE_P(
    Files,
    ReadSceneFault,
    testing::Values(
        Malformed{"missing buffer", buffer_uri, "gone.bin", ErrorCode::cannot_open,
                  "/buffers/0/uri"},
        Malformed{"folder", buffer_uri, ".", ErrorCode::unsafe_path, "/buffers/0/uri"},
        Malformed{"outside", buffer_uri, "../../../../etc/hostname", ErrorCode::unsafe_path,
                  "/buffers/0/uri"},
        Malformed{"hidden outside", buffer_uri, "a/%2e%2e/%2e%2e/secret.bin",
                  ErrorCode::unsafe_path, "/buffers/0/uri"},
        Malformed{"absolute", buffer_uri, "/etc/hostname", ErrorCode::unsafe_path,
                  "/buffers/0/uri"},
        Malformed{"other scheme", buffer_uri, "ftp://host/file.bin", ErrorCode::unsafe_path,
                  "/buffers/0/uri"},
        Malformed{"broken base64", "AAABAAIAAAA=", "AAAB*AIAAAA=", ErrorCode::bad_value,
                  "/buffers/0/uri"},
        Malformed{"no uri", ",\"uri\":", ",\"url\":", ErrorCode::missing_member, "/buffers/0"},
        Malformed{"compressed", "\"scene\":0", "\"extensionsUsed\":[\"OTHER_meshopt_compression\"]",
                  ErrorCode::not_supported, "/extensionsUsed/0"}));

TEST(ReadScene, CallsCutShortJsonWhatItIs) {
  const std::string whole = make_file();
  for (std::size_t length = 0; length < whole.size(); length += 7) {
    const auto scene = read_text(whole.substr(0, length));
    ASSERT_FALSE(scene) << "the first " << length << " bytes were read without an error";
    EXPECT_TRUE(scene.error().code == ErrorCode::bad_json ||
                scene.error().code == ErrorCode::bad_container)
        << length << ": " << to_string(scene.error());
  }
  EXPECT_EQ(read_text(whole + " {}").error().code, ErrorCode::bad_json);
  EXPECT_TRUE(read_text(whole + " \n"));
}

TEST(ReadScene, ChecksEvenWhatItOnlyKeeps) {
  const std::string good = R"("extras":{"a":[1,2,{"b":"c"}]},)";
  EXPECT_TRUE(read_text(make_file("\"scene\":0,", good)));
  for (const char* bad : {R"("extras":{"a":[1,2,]},)", R"("extras":{"a":nul},)",
                          R"("extras":{"a":01e},)", R"("extras":{"a" 1},)"}) {
    const auto scene = read_text(make_file("\"scene\":0,", bad));
    ASSERT_FALSE(scene) << bad;
    EXPECT_EQ(scene.error().place.pointer.substr(0, 7), "/extras") << to_string(scene.error());
  }
}

TEST(ReadScene, RefusesNestingThatWouldOverflowTheStack) {
  std::string deep = "\"extras\":";
  deep.append(100'000, '[');
  deep.append(100'000, ']');
  const auto scene = read_text(make_file("\"scene\":0", deep));
  ASSERT_FALSE(scene);
  EXPECT_EQ(scene.error().code, ErrorCode::bad_json);
}

/// The parser reads a little beyond the text, so where the file ends in its last page matters.
TEST(ReadScene, ReadsFilesThatEndAnywhereInAPage) {
  const std::string whole = make_file();
  for (std::size_t size = 4096 - 70; size <= 4096 + 2; ++size) {
    const auto scene = read_text(whole + std::string(size - whole.size(), ' '));
    ASSERT_TRUE(scene) << size << ": " << to_string(scene.error());
    EXPECT_EQ(scene->nodes[1].name, "child");
  }
}

TEST(ReadScene, TellsAMissingFileAndAFolderFromABadOne) {
  const auto folder = test::make_scratch();
  EXPECT_EQ(read_scene((folder / "none.glb").string()).error().code, ErrorCode::cannot_open);
  EXPECT_EQ(read_scene(folder.string()).error().code, ErrorCode::cannot_open);
  EXPECT_EQ(read_text("").error().code, ErrorCode::bad_container);
}

TEST(ErrorText, HasFilePlaceMessageAndCode) {
  const auto scene = read_text(make_file("\"mesh\":0", "\"mesh\":3"));
  ASSERT_FALSE(scene);
  const std::string text = to_string(scene.error());
  EXPECT_NE(text.find("scene.gltf: /nodes/0/mesh: mesh 3 does not exist, there are 1 "
                      "[index_out_of_range]"),
            std::string::npos)
      << text;
}

}  // namespace
}  // namespace wakuzume
