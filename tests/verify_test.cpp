// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/verify.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cstring>
#include <functional>

#include "support/pictures.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

/// A scene with merged, instanced and kept draws, and its build.
class Verify : public testing::Test {
 protected:
  Verify() {
    test::SceneBuilder builder;
    const MaterialId stone = builder.add_material("stone");
    const MaterialId iron = builder.add_material("iron");
    builder.scene.materials[to_index(iron)].roughness = 0.4;
    for (int i = 0; i < 4; ++i) {
      builder.add_node("wall", builder.add_mesh("wall", test::make_square(), stone),
                       test::at(2 * i));
    }
    const MeshId post = builder.add_mesh("post", test::make_tetrahedron(), iron);
    for (int i = 0; i < 8; ++i) {
      builder.add_node("post", post, test::at(2 * i, 3));
    }
    const NodeId door = builder.add_node(
        "door", builder.add_mesh("door", test::make_square(), stone), test::at(0, 6));
    builder.animate(door);
    source_ = builder.finish();
    const auto found = survey(source_);
    const auto plan = propose(source_, *found, {.min_instances = 8, .repeats = Repeats::instance});
    built_ = *build(source_, *plan);
  }

  Verdict verdict() {
    auto made = verify(source_, built_.scene, built_.ledger, settings_);
    EXPECT_TRUE(made) << to_string(made.error());
    return std::move(*made);
  }

  /// Writable bytes of a stream of the result.
  template <class T>
  void change(StreamId id, std::size_t element, const std::function<void(T*)>& edit) {
    const Stream& stream = built_.scene[id];
    const BlockView& view = built_.scene[stream.view];
    Block& block = built_.scene.blocks[to_index(view.block)];
    std::vector<std::byte> bytes(block.bytes.data().begin(), block.bytes.data().end());
    const std::size_t step =
        view.stride != 0 ? view.stride : element_bytes(stream.component, stream.element);
    edit(reinterpret_cast<T*>(bytes.data() + view.offset + stream.offset + element * step));
    block.bytes = make_bytes(std::move(bytes));
  }

  /// The result of the first draw with a fate.
  const LedgerRow& row(Fate fate) const {
    for (const LedgerRow& r : built_.ledger.rows) {
      if (r.fate == fate) {
        return r;
      }
    }
    return built_.ledger.rows.front();
  }
  Primitive& result(const LedgerRow& r) {
    return built_.scene.meshes[to_index(built_.scene[r.node].mesh)].primitives[r.primitive];
  }

  void expect_found(std::uint32_t node, const char* text) {
    const Verdict v = verdict();
    EXPECT_FALSE(v.passed);
    bool found = false;
    std::string all;
    for (const Mismatch& m : v.mismatches) {
      const bool here = node == no_index ? m.draw.node == no_node : to_index(m.draw.node) == node;
      found = found || (here && m.what.find(text) != std::string::npos);
      all += std::to_string(to_index(m.draw.node)) + ": " + m.what + "\n";
    }
    EXPECT_TRUE(found) << "expected '" << text << "' at node " << node << " among\n" << all;
  }

  VerifySettings settings_;
  Scene source_;
  Built built_;
};

TEST_F(Verify, PassesACorrectBuildAndCountsAllOfIt) {
  const Verdict v = verdict();
  EXPECT_TRUE(v.passed);
  EXPECT_EQ(v.mismatch_count, 0U);
  EXPECT_EQ(v.triangles_checked, 4U * 2 + 8 * 4 + 2);
  EXPECT_EQ(v.triangles_checked, v.before.triangles);
  EXPECT_EQ(v.after.triangles, v.before.triangles);
  EXPECT_EQ(v.before.draws, 13U);
  EXPECT_EQ(v.after.draws, 3U);
  EXPECT_EQ(v.fates, (std::array<std::uint64_t, 4>{4, 8, 1, 0}));
  EXPECT_LT(v.largest_position_error_m, 1e-6);
}

TEST_F(Verify, FindsAPartMovedByAMillimetre) {
  const LedgerRow r = built_.ledger.rows[2];
  change<float>(result(r).find("POSITION"), r.first_vertex, [](float* p) { p[1] += 0.001F; });
  expect_found(2, "stands 0.001 m from its place");
}

TEST_F(Verify, FindsAFlippedTriangle) {
  const LedgerRow r = built_.ledger.rows[1];
  change<std::uint16_t>(result(r).indices, r.first_index,
                        [](std::uint16_t* i) { std::swap(i[1], i[2]); });
  expect_found(1, "from its place");
}

TEST_F(Verify, FindsATriangleDrawnTwiceInPlaceOfAnother) {
  const LedgerRow r = built_.ledger.rows[3];
  change<std::uint16_t>(result(r).indices, r.first_index,
                        [](std::uint16_t* i) { std::copy(i, i + 3, i + 3); });
  expect_found(3, "from its place");
}

TEST_F(Verify, FindsSwappedMaterials) {
  result(row(Fate::merged)).material = MaterialId{1};
  expect_found(0, "material 0 became material 1");
}

TEST_F(Verify, FindsAMaterialWhoseValuesChanged) {
  built_.scene.materials[1].roughness = 0.25;
  expect_found(4, "material 1 became material 1");
}

TEST_F(Verify, FindsATurnedNormalAndAShiftedUv) {
  const LedgerRow r = built_.ledger.rows[1];
  change<float>(result(r).find("NORMAL"), r.first_vertex, [](float* n) { n[0] = 0.5F; });
  expect_found(1, "NORMAL of corner 0 is off");
  change<float>(result(r).find("NORMAL"), r.first_vertex, [](float* n) { n[0] = 0; });
  change<float>(result(r).find("TEXCOORD_0"), r.first_vertex + 1,
                [](float* uv) { uv[0] += 0.01F; });
  expect_found(1, "TEXCOORD_0 of corner 1 is 1.01, was 1");
}

TEST_F(Verify, FindsALostAttribute) {
  Primitive& primitive = result(row(Fate::merged));
  std::erase_if(primitive.attributes,
                [](const Attribute& a) { return a.semantic == "TEXCOORD_0"; });
  expect_found(0, "TEXCOORD_0 was lost");
}

TEST_F(Verify, FindsAMovedInstance) {
  const LedgerRow r = built_.ledger.rows[7];
  ASSERT_EQ(r.fate, Fate::instanced);
  const StreamId id = built_.scene[r.node].instancing->attributes[0].stream;
  change<float>(id, r.instance, [](float* t) { t[2] += 0.01F; });
  expect_found(7, "stands 0.01 m from its place");
}

TEST_F(Verify, FindsAMissingAndAnExtraInstance) {
  Instancing& set = built_.scene.nodes[to_index(row(Fate::instanced).node)].instancing.ensure();
  Stream& stream = built_.scene.streams[to_index(set.attributes[0].stream)];
  stream.count = 7;
  expect_found(11, "has no instance 7");
  stream.count = 8;
  built_.ledger.rows[11].instance = 6;
  expect_found(no_index, "has a gap or an overlap");
}

TEST_F(Verify, FindsAKeptNodeThatWasRenamedMovedOrLostItsMesh) {
  const NodeId door = row(Fate::kept).node;
  Node& node = built_.scene.nodes[to_index(door)];
  node.name = "gate";
  expect_found(12, "name, extras or extensions changed");
  node.name = "door";
  node.trs.translation[0] = 0.5;
  expect_found(12, "from its place");
  node.trs.translation[0] = 0;
  node.mesh = no_mesh;
  expect_found(12, "the result has no node");
}

/// What no picture of the scene at rest shows.
TEST_F(Verify, FindsWhatIsLitMovedOrShownOtherwise) {
  const Built whole = built_;
  const LedgerRow merged = row(Fate::merged);
  const auto source = static_cast<std::uint32_t>(to_index(merged.source.node));
  Node& node = built_.scene.nodes[to_index(merged.node)];
  node.extra.ensure().extras = R"({"lightmap":2})";
  expect_found(source, "is lit by lightmap page 2, not by none");

  built_ = whole;
  Scene& scene = built_.scene;
  std::erase(scene.levels[0].roots, merged.node);
  const auto door = std::find_if(scene.nodes.begin(), scene.nodes.end(),
                                 [](const Node& n) { return n.name == "door"; });
  ASSERT_NE(door, scene.nodes.end());
  door->children.push_back(merged.node);
  ASSERT_TRUE(link_parents(scene));
  scene.nodes[to_index(merged.node)].trs.translation[1] -= 6;  // it stands where it stood
  expect_found(source, "is moved by /door 0.0, not by none");

  built_ = whole;
  std::erase(built_.scene.levels[0].roots, merged.node);
  built_.scene.levels.emplace_back().roots = {merged.node};
  expect_found(source, "is shown by the glTF scenes 1, not by 0");
}

/// The standard wants 1 or -1; files hold other things.
TEST(VerifyTangents, PassWhereTheyHaveNoHand) {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  for (int i = 0; i < 4; ++i) {
    test::MeshData square = test::make_square();
    square.tangents = {1, 0, 0, 0, 1, 0, 0, 1, 1, 0, 0, -1, 1, 0, 0, 0};
    square.positions[3] += 0.1F * static_cast<float>(i);  // no repeats
    builder.add_node("wall", builder.add_mesh("wall", square, stone), test::at(2 * i));
  }
  const Scene scene = builder.finish();
  const Built built = *build(scene, *propose(scene, *survey(scene)));
  ASSERT_EQ(make_draw_list(built.scene).size(), 1U);
  const auto verdict = verify(scene, built.scene, built.ledger);
  EXPECT_TRUE(verdict->passed) << verdict->mismatches[0].what;
}

/// A texture may have no picture at all, and get another number when others become shared ones.
TEST(VerifyMaterials, AreTheSameWhereATextureHasNoPicture) {
  test::SceneBuilder builder;
  for (std::uint32_t m = 0; m < 2; ++m) {
    const MaterialId id = builder.add_material("tile_" + std::to_string(m));
    builder.scene.materials[to_index(id)].base_color_texture.texture =
        test::add_picture(builder, test::make_picture(16, 16, m));
    builder.add_node("wall", builder.add_mesh("wall", test::make_square(), id), test::at(m));
  }
  const MaterialId empty = builder.add_material("empty");
  builder.scene.materials[to_index(empty)].base_color_texture.texture =
      make_id<TextureId>(builder.scene.textures.size());
  builder.scene.textures.emplace_back();
  builder.add_node("door", builder.add_mesh("door", test::make_square(), empty), test::at(4));
  const Scene scene = builder.finish();
  const test::Painted painted = test::paint(scene, {.goal = MaterialGoal::fewest_draws});
  Scene repainted = painted.repainted.scene;
  take_pages(painted.repainted.images, repainted);
  BuildSettings settings;
  settings.origin = &scene;
  settings.page_images = painted.repainted.images;
  const Built built = *build(repainted, *propose(repainted, *survey(repainted)), settings);
  const LedgerRow& row = built.ledger.rows.back();
  const MaterialId is = built.scene[built.scene[row.node].mesh].primitives[row.primitive].material;
  EXPECT_NE(built.scene[is].base_color_texture.texture, scene[empty].base_color_texture.texture);
  const auto verdict = verify(repainted, built.scene, built.ledger);
  EXPECT_TRUE(verdict->passed) << verdict->mismatches[0].what;
}

TEST_F(Verify, FindsThingsThatComeFromNowhere) {
  built_.scene.nodes.push_back(built_.scene.nodes[to_index(row(Fate::kept).node)]);
  built_.scene.nodes.back().children.clear();
  built_.scene.levels[0].roots.push_back(make_id<NodeId>(built_.scene.nodes.size() - 1));
  expect_found(no_index, "belongs to no source draw");
}

TEST_F(Verify, FindsRowsThatAreMissingRepeatedOrOverlapping) {
  LedgerRow last = built_.ledger.rows.back();
  built_.ledger.rows.pop_back();
  expect_found(12, "has no row in the ledger");
  built_.ledger.rows.push_back(last);
  built_.ledger.rows.push_back(last);
  expect_found(12, "has 2 rows in the ledger");
  built_.ledger.rows.pop_back();
  built_.ledger.rows[1].first_index = 0;
  expect_found(no_index, "has a gap or an overlap");
}

TEST_F(Verify, SurvivesALedgerThatPointsAnywhere) {
  for (const std::uint32_t node : {3U, 50U, no_index}) {
    for (const std::uint64_t index : {std::uint64_t{0}, std::uint64_t{23}, ~std::uint64_t{0}}) {
      Ledger ledger = built_.ledger;
      ledger.rows[0].node = NodeId{node};
      ledger.rows[1].first_index = index;
      ledger.rows[2].primitive = 9;
      ledger.rows[5].instance = 4'000'000'000U;
      ledger.rows[6].source = {NodeId{node}, 7};
      const auto v = verify(source_, built_.scene, ledger);
      ASSERT_TRUE(v);
      EXPECT_FALSE(v->passed);
    }
  }
}

TEST_F(Verify, RefusesTheLedgerOfAnotherSource) {
  source_.nodes[0].trs.translation[0] = 0.25;
  const auto v = verify(source_, built_.scene, built_.ledger);
  ASSERT_FALSE(v);
  EXPECT_EQ(v.error().code, ErrorCode::plan_mismatch);
}

TEST_F(Verify, SaysWhenTheResultIsNotTheOneThatWasBuilt) {
  built_.scene.materials.emplace_back();
  expect_found(no_index, "content hash differs");
}

TEST_F(Verify, ListsAHundredMismatchesAndCountsTheRest) {
  test::SceneBuilder builder;
  for (int i = 0; i < 150; ++i) {
    builder.add_node("n", builder.add_mesh("m", test::make_square()), test::at(i));
  }
  source_ = builder.finish();
  const auto found = survey(source_);
  built_ = *build(source_, *propose(source_, *found));
  built_.ledger.rows.clear();
  const Verdict v = verdict();
  EXPECT_EQ(v.mismatches.size(), 100U);
  EXPECT_GT(v.mismatch_count, 150U);
}

TEST_F(Verify, IsTheSameForAnyNumberOfThreads) {
  const Scene scene = test::make_random_scene(55, 150);
  const auto found = survey(scene);
  const auto built =
      build(scene, *propose(scene, *found, {.min_instances = 3, .repeats = Repeats::instance}));
  ASSERT_TRUE(built);
  const auto one = verify(scene, built->scene, built->ledger, {}, {.threads = 1});
  const auto eight = verify(scene, built->scene, built->ledger, {}, {.threads = 8});
  ASSERT_TRUE(one && eight);
  EXPECT_EQ(to_json(*one), to_json(*eight));
}

TEST_F(Verify, ChecksItsSettings) {
  settings_.position_tolerance = -1;
  EXPECT_EQ(verify(source_, built_.scene, built_.ledger, settings_).error().code,
            ErrorCode::bad_setting);
}

}  // namespace
}  // namespace wakuzume
