// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/build.h"

#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/verify.h"

/// The invariants of a merge, each with numbers.
namespace wakuzume {
namespace {

using test::Floats;
using test::MeshData;
using test::SceneBuilder;

/// Merges everything that may be merged into as few draws as can be.
Built build_of(const Scene& scene, const ProposeSettings& settings = {.repeats = Repeats::merge}) {
  const auto found = survey(scene);
  EXPECT_TRUE(found);
  const auto plan = propose(scene, *found, settings);
  EXPECT_TRUE(plan);
  auto built = build(scene, *plan);
  EXPECT_TRUE(built) << to_string(built.error());
  const auto valid = check_scene(built->scene);
  EXPECT_TRUE(valid) << to_string(valid.error());
  const auto verdict = verify(scene, built->scene, built->ledger);
  EXPECT_TRUE(verdict);
  EXPECT_TRUE(verdict->passed) << verdict->mismatches[0].what;
  return std::move(*built);
}

/// The only primitive of the only node that has a mesh.
const Primitive& only_primitive(const Scene& scene) {
  const auto draws = make_draw_list(scene);
  EXPECT_EQ(draws.size(), 1U);
  return scene[scene[draws[0].node].mesh].primitives[draws[0].primitive];
}

Floats values_of(const Scene& scene, const Primitive& primitive, const char* semantic) {
  const StreamId id = primitive.find(semantic);
  EXPECT_NE(id, no_stream) << semantic;
  return id == no_stream ? Floats() : make_floats(scene, id);
}

TEST(BuildPositions, LoseNothingFiftyKilometresOut) {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("stone");
  for (int i = 0; i < 4; ++i) {
    const MeshId mesh = builder.add_mesh("m", test::make_tetrahedron(), material);
    builder.add_node("n", mesh, test::at(50'000 + i * 3.3, 120, -49'000.125));
  }
  const Scene scene = builder.finish();
  const Built built = build_of(scene);
  const Primitive& primitive = only_primitive(built.scene);
  const auto stored = make_doubles(built.scene, primitive.find("POSITION"));
  const NodeId node = make_draw_list(built.scene)[0].node;
  const Vec3d pivot = built.scene[node].trs.translation;
  double largest = 0;
  for (std::size_t part = 0; part < 4; ++part) {
    for (std::size_t v = 0; v < 4; ++v) {
      // Vertices of a part may stand in another order.
      double nearest = 1;
      for (std::size_t w = 0; w < 4; ++w) {
        double off = 0;
        for (std::size_t c = 0; c < 3; ++c) {
          const double exact = static_cast<double>(test::make_tetrahedron().positions[v * 3 + c]) +
                               scene.nodes[part].trs.translation[c];
          off = std::max(off, std::abs(pivot[c] + stored[(part * 4 + w) * 3 + c] - exact));
        }
        nearest = std::min(nearest, off);
      }
      largest = std::max(largest, nearest);
    }
  }
  // Extent 10.9 m: at most 1e-6 of it. A float at 50 km could only hold 0.004 m.
  EXPECT_LE(largest, 10.9e-6);
  EXPECT_LE(std::abs(stored[0]), 6);
}

TEST(BuildNormals, GoByTheInverseTranspose) {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("stone");
  MeshData slope = test::make_square();
  const auto s = static_cast<float>(std::sqrt(0.5));
  slope.normals = {s, 0, s, s, 0, s, s, 0, s, s, 0, s};
  for (int i = 0; i < 2; ++i) {
    builder.add_node("n", builder.add_mesh("m", slope, material),
                     test::scaled(4, 1, 1, {i * 9.0, 0, 0}));
  }
  const Built built = build_of(builder.finish());
  const Floats normals = values_of(built.scene, only_primitive(built.scene), "NORMAL");
  // (1, 0, 1) under scale 4 along x: (1/4, 0, 1) normalised.
  EXPECT_NEAR(normals[0], 0.25 / std::sqrt(1.0625), 1e-6);
  EXPECT_NEAR(normals[2], 1 / std::sqrt(1.0625), 1e-6);
}

TEST(BuildNormals, AreUnitLengthEvenWhenTheSourcesAreNot) {
  SceneBuilder builder;
  MeshData odd = test::make_square();
  odd.normals = {0, 0, 5, 0, 0, 0.1F, 0, 0, 0, 3, 0, 4};
  const MaterialId material = builder.add_material("stone");
  for (int i = 0; i < 2; ++i) {
    builder.add_node("n", builder.add_mesh("m", odd, material), test::at(i));
  }
  const Built built = build_of(builder.finish());
  const Floats n = values_of(built.scene, only_primitive(built.scene), "NORMAL");
  for (std::size_t v = 0; v < n.size(); v += 3) {
    EXPECT_NEAR(std::hypot(n[v], n[v + 1], n[v + 2]), 1, 1e-6) << "vertex " << v / 3;
  }
}

TEST(BuildTangents, GoByTheLinearPartAndTakeTheDeterminantsSign) {
  SceneBuilder builder;
  MeshData data = test::make_square();
  for (int v = 0; v < 4; ++v) {
    data.tangents.insert(data.tangents.end(), {1, 0, 0, 1});
  }
  const MaterialId material = builder.add_material("stone");
  builder.add_node("plain", builder.add_mesh("m", data, material));
  builder.add_node("mirrored", builder.add_mesh("m", data, material), test::scaled(-3, 1, 1));
  const Built built = build_of(builder.finish());
  const Floats t = values_of(built.scene, only_primitive(built.scene), "TANGENT");
  EXPECT_EQ((Floats{t[0], t[1], t[2], t[3]}), (Floats{1, 0, 0, 1}));
  EXPECT_EQ((Floats{t[16], t[17], t[18], t[19]}), (Floats{-1, 0, 0, -1}));
}

TEST(BuildWinding, TurnsWithAMirror) {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("stone");
  builder.add_node("plain", builder.add_mesh("m", test::make_square(), material));
  builder.add_node("mirrored", builder.add_mesh("m", test::make_square(), material),
                   test::scaled(-1, 1, 1));
  const Built built = build_of(builder.finish());
  const Primitive& primitive = only_primitive(built.scene);
  EXPECT_EQ(make_indices(built.scene, primitive),
            (std::vector<std::uint32_t>{0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 7, 5}));
  // Every face must still look along +z.
  const Floats p = values_of(built.scene, primitive, "POSITION");
  const auto indices = make_indices(built.scene, primitive);
  for (std::size_t i = 0; i < indices.size(); i += 3) {
    const float* a = &p[indices[i] * 3];
    const float* b = &p[indices[i + 1] * 3];
    const float* c = &p[indices[i + 2] * 3];
    EXPECT_GT((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]), 0);
  }
}

TEST(BuildWinding, CountsTheMirrorsOfAllAncestors) {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("stone");
  const NodeId outer = builder.add_node("outer", no_mesh, test::scaled(1, -1, 1));
  const NodeId inner = builder.add_node("inner", no_mesh, test::scaled(1, 1, -2), outer);
  for (const NodeId parent : {no_node, outer, inner}) {
    builder.add_node("n", builder.add_mesh("m", test::make_tetrahedron(), material), test::at(3, 1),
                     parent);
  }
  const Scene scene = builder.finish();
  const Built built = build_of(scene);
  EXPECT_EQ(test::count_unmatched(test::make_soup(scene), test::make_soup(built.scene), 1e-5), 0U);
}

TEST(BuildSingularTransforms, KeepTheRightNormalOfAFlattenedPart) {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("stone");
  for (int i = 0; i < 2; ++i) {
    builder.add_node("flat", builder.add_mesh("m", test::make_square(), material),
                     test::scaled(1, 1, 0, {i * 2.0, 0, 0}));
  }
  const Built built = build_of(builder.finish());
  const Floats n = values_of(built.scene, only_primitive(built.scene), "NORMAL");
  EXPECT_EQ((Floats{n[0], n[1], n[2]}), (Floats{0, 0, 1}));
}

TEST(BuildIndices, AreSixteenBitsWhereTheyFit) {
  for (const auto& [vertices, type] :
       {std::pair{32'767U, ComponentType::u16}, std::pair{32'768U, ComponentType::u32}}) {
    SceneBuilder builder;
    const MaterialId material = builder.add_material("stone");
    for (int part = 0; part < 2; ++part) {
      MeshData data;
      for (std::uint32_t v = 0; v < vertices + (part == 0 && vertices == 32'767U ? 1 : 0); ++v) {
        data.positions.insert(data.positions.end(), {static_cast<float>(v), 0, 0});
      }
      data.mode = PrimitiveMode::points;
      builder.add_node("n", builder.add_mesh("m", data, material));
    }
    const Built built =
        build_of(builder.finish(), {.repeats = Repeats::merge, .max_vertices = 1'000'000});
    const Primitive& primitive = only_primitive(built.scene);
    EXPECT_EQ(built.scene[primitive.indices].component, type);
    EXPECT_EQ(count_vertices(built.scene, primitive), vertices == 32'767U ? 65'535U : 65'536U);
  }
}

TEST(BuildMaterials, ArePairedByIdentityAndNotByPosition) {
  SceneBuilder builder;
  const MaterialId a = builder.add_material("a");
  const MaterialId b = builder.add_material("b");
  builder.scene.materials[to_index(b)].roughness = 0.3;
  // The same two shapes with the materials the other way round.
  builder.add_node("one",
                   builder.add_mesh("one", {builder.make_primitive(test::make_square(), a),
                                            builder.make_primitive(test::make_tetrahedron(), b)}));
  builder.add_node("two",
                   builder.add_mesh("two", {builder.make_primitive(test::make_tetrahedron(), b),
                                            builder.make_primitive(test::make_square(), a)}),
                   test::at(4));
  const Scene scene = builder.finish();
  const Built built = build_of(scene);
  EXPECT_EQ(make_draw_list(built.scene).size(), 2U);
  EXPECT_EQ(test::count_unmatched(test::make_soup(scene), test::make_soup(built.scene), 1e-6), 0U);
  for (const LedgerRow& row : built.ledger.rows) {
    const Primitive& before = scene[scene[row.source.node].mesh].primitives[row.source.primitive];
    const Primitive& after = built.scene[built.scene[row.node].mesh].primitives[row.primitive];
    EXPECT_EQ(before.material, after.material);
  }
}

TEST(BuildLightmaps, KeepPagesApartAndNameThemOnTheResult) {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("stone");
  MeshData data = test::make_square();
  data.lightmap_uvs = {0.125F, 0.25F, 0.5F, 0.25F, 0.5F, 0.75F, 0.125F, 0.75F};
  for (int i = 0; i < 6; ++i) {
    const NodeId node = builder.add_node("n", builder.add_mesh("m", data, material), test::at(i));
    builder.set_extras(node, i < 3
                                 ? R"({"static":true,"lightmap":0,"id":)" + std::to_string(i) + "}"
                                 : R"({"static":true,"lightmap":1})");
  }
  const Scene scene = builder.finish();
  const Built built = build_of(scene);
  const auto draws = make_draw_list(built.scene);
  ASSERT_EQ(draws.size(), 2U);
  EXPECT_EQ(built.scene[draws[0].node].extra->extras, R"({"static":true,"lightmap":0})");
  EXPECT_EQ(built.scene[draws[1].node].extra->extras, R"({"static":true,"lightmap":1})");
  ASSERT_EQ(built.ledger.left_out.size(), 1U);
  EXPECT_NE(built.ledger.left_out[0].find("3 draws"), std::string::npos);
  const Primitive& primitive = built.scene[built.scene[draws[0].node].mesh].primitives[0];
  const Floats uvs = values_of(built.scene, primitive, "TEXCOORD_1");
  for (std::size_t i = 0; i < uvs.size(); ++i) {
    EXPECT_EQ(uvs[i], data.lightmap_uvs[i % 8]);
  }
  const auto again = survey(built.scene);
  EXPECT_EQ(again->keys[0].lightmap, "0");
  EXPECT_EQ(again->keys[1].lightmap, "1");
}

/// Some parts name their page on the node, others on the mesh that they show.
TEST(BuildLightmaps, AreNamedThoughPartsNameThemInOtherPlaces) {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("stone");
  for (int i = 0; i < 8; ++i) {
    const MeshId mesh = builder.add_mesh("m", test::make_square(), material);
    const NodeId node = builder.add_node("n", mesh, test::at(i));
    const std::string page = i < 4 ? R"({"lightmap":7})" : R"({"lightmap":"attic \"b\""})";
    if (i % 2 == 0) {
      builder.set_extras(node, page);
    } else {
      builder.scene.meshes[to_index(mesh)].extra.ensure().extras = page;
    }
  }
  const Scene scene = builder.finish();
  const Built built = build_of(scene);
  const auto again = survey(built.scene);
  ASSERT_EQ(again->draws.size(), 2U);
  EXPECT_EQ(again->keys[0].lightmap, "7");
  EXPECT_EQ(again->keys[1].lightmap, "attic \"b\"");
  EXPECT_EQ(built.scene[again->draws[0].node].extra->extras, R"({"lightmap":7})");
  const auto verdict = verify(scene, built.scene, built.ledger);
  EXPECT_TRUE(verdict->passed) << verdict->mismatches[0].what;
}

/// One node names one page, so that what stands on it is lit by one.
TEST(BuildLightmaps, KeepPlacesApartThatWouldBeOneObject) {
  SceneBuilder builder;
  for (int i = 0; i < 12; ++i) {
    const MaterialId material = builder.add_material("m" + std::to_string(i));
    builder.scene.materials.back().roughness = 0.05 * (i % 3);
    const NodeId node =
        builder.add_node("n", builder.add_mesh("m", test::make_square(), material), test::at(i));
    builder.set_extras(node, i < 6 ? R"({"lightmap":1})" : R"({"lightmap":2})");
  }
  const Scene scene = builder.finish();
  const auto found = survey(scene);
  Plan plan = *propose(
      scene, *found, {.repeats = Repeats::merge, .cell_size_m = 100, .mesh_unit = MeshUnit::place});
  const Built built = *build(scene, plan);
  std::set<NodeId> nodes;
  for (const DrawRef& draw : make_draw_list(built.scene)) {
    nodes.insert(draw.node);
  }
  EXPECT_EQ(nodes.size(), 2U);
  EXPECT_TRUE(verify(scene, built.scene, built.ledger)->passed);
  for (Group& group : plan.groups) {
    group.object = "all";
  }
  const auto refused = check_plan(scene, plan);
  ASSERT_FALSE(refused);
  EXPECT_NE(refused.error().message.find("a node names one lightmap page"), std::string::npos)
      << refused.error().message;
}

TEST(BuildBlended, KeepsTheSourcesOrderWhenAskedToMerge) {
  SceneBuilder builder;
  const MaterialId glass = builder.add_material("glass", AlphaMode::blend);
  for (const double x : {5.0, 1.0, 9.0, 3.0}) {
    builder.add_node("n", builder.add_mesh("m", test::make_square(), glass), test::at(x));
  }
  const Built built =
      build_of(builder.finish(), {.repeats = Repeats::merge, .blended = Blended::merge});
  std::uint64_t next = 0;
  for (const LedgerRow& row : built.ledger.rows) {
    EXPECT_EQ(row.first_index, next);
    next += row.index_count;
  }
  EXPECT_EQ(next, 24U);
}

TEST(BuildTriangles, AreThereExactlyOnceByAnIndependentCount) {
  SceneBuilder builder;
  const MaterialId material = builder.add_material("stone");
  MeshData twice = test::make_square();
  twice.indices.insert(twice.indices.end(), {0, 1, 2, 1, 1, 2});  // a repeat and a degenerate one
  MeshData strip = test::make_tetrahedron();
  strip.mode = PrimitiveMode::triangle_strip;
  MeshData fan = test::make_square();
  fan.mode = PrimitiveMode::triangle_fan;
  fan.indices.clear();
  for (const MeshData& data : {twice, strip, fan}) {
    builder.add_node("n", builder.add_mesh("m", data, material), test::at(2, 3, 4));
  }
  const Scene scene = builder.finish();
  const Built built = build_of(scene);
  const auto before = test::make_soup(scene);
  const auto after = test::make_soup(built.scene);
  EXPECT_EQ(before.size(), 4U + 10U + 2U);
  EXPECT_EQ(after.size(), before.size());
  EXPECT_EQ(test::count_unmatched(before, after, 1e-6), 0U);
  EXPECT_EQ(test::count_unmatched(after, before, 1e-6), 0U);
}

TEST(BuildInputs, AreNotChanged) {
  const Scene scene = test::make_random_scene(8, 50);
  const ContentHash before = make_content_hash(scene);
  build_of(scene);
  EXPECT_EQ(make_content_hash(scene), before);
}

TEST(BuildRefuses, PlansThatDoNotFit) {
  const Scene scene = test::make_random_scene(8, 20);
  const auto found = survey(scene);
  auto plan = propose(scene, *found);
  ASSERT_TRUE(plan);
  Plan broken = *plan;
  broken.kept.push_back(broken.kept.empty() ? KeptDraw{} : broken.kept[0]);
  EXPECT_EQ(build(scene, broken).error().code, ErrorCode::plan_invalid);
  EXPECT_EQ(build(test::make_random_scene(9, 20), *plan).error().code, ErrorCode::plan_mismatch);
}

}  // namespace
}  // namespace wakuzume
