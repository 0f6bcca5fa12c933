// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>
#include <simdjson.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "glasshouse.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/settings_file.h"

/// What must hold of every assessment, on scenes that nobody has seen.
namespace wakuzume {
namespace {

Assessment assess_with(const Scene& scene, const Survey& found, const CostProfile& profile) {
  AssessSettings settings;
  settings.profile = profile;
  settings.views.count = 8;
  auto assessment = assess(scene, found, {}, settings);
  EXPECT_TRUE(assessment);
  return std::move(*assessment);
}

TEST(AssessRandom, FindingsNameDrawsThatAreThereOnceEach) {
  for (std::uint32_t seed = 0; seed < 30; ++seed) {
    const Scene scene = test::make_random_scene(seed, 80);
    const Survey found = *survey(scene);
    const auto findings = *find_findings(scene, found, {});
    Severity last = Severity::serious;
    for (const Finding& finding : findings) {
      EXPECT_TRUE(std::is_sorted(finding.draws.begin(), finding.draws.end()));
      EXPECT_EQ(std::adjacent_find(finding.draws.begin(), finding.draws.end()),
                finding.draws.end());
      EXPECT_TRUE(finding.draws.empty() || to_index(finding.draws.back()) < found.draws.size());
      EXPECT_LE(finding.draw_cost, found.draws.size());
      EXPECT_GE(finding.severity, last) << "the serious come first";
      last = finding.severity;
    }
  }
}

TEST(AssessRandom, PassesAddUpUnderEveryProfile) {
  for (std::uint32_t seed = 0; seed < 6; ++seed) {
    const Scene scene = test::make_random_scene(seed, 150);
    const Survey found = *survey(scene);
    for (const CostProfile& profile : shipped_profiles()) {
      const Assessment told = assess_with(scene, found, profile);
      for (const FrameCost& frame : told.frames.views) {
        ASSERT_EQ(frame.passes.size(), profile.passes.size());
        const auto sum = [&](auto member) {
          return std::accumulate(
              frame.passes.begin(), frame.passes.end(), std::uint64_t{0},
              [&](std::uint64_t total, const PassCost& cost) { return total + cost.*member; });
        };
        EXPECT_EQ(frame.total.draws, sum(&PassCost::draws));
        EXPECT_EQ(frame.total.triangles, sum(&PassCost::triangles));
        EXPECT_EQ(frame.total.material_switches, sum(&PassCost::material_switches));
        EXPECT_LE(frame.total.draws, frame.total.instances);
        EXPECT_LE(frame.total.pipeline_switches, frame.total.material_switches);
        double cpu_ms = 0;
        for (const PassCost& cost : frame.passes) {
          cpu_ms += cost.cpu_ms;
        }
        EXPECT_NEAR(frame.total.cpu_ms, cpu_ms, 1e-9);
      }
    }
  }
}

TEST(AssessRandom, AnInstancingEngineNeverIssuesMore) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  CostProfile profile = *read_cost_profile("pocket");
  const Assessment plain = assess_with(scene, found, profile);
  profile.instances_repeats = true;
  const Assessment instancing = assess_with(scene, found, profile);
  profile.instances_repeats = false;
  profile.batches_up_to_vertices = 300;
  const Assessment batching = assess_with(scene, found, profile);
  for (std::size_t v = 0; v < plain.views.size(); ++v) {
    EXPECT_LE(instancing.frames.views[v].total.draws, plain.frames.views[v].total.draws);
    EXPECT_LE(batching.frames.views[v].total.draws, plain.frames.views[v].total.draws);
    EXPECT_EQ(instancing.frames.views[v].total.triangles, plain.frames.views[v].total.triangles);
    EXPECT_EQ(batching.frames.views[v].total.instances, plain.frames.views[v].total.instances);
  }
}

/// Takes CSV to pieces again, by the letter of RFC 4180.
std::vector<std::vector<std::string>> parse_csv(const std::string& text) {
  std::vector<std::vector<std::string>> rows(1, std::vector<std::string>(1));
  bool quoted = false;
  for (std::size_t i = 3; i < text.size(); ++i) {
    std::string& cell = rows.back().back();
    if (quoted && text[i] == '"' && text[i + 1] == '"') {
      cell += text[i++];
    } else if (text[i] == '"') {
      quoted = !quoted;
    } else if (!quoted && text[i] == ',') {
      rows.back().emplace_back();
    } else if (!quoted && text[i] == '\r') {
      ++i;
      rows.emplace_back(1);
    } else {
      cell += text[i];
    }
  }
  rows.pop_back();
  return rows;
}

TEST(DrawCsv, HoldsTheVeryCellsOfTheJson) {
  for (std::uint32_t seed = 50; seed < 60; ++seed) {
    const Scene scene = test::make_random_scene(seed, 60);
    const Survey found = *survey(scene);
    const auto findings = *find_findings(scene, found, {});
    const auto table = make_draw_table(scene, found, findings);
    const auto rows = *select_rows(*table, {{}, "node"});
    const auto csv = parse_csv(to_csv(*table, rows));
    simdjson::dom::parser parser;
    const simdjson::dom::element json = parser.parse(to_json(*table, rows));
    ASSERT_EQ(csv.size(), rows.size() + 1);
    std::size_t r = 1;
    for (const simdjson::dom::object row : json["rows"].get_array()) {
      std::size_t c = 0;
      for (const auto field : row) {
        EXPECT_EQ(csv[0][c], field.key);
        if (field.value.is_string()) {
          EXPECT_EQ(csv[r][c], std::string_view(field.value));
        } else {
          EXPECT_EQ(std::stod(csv[r][c]), double(field.value));
        }
        ++c;
      }
      EXPECT_EQ(csv[r].size(), c);
      ++r;
    }
  }
}

TEST(EqualPictures, AreFoundInAnyEncoding) {
  Pixels pixels;
  pixels.width_px = 16;
  pixels.height_px = 16;
  for (int i = 0; i < 1024; ++i) {
    pixels.rgba.push_back(static_cast<std::uint8_t>(i % 4 == 3 ? 255 : i * 7));
  }
  // The same picture twice as PNG, one of them with a chunk of text between.
  auto first = *encode_png(pixels);
  std::vector<std::byte> second(first.begin(), first.begin() + 33);
  const unsigned char text_chunk[] = {0,   0, 0,   3,    't',  'E',  'X', 't',
                                      'a', 0, 'b', 0xC7, 0x24, 0xCA, 0x5B};
  for (const unsigned char byte : text_chunk) {
    second.push_back(static_cast<std::byte>(byte));
  }
  second.insert(second.end(), first.begin() + 33, first.end());
  test::SceneBuilder builder;
  for (const auto& bytes : {first, second}) {
    Image image;
    image.bytes = make_bytes(bytes);
    builder.scene.images.push_back(image);
    const TextureId texture =
        builder.add_texture(make_id<ImageId>(builder.scene.images.size() - 1));
    const MaterialId material = builder.add_material("wall");
    builder.scene.materials[to_index(material)].base_color_texture.texture = texture;
    test::MeshData data = test::make_square();
    data.positions[0] = static_cast<float>(builder.scene.images.size());
    builder.add_node("wall", builder.add_mesh("wall", data, material));
  }
  const Scene scene = builder.finish();
  EXPECT_TRUE(find_equal_materials(scene, {}).empty()) << "by their bytes they differ";
  const auto facts = *read_image_facts(scene, ImageDepth::pixels);
  if (facts[1].problem.empty()) {
    EXPECT_EQ(facts[0].pixels, facts[1].pixels);
    EXPECT_EQ(find_equal_materials(scene, facts).size(), 1U);
  } else {
    ADD_FAILURE() << facts[1].problem;
  }
}

TEST(SurveyTexts, KeepToThePageWhateverTheNames) {
  const auto folder = test::make_scratch();
  test::SceneBuilder builder;
  std::string name;
  for (int i = 0; i < 60; ++i) {
    name += i % 3 == 0 ? "\xE6\xB8\xA9" : i % 3 == 1 ? "\xC3\xA4" : "x";
  }
  NodeId parent = no_node;
  for (int i = 0; i < 12; ++i) {
    Material material;
    material.name = name + std::to_string(i % 4) + "\x1b[31m\n";
    builder.scene.materials.push_back(material);
    const MeshId mesh = builder.add_mesh(name, test::make_square(),
                                         make_id<MaterialId>(builder.scene.materials.size() - 1));
    parent = builder.add_node(name + "\t", mesh, test::at(1), i % 5 == 0 ? no_node : parent);
  }
  const std::string path = (folder / "names.glb").string();
  ASSERT_TRUE(write_scene(builder.finish(), path));
  for (const std::vector<std::string>& more :
       std::vector<std::vector<std::string>>{{},
                                             {"--table", "draws"},
                                             {"--table", "near"},
                                             {"--table", "findings"},
                                             {"--by", "subtree"},
                                             {path}}) {
    std::vector<std::string> line{"survey", path};
    line.insert(line.end(), more.begin(), more.end());
    const test::Outcome outcome = test::run_tool(line);
    EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
    EXPECT_EQ(outcome.out.find('\x1b'), std::string::npos) << "names can't steer the terminal";
    std::size_t characters = 0;
    for (const char c : outcome.out) {
      characters = c == '\n' ? 0 : characters + ((static_cast<unsigned char>(c) & 0xC0U) != 0x80U);
      EXPECT_LE(characters, 100U);
    }
  }
}

}  // namespace
}  // namespace wakuzume
