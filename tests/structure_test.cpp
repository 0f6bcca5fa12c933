// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <set>
#include <string>
#include <vector>

// Who may include whom, as docs/architecture.md draws it.
namespace wakuzume {
namespace {

namespace fs = std::filesystem;

/// A room, and those whose insides it may use beside its own. Data flows downwards, so a room uses
/// rooms above it alone.
struct Room {
  std::string name;
  std::set<std::string> uses;
};

const std::vector<Room>& list_rooms() {
  static const std::vector<Room> rooms{
      // The core.
      {"scene", {}},
      {"survey", {"scene"}},
      {"family", {"scene", "survey"}},
      {"cost", {"scene", "survey"}},
      {"findings", {"scene", "survey"}},
      {"table", {"survey"}},
      {"split", {"scene", "survey"}},
      {"rework", {"scene", "survey"}},
      {"texture", {"scene", "survey", "rework"}},
      {"plan", {"scene", "survey", "family", "cost"}},
      {"build", {"scene", "survey", "rework", "texture", "plan"}},
      {"mend", {"scene", "plan"}},
      {"verify", {"scene", "survey", "family", "rework", "texture", "plan"}},
      {"job", {"survey"}},
      // Around it: files.
      {"files", {}},
      {"json", {"files"}},
      {"pictures", {"scene", "survey", "texture", "files"}},
      {"gltf", {"scene", "files", "json", "pictures"}},
      {"obj", {"files", "json"}},
      {"formats", {"gltf", "obj"}},
      {"settings", {"files", "json"}},
      {"documents", {"files", "json", "pictures", "settings"}},
      {"delivery", {}},
      // Around it: what is drawn.
      {"render", {"scene", "survey", "rework", "texture"}},
      {"report", {"scene", "survey", "files", "json", "pictures"}},
  };
  return rooms;
}

constexpr std::size_t core_rooms = 14;

/// Headers of the library that are not of its core.
const std::set<std::string> outer_headers{"delivery",      "image",    "io",     "ktx2",
                                          "settings_file", "wakuzume", "render", "picture",
                                          "report",        "words"};

struct Include {
  std::string file;
  std::string room;  ///< "wakuzume" for a public header
  std::string name;
};

/// What is written between quotation marks after each #include below a folder.
std::vector<Include> list_includes(const fs::path& folder) {
  static const std::regex pattern("#include \"([a-z_0-9]+)/([a-z_0-9]+)\\.h\"");
  std::vector<Include> out;
  for (const auto& entry : fs::recursive_directory_iterator(folder)) {
    const fs::path& path = entry.path();
    if (path.extension() != ".cpp" && path.extension() != ".h") {
      continue;
    }
    std::ifstream file(path);
    for (std::string line; std::getline(file, line);) {
      std::smatch match;
      if (std::regex_search(line, match, pattern)) {
        out.push_back({path.lexically_relative(WAKUZUME_SOURCE).string(), match[1], match[2]});
      }
    }
  }
  return out;
}

TEST(Structure, RoomsUseThoseAboveThemAlone) {
  std::set<std::string> above;
  for (const Room& room : list_rooms()) {
    std::set<std::string> used;
    for (const Include& include : list_includes(fs::path(WAKUZUME_SOURCE) / "src" / room.name)) {
      if (include.room != "wakuzume" && include.room != room.name) {
        EXPECT_TRUE(room.uses.contains(include.room))
            << include.file << " includes " << include.room << "/" << include.name;
        used.insert(include.room);
      }
    }
    EXPECT_EQ(used, room.uses) << "what " << room.name << " is allowed it uses too";
    EXPECT_TRUE(std::includes(above.begin(), above.end(), room.uses.begin(), room.uses.end()))
        << room.name << " uses a room below it";
    above.insert(room.name);
  }
}

TEST(Structure, EveryFolderIsARoom) {
  std::set<std::string> rooms;
  for (const Room& room : list_rooms()) {
    rooms.insert(room.name);
  }
  std::set<std::string> folders;
  for (const auto& entry : fs::directory_iterator(fs::path(WAKUZUME_SOURCE) / "src")) {
    if (entry.is_directory()) {
      folders.insert(entry.path().filename().string());
    }
  }
  EXPECT_EQ(folders, rooms);
}

TEST(Structure, TheCoreKnowsNoFileAndNothingThatDraws) {
  std::vector<Include> all;
  for (std::size_t r = 0; r < core_rooms; ++r) {
    const auto of_room = list_includes(fs::path(WAKUZUME_SOURCE) / "src" / list_rooms()[r].name);
    all.insert(all.end(), of_room.begin(), of_room.end());
  }
  EXPECT_GT(all.size(), 300U);
  for (const Include& include : all) {
    EXPECT_FALSE(include.room == "wakuzume" && outer_headers.contains(include.name))
        << include.file << " includes wakuzume/" << include.name << ".h";
  }
}

TEST(Structure, PublicHeadersShowNoInsides) {
  const auto includes = list_includes(fs::path(WAKUZUME_SOURCE) / "include");
  EXPECT_GT(includes.size(), 50U);
  for (const Include& include : includes) {
    EXPECT_EQ(include.room, "wakuzume") << include.file << " includes " << include.room;
  }
}

TEST(Structure, TheToolAndTheExamplesUseWhatEveryoneCan) {
  for (const char* folder : {"cli", "examples", "demo"}) {
    for (const Include& include : list_includes(fs::path(WAKUZUME_SOURCE) / folder)) {
      EXPECT_EQ(include.room, "wakuzume") << include.file << " includes " << include.room;
    }
  }
}

}  // namespace
}  // namespace wakuzume
