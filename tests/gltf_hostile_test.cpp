// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <cstring>
#include <random>

#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

/// A valid .glb as bytes.
std::string make_glb() {
  const auto file = test::make_scratch() / "valid.glb";
  const auto written = write_scene(test::make_random_scene(5, 12), file.string());
  EXPECT_TRUE(written);
  return test::read_all(file);
}

Result<Scene> read_bytes(const std::string& bytes, const std::filesystem::path& file) {
  test::write_all(file, bytes);
  return read_scene(file.string());
}

void set_u32(std::string& bytes, std::size_t at, std::uint32_t value) {
  std::memcpy(bytes.data() + at, &value, 4);
}

TEST(ReadGlb, RefusesEveryLengthShortOfTheWhole) {
  const std::string whole = make_glb();
  const auto file = test::make_scratch() / "cut.glb";
  ASSERT_TRUE(read_bytes(whole, file));
  for (std::size_t length = 0; length < whole.size(); length += 1 + length / 13) {
    const auto scene = read_bytes(whole.substr(0, length), file);
    ASSERT_FALSE(scene) << length << " of " << whole.size() << " bytes";
    EXPECT_EQ(scene.error().code, ErrorCode::bad_container)
        << length << ": " << to_string(scene.error());
  }
}

TEST(ReadGlb, ChecksHeaderAndChunks) {
  const std::string whole = make_glb();
  const auto file = test::make_scratch() / "spoilt.glb";
  const auto spoil = [&](std::size_t at, std::uint32_t value) {
    std::string bytes = whole;
    set_u32(bytes, at, value);
    const auto scene = read_bytes(bytes, file);
    return scene ? std::string("read") : std::string(to_string(scene.error().code));
  };
  EXPECT_EQ(spoil(4, 1), "bad_container");             // version
  EXPECT_EQ(spoil(8, 0xFFFF'FFFF), "bad_container");   // length beyond the file
  EXPECT_EQ(spoil(8, 12), "bad_container");            // length of the header alone
  EXPECT_EQ(spoil(12, 0xFFFF'FFF0), "bad_container");  // chunk beyond the file
  EXPECT_EQ(spoil(12, 4), "bad_container");            // chunks that do not add up
  EXPECT_EQ(spoil(16, 0x004E4942), "bad_container");   // binary chunk first
  EXPECT_EQ(spoil(0, 0x7B7B7B7B), "bad_json");         // no magic: "{{{{"
}

TEST(ReadGlb, IgnoresChunksOfOtherTypesAsTheStandardAsks) {
  std::string bytes = make_glb();
  std::string chunk(12, '\0');
  set_u32(chunk, 0, 4);
  set_u32(chunk, 4, 0x58585858);
  bytes += chunk;
  set_u32(bytes, 8, static_cast<std::uint32_t>(bytes.size()));
  EXPECT_TRUE(read_bytes(bytes, test::make_scratch() / "more.glb"));
}

/// Whatever the bytes are, reading ends in a scene that can be used or in an error.
TEST(ReadGlb, SurvivesThousandsOfDamagedFiles) {
  const std::string whole = make_glb();
  const auto folder = test::make_scratch();
  std::mt19937 engine(77);
  std::size_t refused = 0;
  constexpr std::size_t rounds = 3000;
  for (std::size_t round = 0; round < rounds; ++round) {
    std::string bytes = whole;
    const std::size_t faults = 1 + engine() % 4;
    for (std::size_t fault = 0; fault < faults; ++fault) {
      const std::size_t at = engine() % bytes.size();
      // Digits for digits keeps the JSON valid and the numbers wrong, which goes deeper.
      const bool digit = bytes[at] >= '0' && bytes[at] <= '9';
      bytes[at] = digit ? static_cast<char>('0' + engine() % 10) : static_cast<char>(engine());
    }
    const auto scene = read_bytes(bytes, folder / "damaged.glb");
    if (!scene) {
      ++refused;
      EXPECT_FALSE(scene.error().message.empty());
      continue;
    }
    const auto found = survey(*scene);
    ASSERT_TRUE(found);
    const auto plan = propose(*scene, *found, {.min_instances = 2, .repeats = Repeats::instance});
    ASSERT_TRUE(plan);
    const auto built = build(*scene, *plan);
    ASSERT_TRUE(built) << to_string(built.error());
  }
  EXPECT_GT(refused, rounds / 4);
  EXPECT_LT(refused, rounds);
}

TEST(ReadScene, StopsWhenTheObserverAsksTo) {
  struct Stopper final : Observer {
    bool advance(std::string_view, double) override { return false; }
  } stopper;
  const auto file = test::make_scratch() / "scene.glb";
  ASSERT_TRUE(write_scene(test::make_random_scene(3, 40), file.string()));
  const auto scene = read_scene(file.string(), {}, {.observer = &stopper});
  ASSERT_FALSE(scene);
  EXPECT_EQ(scene.error().code, ErrorCode::cancelled);
}

}  // namespace
}  // namespace wakuzume
