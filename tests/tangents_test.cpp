// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "rework/tangents.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>
#include <sstream>

#include "support/parts.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/build.h"
#include "wakuzume/verify.h"

/// Tangents that a build makes, against the code that the method comes from.
namespace wakuzume {
namespace {

using test::MeshData;

std::vector<float> ask_three(const CornerData& corners) {
  const auto file = test::make_scratch() / "corners.json";
  test::write_all(file, fmt::format("{{\"positions\":[{}],\"normals\":[{}],\"uvs\":[{}]}}",
                                    fmt::join(corners.positions, ","),
                                    fmt::join(corners.normals, ","), fmt::join(corners.uvs, ",")));
  const test::Outcome outcome =
      test::run_program({WAKUZUME_NODE, WAKUZUME_JUDGES "/tangents.mjs", file.string()});
  EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
  std::istringstream in(outcome.out);
  return {std::istream_iterator<float>(in), {}};
}

/// \return corners whose tangent is off by more than `tolerance`
std::size_t count_different(const CornerData& corners, double tolerance) {
  const std::vector<float> ours = make_corner_tangents(corners);
  const std::vector<float> theirs = ask_three(corners);
  EXPECT_EQ(ours.size(), theirs.size());
  std::size_t different = 0;
  for (std::size_t c = 0; c + 3 < std::min(ours.size(), theirs.size()); c += 4) {
    bool same = ours[c + 3] == theirs[c + 3];
    for (std::size_t i = 0; i < 3; ++i) {
      same = same && std::abs(ours[c + i] - theirs[c + i]) <= tolerance;
    }
    different += same ? 0U : 1U;
  }
  return different;
}

CornerData make_corners(const MeshData& mesh) {
  test::SceneBuilder builder;
  const MeshId id = builder.add_mesh("m", mesh, builder.add_material("m"));
  builder.add_node("n", id);
  const Scene scene = builder.finish();
  return make_corner_data(scene, scene[id].primitives[0]);
}

TEST(Tangents, AreThoseOfTheReferenceCodeOnMadeUpParts) {
  for (std::uint32_t seed = 0; seed < 12; ++seed) {
    const CornerData corners = make_corners(test::make_part(seed));
    EXPECT_EQ(count_different(corners, 3e-4), 0U) << "part " << seed;
  }
}

/// A grid whose texture is turned, mirrored, cut by seams and squeezed to nothing here and there,
/// with triangles without extent among the others.
CornerData make_patchwork(std::uint32_t seed) {
  std::mt19937 random(seed);
  const auto number = [&] {
    return static_cast<float>(static_cast<double>(random() % 2001) / 1000 - 1);
  };
  constexpr std::size_t side = 9;
  std::vector<std::array<float, 8>> vertices(side * side);
  for (std::size_t v = 0; v < vertices.size(); ++v) {
    const auto x = static_cast<float>(v % side);
    const auto y = static_cast<float>(v / side);
    const float nx = 0.3F * number();
    const float ny = 0.3F * number();
    const float nz = std::sqrt(1 - nx * nx - ny * ny);
    const bool mirrored = v % side > side / 2;
    vertices[v] = {
        x, y, 0.4F * number(), nx, ny, nz, (mirrored ? 8 - x : x) / 4 + 0.1F * number(), y / 4};
  }
  CornerData out;
  const auto put = [&](std::size_t v, bool squeezed) {
    const auto& vertex = vertices[v];
    out.positions.insert(out.positions.end(), vertex.begin(), vertex.begin() + 3);
    out.normals.insert(out.normals.end(), vertex.begin() + 3, vertex.begin() + 6);
    out.uvs.push_back(squeezed ? 0.5F : vertex[6]);
    out.uvs.push_back(squeezed ? 0.5F : vertex[7]);
  };
  for (std::size_t q = 0; q < (side - 1) * (side - 1); ++q) {
    const std::size_t a = q / (side - 1) * side + q % (side - 1);
    const bool squeezed = random() % 12 == 0;
    const bool empty = random() % 12 == 0;
    for (const std::size_t v : {a, a + 1, empty ? a : a + side + 1, a, a + side + 1, a + side}) {
      put(v, squeezed);
    }
  }
  return out;
}

TEST(Tangents, AreThoseOfTheReferenceCodeOnSeamsMirrorsAndWhatHasNoArea) {
  for (std::uint32_t seed = 0; seed < 12; ++seed) {
    EXPECT_EQ(count_different(make_patchwork(seed), 1e-3), 0U) << "patchwork " << seed;
  }
}

TEST(Tangents, OfWhatHasNoTextureAreUnitLengthAllTheSame) {
  CornerData corners = make_patchwork(3);
  std::fill(corners.uvs.begin(), corners.uvs.end(), 0.25F);
  corners.positions[0] = std::nanf("");
  const std::vector<float> tangents = make_corner_tangents(corners);
  for (std::size_t c = 0; c < tangents.size(); c += 4) {
    EXPECT_EQ(std::hypot(tangents[c], tangents[c + 1], tangents[c + 2]), 1.0F);
    EXPECT_EQ(std::abs(tangents[c + 3]), 1.0F);
  }
}

class MergedTangents : public testing::TestWithParam<bool> {};

/// A cluster in which one part has tangents and others, mirrored, flat and in strips, have none.
TEST_P(MergedTangents, ComeForThoseThatLackThem) {
  test::SceneBuilder builder;
  builder.scene.images.emplace_back().bytes = make_bytes(std::vector<std::uint8_t>{1});
  const MaterialId stone = builder.add_material("stone");
  builder.scene.materials[0].normal_texture.texture = builder.add_texture(ImageId{0});
  MeshData with = test::make_part(1);
  for (std::size_t v = 0; v < with.positions.size() / 3; ++v) {
    with.tangents.insert(with.tangents.end(), {1, 0, 0, -1});
  }
  if (GetParam()) {
    builder.add_node("with", builder.add_mesh("with", with, stone), test::at(1));
  }
  MeshData flat = test::make_part(3);
  flat.normals.clear();
  MeshData strip = test::make_square();
  strip.indices = {0, 1, 3, 2};
  strip.mode = PrimitiveMode::triangle_strip;
  builder.add_node("bare", builder.add_mesh("bare", test::make_part(2), stone), test::at(4));
  builder.add_node("mirrored", builder.add_mesh("m", test::make_part(4), stone),
                   test::scaled(-1, 2, 0.5, {7, 0, 0}));
  builder.add_node("flat", builder.add_mesh("flat", flat, stone), test::at(9));
  builder.add_node("strip", builder.add_mesh("strip", strip, stone), test::at(12));
  const Scene source = builder.finish();
  const auto plan = propose(source, *survey(source), {.repeats = Repeats::merge});
  const auto built = build(source, *plan);
  ASSERT_TRUE(built) << to_string(built.error());
  ASSERT_EQ(make_draw_list(built->scene).size(), 1U);
  const auto verdict = verify(source, built->scene, built->ledger);
  ASSERT_TRUE(verdict);
  EXPECT_TRUE(verdict->passed) << verdict->mismatches[0].what;
  const DrawRef draw = make_draw_list(built->scene)[0];
  const Primitive& merged = built->scene[built->scene[draw.node].mesh].primitives[0];
  ASSERT_NE(merged.find("TANGENT"), no_stream) << "the normal texture needs them";
  const std::vector<float> tangents = make_floats(built->scene, merged.find("TANGENT"));
  const std::vector<float> normals = make_floats(built->scene, merged.find("NORMAL"));
  for (std::size_t v = 0; v < normals.size() / 3; ++v) {
    const float* t = &tangents[4 * v];
    EXPECT_NEAR(std::hypot(t[0], t[1], t[2]), 1, 1e-5);
    EXPECT_EQ(std::abs(t[3]), 1);
  }
  // A tangent that is turned by a degree is noticed.
  Scene spoilt = built->scene;
  const Stream& stream = spoilt[merged.find("TANGENT")];
  const BlockView& view = spoilt[stream.view];
  const auto bytes = spoilt[view.block].bytes.data();
  std::vector<std::byte> copy(bytes.begin(), bytes.end());
  float value = 0;
  const std::size_t at = view.offset + stream.offset + 16 * (stream.count - 1) + 4;
  std::memcpy(&value, &copy[at], 4);
  value += 0.02F;
  std::memcpy(&copy[at], &value, 4);
  spoilt.blocks[to_index(view.block)].bytes = make_bytes(std::move(copy));
  Ledger ledger = built->ledger;
  ledger.result_hash = make_content_hash(spoilt);
  const auto caught = verify(source, spoilt, ledger);
  ASSERT_TRUE(caught);
  EXPECT_FALSE(caught->passed);
}

TEST(Tangents, AreNotMadeWithoutANormalTexture) {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  for (std::uint32_t i = 0; i < 3; ++i) {
    builder.add_node("part", builder.add_mesh("part", test::make_part(i), stone), test::at(3 * i));
  }
  const Scene source = builder.finish();
  const auto built = build(source, *propose(source, *survey(source), {.repeats = Repeats::merge}));
  ASSERT_TRUE(built);
  const DrawRef draw = make_draw_list(built->scene)[0];
  const Primitive& merged = built->scene[built->scene[draw.node].mesh].primitives[0];
  EXPECT_EQ(merged.find("TANGENT"), no_stream);
}

INSTANTIATE_TEST_SUITE_P(OneHasThem, MergedTangents, testing::Bool());

}  // namespace
}  // namespace wakuzume
