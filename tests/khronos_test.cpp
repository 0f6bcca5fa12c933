// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <array>
#include <cmath>

#include "glasshouse.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/relief.h"
#include "wakuzume/restore.h"
#include "wakuzume/split.h"

/// The Khronos validator over everything that is written.
namespace wakuzume {
namespace {

void expect_clean(const std::filesystem::path& file) {
  EXPECT_EQ(test::ask_validator(file).substr(0, 2), "0 ") << test::ask_validator(file);
}

TEST(Khronos, FindsTheErrorThatIsThere) {
  // The judge itself: a file with a wrong index must not pass.
  const auto file = test::make_scratch() / "wrong.gltf";
  test::write_all(file, R"({"asset":{"version":"2.0"},"scene":3})");
  EXPECT_EQ(test::ask_validator(file).substr(0, 2), "1 ");
}

TEST(Khronos, FindsNoErrorInTheDemoAndItsResult) {
  const auto folder = test::make_scratch();
  const Scene scene = demo::make_glasshouse();
  ASSERT_TRUE(write_scene(scene, (folder / "source.glb").string()));
  // The gardener's parts stand below the figure, as exporters put them: of that it warns, of no
  // more.
  const std::string skinned = "NODE_SKINNED_MESH_NON_ROOT";
  const std::string source = test::ask_validator(folder / "source.glb");
  EXPECT_EQ(source.substr(0, 5 + skinned.size()), "0 11 " + skinned);
  const auto found = survey(scene);
  const auto built = build(scene, *propose(scene, *found));
  ASSERT_TRUE(built);
  ASSERT_TRUE(write_scene(built->scene, (folder / "result.glb").string()));
  const std::string result = test::ask_validator(folder / "result.glb");
  EXPECT_EQ(result.substr(0, 4 + skinned.size()), "0 6 " + skinned);
  ASSERT_TRUE(write_scene(built->scene, (folder / "result.gltf").string()));
  EXPECT_EQ(test::ask_validator(folder / "result.gltf"), result);
}

TEST(Khronos, FindsNoErrorInRandomScenesAndTheirResults) {
  const auto folder = test::make_scratch();
  for (std::uint32_t seed = 0; seed < 12; ++seed) {
    const Scene scene = test::make_random_scene(seed, 30);
    const auto found = survey(scene);
    const auto plan = propose(
        scene, *found,
        {.min_instances = 2 + seed % 4, .repeats = Repeats::instance, .blended = Blended::merge});
    const auto built = build(scene, *plan);
    ASSERT_TRUE(built);
    ASSERT_TRUE(write_scene(scene, (folder / "source.glb").string()));
    ASSERT_TRUE(write_scene(built->scene, (folder / "result.glb").string()));
    ASSERT_TRUE(write_scene(built->scene, (folder / "result.gltf").string()));
    expect_clean(folder / "source.glb");
    expect_clean(folder / "result.glb");
    expect_clean(folder / "result.gltf");
  }
}

/// Everything that a build adds beside merged meshes and sets.
TEST(Khronos, FindsNoErrorInObjectsCollidersAssetsAndCarriedSources) {
  const auto folder = test::make_scratch();
  for (std::uint32_t seed = 0; seed < 8; ++seed) {
    const Scene scene = test::make_random_scene(100 + seed, 60);
    const auto plan = propose(scene, *survey(scene),
                              {.repeats = static_cast<Repeats>(seed % 3),
                               .cell_size_m = seed % 2 == 0 ? 20.0 : 0.0,
                               .mesh_unit = MeshUnit::place,
                               .colliders = static_cast<ColliderShape>(1 + seed % 3)});
    ASSERT_TRUE(plan);
    ASSERT_FALSE(plan->groups.empty()) << "seed " << seed;
    BuildSettings how;
    how.carry_source = CarrySource::hidden;
    how.assets = {"*"};
    const auto built = build(scene, *plan, how);
    ASSERT_TRUE(built);
    ASSERT_TRUE(write_scene(built->scene, (folder / "result.glb").string()));
    expect_clean(folder / "result.glb");
    ASSERT_FALSE(built->assets.empty());
    ASSERT_TRUE(write_scene(built->assets.back().scene, (folder / "asset.gltf").string()));
    expect_clean(folder / "asset.gltf");
    const auto some = restore(built->scene, built->ledger, scene,
                              {.groups = {built->ledger.results.front().group}});
    ASSERT_TRUE(some) << to_string(some.error());
    ASSERT_TRUE(write_scene(some->scene, (folder / "restored.glb").string()));
    expect_clean(folder / "restored.glb");
    const auto pieces =
        split(scene, {.nodes = {"*"}, .by = static_cast<SplitBy>(seed % 2), .cell_size_m = 0.5});
    ASSERT_TRUE(pieces);
    ASSERT_TRUE(write_scene(pieces->scene, (folder / "pieces.glb").string()));
    expect_clean(folder / "pieces.glb");
  }
}

TEST(Khronos, FindsNoErrorInPaintedNormals) {
  const auto folder = test::make_scratch();
  test::SceneBuilder builder;
  const MaterialId clay = builder.add_material("clay");
  builder.scene.materials[to_index(clay)].roughness = 0.5;
  test::MeshData repeated = test::make_ball(24, 0.1);
  for (float& uv : repeated.uvs) {
    uv *= 3;
  }
  test::MeshData once = test::make_ball(24, 0.1);
  // Normals that fewer triangles can't hold.
  for (test::MeshData* const ball : {&once, &repeated}) {
    for (std::size_t v = 0; v < ball->normals.size(); v += 3) {
      const double turn = 0.4 * std::sin(20 * static_cast<double>(ball->positions[v + 2]));
      const std::array<double, 2> n{ball->normals[v], ball->normals[v + 1]};
      ball->normals[v] = static_cast<float>(std::cos(turn) * n[0] - std::sin(turn) * n[1]);
      ball->normals[v + 1] = static_cast<float>(std::sin(turn) * n[0] + std::cos(turn) * n[1]);
    }
  }
  builder.add_node("once", builder.add_mesh("once", once, builder.add_material("tin")));
  builder.add_node("repeated", builder.add_mesh("repeated", repeated, clay), test::at(3, 0, 0));
  const Scene scene = builder.finish();
  const StandardCodec codec;
  const auto plan = propose_reduction(scene, *survey(scene), {.share = 0.3, .relief_px = 512});
  ASSERT_TRUE(plan);
  auto made = reduce_with_relief(scene, *plan);
  ASSERT_TRUE(made);
  ASSERT_EQ(made->relief.pages.size(), 2U);
  const auto pictures = paint_relief(scene, made->reduced.scene, made->relief, codec);
  ASSERT_TRUE(pictures);
  for (std::size_t p = 0; p < pictures->size(); ++p) {
    made->reduced.scene.images[to_index(made->relief.pages[p].image)].bytes = (*pictures)[p];
  }
  for (const char* name : {"normals.glb", "normals.gltf"}) {
    ASSERT_TRUE(write_scene(made->reduced.scene, (folder / name).string()));
    expect_clean(folder / name);
  }
}

TEST(Khronos, FindsNoErrorInQuantisedPartsAndWhatBecomesOfThem) {
  test::SceneBuilder builder;
  const auto folder = test::make_scratch();
  builder.scene.extensions_used = {"KHR_mesh_quantization"};
  builder.scene.extensions_required = {"KHR_mesh_quantization"};
  const std::vector<std::int16_t> positions{0, 0, 0, 0, 32767, 0, 0, 0, 0, 32767, 0, 0};
  Stream stream;
  stream.count = 3;
  stream.element = ElementType::vec3;
  stream.component = ComponentType::i16;
  stream.normalized = true;
  stream.bounds = StreamBounds{{0, 0, 0}, {32767, 32767, 0}};
  Primitive primitive;
  primitive.attributes.push_back(
      {"POSITION", builder.add_bytes(positions.data(), positions.size() * 2, stream, 8)});
  const MeshId mesh = builder.add_mesh("small", {primitive});
  for (int i = 0; i < 3; ++i) {
    builder.add_node("n", mesh, test::at(i));
  }
  const Scene scene = builder.finish();
  ASSERT_TRUE(write_scene(scene, (folder / "source.glb").string()));
  expect_clean(folder / "source.glb");
  const auto built = build(scene, *propose(scene, *survey(scene), {.repeats = Repeats::merge}));
  ASSERT_TRUE(built);
  ASSERT_TRUE(write_scene(built->scene, (folder / "result.glb").string()));
  expect_clean(folder / "result.glb");
}

TEST(Khronos, FindsNoErrorInWhatTheToolWrites) {
  const auto folder = test::make_scratch();
  ASSERT_EQ(test::run_tool({"demo", (folder / "demo").string(), "--quiet"}).exit_code, 0);
  expect_clean(folder / "demo" / "glasshouse.glb");
  expect_clean(folder / "demo" / "result" / "glasshouse.glb");
  const auto plan = (folder / "a.plan.json").string();
  ASSERT_EQ(test::run_tool({"propose", (folder / "demo" / "glasshouse.glb").string(), "-o", plan,
                            "--blended", "merge", "--min-instances", "1000"})
                .exit_code,
            0);
  ASSERT_EQ(test::run_tool({"build", plan, "-o", (folder / "merged.gltf").string()}).exit_code, 0);
  expect_clean(folder / "merged.gltf");
}

}  // namespace
}  // namespace wakuzume
