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

#include "support/process.h"

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
      {"codec", {}},
      {"survey", {"scene"}},
      {"family", {"scene", "survey"}},
      {"order", {"scene", "survey"}},
      {"cost", {"scene", "survey", "order"}},
      {"findings", {"scene", "survey"}},
      {"table", {"survey"}},
      {"split", {"scene", "survey"}},
      {"rework", {"scene", "survey"}},
      {"quantise", {"scene", "survey", "rework"}},
      {"reduce", {"scene", "survey", "rework"}},
      {"texture", {"scene", "survey", "rework"}},
      {"relief", {"scene", "survey", "rework", "reduce", "texture"}},
      {"plan", {"scene", "survey", "family", "cost", "order"}},
      {"lightmap", {"scene", "survey", "plan"}},
      {"build", {"scene", "survey", "rework", "texture", "order", "plan"}},
      {"mend", {"scene", "plan"}},
      {"verify", {"scene", "survey", "family", "rework", "texture", "plan"}},
      {"job", {"survey"}},
      // Around it: files.
      {"files", {"scene"}},
      {"json", {"files"}},
      {"pictures", {"scene", "survey", "texture", "files"}},
      {"gltf", {"scene", "files", "json", "pictures"}},
      {"kits", {"files"}},
      {"obj", {"files", "json", "kits"}},
      {"collada", {"scene", "files", "json", "kits"}},
      {"formats", {"gltf", "obj", "collada"}},
      {"settings", {"files", "json"}},
      {"documents", {"files", "json", "settings"}},
      {"delivery", {"scene", "survey", "files", "job"}},
      // Around it: what is drawn.
      {"render", {"scene", "survey", "rework", "texture"}},
      {"report", {"scene", "survey", "texture", "files", "json", "pictures"}},
  };
  return rooms;
}

constexpr std::size_t core_rooms = 20;

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

/// Types that a file defines where the linker sees them, each with its namespace.
std::vector<std::string> list_types(const fs::path& path) {
  static const std::regex opened("^namespace ?([a-z0-9_:]*) ?\\{");
  static const std::regex closed("^\\} *// namespace ?([a-z0-9_:]*)");
  static const std::regex type("^(?:struct|class|enum class) (\\w+)(?: final)?(?: : [^;{]*)? \\{");
  std::vector<std::string> inside;
  std::vector<std::string> out;
  std::ifstream file(path);
  for (std::string line; std::getline(file, line);) {
    std::smatch match;
    if (std::regex_search(line, match, opened)) {
      inside.push_back(match[1]);
    } else if (std::regex_search(line, match, closed)) {
      EXPECT_TRUE(!inside.empty() && inside.back() == match[1]) << path << ": " << line;
      inside.pop_back();
    } else if (line == "}" && !inside.empty() && !inside.back().empty() &&
               inside.back().find("wakuzume") == std::string::npos) {
      inside.pop_back();  // a short one, which ends without its name
    } else if (std::regex_search(line, match, type) &&
               std::find(inside.begin(), inside.end(), "") == inside.end()) {
      std::string name;
      for (const std::string& space : inside) {
        name += space + "::";
      }
      out.push_back(name + match[1].str());
    }
  }
  EXPECT_TRUE(inside.empty()) << path;
  return out;
}

TEST(Structure, TypesAreFoundHoweverTheyAreWritten) {
  const fs::path file = test::make_scratch() / "types.h";
  std::string text;
  for (const char* line : {"namespace wakuzume {",
                           "struct Forward;",
                           "struct OnOneLine { int x = 0; };",
                           "enum class Words : std::uint8_t { one, two };",
                           "enum class Long : std::uint8_t {",
                           "  one",
                           "};",
                           "class Derived final : public Base {",
                           "  struct Inner {",
                           "  };",
                           "};",
                           "template <class T>",
                           "struct Made : Base<T> {",
                           "};",
                           "namespace {",
                           "struct Hidden {",
                           "};",
                           "}  // namespace",
                           "namespace inner {",
                           "struct Nested {",
                           "};",
                           "}  // namespace inner",
                           "}  // namespace wakuzume"}) {
    text += line;
    text += '\n';
  }
  test::write_all(file, text);
  EXPECT_EQ(
      list_types(file),
      (std::vector<std::string>{"wakuzume::OnOneLine", "wakuzume::Words", "wakuzume::Long",
                                "wakuzume::Derived", "wakuzume::Made", "wakuzume::inner::Nested"}));
}

// Two types of one name in different files are one to the linker, which takes the first of each of
// their functions: no compiler sees it, and a release once crashed of it.
TEST(Structure, NoTwoFilesDefineATypeOfOneName) {
  std::map<std::string, std::set<std::string>> files_of;
  for (const char* folder : {"include", "src", "cli", "demo", "tests", "bench"}) {
    for (const auto& entry : fs::recursive_directory_iterator(fs::path(WAKUZUME_SOURCE) / folder)) {
      const std::string path = entry.path().string();
      // Without rendering none.cpp stands in for the whole of its room.
      if (path.find("node_modules") == std::string::npos && !path.ends_with("render/none.cpp") &&
          (path.ends_with(".cpp") || path.ends_with(".h"))) {
        for (const std::string& type : list_types(entry.path())) {
          files_of[type].insert(path);
        }
      }
    }
  }
  EXPECT_GT(files_of.size(), 200U);
  EXPECT_TRUE(files_of.contains("wakuzume::Scene"));
  for (const auto& [type, files] : files_of) {
    EXPECT_EQ(files.size(), 1U) << type << " is in " << *files.begin() << " and in "
                                << *files.rbegin();
  }
}

}  // namespace
}  // namespace wakuzume
