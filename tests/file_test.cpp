// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"

/// Files are replaced as a whole or left alone.
namespace wakuzume {
namespace {

namespace fs = std::filesystem;

TEST(WriteText, ReplacesTheWholeFileAndLeavesNothingBeside) {
  const auto folder = test::make_scratch();
  const std::string path = (folder / "a.json").string();
  ASSERT_TRUE(write_text(path, "first and longer"));
  ASSERT_TRUE(write_text(path, "second"));
  EXPECT_EQ(test::read_all(path), "second");
  EXPECT_EQ(test::list_folder(folder), (std::vector<std::string>{"a.json"}));
}

TEST(WriteText, MakesTheFoldersThatLeadThere) {
  const auto folder = test::make_scratch();
  ASSERT_TRUE(write_text((folder / "a" / "b" / "c.txt").string(), "text"));
  EXPECT_EQ(test::read_all(folder / "a" / "b" / "c.txt"), "text");
  test::write_all(folder / "file", "no folder");
  const auto done = write_text((folder / "file" / "c.txt").string(), "text");
  ASSERT_FALSE(done);
  EXPECT_EQ(done.error().code, ErrorCode::cannot_write);
  EXPECT_NE(done.error().message.find("Not a directory"), std::string::npos)
      << done.error().message;
}

TEST(WriteDocument, NeverReplacesWhatCanBeReadByWhatCanNot) {
  const auto folder = test::make_scratch();
  const std::string path = (folder / "a.json").string();
  ASSERT_TRUE(write_document(path, "{\"a\": 1}"));
  for (const char* bad : {"{\"a\": 1", "{\"a\": \"\xFF\"}", "[1,]"}) {
    const auto done = write_document(path, bad);
    ASSERT_FALSE(done) << bad;
    EXPECT_EQ(done.error().code, ErrorCode::cannot_write);
  }
  EXPECT_EQ(test::read_all(path), "{\"a\": 1}");
  EXPECT_EQ(test::list_folder(folder), (std::vector<std::string>{"a.json"}));
}

TEST(WriteScene, NeverReplacesWhatCanBeReadByWhatCanNot) {
  const auto folder = test::make_scratch();
  Scene scene = test::make_random_scene(1, 5);
  for (const char* ending : {".glb", ".gltf"}) {
    const std::string path = (folder / (std::string("a") + ending)).string();
    ASSERT_TRUE(write_scene(scene, path));
    const auto files = test::list_folder(folder);
    const std::string before = test::read_all(path);
    Scene broken = scene;
    broken.nodes[0].extra.ensure().extras = "{\"half\": ";
    const auto written = write_scene(broken, path);
    ASSERT_FALSE(written);
    EXPECT_EQ(written.error().code, ErrorCode::cannot_write);
    EXPECT_NE(written.error().message.find("can't be read"), std::string::npos);
    EXPECT_EQ(test::read_all(path), before);
    EXPECT_EQ(test::list_folder(folder), files);
  }
}

TEST(WriteScene, WritesNamesThatAreNoUtf8AsUtf8) {
  const auto folder = test::make_scratch();
  Scene scene = test::make_random_scene(1, 5);
  scene.nodes[0].name =
      "gr\xFC"
      "n";
  const std::string path = (folder / "new" / "a.glb").string();
  ASSERT_TRUE(write_scene(scene, path));
  const auto again = read_scene(path);
  ASSERT_TRUE(again) << to_string(again.error());
  EXPECT_EQ(again->nodes[0].name, "gr\xC3\xBCn");
}

TEST(WriteText, LeavesAFolderOfThatNameAlone) {
  const auto folder = test::make_scratch();
  fs::create_directories(folder / "taken" / "inside");
  const auto done = write_text((folder / "taken").string(), "text");
  ASSERT_FALSE(done);
  EXPECT_EQ(done.error().code, ErrorCode::cannot_write);
  EXPECT_EQ(test::list_folder(folder), (std::vector<std::string>{"taken"}));
}

TEST(WriteScene, RefusesATargetThatIsAnInputUnderAnyName) {
  const auto folder = test::make_scratch();
  const std::string path = (folder / "a.glb").string();
  const Scene scene = test::make_random_scene(1, 5);
  ASSERT_TRUE(write_scene(scene, path));
  const std::string before = test::read_all(path);
  fs::create_symlink("a.glb", folder / "link.glb");
  for (const std::string& target :
       {path, (folder / "." / "a.glb").string(), (folder / "link.glb").string()}) {
    const auto written = write_scene(scene, target, {path});
    ASSERT_FALSE(written) << target;
    EXPECT_EQ(written.error().code, ErrorCode::cannot_write);
    EXPECT_NE(written.error().message.find("is an input"), std::string::npos);
  }
  EXPECT_EQ(test::read_all(path), before);
}

TEST(WriteScene, RefusesSideFilesThatAreInputs) {
  const auto folder = test::make_scratch();
  const Scene scene = test::make_random_scene(1, 5);
  const std::string input = (folder / "a.gltf").string();
  ASSERT_TRUE(write_scene(scene, input));
  const auto read = read_scene(input);
  ASSERT_TRUE(read);
  const auto files = list_files(*read, input);
  EXPECT_GT(files.size(), 2U);
  std::vector<std::string> before;
  for (const std::string& file : files) {
    before.push_back(test::read_all(file));
  }
  EXPECT_FALSE(write_scene(*read, input, files));
  // Another scene file, but the same name for its buffer.
  fs::rename(input, folder / "b.gltf");
  std::vector<std::string> inputs = files;
  inputs[0] = (folder / "b.gltf").string();
  const auto written = write_scene(*read, input, inputs);
  ASSERT_FALSE(written);
  EXPECT_NE(written.error().place.file.find("a.bin"), std::string::npos);
  EXPECT_FALSE(fs::exists(input)) << "half of the scene was written";
  for (std::size_t i = 1; i < files.size(); ++i) {
    EXPECT_EQ(test::read_all(files[i]), before[i]);
  }
}

TEST(WriteScene, WantsAnEndingItKnows) {
  const auto written =
      write_scene(test::make_random_scene(1, 3), (test::make_scratch() / "a.fbx").string());
  ASSERT_FALSE(written);
  EXPECT_EQ(written.error().code, ErrorCode::not_supported);
}

TEST(WriteScene, NeverWritesAnImageOutsideItsFolder) {
  Scene scene = test::make_random_scene(1, 3);
  Image image;
  image.uri = "../outside.png";
  image.bytes = make_bytes(std::vector<char>{'x'});
  scene.images.push_back(image);
  const auto folder = test::make_scratch();
  fs::create_directories(folder / "in");
  const auto written = write_scene(scene, (folder / "in" / "a.gltf").string());
  ASSERT_FALSE(written);
  EXPECT_EQ(written.error().code, ErrorCode::unsafe_path);
  EXPECT_EQ(test::list_folder(folder), (std::vector<std::string>{"in"}));
  EXPECT_TRUE(test::list_folder(folder / "in").empty());
}

/// A limit on the size of files stands in for a full disk: both fail in the middle of a write.
TEST(WriteText, SaysWhenTheDiskIsFull) {
  const auto folder = test::make_scratch();
  test::write_all(folder / "limit.sh", "ulimit -f 8; trap '' XFSZ; exec \"$@\"\n");
  const std::string source = (folder / "a.glb").string();
  ASSERT_TRUE(write_scene(test::make_random_scene(6, 400), source));
  ASSERT_GT(fs::file_size(source), 100'000U);
  fs::create_directories(folder / "out");
  test::write_all(folder / "out" / "a.plan.json", "old");
  const auto outcome =
      test::run_program({"bash", (folder / "limit.sh").string(), test::find_tool(), "propose",
                         source, "-o", (folder / "out" / "a.plan.json").string()});
  EXPECT_EQ(outcome.exit_code, 4) << outcome.err;
  EXPECT_NE(outcome.err.find("cannot_write"), std::string::npos) << outcome.err;
  EXPECT_EQ(test::read_all(folder / "out" / "a.plan.json"), "old");
  EXPECT_EQ(test::list_folder(folder / "out"), (std::vector<std::string>{"a.plan.json"}));
}

}  // namespace
}  // namespace wakuzume
