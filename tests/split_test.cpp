// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/split.h"

#include <gtest/gtest.h>

#include <set>

#include "support/parts.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/io.h"
#include "wakuzume/restore.h"

namespace wakuzume {
namespace {

using test::MeshData;

/// Several bodies in one mesh, side by side along x.
MeshData join_bodies(const std::vector<MeshData>& bodies) {
  MeshData out;
  for (std::size_t b = 0; b < bodies.size(); ++b) {
    const auto first = static_cast<std::uint32_t>(out.positions.size() / 3);
    const MeshData moved = test::transform_part(bodies[b], test::at(10.0 * static_cast<double>(b)));
    out.positions.insert(out.positions.end(), moved.positions.begin(), moved.positions.end());
    out.normals.insert(out.normals.end(), moved.normals.begin(), moved.normals.end());
    for (const std::uint32_t i : moved.indices) {
      out.indices.push_back(first + i);
    }
  }
  return out;
}

MeshData make_body(std::uint32_t seed) {
  MeshData out = test::make_part(seed);
  out.uvs.clear();
  return out;
}

std::size_t count_pieces(const Split& split) {
  std::size_t out = 0;
  for (const SplitRow& row : split.rows) {
    out += row.pieces.size();
  }
  return out;
}

TEST(Split, FindsThePartsThatHangTogether) {
  test::SceneBuilder builder;
  const MeshData street = join_bodies({make_body(1), make_body(2), make_body(3)});
  const MeshId mesh = builder.add_mesh("street", street, builder.add_material("stone"));
  const NodeId first = builder.add_node("street", mesh, test::at(5));
  builder.set_extras(first, R"({"lightmap":"a"})");
  builder.add_node("street", mesh, test::scaled(-1, 1, 1, {0, 9, 0}));
  builder.add_node("other", builder.add_mesh("other", make_body(1)));
  const Scene scene = builder.finish();
  const auto made = split(scene, {.nodes = {"/street"}});
  ASSERT_TRUE(made) << to_string(made.error());
  ASSERT_EQ(made->rows.size(), 2U);
  EXPECT_EQ(count_pieces(*made), 6U);
  EXPECT_TRUE(is_whole(scene, *made));
  EXPECT_TRUE(check_scene(made->scene));
  const Node& piece = made->scene[made->rows[0].pieces[1]];
  EXPECT_EQ(piece.name, "street.part_002");
  EXPECT_EQ(piece.extra->extras, R"({"lightmap":"a"})") << "its lightmap stays";
  EXPECT_EQ(piece.mesh, made->scene[made->rows[1].pieces[1]].mesh) << "repeats stay repeats";
  EXPECT_EQ(made->scene[first].mesh, no_mesh);
  EXPECT_EQ(test::count_unmatched(test::make_soup(scene), test::make_soup(made->scene), 1e-9), 0U);
  const Survey pieces = *survey(made->scene);
  EXPECT_LT(pieces.draws[0].box.largest_extent(), survey(scene)->draws[0].box.largest_extent() / 2);
}

TEST(Split, DoesNotPartASurfaceAtItsSeams) {
  // Two squares that share an edge in place, but no vertex.
  MeshData seam = test::make_square();
  const MeshData next = test::transform_part(test::make_square(), test::at(1));
  seam.positions.insert(seam.positions.end(), next.positions.begin(), next.positions.end());
  for (std::size_t i = 0; i < 6; ++i) {
    seam.indices.push_back(4 + next.indices[i]);
  }
  seam.normals.clear();
  seam.uvs.clear();
  test::SceneBuilder builder;
  builder.add_node("n", builder.add_mesh("m", seam));
  const Scene scene = builder.finish();
  EXPECT_TRUE(split(scene, {.nodes = {"*"}})->rows.empty());
  const auto cells = split(scene, {.nodes = {"*"}, .by = SplitBy::cells, .cell_size_m = 1});
  ASSERT_TRUE(cells);
  EXPECT_EQ(count_pieces(*cells), 2U);
  EXPECT_TRUE(is_whole(scene, *cells));
}

TEST(Split, NoticesATriangleThatIsLostOrTurned) {
  test::SceneBuilder builder;
  builder.add_node("n", builder.add_mesh("m", join_bodies({make_body(1), make_body(2)})));
  const Scene scene = builder.finish();
  auto made = *split(scene, {.nodes = {"*"}});
  ASSERT_TRUE(is_whole(scene, made));
  Split lost = made;
  lost.rows[0].pieces.pop_back();
  EXPECT_FALSE(is_whole(scene, lost));
  Split moved = made;
  moved.scene.nodes[to_index(moved.rows[0].pieces[0])].trs.translation = {0, 0, 1e-3};
  EXPECT_FALSE(is_whole(scene, moved));
}

class SplitScenes : public testing::TestWithParam<int> {};

/// Everything that can be split is, in scenes with all there is; then planned, built and put back.
TEST_P(SplitScenes, HoldEverythingExactlyOnce) {
  std::size_t pieces = 0;
  for (int i = 0; i < 30; ++i) {
    const auto seed = static_cast<std::uint32_t>(GetParam() * 30 + i);
    const Scene scene = test::make_random_scene(seed, 20);
    SplitSettings settings{
        .nodes = {"*"}, .by = static_cast<SplitBy>(seed % 2), .cell_size_m = 0.4};
    const auto made = split(scene, settings);
    ASSERT_TRUE(made) << to_string(made.error());
    ASSERT_TRUE(is_whole(scene, *made)) << "seed " << seed;
    const auto valid = check_scene(made->scene);
    ASSERT_TRUE(valid) << "seed " << seed << ": " << to_string(valid.error());
    pieces += count_pieces(*made);
    const auto soup = test::make_soup(scene);
    EXPECT_EQ(test::count_unmatched(soup, test::make_soup(made->scene), 1e-6), 0U) << seed;
    const auto plan = propose(made->scene, *survey(made->scene));
    const auto built = build(made->scene, *plan);
    ASSERT_TRUE(built) << "seed " << seed << ": " << to_string(built.error());
    const auto verdict = verify(made->scene, built->scene, built->ledger);
    EXPECT_TRUE(verdict->passed) << "seed " << seed << ": " << verdict->mismatches[0].what;
    EXPECT_EQ(test::count_unmatched(soup, test::make_soup(built->scene), 2e-4), 0U) << seed;
  }
  EXPECT_GT(pieces, 100U);
}

INSTANTIATE_TEST_SUITE_P(Lots, SplitScenes, testing::Range(0, 4));

TEST(Split, LeavesWhatMovesByItsVerticesWhole) {
  test::SceneBuilder builder;
  Primitive primitive =
      builder.make_primitive(join_bodies({make_body(1), make_body(2)}), no_material);
  primitive.morph_targets.push_back({{"POSITION", primitive.find("POSITION")}});
  builder.add_node("face", builder.add_mesh("face", {primitive}));
  const Scene scene = builder.finish();
  const auto made = split(scene, {.nodes = {"*"}});
  ASSERT_TRUE(made);
  EXPECT_TRUE(made->rows.empty());
  ASSERT_EQ(made->left_as.size(), 1U);
  EXPECT_EQ(made->left_as[0], "/face is not split: has morph targets");
}

TEST(Split, TellsWhatNamesNothing) {
  const Scene scene = test::make_random_scene(1, 5);
  const auto nothing = split(scene, {.nodes = {"/nowhere"}});
  ASSERT_TRUE(nothing);
  EXPECT_EQ(nothing->wishes, (std::vector<WishUse>{{"split.nodes", "/nowhere", "", 0}}));
  EXPECT_EQ(make_content_hash(nothing->scene), make_content_hash(scene));
  EXPECT_EQ(split(scene, {.nodes = {"size=3"}}).error().code, ErrorCode::bad_setting);
  EXPECT_EQ(split(scene, {.nodes = {"*"}, .cell_size_m = 0}).error().code, ErrorCode::bad_setting);
  EXPECT_EQ(make_content_hash(split(scene, {})->scene), make_content_hash(scene));
}

/// The tool: one mesh over a whole street is split, planned, built, proved and put back.
TEST(ToolSplit, SplitsBuildsVerifiesAndRestores) {
  const auto folder = test::make_scratch();
  test::SceneBuilder builder;
  std::vector<MeshData> bodies;
  for (std::uint32_t i = 0; i < 12; ++i) {
    bodies.push_back(make_body(1 + i % 3));
  }
  const MaterialId stone = builder.add_material("stone");
  builder.add_node("street", builder.add_mesh("street", join_bodies(bodies), stone));
  builder.add_node("kiosk", builder.add_mesh("kiosk", make_body(7), stone), test::at(0, 0, 4));
  const Scene scene = builder.finish();
  const auto path = [&](const char* name) { return (folder / name).string(); };
  ASSERT_TRUE(write_scene(scene, path("s.glb")));
  const auto run = [&](const std::vector<std::string>& line) {
    const test::Outcome outcome = test::run_tool_small(line);
    EXPECT_EQ(outcome.exit_code, 0) << outcome.err;
    return outcome;
  };
  run({"propose", path("s.glb"), "--split", "/street", "--cells", "30", "-o", path("p.json")});
  run({"build", path("p.json"), "-o", path("r.glb")});
  run({"verify", path("s.glb"), path("r.glb")});
  const auto result = read_scene(path("r.glb"));
  ASSERT_TRUE(result);
  const std::size_t draws = make_draw_list(*result).size();
  EXPECT_GE(draws, 4U) << "along the street";
  EXPECT_LE(draws, 8U);
  EXPECT_EQ(test::count_unmatched(test::make_soup(scene), test::make_soup(*result), 1e-4), 0U);
  run({"restore", path("r.glb"), "-o", path("back.glb")});
  EXPECT_TRUE(test::read_all(path("back.glb")) == test::read_all(path("s.glb")));
  run({"restore", path("r.glb"), "--node", "/kiosk", "-o", path("some.glb")});
  run({"verify", path("s.glb"), path("some.glb")});
  const auto idle =
      test::run_tool({"propose", path("s.glb"), "--split", "/x", "-o", path("q.json")});
  EXPECT_EQ(idle.exit_code, 0);
  EXPECT_NE(idle.err.find("split.nodes: nothing that is drawn matches \"/x\""), std::string::npos);
}

}  // namespace
}  // namespace wakuzume
