// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <string>

#include "support/parts.h"
#include "support/pictures.h"
#include "support/process.h"
#include "wakuzume/io.h"

/// Layers and rebaked UVs through files: plans, results, what is restored, and what is spoilt.
namespace wakuzume {
namespace {

/// Two floors that repeat, two parts to rebake, two plain squares.
Scene make_house() {
  test::SceneBuilder builder;
  for (std::uint32_t m = 0; m < 6; ++m) {
    const char* kinds[] = {"floor", "part", "square"};
    const MaterialId id = builder.add_material(kinds[m / 2] + std::string("_") + std::to_string(m));
    Material& material = builder.scene.materials[m];
    material.base_color_texture.texture = test::add_picture(builder, test::make_picture(32, 32, m));
    material.roughness = 0.2 + 0.1 * m;
    test::MeshData data = test::make_patch(0, 0, 7, 7);
    if (m / 2 == 1) {
      data = test::make_part(10 + m);
      material.normal_texture.texture =
          test::add_picture(builder, test::make_normal_picture(32, 32, m));
    } else if (m / 2 == 2) {
      data = test::make_patch(0, 0, 1, 1);
    }
    const MeshId mesh = builder.add_mesh("mesh_" + std::to_string(m), data, id);
    builder.add_node("node_" + std::to_string(m), mesh, test::at(3.0 * m));
    builder.add_node("again_" + std::to_string(m), mesh, test::at(3.0 * m, 5));
  }
  return builder.finish();
}

class HouseFiles : public testing::Test {
 protected:
  HouseFiles() : folder_(test::make_scratch()), source_(make_house()) {
    EXPECT_TRUE(write_scene(source_, path("s.glb")));
  }
  [[nodiscard]] std::string path(const std::string& name) const {
    return (folder_ / name).string();
  }
  static std::string run(const std::vector<std::string>& line) {
    const test::Outcome outcome = test::run_tool_small(line);
    EXPECT_EQ(outcome.exit_code, 0) << line[0] << ": " << outcome.out << outcome.err;
    return outcome.out;
  }
  void build(const std::string& result, const std::vector<std::string>& more = {}) {
    std::vector<std::string> line{"propose",     path("s.glb"),  "-o",      path("p.json"),
                                  "--materials", "fewest_draws", "--route", "part_*=rebake"};
    line.insert(line.end(), more.begin(), more.end());
    run(line);
    run({"build", path("p.json"), "-o", path(result)});
  }

  std::filesystem::path folder_;
  Scene source_;
};

TEST_F(HouseFiles, AreValidProvedAndPutBack) {
  for (const char* result : {"r.glb", "r.gltf"}) {
    build(result);
    EXPECT_EQ(test::ask_validator(path(result)).substr(0, 2), "0 ") << "errors";
    EXPECT_NE(run({"verify", path("s.glb"), path(result)}).find("PASSED"), std::string::npos);
    const auto built = read_scene(path(result));
    ASSERT_TRUE(built);
    std::size_t layered = 0;
    for (const Mesh& mesh : built->meshes) {
      layered += mesh.plain.empty() ? 0U : 1U;
    }
    EXPECT_GE(layered, 1U);
    run({"restore", path(result), "-o", path("part.glb"), "--node", "/node_0"});
    EXPECT_EQ(test::ask_validator(path("part.glb")).substr(0, 2), "0 ") << "errors";
    run({"verify", path("s.glb"), path("part.glb")});
    run({"restore", path(result), "-o", path("back.glb")});
    EXPECT_TRUE(test::read_all(path("back.glb")) == test::read_all(path("s.glb")));
  }
}

TEST_F(HouseFiles, HoldRoutesThatReadBackAsTheyWere) {
  build("r.glb");
  const auto plan = read_plan(path("p.json"));
  ASSERT_TRUE(plan);
  EXPECT_EQ(plan->routes.stacks.size(), 1U);
  std::size_t baked = 0;
  for (const Tile& tile : plan->routes.pages.at(0).tiles) {
    baked += tile.baked() ? 1U : 0U;
    EXPECT_EQ(tile.baked(), tile.texels_per_unit > 0);
  }
  EXPECT_EQ(baked, 2U);
  const Scene shared = repaint(*read_scene(path("s.glb")), plan->routes)->scene;
  EXPECT_EQ(to_json(shared, *plan), test::read_all(path("p.json")));
  const auto ledger = read_ledger(path("r.ledger.json"));
  ASSERT_TRUE(ledger);
  EXPECT_EQ(to_json(*ledger), test::read_all(path("r.ledger.json")));
  EXPECT_EQ(ledger->page_images.size(), plan->routes.pages.size() + plan->routes.stacks.size());
}

TEST_F(HouseFiles, NeedTheExtensionWhereNoPlainLookIsBeside) {
  test::write_all(path("bare.toml"),
                  "[materials]\nplain_look = \"none\"\nlayer_packing = \"none\"\n");
  build("bare.glb", {"--settings", path("bare.toml"), "--repeats", "merge"});
  const auto bare = read_scene(path("bare.glb"));
  ASSERT_TRUE(bare);
  EXPECT_EQ(bare->extensions_required, std::vector<std::string>{texture_layers_extension});
  for (const Mesh& mesh : bare->meshes) {
    EXPECT_TRUE(mesh.plain.empty());
  }
  build("full.glb");
  EXPECT_LT(bare->materials.size(), read_scene(path("full.glb"))->materials.size());
}

TEST_F(HouseFiles, TakeAstcOnRequest) {
  test::write_all(path("astc.toml"), "[materials]\nlayer_format = \"astc_4x4\"\n");
  build("a.glb", {"--settings", path("astc.toml")});
  const auto built = read_scene(path("a.glb"));
  ASSERT_TRUE(built);
  for (const Texture& texture : built->textures) {
    if (texture.layers) {
      const Bytes file = encoded_bytes(*built, texture.layers->image);
      ASSERT_GT(file.size(), 16U);
      const auto format = std::to_integer<int>(file.data()[12]);
      EXPECT_TRUE(format == 157 || format == 158) << format;
      EXPECT_TRUE(decode_ktx2(file));
    }
  }
}

/// One fault each in a file with the extension.
struct Fault {
  const char* texture;
  const char* mesh;
  ErrorCode code;
  const char* pointer;
};

class SpoiltLayers : public testing::TestWithParam<Fault> {};

TEST_P(SpoiltLayers, AreErrorsWithTheirPlace) {
  const Fault& fault = GetParam();
  const auto file = test::make_scratch() / "spoilt.gltf";
  test::write_all(
      file, std::string(R"({"asset":{"version":"2.0"},"extensionsUsed":["WAKUZUME_texture_layers"],
"buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,)") +
                std::string(48, 'A') + R"("}],"bufferViews":[{"buffer":0,"byteLength":36}],
"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[0,0,0]}],
"images":[{"uri":"data:image/png;base64,AAAA"}],
"textures":[{"extensions":{"WAKUZUME_texture_layers":)" +
                fault.texture + R"(}}],
"meshes":[{"primitives":[{"attributes":{"POSITION":0}}],"extensions":{"WAKUZUME_texture_layers":)" +
                fault.mesh + "}}]}");
  const auto scene = read_scene(file.string());
  ASSERT_FALSE(scene);
  EXPECT_EQ(scene.error().code, fault.code) << to_string(scene.error());
  EXPECT_NE(scene.error().place.pointer.find(fault.pointer), std::string::npos)
      << scene.error().place.pointer;
}

constexpr const char* good_texture = R"({"source":0,"layers":[0]})";
constexpr const char* good_mesh = R"({"primitives":[{"attributes":{"POSITION":0}}]})";

INSTANTIATE_TEST_SUITE_P(
    Faults,
    SpoiltLayers,
    testing::Values(
        Fault{R"({"source":7,"layers":[0]})", good_mesh, ErrorCode::index_out_of_range,
              "/textures/0"},
        Fault{R"({"source":0})", good_mesh, ErrorCode::missing_member, "/textures/0"},
        Fault{R"({"source":0,"layers":[]})", good_mesh, ErrorCode::missing_member, "/textures/0"},
        Fault{R"({"source":0,"layers":[-1]})", good_mesh, ErrorCode::bad_value, "/layers/0"},
        Fault{R"({"source":0,"layers":[0],"more":1})", good_mesh, ErrorCode::bad_value, "/more"},
        Fault{good_texture, R"({"primitives":[]})", ErrorCode::missing_member, "/meshes/0"},
        Fault{good_texture, R"({"primitives":[{"attributes":{"POSITION":9}}]})",
              ErrorCode::index_out_of_range, "/WAKUZUME_texture_layers/primitives/0"},
        Fault{good_texture, R"({"primitives":[{"attributes":{"POSITION":0},"indices":0}]})",
              ErrorCode::bad_value, "/WAKUZUME_texture_layers/primitives/0"},
        Fault{good_texture, R"({"parts":[]})", ErrorCode::bad_value, "/parts"}));

}  // namespace
}  // namespace wakuzume
