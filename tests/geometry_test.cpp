// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "support/scene_builder.h"

namespace wakuzume {
namespace {

using test::SceneBuilder;

Mat4d make_random_matrix(std::mt19937& engine, bool mirrored) {
  std::uniform_real_distribution<double> number(-1, 1);
  Trs trs;
  double length = 0;
  for (double& q : trs.rotation) {
    q = number(engine);
    length += q * q;
  }
  for (double& q : trs.rotation) {
    q /= std::sqrt(length);
  }
  for (std::size_t i = 0; i < 3; ++i) {
    trs.translation[i] = 100 * number(engine);
    trs.scale[i] = 0.2 + std::abs(number(engine)) * 3;
  }
  trs.scale[2] *= mirrored ? -1 : 1;
  return make_matrix(trs);
}

TEST(Decompose, GivesEveryTripleBackWithinRounding) {
  std::mt19937 engine(1);
  for (int i = 0; i < 500; ++i) {
    const Mat4d matrix = make_random_matrix(engine, i % 2 == 1);
    Trs trs;
    ASSERT_EQ(decompose(matrix, trs), Decomposed::exact);
    const Mat4d again = make_matrix(trs);
    for (std::size_t k = 0; k < 16; ++k) {
      EXPECT_NEAR(again[k], matrix[k], 1e-12 * 300) << "seed step " << i << " entry " << k;
    }
  }
}

TEST(Decompose, PutsAMirrorIntoTheScaleOfX) {
  Trs trs;
  ASSERT_EQ(decompose(make_matrix(test::scaled(1, 1, -2)), trs), Decomposed::exact);
  EXPECT_LT(trs.scale[0], 0);
  EXPECT_GT(trs.scale[1], 0);
  EXPECT_GT(trs.scale[2], 0);
}

TEST(Decompose, NamesShearAndMissingAxes) {
  Trs trs;
  Mat4d sheared = identity_matrix;
  sheared[4] = 0.5;  // y leans over x
  EXPECT_EQ(decompose(sheared, trs), Decomposed::sheared);
  EXPECT_EQ(decompose(make_matrix(test::scaled(1, 0, 1)), trs), Decomposed::degenerate);
  EXPECT_EQ(decompose(make_matrix(test::scaled(0, 0, 0)), trs), Decomposed::degenerate);
}

TEST(Decompose, AcceptsOnlyWhatStaysWithinAMillionth) {
  Trs trs;
  Mat4d almost = identity_matrix;
  almost[4] = 4e-7;
  EXPECT_EQ(decompose(almost, trs), Decomposed::exact);
  almost[4] = 4e-6;
  EXPECT_EQ(decompose(almost, trs), Decomposed::sheared);
}

TEST(Box, IsEmptyUntilAPointIsIncluded) {
  Box3d box;
  EXPECT_TRUE(box.empty());
  EXPECT_EQ(box.largest_extent(), 0);
  box.include(Box3d{});
  EXPECT_TRUE(box.empty());
  box.include(Vec3d{1, 2, 3});
  box.include(Vec3d{-1, 7, 3});
  EXPECT_FALSE(box.empty());
  EXPECT_EQ(box.centre(), (Vec3d{0, 4.5, 3}));
  EXPECT_EQ(box.largest_extent(), 5);
}

TEST(Box, TransformedHoldsEveryTransformedPoint) {
  std::mt19937 engine(2);
  std::uniform_real_distribution<double> share(0, 1);
  const Box3d box{{-1, 0, 2}, {3, 1, 5}};
  for (int i = 0; i < 50; ++i) {
    const Mat4d matrix = make_random_matrix(engine, false);
    const Box3d moved = make_transformed_box(matrix, box);
    for (int p = 0; p < 20; ++p) {
      Trs inside;
      for (std::size_t k = 0; k < 3; ++k) {
        inside.translation[k] = box.min[k] + share(engine) * (box.max[k] - box.min[k]);
      }
      const Mat4d placed = make_product(matrix, make_matrix(inside));
      for (std::size_t k = 0; k < 3; ++k) {
        EXPECT_GE(placed[12 + k], moved.min[k] - 1e-9);
        EXPECT_LE(placed[12 + k], moved.max[k] + 1e-9);
      }
    }
  }
}

TEST(WorldMatrices, MultiplyDownTheTreeInDouble) {
  SceneBuilder builder;
  const NodeId far = builder.add_node("far", no_mesh, test::at(50'000, 0, 0));
  const NodeId turned =
      builder.add_node("turned", no_mesh,
                       {{0, 0, 0}, {0, 0.7071067811865476, 0, 0.7071067811865476}, {2, 2, 2}}, far);
  const NodeId leaf = builder.add_node("leaf", no_mesh, test::at(0.001, 0, 0), turned);
  const Scene scene = builder.finish();
  const auto world = make_world_matrices(scene);
  // x turned by a quarter around y points to -z, doubled by the scale.
  EXPECT_NEAR(world[to_index(leaf)][12], 50'000, 1e-9);
  EXPECT_NEAR(world[to_index(leaf)][14], -0.002, 1e-12);
}

TEST(WorldMatrices, TakeAMatrixInPlaceOfTheTriple) {
  SceneBuilder builder;
  const NodeId id = builder.add_node("sheared");
  Mat4d matrix = identity_matrix;
  matrix[4] = 0.25;
  matrix[13] = 9;
  builder.scene.nodes[to_index(id)].matrix = matrix;
  EXPECT_EQ(make_world_matrices(builder.finish())[0], matrix);
}

TEST(LinkParents, RefusesTwoParentsAndCycles) {
  SceneBuilder builder;
  const NodeId a = builder.add_node("a");
  const NodeId b = builder.add_node("b");
  const NodeId c = builder.add_node("c", no_mesh, {}, a);
  builder.scene.nodes[to_index(b)].children.push_back(c);
  auto linked = link_parents(builder.scene);
  ASSERT_FALSE(linked);
  EXPECT_EQ(linked.error().code, ErrorCode::node_cycle);
  EXPECT_EQ(linked.error().place.pointer, "/nodes/1/children/0");

  builder.scene.nodes[to_index(b)].children.clear();
  builder.scene.nodes[to_index(c)].children.push_back(a);
  builder.scene.levels[0].roots.clear();
  linked = link_parents(builder.scene);
  ASSERT_FALSE(linked);
  EXPECT_EQ(linked.error().code, ErrorCode::node_cycle);
  EXPECT_NE(linked.error().message.find("its own ancestor"), std::string::npos);
}

TEST(LinkParents, RefusesNestingThatNoSceneNeeds) {
  SceneBuilder builder;
  NodeId last = builder.add_node("root");
  for (int level = 1; level < 512; ++level) {
    last = builder.add_node("n", no_mesh, {}, last);
  }
  EXPECT_TRUE(link_parents(builder.scene));
  builder.add_node("one too deep", no_mesh, {}, last);
  const auto linked = link_parents(builder.scene);
  ASSERT_FALSE(linked);
  EXPECT_EQ(linked.error().code, ErrorCode::too_large);
  EXPECT_EQ(linked.error().place.pointer, "/nodes/512");
}

TEST(NodePath, CutsEndlessNamesBetweenCharacters) {
  SceneBuilder builder;
  std::string name(127, 'a');
  name += "\u00e9 and more";
  const NodeId id = builder.add_node(name);
  EXPECT_EQ(make_node_path(builder.finish(), id), "/" + std::string(127, 'a'));
}

TEST(NodePath, JoinsNamesAndNumbersTheNameless) {
  SceneBuilder builder;
  const NodeId wing = builder.add_node("wing");
  const NodeId nameless = builder.add_node("", no_mesh, {}, wing);
  const NodeId leaf = builder.add_node("leaf", no_mesh, {}, nameless);
  EXPECT_EQ(make_node_path(builder.finish(), leaf), "/wing/#1/leaf");
}

TEST(ContentHash, ChangesWithWhateverAPlanDependsOn) {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("stone");
  const MeshId mesh = builder.add_mesh("square", test::make_square(), material);
  builder.add_node("a", mesh, test::at(1));
  const Scene scene = builder.finish();
  const ContentHash hash = make_content_hash(scene);
  EXPECT_EQ(make_content_hash(scene), hash);
  EXPECT_EQ(to_string(hash).size(), 32U);

  Scene moved = scene;
  moved.nodes[0].trs.translation[0] = 1.0000001;
  EXPECT_NE(make_content_hash(moved), hash);
  Scene renamed = scene;
  renamed.nodes[0].name = "b";
  EXPECT_NE(make_content_hash(renamed), hash);
  Scene repainted = scene;
  repainted.materials[0].base_color[1] = 0.5;
  EXPECT_NE(make_content_hash(repainted), hash);
  Scene marked = scene;
  marked.nodes[0].extra.ensure().extras = R"({"static":false})";
  EXPECT_NE(make_content_hash(marked), hash);
  Scene reshaped = scene;
  std::vector<float> positions = test::make_square().positions;
  positions[4] += 1e-6F;
  reshaped.blocks[0].bytes = make_bytes(positions);
  EXPECT_NE(make_content_hash(reshaped), hash);
}

}  // namespace
}  // namespace wakuzume
