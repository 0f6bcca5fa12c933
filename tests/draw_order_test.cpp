// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <random>
#include <set>

#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/restore.h"
#include "wakuzume/shading_order.h"
#include "wakuzume/verify.h"

/// The order in which what is built stands, and that nothing is lost by it.
namespace wakuzume {
namespace {

struct Made {
  Plan plan;
  Built built;
};

Made make(const Scene& scene, const ProposeSettings& settings, const BuildSettings& how = {}) {
  auto plan = propose(scene, *survey(scene), settings);
  EXPECT_TRUE(plan) << to_string(plan.error());
  auto built = build(scene, *plan, how);
  EXPECT_TRUE(built) << to_string(built.error());
  return {std::move(*plan), std::move(*built)};
}

void expect_proved(const Scene& source, const Built& built) {
  const auto valid = check_scene(built.scene);
  ASSERT_TRUE(valid) << to_string(valid.error());
  const auto verdict = verify(source, built.scene, built.ledger);
  ASSERT_TRUE(verdict);
  EXPECT_TRUE(verdict->passed) << verdict->mismatches[0].what;
  EXPECT_EQ(test::count_unmatched(test::make_soup(source), test::make_soup(built.scene), 2e-4), 0U);
}

/// A ball whose triangles come as they like.
test::MeshData make_shuffled_ball(std::uint32_t seed) {
  test::MeshData ball = test::make_ball(20, 0.05);
  std::vector<std::array<std::uint32_t, 3>> triangles;
  for (std::size_t i = 0; i < ball.indices.size(); i += 3) {
    triangles.push_back({ball.indices[i], ball.indices[i + 1], ball.indices[i + 2]});
  }
  std::shuffle(triangles.begin(), triangles.end(), std::mt19937(seed));
  ball.indices.clear();
  for (const auto& triangle : triangles) {
    ball.indices.insert(ball.indices.end(), triangle.begin(), triangle.end());
  }
  return ball;
}

/// So many of one mesh, and others that merge.
Scene make_scene(const test::MeshData& repeated, bool blended = false) {
  test::SceneBuilder builder;
  const MaterialId tin = builder.add_material("tin");
  if (blended) {
    builder.scene.materials[to_index(tin)].alpha_mode = AlphaMode::blend;
  }
  const MeshId mesh = builder.add_mesh("ball", repeated, tin);
  for (int n = 0; n < 6; ++n) {
    builder.add_node("ball" + std::to_string(n), mesh, test::at(3 * n, 0, 0));
  }
  return builder.finish();
}

double find_shaded(const Scene& scene, const Primitive& primitive) {
  const std::vector<std::uint32_t> list = make_list_indices(scene, primitive);
  return static_cast<double>(
             count_shaded(list, static_cast<std::uint32_t>(count_vertices(scene, primitive)))) /
         (static_cast<double>(list.size()) / 3);
}

const Primitive& shown_by(const Built& built, const LedgerResult& result) {
  return built.scene[built.scene[result.node].mesh].primitives[result.primitive];
}

/// A vertex and all that it carries, bit for bit.
std::multiset<std::vector<float>> list_vertices(const Scene& scene, const Primitive& primitive) {
  std::vector<std::vector<float>> vertices(count_vertices(scene, primitive));
  for (const char* semantic : {"POSITION", "NORMAL", "TEXCOORD_0"}) {
    const std::vector<float> values = make_floats(scene, primitive.find(semantic));
    const std::size_t width = values.size() / vertices.size();
    for (std::size_t v = 0; v < vertices.size(); ++v) {
      vertices[v].insert(vertices[v].end(), &values[width * v], &values[width * v] + width);
    }
  }
  return {vertices.begin(), vertices.end()};
}

const ProposeSettings instanced{.repeats = Repeats::only};

TEST(DrawOrder, OfSetsIsTheirOwnWhereThatIsQuicker) {
  const Scene scene = make_scene(make_shuffled_ball(4));
  const Made made = make(scene, instanced);
  expect_proved(scene, made.built);
  ASSERT_EQ(made.built.ledger.results.size(), 1U);
  const LedgerResult& result = made.built.ledger.results.front();
  EXPECT_TRUE(result.in_shading_order);
  EXPECT_EQ(result.shown.node, no_node);
  const Primitive& before = scene.meshes[0].primitives[0];
  const Primitive& after = shown_by(made.built, result);
  EXPECT_GT(find_shaded(scene, before), 2);
  EXPECT_LT(find_shaded(made.built.scene, after), 1);
  // The same vertices, stored once, in the order in which triangles come to them.
  EXPECT_EQ(list_vertices(made.built.scene, after), list_vertices(scene, before));
  EXPECT_EQ(made.built.scene.meshes.size(), 1U);
  EXPECT_LE(count_totals(made.built.scene).bytes, count_totals(scene).bytes + 512);
  const std::vector<std::uint32_t> list = make_list_indices(made.built.scene, after);
  const std::vector<std::uint32_t> numbers =
      number_by_use(list, static_cast<std::uint32_t>(count_vertices(made.built.scene, after)));
  for (std::uint32_t v = 0; v < numbers.size(); ++v) {
    ASSERT_EQ(numbers[v], v);
  }
}

TEST(DrawOrder, OfSetsStaysWhereSourcesAreInOrderOrSharedOrBlended) {
  const auto shows_source = [](const Made& made) {
    const LedgerResult& result = made.built.ledger.results.at(0);
    return result.shown.node != no_node && !result.in_shading_order;
  };
  // In the order that it would get.
  test::MeshData ordered = test::make_ball(20, 0.05);
  const auto vertices = static_cast<std::uint32_t>(ordered.positions.size() / 3);
  ordered.indices = reorder_triangles(
      ordered.indices, order_for_shading(ordered.indices, vertices, ordered.positions));
  EXPECT_TRUE(shows_source(make(make_scene(ordered), instanced)));
  const Scene shuffled = make_scene(make_shuffled_ball(4));
  ProposeSettings as_it_was = instanced;
  as_it_was.triangle_order = TriangleOrder::source;
  EXPECT_TRUE(shows_source(make(shuffled, as_it_was)));
  EXPECT_TRUE(shows_source(make(shuffled, instanced, {.carry_source = CarrySource::hidden})));
  EXPECT_TRUE(shows_source(make(make_scene(make_shuffled_ball(4), true),
                                {.repeats = Repeats::only, .blended = Blended::merge})));
  // One that moves shows the same mesh, which stays for it.
  Scene moving = shuffled;
  test::SceneBuilder builder;
  builder.scene = std::move(moving);
  builder.animate(NodeId{5});
  const Scene kept = builder.finish();
  const Made made = make(kept, instanced);
  expect_proved(kept, made.built);
  EXPECT_TRUE(shows_source(made));
}

TEST(DrawOrder, OfSetsComesBackInPartAndAsAWhole) {
  const Scene scene = make_scene(make_shuffled_ball(9));
  const Made made = make(scene, instanced);
  const auto part = restore(made.built.scene, made.built.ledger, scene, {.nodes = {"/ball2"}});
  ASSERT_TRUE(part) << to_string(part.error());
  expect_proved(scene, *part);
  const auto rest = restore(part->scene, part->ledger, scene, {.nodes = {"/ball0", "/ball5"}});
  ASSERT_TRUE(rest);
  expect_proved(scene, *rest);
  const auto all = restore(rest->scene, rest->ledger, scene, {.everything = true});
  ASSERT_TRUE(all);
  EXPECT_EQ(make_content_hash(all->scene), make_content_hash(scene));
}

/// Each member's vertices stand in the order in which its triangles come to them.
TEST(DrawOrder, OfMergedVerticesIsThatOfTheirUse) {
  std::size_t rows = 0;
  for (std::uint32_t seed = 0; seed < 12; ++seed) {
    const Scene scene = test::make_random_scene(700 + seed, 50);
    const Made made = make(scene, {.repeats = Repeats::merge});
    expect_proved(scene, made.built);
    std::map<std::pair<NodeId, std::uint32_t>, bool> ordered;
    for (const LedgerResult& result : made.built.ledger.results) {
      ordered[{result.node, result.primitive}] = result.in_shading_order;
    }
    for (const LedgerRow& row : made.built.ledger.rows) {
      if (row.fate != Fate::merged || !ordered.at({row.node, row.primitive})) {
        continue;
      }
      const Primitive& primitive =
          made.built.scene[made.built.scene[row.node].mesh].primitives[row.primitive];
      const std::vector<std::uint32_t> list = make_list_indices(made.built.scene, primitive);
      std::uint64_t next = row.first_vertex;
      for (std::uint64_t i = row.first_index; i < row.first_index + row.index_count; ++i) {
        ASSERT_LE(list[i], next) << "seed " << seed;
        next += list[i] == next ? 1U : 0U;
      }
      ASSERT_EQ(next, row.first_vertex + row.vertex_count);
      ++rows;
    }
  }
  EXPECT_GT(rows, 100U);
}

TEST(DrawOrder, IsOfTheSameBytesForAnyNumberOfThreads) {
  const Scene scene = make_scene(make_shuffled_ball(2));
  const auto plan = propose(scene, *survey(scene), instanced);
  ASSERT_TRUE(plan);
  const auto one = build(scene, *plan, {}, {.threads = 1});
  const auto two = build(scene, *plan, {}, {.threads = 2});
  ASSERT_TRUE(one && two);
  EXPECT_EQ(one->ledger.result_hash, two->ledger.result_hash);
}

/// A ledger that tells another order than there is.
TEST(DrawOrder, IsHeldAgainstWhatTheLedgerSays) {
  const Scene scene = make_scene(make_shuffled_ball(5));
  Made made = make(scene, instanced);
  made.built.ledger.results.front().in_shading_order = false;
  const auto verdict = verify(scene, made.built.scene, made.built.ledger);
  ASSERT_TRUE(verdict);
  // Another's geometry may stand for it in any order, so that alone is no loss.
  EXPECT_TRUE(verdict->passed);
  // Two corners that changed places are.
  Scene wrong = made.built.scene;
  const Primitive primitive = shown_by(made.built, made.built.ledger.results.front());
  const Stream& positions = wrong[primitive.find("POSITION")];
  const BlockView& view = wrong[positions.view];
  const auto old = wrong[view.block].bytes.data();
  std::vector<std::byte> bytes(old.begin(), old.end());
  std::byte* const first = &bytes[view.offset + positions.offset];
  std::swap_ranges(first, first + 12, first + 12 * 40);
  wrong.blocks[to_index(view.block)].bytes = make_bytes(std::move(bytes));
  Ledger ledger = make(scene, instanced).built.ledger;
  ledger.result_hash = make_content_hash(wrong);
  const auto failed = verify(scene, wrong, ledger);
  ASSERT_TRUE(failed);
  EXPECT_FALSE(failed->passed);
}

}  // namespace
}  // namespace wakuzume
