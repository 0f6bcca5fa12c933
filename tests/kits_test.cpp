// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <simdjson.h>

#include <algorithm>

#include "support/pictures.h"
#include "support/process.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/render.h"
#include "wakuzume/settings_file.h"

/// Kits as people have them, through the whole job: trim sheets, and names from everywhere.
namespace wakuzume {
namespace {

namespace fs = std::filesystem;

constexpr std::uint32_t sheet_px = 64;

/// Four strips of one sheet, each of another colour and with marks across it: a mark that is
/// smeared, or a strip that bleeds into the next one, changes what is seen.
Pixels make_trim_sheet(std::uint32_t seed) {
  Pixels out{sheet_px, sheet_px, {}};
  for (std::uint32_t y = 0; y < sheet_px; ++y) {
    for (std::uint32_t x = 0; x < sheet_px; ++x) {
      const std::uint32_t strip = y / (sheet_px / 4);
      const bool mark = (x / 4 + strip + seed) % 4 == 0;
      for (std::uint32_t c = 0; c < 3; ++c) {
        out.rgba.push_back(
            static_cast<std::uint8_t>(mark ? 20 : 90 + 40 * ((strip + seed + c) % 4)));
      }
      out.rgba.push_back(255);
    }
  }
  return out;
}

/// Walls of three kits whose borders run along strips of their kit's sheet, eleven times as often
/// as it is long.
Scene make_trims() {
  test::SceneBuilder builder;
  for (std::uint32_t kit = 0; kit < 3; ++kit) {
    const MaterialId id = builder.add_material(fmt::format("trim_{}", kit));
    builder.scene.materials[to_index(id)].base_color_texture.texture =
        test::add_picture(builder, make_trim_sheet(kit));
    builder.scene.materials[to_index(id)].roughness = 0.3 + 0.2 * kit;
    for (std::uint32_t strip = 0; strip < 4; ++strip) {
      const double v = strip / 4.0;
      const double repeats = strip % 2 == 0 ? 11.25 : 0.75;
      const MeshId wall =
          builder.add_mesh(fmt::format("border_{}_{}", kit, strip),
                           test::make_patch(0.1, v + 0.01, 0.1 + repeats, v + 0.24), id);
      Trs trs = test::at(0, 0.55 * (4 * kit + strip));
      trs.scale = {strip % 2 == 0 ? 7.5 : 0.5, 0.5, 1};
      builder.add_node(fmt::format("border_{}_{}", kit, strip), wall, trs);
    }
  }
  return builder.finish();
}

/// Straight from the front, all of it.
Pixels draw(const Scene& scene) {
  static const StandardCodec codec;
  const Survey found = *survey(scene);
  RenderShots shots(codec);
  auto maker = shots.make({scene, found}, {960, 830}, {});
  EXPECT_TRUE(maker) << (maker ? "" : to_string(maker.error()));
  Viewpoint front{.name = "front", .perspective = false, .xmag = 3.84, .ymag = 3.32, .zfar_m = 10};
  front.world[12] = 3.8;
  front.world[13] = 3.3;
  front.world[14] = 5;
  auto shot = (*maker)->make_shot(front, {});
  EXPECT_TRUE(shot) << (shot ? "" : to_string(shot.error()));
  return shot ? shot->picture : Pixels{};
}

class Trims : public testing::TestWithParam<MaterialGoal> {};

TEST_P(Trims, AreAsSharpAsTheyWere) {
  const Scene scene = make_trims();
  const Pixels before = draw(scene);
  static const StandardCodec codec;
  RenderShots shots(codec);
  Job job{.profile = *read_cost_profile("desk")};
  job.settings.materials.goal = GetParam();
  job.settings.verify.picture_width_px = 480;
  job.settings.verify.picture_height_px = 270;
  job.settings.verify.picture_views = 2;
  const auto made = run_job(scene, job, {.codec = codec, .shots = &shots});
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed);
  EXPECT_LE(made->after.nodes.size(), scene.nodes.size());
  EXPECT_LT(survey(made->after)->totals.draws, 12U);
  if (GetParam() != MaterialGoal::keep) {
    EXPECT_FALSE(made->plan.routes.empty()) << "nothing was shared, and nothing tried";
  }
  const Pixels after = draw(made->after);
  ASSERT_EQ(after.rgba.size(), before.rgba.size());
  EXPECT_GT(test::find_psnr(before, after), 38);
  // Eleven times along a wall: it may not become one long mark anywhere.
  std::size_t marks = 0;
  std::size_t marks_after = 0;
  const auto is_mark = [](const Pixels& pixels, std::size_t p) {
    return pixels.rgba[4 * p] + pixels.rgba[4 * p + 1] + pixels.rgba[4 * p + 2] < 150;
  };
  for (std::size_t p = 1; p < before.rgba.size() / 4; ++p) {
    marks += is_mark(before, p) != is_mark(before, p - 1) ? 1U : 0U;
    marks_after += is_mark(after, p) != is_mark(after, p - 1) ? 1U : 0U;
  }
  EXPECT_GT(marks, 4000U) << "the marks are there to be seen";
  EXPECT_NEAR(static_cast<double>(marks_after), static_cast<double>(marks),
              0.02 * static_cast<double>(marks));
}

INSTANTIATE_TEST_SUITE_P(Goals,
                         Trims,
                         testing::Values(MaterialGoal::keep,
                                         MaterialGoal::full_resolution,
                                         MaterialGoal::fewest_draws));

/// What people and their tools call things.
const std::vector<std::string>& list_odd_names() {
  static const std::vector<std::string> names{"",
                                              " ",
                                              "..",
                                              "../../outside",
                                              "/etc/passwd",
                                              "C:\\kit\\wall",
                                              "CON",
                                              "a/b/c",
                                              "{number}",
                                              "%s%n%d",
                                              "<script>alert(1)</script>",
                                              "\"quoted\" & 'so'",
                                              "wall.001",
                                              "Wall.001",
                                              "\xE5\x90\x8D\xE5\x89\x8D",          // Japanese
                                              "\xD0\xB4\xD0\xBE\xD0\xBC",          // Russian
                                              "\xF0\x9F\x8F\xA0\xF0\x9F\x8C\xB3",  // pictures
                                              "e\xCC\x81 and \xC3\xA9",  // one letter in two ways
                                              "\xE2\x80\xAE"
                                              "backwards",  // turns the writing round
                                              "gr\xFC"
                                              "n",  // no UTF-8
                                              "tab\tand\nline\r\x01\x7F",
                                              std::string("nought\0inside", 13),
                                              std::string(3000, 'x'),
                                              "-o",
                                              "*",
                                              "=1+2"};
  return names;
}

class OddNames : public testing::Test {
 protected:
  OddNames() : folder_(test::make_scratch()) {}
  [[nodiscard]] std::string path(const std::string& name) const {
    return (folder_ / name).string();
  }
  static test::Outcome run(const std::vector<std::string>& line, int wanted = 0) {
    test::Outcome outcome = test::run_tool_small(line);
    EXPECT_EQ(outcome.exit_code, wanted) << line[0] << ": " << outcome.err.substr(0, 2000);
    return outcome;
  }

  fs::path folder_;
};

/// Everything that can have a name has an odd one: three walls of each, of two materials a name.
Scene make_oddly_named() {
  test::SceneBuilder builder;
  std::uint32_t number = 0;
  for (const std::string& name : list_odd_names()) {
    const MaterialId id = builder.add_material(name);
    Material& material = builder.scene.materials[to_index(id)];
    material.base_color_texture.texture =
        test::add_picture(builder, test::make_picture(16, 16, number));
    builder.scene.images.back().name = name;
    const MeshId wall = builder.add_mesh(name, test::make_patch(0, 0, 1, 1), id);
    const NodeId parent = builder.add_node(name);
    for (int i = 0; i < 3; ++i) {
      builder.add_node(name, wall, test::at(1.5 * i, 1.5 * number), parent);
    }
    ++number;
  }
  return builder.finish();
}

void expect_json(const fs::path& file) {
  const std::string text = test::read_all(file);
  simdjson::dom::parser parser;
  simdjson::dom::element root;
  EXPECT_EQ(parser.parse(text).get(root), simdjson::SUCCESS) << file;
  EXPECT_TRUE(simdjson::validate_utf8(text)) << file;
}

TEST_F(OddNames, GoThroughTheWholeJobAndBack) {
  const std::string input = path("\xD0\xB4\xD0\xBE\xD0\xBC and more's.glb");
  ASSERT_TRUE(write_scene(make_oddly_named(), input));
  for (const char* materials : {"keep", "fewest_draws"}) {
    const std::string out = path(std::string("out ") + materials);
    run({"run", input, "-o", out, "--materials", materials});
    for (const std::string& file : test::list_folder(out)) {
      if (file.ends_with(".json")) {
        expect_json(fs::path(out) / file);
      } else if (file.ends_with(".html")) {
        const std::string page = test::read_all(fs::path(out) / file);
        EXPECT_TRUE(simdjson::validate_utf8(page));
        EXPECT_EQ(page.find("<script>alert"), std::string::npos);
      }
    }
    const std::string result = out + "/" + fs::path(input).filename().string();
    EXPECT_EQ(test::ask_validator(result).substr(0, 2), "0 ");
    run({"restore", result, "-o", path("back.glb")});
    EXPECT_TRUE(test::read_all(path("back.glb")) == test::read_all(input)) << materials;
  }
}

TEST_F(OddNames, NameAssetsThatStayInTheirFolder) {
  const std::string input = path("s.glb");
  ASSERT_TRUE(write_scene(make_oddly_named(), input));
  run({"propose", input, "-o", path("p.json"), "--repeats", "instance"});
  fs::create_directory(folder_ / "deep");
  const auto around = test::list_folder(folder_);
  run({"build", path("p.json"), "-o", path("deep/er/r.gltf"), "--as-asset", "*"});
  EXPECT_EQ(test::list_folder(folder_), around) << "nothing beside the folder of the result";
  EXPECT_EQ(test::list_folder(folder_ / "deep"), (std::vector<std::string>{"er"}));
  std::size_t assets = 0;
  for (const std::string& file : test::list_folder(folder_ / "deep/er")) {
    EXPECT_LT(file.size(), 256U);
    if (file.ends_with(".gltf") && file != "r.gltf") {
      ++assets;
      const auto asset = read_scene((folder_ / "deep/er" / file).string());
      ASSERT_TRUE(asset) << to_string(asset.error());
      EXPECT_EQ(make_draw_list(*asset).size(), 1U) << file;
    }
  }
  EXPECT_EQ(assets, list_odd_names().size()) << "one each, whatever they are called";
  run({"verify", input, path("deep/er/r.gltf")});
}

TEST_F(OddNames, ComeOutOfEveryCommandAsText) {
  const std::string input = path("s.glb");
  ASSERT_TRUE(write_scene(make_oddly_named(), input));
  run({"propose", input, "-o", path("p.json"), "--materials", "fewest_draws"});
  const std::vector<std::vector<std::string>> lines{
      {"survey", input},
      {"survey", input, "--table", "draws"},
      {"survey", input, "--table", "findings"},
      {"survey", input, "--by", "material"},
      {"survey", input, "--by", "subtree"},
      {"propose", "--revise", path("p.json"), "--why", "*"},
      {"materials", path("p.json")},
      {"edit", path("p.json"), "--keep", "*wall.001*", "-o", path("q.json")}};
  for (const auto& line : lines) {
    const test::Outcome told = run(line);
    EXPECT_TRUE(simdjson::validate_utf8(told.out)) << line[0];
    const auto is_control = [](unsigned char c) { return (c < 32 && c != '\n') || c == 127; };
    EXPECT_TRUE(std::none_of(told.out.begin(), told.out.end(), is_control)) << line[0];
  }
}

/// Names that files on a disk have, and that a URI can't hold as they are.
const std::vector<std::pair<std::string, std::string>>& list_file_names() {
  static const std::vector<std::pair<std::string, std::string>> names{
      {"Gr\xC3\xB6\xC3\x9F"
       "e.png",
       "Gr%C3%B6%C3%9Fe.png"},
      {"50% off.png", "50%25%20off.png"},
      {"a#b.png", "a%23b.png"},
      {"what?.png", "what%3F.png"},
      {"one+two=three&.png", "one+two=three&.png"},
      {"\xE5\x90\x8D.png", "\xE5\x90\x8D.png"},
      {"deep er/[1].png", "deep%20er/%5B1%5D.png"}};
  return names;
}

/// Walls whose pictures are files of these names beside the scene.
Scene make_walls_with_files(const fs::path& folder) {
  test::SceneBuilder builder;
  std::uint32_t number = 0;
  for (const auto& [file, uri] : list_file_names()) {
    const MaterialId id = builder.add_material("wall_" + std::to_string(number));
    builder.scene.materials[to_index(id)].base_color_texture.texture =
        test::add_picture(builder, test::make_picture(16, 16, number));
    Image& image = builder.scene.images.back();
    const auto bytes = image.bytes.data();
    fs::create_directories((folder / file).parent_path());
    test::write_all(folder / file,
                    std::string(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
    image.bytes = {};
    image.uri = uri;
    const MeshId wall = builder.add_mesh("wall", test::make_patch(0, 0, 1, 1), id);
    for (int i = 0; i < 3; ++i) {
      builder.add_node("wall", wall, test::at(1.5 * i, 1.5 * number));
    }
    ++number;
  }
  return builder.finish();
}

TEST_F(OddNames, OfFilesAreFoundTakenAlongAndPutBack) {
  const fs::path folder = folder_ / "kit 100%";
  fs::create_directories(folder);
  const std::string input = (folder / "s#1.gltf").string();
  ASSERT_TRUE(write_scene(make_walls_with_files(folder), input));
  const auto scene = read_scene(input);
  ASSERT_TRUE(scene) << to_string(scene.error());
  EXPECT_TRUE(scene->missing_files.empty())
      << scene->missing_files.size() << ", first " << scene->missing_files[0].uri;
  const auto needed = list_files(*scene, input);
  for (const auto& [file, uri] : list_file_names()) {
    EXPECT_EQ(std::count(needed.begin(), needed.end(), (folder / file).string()), 1) << file;
  }

  // As they were, into one file and beside another.
  for (const char* name : {"out/r.gltf", "out/r.glb"}) {
    run({"propose", input, "-o", path("p.json")});
    run({"build", path("p.json"), "-o", path(name)});
    run({"verify", input, path(name)});
    EXPECT_EQ(test::ask_validator(path(name)).substr(0, 2), "0 ") << name;
    run({"restore", path(name), "-o", path("out/back.gltf")});
  }
  for (const auto& [file, uri] : list_file_names()) {
    EXPECT_EQ(test::read_all(folder_ / "out" / file), test::read_all(folder / file)) << file;
  }
  const auto back = read_scene(path("out/back.gltf"));
  ASSERT_TRUE(back) << to_string(back.error());
  EXPECT_TRUE(back->missing_files.empty());
  EXPECT_EQ(make_content_hash(*back), make_content_hash(*scene));

  // And on pages: nobody asks for the files any more.
  run({"run", input, "-o", path("shared"), "--materials", "fewest_draws"});
  const auto shared = read_scene(path("shared/s#1.glb"));
  ASSERT_TRUE(shared) << to_string(shared.error());
  EXPECT_TRUE(shared->missing_files.empty());
  EXPECT_LT(count_totals(*shared).materials, list_file_names().size());
}

TEST_F(OddNames, ComeOutOfTablesForProgramsAsTheyAre) {
  const std::string input = path("s.glb");
  ASSERT_TRUE(write_scene(make_oddly_named(), input));
  run({"survey", input, "--table", "draws", "--format", "json", "-o", path("d.json")});
  expect_json(path("d.json"));
  const std::string csv = run({"survey", input, "--table", "draws", "--format", "csv"}).out;
  EXPECT_TRUE(simdjson::validate_utf8(csv));
  for (const char* name : {"C:\\kit\\wall", "wall.001", "\xD0\xB4\xD0\xBE\xD0\xBC", "'=1+2"}) {
    EXPECT_NE(csv.find(name), std::string::npos) << name;
  }
}

}  // namespace
}  // namespace wakuzume
