// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <array>
#include <cstring>
#include <map>
#include <random>

#include "support/pictures.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"

/// Files that were damaged in ways that programs and disks damage them, through the whole job:
/// whatever is in them, it ends with a result or with an error that says what is wrong.
namespace wakuzume {
namespace {

/// Spoils a file here and there.
class Mutator {
 public:
  explicit Mutator(std::uint32_t seed) : random_(seed * 7919 + 3) {}

  /// \param begin, end  of the JSON in it; of OBJ the whole text
  std::string spoil(std::string text, std::size_t begin, std::size_t end) {
    const std::size_t faults = 1 + draw(3);
    for (std::size_t f = 0; f < faults && end > begin + 8 && text.size() > 16; ++f) {
      const std::size_t before = text.size();
      spoil_once(text, begin, std::min(end, text.size()));
      end = end + text.size() > before ? end + text.size() - before : 0;
    }
    return text;
  }

 private:
  std::size_t draw(std::size_t below) { return random_() % below; }

  void spoil_once(std::string& text, std::size_t begin, std::size_t end) {
    switch (draw(8)) {
      case 0:  // any byte
        text[draw(text.size())] = static_cast<char>(draw(256));
        break;
      case 1:
      case 2:
      case 3:
        replace_number(text, begin, end);
        break;
      case 4:
        replace_word(text, begin, end);
        break;
      case 5:  // cut short
        if (draw(4) == 0) {
          text.resize(16 + draw(text.size() - 16));
        }
        break;
      case 6: {  // a part goes
        const std::size_t at = begin + draw(end - begin);
        text.erase(at, 1 + draw(12));
        break;
      }
      default: {  // a part comes twice
        const std::size_t at = begin + draw(end - begin);
        text.insert(at, text.substr(at, 1 + draw(40)));
        break;
      }
    }
  }

  void replace_number(std::string& text, std::size_t begin, std::size_t end) {
    constexpr std::array values{"-1",
                                "0",
                                "1",
                                "2",
                                "255",
                                "65535",
                                "1e308",
                                "-0.5",
                                "3.7",
                                "null",
                                "4294967295",
                                "true",
                                "\"x\"",
                                "[]",
                                "{}",
                                "1e-300",
                                "1e10",
                                "-1e5",
                                "99999999999999999999",
                                "5126",
                                "5121",
                                "nan"};
    const std::size_t at = text.find_first_of("0123456789", begin + draw(end - begin));
    if (at != std::string::npos && at < end) {
      const std::size_t after = text.find_first_not_of("+-.eE0123456789", at);
      text.replace(at, std::min(after, end) - at, values[draw(values.size())]);
    }
  }

  /// A name, a semantic, a statement.
  void replace_word(std::string& text, std::size_t begin, std::size_t end) {
    constexpr std::array words{"TEXCOORD_true", "TEXCOORD_", "COLOR_[]", "",
                               "\xFF\xFE",      "f",         "POSITION", "_X",
                               "MASK",          "BLEND",     "VEC2",     "mat4",
                               "\\u0000",       "../../x",   "o",        "usemtl"};
    const auto letters = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz_";
    const std::size_t at = text.find_first_of(letters, begin + draw(end - begin));
    if (at != std::string::npos && at < end) {
      const std::size_t after = text.find_first_not_of(letters, at);
      text.replace(at, std::min(after, end) - at, words[draw(words.size())]);
    }
  }

  std::mt19937 random_;
};

class Mutants : public testing::TestWithParam<int> {
 protected:
  Mutants() : folder_(test::make_scratch()) {
    test::write_all(folder_ / "drawn.toml",
                    "[views]\ncount = 4\n[verify]\npicture_views = 1\npicture_width_px = 64\n"
                    "picture_height_px = 48\n");
    test::write_all(folder_ / "plain.toml", "[views]\ncount = 4\n[verify]\npicture_views = 0\n");
    const Scene plain = test::make_random_scene(4, 7);
    const Scene gallery = test::make_gallery(2, 3);
    EXPECT_TRUE(write_scene(plain, (folder_ / "plain.glb").string()));
    EXPECT_TRUE(write_scene(gallery, (folder_ / "gallery.gltf").string()));
    test::write_all(
        folder_ / "k.mtl",
        "newmtl a\nKd 0.5 0.25 1\nmap_Kd -s 2 2 1 picture.png\nnewmtl b\nd 0.5\nNs 10\n");
    test::write_all(folder_ / "kit.obj",
                    "mtllib k.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\n"
                    "vn 0 0 1\nusemtl a\no one\nf 1/1/1 2/2/1 3/3/1 4/1/1\nl 1 2 3\np 4\n"
                    "usemtl b\no two\nf -1 -2 -3\ng part\nf 1//1 2//1 3//1\n");
  }

  [[nodiscard]] std::string make_mutant(std::uint32_t seed, std::string& ending) const {
    constexpr std::array names{"plain.glb", "gallery.gltf", "kit.obj"};
    const std::string name = names[seed % names.size()];
    ending = std::filesystem::path(name).extension().string();
    const std::string text = test::read_all(folder_ / name);
    std::size_t begin = 0;
    std::size_t end = text.size();
    if (ending == ".glb") {
      std::uint32_t length = 0;
      std::memcpy(&length, text.data() + 12, sizeof length);
      begin = 20;
      end = 20 + length;
    }
    return Mutator(seed).spoil(text, begin, end);
  }

  std::filesystem::path folder_;
};

/// Two thousand in eight lots.
TEST_P(Mutants, EndWithAResultOrAnErrorThatSaysWhy) {
  std::map<int, int> ends;
  for (int i = 0; i < 125; ++i) {
    const auto seed = static_cast<std::uint32_t>(GetParam() * 250 + i);
    std::string ending;
    const std::string text = make_mutant(seed, ending);
    const std::string file = (folder_ / ("mutant" + ending)).string();
    test::write_all(file, text);
    std::vector<std::string> line{
        "run",        file,
        "-o",         (folder_ / "out").string(),
        "--settings", (folder_ / (seed % 5 == 0 ? "drawn.toml" : "plain.toml")).string(),
        "--threads",  "1"};
    if (seed % 2 == 0) {
      line.insert(line.end(), {"--materials", "fewest_draws"});
    }
    const test::Outcome outcome = test::run_tool(line);
    ++ends[outcome.exit_code];
    if (outcome.exit_code != 0 && outcome.exit_code != 3) {
      test::write_all(folder_ / ("seed_" + std::to_string(seed) + ending), text);
    }
    EXPECT_TRUE(outcome.exit_code == 0 || outcome.exit_code == 3)
        << "seed " << seed << " ended with " << outcome.exit_code << ": " << outcome.err
        << outcome.out.substr(outcome.out.find("FAILED") == std::string::npos
                                  ? outcome.out.size()
                                  : outcome.out.find("FAILED"));
    EXPECT_TRUE(outcome.exit_code != 3 || outcome.err.starts_with("error: ")) << outcome.err;
  }
  EXPECT_GT(ends[0], 20) << "some can be read";
  EXPECT_GT(ends[3], 20) << "and some can't";
}

INSTANTIATE_TEST_SUITE_P(Lots, Mutants, testing::Range(0, 8));

}  // namespace
}  // namespace wakuzume
