// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/quantise.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "glasshouse.h"
#include "support/faults.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/build.h"
#include "wakuzume/io.h"
#include "wakuzume/verify.h"

// Vertex data in fewer bits, and what proves that it is near enough.
namespace wakuzume {
namespace {

namespace fs = std::filesystem;

constexpr double uv_error = 0.25 / widest_texture_px;

Scene quantise_well(const Scene& scene, const GeometrySettings& settings) {
  auto done = quantise(scene, settings);
  EXPECT_TRUE(done) << (done ? "" : to_string(done.error()));
  return done ? std::move(done->scene) : Scene{};
}

const Stream& stream_of(const Scene& scene, MeshId mesh, const char* semantic) {
  return scene[scene[mesh].primitives.front().find(semantic)];
}

/// A sheet of quads in the xz plane, each half a metre wide.
test::MeshData make_sheet(std::uint32_t side) {
  test::MeshData sheet;
  for (std::uint32_t v = 0; v < side * side; ++v) {
    const float x = static_cast<float>(v % side) / 2;
    const float z = static_cast<float>(v / side) / 2;
    sheet.positions.insert(sheet.positions.end(), {x + 0.03F, std::sin(x) * 0.2F, z});
    const float slope = -std::cos(x) * 0.2F;
    const float length = std::sqrt(1 + slope * slope);
    sheet.normals.insert(sheet.normals.end(), {slope / length, 1 / length, 0});
    sheet.uvs.insert(sheet.uvs.end(), {x / static_cast<float>(side), z / static_cast<float>(side)});
    sheet.colors.insert(sheet.colors.end(), {0.1F, static_cast<float>(v % 7) / 7, 1, 1});
  }
  for (std::uint32_t y = 0; y + 1 < side; ++y) {
    for (std::uint32_t x = 0; x + 1 < side; ++x) {
      const std::uint32_t at = y * side + x;
      sheet.indices.insert(sheet.indices.end(),
                           {at, at + side, at + 1, at + 1, at + side, at + side + 1});
    }
  }
  return sheet;
}

TEST(Quantise, StoresTargetsThatMoveFewVerticesSparsely) {
  constexpr std::uint32_t side = 40;
  test::SceneBuilder builder;
  Primitive primitive = builder.make_primitive(make_sheet(side), no_material);
  // One moves eight vertices, one all of them, one none at all.
  for (const std::uint32_t moved : {8U, side * side, 0U}) {
    test::Floats moves(std::size_t{3} * side * side, 0.0F);
    for (std::uint32_t v = 0; v < moved; ++v) {
      moves[3 * ((7 * v + 5) % (side * side)) + 1] = 0.25F;
    }
    primitive.morph_targets.push_back(
        {{"POSITION", builder.add_stream(moves, ElementType::vec3, ComponentType::f32)}});
    const double least = moved == side * side ? 0.25 : 0;
    builder.scene.streams.back().bounds = StreamBounds{{0, least, 0}, {0, moved > 0 ? 0.25 : 0, 0}};
  }
  const MeshId mesh = builder.add_mesh("face", {primitive});
  builder.scene.meshes.back().weights.assign(3, 0.0);
  builder.add_node("face", mesh);
  const Scene scene = builder.finish();
  const Scene small = quantise_well(scene, {.form = GeometryForm::quantised});
  const Scene packed = quantise_well(scene, {.form = GeometryForm::packed});
  for (std::size_t t = 0; t < 3; ++t) {
    const auto stream = [&](const Scene& of) {
      return of[mesh].primitives[0].morph_targets[t][0].stream;
    };
    EXPECT_EQ(make_floats(small, stream(small)), make_floats(scene, stream(scene))) << t;
    EXPECT_EQ(make_floats(packed, stream(packed)), make_floats(scene, stream(scene))) << t;
    EXPECT_EQ(static_cast<bool>(small[stream(small)].sparse), t != 1) << t;
    EXPECT_FALSE(packed[stream(packed)].sparse) << "zeros pack to nothing";
  }
  EXPECT_EQ(quantise_well(small, {.form = GeometryForm::quantised}).streams.size(),
            small.streams.size());
  const auto folder = test::make_scratch();
  ASSERT_TRUE(write_scene(scene, (folder / "plain.glb").string()));
  ASSERT_TRUE(write_scene(small, (folder / "small.glb").string()));
  EXPECT_EQ(test::ask_validator(folder / "small.glb").substr(0, 2), "0 ") << "errors";
  const auto size = [&](const char* name) { return fs::file_size(folder / name); };
  EXPECT_LT(size("small.glb") + 2 * 12 * side * side, size("plain.glb"))
      << "two targets take next to nothing";
}

TEST(Quantise, StoresEachAttributeInTheNarrowestTypeThatIsNearEnough) {
  test::SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("sheet", make_sheet(20));
  builder.add_node("sheet", mesh, test::at(3.3, 1, -7));
  const Scene scene = builder.finish();
  const Scene small = quantise_well(scene, {.form = GeometryForm::quantised});
  EXPECT_TRUE(check_scene(small));
  EXPECT_EQ(stream_of(small, mesh, "POSITION").component, ComponentType::u16);
  EXPECT_FALSE(stream_of(small, mesh, "POSITION").normalized);
  EXPECT_EQ(stream_of(small, mesh, "NORMAL").component, ComponentType::i8);
  EXPECT_EQ(stream_of(small, mesh, "TEXCOORD_0").component, ComponentType::u16);
  EXPECT_EQ(stream_of(small, mesh, "COLOR_0").component, ComponentType::u8);
  const Scene finer = quantise_well(
      scene, {.form = GeometryForm::quantised, .direction_error_deg = 0.05, .color_error = 1e-4});
  EXPECT_EQ(stream_of(finer, mesh, "NORMAL").component, ComponentType::i16);
  EXPECT_EQ(stream_of(finer, mesh, "COLOR_0").component, ComponentType::u16);
  // Positions, normals, UVs and colours: 12 + 12 + 8 + 16 bytes a vertex became 8 + 4 + 4 + 4.
  const auto file = [](const Scene& s) {
    const auto path = test::make_scratch() / "scene.glb";
    EXPECT_TRUE(write_scene(s, path.string()));
    EXPECT_EQ(test::ask_validator(path).substr(0, 3), "0 0") << test::ask_validator(path);
    return fs::file_size(path);
  };
  EXPECT_LT(file(small) + 400 * 25, file(scene));
  EXPECT_TRUE(std::find(small.extensions_required.begin(), small.extensions_required.end(),
                        "KHR_mesh_quantization") != small.extensions_required.end());
}

TEST(Quantise, KeepsEveryElementOfRandomScenesWithinItsErrors) {
  const auto folder = test::make_scratch();
  for (std::uint32_t seed = 0; seed < 12; ++seed) {
    const Scene scene = test::make_random_scene(seed, 30);
    const auto soup = test::make_soup(scene);
    for (const GeometryForm form : {GeometryForm::quantised, GeometryForm::packed}) {
      const double error_m = seed % 2 == 0 ? 1e-3 : 2e-4;
      const Scene small = quantise_well(scene, {.form = form, .position_error_m = error_m});
      ASSERT_TRUE(check_scene(small)) << seed;
      // On top of it what floats lose, far from the origin.
      EXPECT_EQ(test::count_unmatched(soup, test::make_soup(small), error_m + 1e-5,
                                      std::max(uv_error, 0.002)),
                0U)
          << "seed " << seed << " " << to_string(form);
      // The file holds it bit for bit, and others can read it.
      ASSERT_TRUE(write_scene(small, (folder / "small.glb").string()));
      const auto read = read_scene((folder / "small.glb").string());
      ASSERT_TRUE(read) << to_string(read.error());
      EXPECT_EQ(make_content_hash(*read), make_content_hash(small)) << seed;
      EXPECT_EQ(read->storage, small.storage);
      if (seed < 3) {
        EXPECT_EQ(test::ask_validator(folder / "small.glb").substr(0, 2), "0 ");
      }
      // A second time nothing changes.
      EXPECT_EQ(
          make_content_hash(quantise_well(small, {.form = form, .position_error_m = error_m})),
          make_content_hash(small))
          << seed;
    }
  }
}

TEST(Quantise, IsTheSameForAnyNumberOfThreads) {
  const Scene scene = test::make_random_scene(5, 60);
  const GeometrySettings settings{.form = GeometryForm::packed};
  const auto one = quantise(scene, settings, {}, {1, nullptr});
  const auto two = quantise(scene, settings, {}, {2, nullptr});
  EXPECT_EQ(make_content_hash(one->scene), make_content_hash(two->scene));
}

TEST(Quantise, KeepsMeshesThatMeetMeeting) {
  // Two sheets side by side, whose last and first columns are the same places of the world.
  test::SceneBuilder builder;
  const double pivot = 9.5 + 0.013;
  test::MeshData right = make_sheet(20);
  for (std::size_t i = 0; i < right.positions.size(); i += 3) {
    right.positions[i] = right.positions[i] + static_cast<float>(9.5 - pivot);
  }
  builder.add_node("left", builder.add_mesh("left", make_sheet(20)));
  builder.add_node("right", builder.add_mesh("right", right), test::at(pivot, 0, 0));
  const Scene small = quantise_well(builder.finish(), {.form = GeometryForm::quantised});
  const auto places = [&](std::size_t node, std::uint32_t column) {
    std::vector<Vec3d> out;
    const auto numbers =
        make_doubles(small, small[small.nodes[node].mesh].primitives[0].find("POSITION"));
    const Trs& trs = small.nodes[node].trs;
    for (std::uint32_t row = 0; row < 20; ++row) {
      Vec3d& place = out.emplace_back();
      for (std::size_t c = 0; c < 3; ++c) {
        place[c] = trs.translation[c] + trs.scale[c] * numbers[3 * (20 * row + column) + c];
      }
    }
    return out;
  };
  const auto left = places(0, 19);
  const auto first = places(1, 0);
  for (std::size_t row = 0; row < left.size(); ++row) {
    EXPECT_EQ(left[row][0], first[row][0]) << row;
    EXPECT_EQ(left[row][2], first[row][2]) << row;
  }
}

TEST(Quantise, KeepsPivotsWhereNumbersReach) {
  test::SceneBuilder builder;
  const MeshId ball = builder.add_mesh("ball", test::make_ball(20, 0.1));
  const NodeId node = builder.add_node("ball", ball, test::at(5.03, 1.7, -2));
  const Scene small = quantise_well(builder.finish(), {.form = GeometryForm::quantised});
  EXPECT_EQ(stream_of(small, ball, "POSITION").component, ComponentType::i16);
  const Vec3d wanted{5.03, 1.7, -2};
  for (std::size_t c = 0; c < 3; ++c) {
    EXPECT_NEAR(small[node].trs.translation[c], wanted[c], 0.00025);
  }
}

TEST(Quantise, LeavesWhatMovesOrIsTooLargeInFloats) {
  test::SceneBuilder builder;
  const MeshId moved = builder.add_mesh("moved", make_sheet(5));
  builder.animate(builder.add_node("moved", moved));
  const MeshId large = builder.add_mesh("large", make_sheet(100));
  builder.add_node("large", large);
  const Scene scene = builder.finish();
  const auto small = quantise(scene, {.form = GeometryForm::quantised});
  ASSERT_TRUE(small);
  EXPECT_EQ(stream_of(small->scene, moved, "POSITION").component, ComponentType::f32);
  EXPECT_EQ(stream_of(small->scene, large, "POSITION").component, ComponentType::f32)
      << "50 m are over 200,000 steps";
  EXPECT_EQ(stream_of(small->scene, large, "NORMAL").component, ComponentType::i8);
  ASSERT_EQ(small->left_out.size(), 2U);
  EXPECT_NE(small->left_out[0].find("positions of 1 mesh stay floats"), std::string::npos);
  // Packed ones are on the grid all the same.
  const Scene packed = quantise_well(scene, {.form = GeometryForm::packed});
  for (const float value : make_floats(packed, packed[large].primitives.front().find("POSITION"))) {
    ASSERT_EQ(value * 4096, std::round(value * 4096));
  }
}

TEST(Quantise, MovesChildrenAndInstancesAlong) {
  test::SceneBuilder builder;
  const MeshId mesh = builder.add_mesh("sheet", make_sheet(30));
  Trs turned = test::scaled(2, 2, 0.5, {1, 2, 3});
  turned.rotation = {0, std::sin(0.4), 0, std::cos(0.4)};
  const NodeId parent = builder.add_node("parent", mesh, turned);
  builder.add_node("child", builder.add_mesh("ball", test::make_ball(8, 0)), test::at(1, 1, 1),
                   parent);
  const NodeId set = builder.add_node("set", mesh, test::at(50));
  builder.scene.nodes[to_index(set)].instancing.ensure().attributes = {
      {"TRANSLATION", builder.add_stream(test::Floats{0, 0, 0, 4, 5, 6, -20, 0, 0},
                                         ElementType::vec3, ComponentType::f32)},
      {"ROTATION", builder.add_stream(test::Floats{0, 0, 0, 1, 0, 1, 0, 0, 0.6F, 0, 0, 0.8F},
                                      ElementType::vec4, ComponentType::f32)}};
  const Scene scene = builder.finish();
  const GeometrySettings coarse{.form = GeometryForm::quantised, .position_error_m = 1e-3};
  const Scene small = quantise_well(scene, coarse);
  EXPECT_EQ(stream_of(small, mesh, "POSITION").component, ComponentType::i16);
  EXPECT_EQ(test::count_unmatched(test::make_soup(scene), test::make_soup(small), 1.01e-3, 0.002),
            0U);
  const std::vector<NodeId> fixed{set};
  const auto kept = quantise(scene, coarse, fixed);
  EXPECT_EQ(stream_of(kept->scene, mesh, "POSITION").component, ComponentType::f32);
}

TEST(Quantise, RefusesErrorsThatAreNone) {
  EXPECT_TRUE(validate(GeometrySettings{}));
  for (const GeometrySettings& wrong :
       {GeometrySettings{.position_error_m = 0}, GeometrySettings{.position_error_m = 2},
        GeometrySettings{.direction_error_deg = -1}, GeometrySettings{.uv_error_texels = 17},
        GeometrySettings{.color_error = std::nan("")}}) {
    const auto done = validate(wrong);
    ASSERT_FALSE(done);
    EXPECT_EQ(done.error().code, ErrorCode::bad_setting);
  }
}

/// The whole way by the tool: proved, found wrong where it is, put back.
class StoredResult : public testing::TestWithParam<const char*> {
 protected:
  void SetUp() override {
    folder_ = test::make_scratch();
    source_ = (folder_ / "scene.glb").string();
    ASSERT_TRUE(write_scene(test::make_random_scene(21, 40), source_));
    const auto run = test::run_tool_small(
        {"run", source_, "-o", (folder_ / "out").string(), "--geometry", GetParam()});
    ASSERT_EQ(run.exit_code, 0) << run.out << run.err;
    result_ = (folder_ / "out" / "scene.glb").string();
  }

  fs::path folder_;
  std::string source_;
  std::string result_;
};

TEST_P(StoredResult, IsProvedAndPutBack) {
  const auto verified = test::run_tool_small({"verify", source_, result_});
  EXPECT_EQ(verified.exit_code, 0) << verified.out;
  const std::string back = (folder_ / "back.glb").string();
  ASSERT_EQ(test::run_tool({"restore", result_, "-o", back}).exit_code, 0);
  EXPECT_EQ(test::read_all(back), test::read_all(source_));
  // What is left of it is stored as it was, and proved.
  const Ledger ledger = *read_ledger((folder_ / "out" / "scene.ledger.json").string());
  EXPECT_EQ(to_string(ledger.geometry.form), GetParam());
  ASSERT_GT(ledger.results.size(), 1U);
  const std::string part = (folder_ / "part.glb").string();
  ASSERT_EQ(test::run_tool({"restore", result_, "-o", part, "--group", ledger.results[0].group})
                .exit_code,
            0);
  const auto again = test::run_tool_small({"verify", source_, part});
  EXPECT_EQ(again.exit_code, 0) << again.out;
  EXPECT_EQ(read_scene(part)->storage, read_scene(result_)->storage);
}

TEST_P(StoredResult, IsFoundWrongWhereItIs) {
  const Scene source = *read_scene(source_);
  const Scene result = *read_scene(result_);
  const Ledger ledger = *read_ledger((folder_ / "out" / "scene.ledger.json").string());
  ASSERT_TRUE(verify(source, result, ledger)->passed);
  for (const test::Fault fault : {test::Fault::moved, test::Fault::winding, test::Fault::missing,
                                  test::Fault::normals_reversed}) {
    Scene broken = result;
    Ledger told = ledger;
    if (test::break_result(source, fault, 3, broken, told).empty()) {
      continue;
    }
    EXPECT_FALSE(verify(source, broken, told)->passed) << test::to_string(fault);
  }
}

INSTANTIATE_TEST_SUITE_P(Forms, StoredResult, testing::Values("quantised", "packed"));

/// What is left of a set keeps the geometry that its instances were placed for.
TEST(Restore, ProvesWhatIsLeftOfAQuantisedSet) {
  const auto folder = test::make_scratch();
  test::SceneBuilder builder;
  const MeshId ball =
      builder.add_mesh("ball", test::make_ball(20, 0.1), builder.add_material("clay"));
  for (int i = 0; i < 6; ++i) {
    builder.add_node("ball_" + std::to_string(i), ball, test::scaled(1, 2, 1, {4.0 * i, 1.3, 0}));
  }
  const std::string source = (folder / "scene.glb").string();
  ASSERT_TRUE(write_scene(builder.finish(), source));
  const auto run = test::run_tool_small({"run", source, "-o", (folder / "out").string(),
                                         "--repeats", "instance", "--geometry", "packed"});
  ASSERT_EQ(run.exit_code, 0) << run.out << run.err;
  const std::string result = (folder / "out" / "scene.glb").string();
  const Scene built = *read_scene(result);
  ASSERT_EQ(stream_of(built, MeshId{0}, "POSITION").component, ComponentType::i16);
  const std::string part = (folder / "part.glb").string();
  ASSERT_EQ(test::run_tool({"restore", result, "-o", part, "--node", "/ball_2"}).exit_code, 0);
  const auto verified = test::run_tool_small({"verify", source, part});
  EXPECT_EQ(verified.exit_code, 0) << verified.out;
}

TEST(Build, TakesTheFormOfItsLineOverThatOfItsPlan) {
  const auto folder = test::make_scratch();
  const std::string source = (folder / "scene.glb").string();
  ASSERT_TRUE(write_scene(test::make_random_scene(4, 20), source));
  const std::string plan = (folder / "plan.json").string();
  ASSERT_EQ(
      test::run_tool_small({"propose", source, "-o", plan, "--geometry", "quantised"}).exit_code,
      0);
  EXPECT_EQ(read_plan(plan)->settings.geometry.form, GeometryForm::quantised);
  const std::string out = (folder / "out.glb").string();
  ASSERT_EQ(test::run_tool({"build", plan, "-o", out, "--geometry", "packed"}).exit_code, 0);
  EXPECT_EQ(read_scene(out)->storage, StreamStorage::packed);
  const auto carried = test::run_tool({"build", plan, "-o", out, "--carry-source"});
  EXPECT_EQ(carried.exit_code, 2);
  EXPECT_NE(carried.err.find("--carry-source"), std::string::npos);
}

TEST(Quantise, TakesLessThanHalfPackedOfTheDemo) {
  const auto folder = test::make_scratch();
  const Scene source = demo::make_glasshouse();
  const Built built = *build(source, *propose(source, *survey(source)));
  const auto size = [&](GeometryForm form) {
    Scene small = quantise_well(built.scene, {.form = form});
    // Its pictures are the same in all.
    for (Image& image : small.images) {
      image = {};
      image.uri = "gone.png";
    }
    const auto file = folder / (std::string(to_string(form)) + ".glb");
    EXPECT_TRUE(write_scene(small, file.string()));
    return fs::file_size(file);
  };
  const auto quantised = size(GeometryForm::quantised);
  EXPECT_LT(quantised, size(GeometryForm::plain));
  EXPECT_LT(2 * size(GeometryForm::packed), quantised);
}

}  // namespace
}  // namespace wakuzume
