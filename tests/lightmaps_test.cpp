// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/lightmaps.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>
#include <random>

#include "support/lit_scene.h"
#include "support/scene_builder.h"
#include "wakuzume/build.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/survey.h"
#include "wakuzume/verify.h"

namespace wakuzume {
namespace {

using test::LitScene;

LightmapPlan make_plan(const LitScene& lit, const LightmapSettings& settings = {}) {
  const auto found = survey(lit.scene, lit.rules);
  EXPECT_TRUE(found);
  auto plan = propose_lightmaps(lit.scene, *found, lit.pictures, settings);
  EXPECT_TRUE(plan) << to_string(plan.error());
  return std::move(*plan);
}

/// The joined pages, texel by texel.
std::vector<TexelGrid> move_all(const LitScene& lit, const LightmapPlan& plan) {
  std::vector<TexelGrid> out;
  for (const JoinedPage& page : plan.joined) {
    out.push_back({page.size, "test", 4, {}});
    out.back().texels.resize(std::size_t{4} * page.size.width_px * page.size.height_px);
  }
  for (const LightmapMove& move : plan.moves) {
    const auto page = static_cast<std::size_t>(std::stoul(plan.pages[move.from].name));
    move_texels(lit.grids[page], move, out[move.to]);
  }
  for (std::uint32_t p = 0; p < out.size(); ++p) {
    fill_gaps(plan.moves, p, out[p]);
  }
  return out;
}

/// A texel of a mip level: the sum of all that it is made of, which is like no other's. Lookups
/// beyond the grid are clamped.
std::uint64_t fetch(const TexelGrid& grid, std::uint32_t level, std::int64_t x, std::int64_t y) {
  const std::int64_t width = std::max(1U, grid.size.width_px >> level);
  const std::int64_t height = std::max(1U, grid.size.height_px >> level);
  x = std::clamp<std::int64_t>(x, 0, width - 1) << level;
  y = std::clamp<std::int64_t>(y, 0, height - 1) << level;
  std::uint64_t sum = 0;
  for (std::int64_t j = y; j < y + (1 << level); ++j) {
    for (std::int64_t i = x; i < x + (1 << level); ++i) {
      std::uint32_t texel = 0;
      std::memcpy(&texel, &grid.texels[4 * static_cast<std::size_t>(j * grid.size.width_px + i)],
                  4);
      sum += texel;
    }
  }
  return sum;
}

/// The four texels around a place, from the one before it on.
std::array<std::uint64_t, 4> look_up(const TexelGrid& grid, std::uint32_t level, const Vec2d& uv) {
  const double scale = std::ldexp(1.0, -static_cast<int>(level));
  // A hair off a texel's middle, so that rounding does not decide.
  const auto x = static_cast<std::int64_t>(std::floor(uv[0] * grid.size.width_px * scale - 0.5));
  const auto y = static_cast<std::int64_t>(std::floor(uv[1] * grid.size.height_px * scale - 0.5));
  return {fetch(grid, level, x, y), fetch(grid, level, x + 1, y), fetch(grid, level, x, y + 1),
          fetch(grid, level, x + 1, y + 1)};
}

bool overlap(const LightmapMove& a, const LightmapMove& b) {
  return a.to == b.to && a.x < b.x + b.rect.width && b.x < a.x + a.rect.width &&
         a.y < b.y + b.rect.height && b.y < a.y + a.rect.height;
}

/// Where rounding would decide which texels a lookup reads.
bool is_near_edge(const RectSize& size, std::uint32_t level, const Vec2d& uv) {
  const double scale = std::ldexp(1.0, -static_cast<int>(level));
  const auto near = [](double at) { return std::abs(at - std::round(at)) < 1e-6; };
  return near(uv[0] * size.width_px * scale - 0.5) || near(uv[1] * size.height_px * scale - 0.5);
}

class LightmapLayouts : public testing::TestWithParam<test::LitSceneSettings> {};

TEST_P(LightmapLayouts, KeepEveryTexelThatIsLookedUp) {
  std::size_t looked = 0;
  std::size_t moved = 0;
  for (std::uint32_t seed = 0; seed < 500; ++seed) {
    test::LitSceneSettings settings = GetParam();
    settings.seed = seed;
    settings.pages = 2 + seed % 7;
    settings.draws = settings.pages + seed % 23;
    const LitScene lit = test::make_lit_scene(settings);
    LightmapSettings wanted;
    wanted.clean_mips = seed % 4;
    wanted.gutter_px = seed % 5 == 0 ? 3 : 0;
    wanted.max_page_px = seed % 3 == 0 ? 64 : 4096;
    wanted.page_sides = seed % 2 == 0 ? PageSides::powers_of_two : PageSides::multiples_of_four;
    const LightmapPlan plan = make_plan(lit, wanted);
    for (std::size_t a = 0; a < plan.moves.size(); ++a) {
      const LightmapMove& move = plan.moves[a];
      ASSERT_LE(move.x + move.rect.width, plan.joined[move.to].size.width_px);
      ASSERT_LE(move.y + move.rect.height, plan.joined[move.to].size.height_px);
      for (std::size_t b = 0; b < a; ++b) {
        ASSERT_FALSE(overlap(move, plan.moves[b])) << "seed " << seed;
      }
    }
    if (!plan.joins()) {
      continue;
    }
    const std::vector<TexelGrid> joined = move_all(lit, plan);
    for (const TexelGrid& page : joined) {
      for (std::size_t at = 0; at < page.texels.size(); at += 4) {
        ASSERT_NE(page.texels[at + 2], std::byte{0}) << "black where nothing lies, seed " << seed;
      }
    }
    const auto scene = join_lightmaps(lit.scene, plan);
    ASSERT_TRUE(scene);
    SurveySettings rules = lit.rules;
    const Survey before = *survey(lit.scene, rules);
    rules.lightmap_transform_key = plan.joined_transform_key();
    const Survey after = *survey(scene->scene, rules);
    std::map<std::string, std::size_t> page_of;
    for (std::size_t p = 0; p < plan.joined.size(); ++p) {
      page_of[plan.joined[p].name] = p;
    }
    std::mt19937 random(seed);
    for (std::size_t d = 0; d < before.draws.size(); ++d) {
      const std::string& old_page = before[before.draws[d].key].lightmap;
      const std::string& new_page = after[after.draws[d].key].lightmap;
      if (new_page == old_page) {
        continue;
      }
      ++moved;
      const LightmapPage& page =
          *std::find_if(plan.pages.begin(), plan.pages.end(),
                        [&](const LightmapPage& one) { return one.name == old_page; });
      const TexelGrid& was = lit.grids[std::stoul(old_page)];
      const TexelGrid& is = joined[page_of.at(new_page)];
      const UvRange& range = before[before.draws[d].shape].uvs.back();
      for (int sample = 0; sample < 8; ++sample) {
        const auto pick = [&](std::size_t c) {
          const double share = sample < 2 ? sample : static_cast<double>(random()) / 4294967296.0;
          return range.min[c] + share * (range.max[c] - range.min[c]);
        };
        const Vec2d uv{pick(0), pick(1)};
        const Vec2d from = before.lightmap_places[before.draws[d].lightmap_place].apply(uv);
        const Vec2d to = after.lightmap_places[after.draws[d].lightmap_place].apply(uv);
        for (std::uint32_t level = 0; level <= page.clean_mips; ++level) {
          if (!is_near_edge(was.size, level, from)) {
            ASSERT_EQ(look_up(was, level, from), look_up(is, level, to))
                << "seed " << seed << " draw " << d << " level " << level;
            ++looked;
          }
        }
      }
    }
  }
  EXPECT_GT(moved, 3000U);
  EXPECT_GT(looked, 50000U);
}

/// In meshes, by the nodes, pages of any sides, and large ones.
const test::LitSceneSettings lit_kinds[] = {
    {},
    {.by_transform = true, .shared_mesh = true},
    {.page_px = 61, .odd_sizes = true},
    {.by_transform = true, .page_px = 128},
};
INSTANTIATE_TEST_SUITE_P(Kinds, LightmapLayouts, testing::ValuesIn(lit_kinds));

TEST(Lightmaps, StayWhereUvsLeaveThePageOrAreMissing) {
  test::SceneBuilder builder;
  const auto add = [&](double left, double right, const char* page, bool lit) {
    test::MeshData data = test::make_square();
    for (std::size_t v = 0; lit && v < data.positions.size() / 3; ++v) {
      data.lightmap_uvs.push_back(static_cast<float>(data.positions[3 * v] > 0 ? right : left));
      data.lightmap_uvs.push_back(data.positions[3 * v + 1] > 0 ? 0.5F : 0.25F);
    }
    const NodeId node = builder.add_node("part", builder.add_mesh("part", data));
    builder.set_extras(node, std::string(R"({"lightmap":)") + page + "}");
  };
  add(0.25, 0.5, "0", true);
  add(0.5, 0.75, "1", true);
  add(-1.5, 0.5, "0", true);
  add(0, 1, "1", false);
  LitScene lit;
  lit.scene = builder.finish();
  const LightmapPlan plan = make_plan(lit);
  ASSERT_EQ(plan.moves.size(), 2U);
  EXPECT_EQ(plan.moves[0].draws, (std::vector<DrawRef>{{NodeId{0}, 0}}));
  EXPECT_EQ(plan.left_as,
            (std::vector<std::string>{"1 draw stays on page 0: with UVs outside of it",
                                      "1 draw stays on page 1: without UV set 1"}));
  const auto joined = join_lightmaps(lit.scene, plan);
  ASSERT_TRUE(joined);
  EXPECT_EQ(joined->scene.nodes[2].extra->extras, R"({"lightmap":0})") << "as it was";
  EXPECT_EQ(joined->scene.nodes[0].extra->extras.find(R"({"lightmap":2,)"), 0U)
      << "a number after all that there are";
}

TEST(Lightmaps, LeaveUvsAloneThatAnotherTextureIsLookedUpIn) {
  LitScene lit = test::make_lit_scene({.draws = 24, .materials = 3});
  lit.scene.images.emplace_back();
  lit.scene.textures.emplace_back().image = ImageId{0};
  lit.scene.materials[0].occlusion_texture.texture = TextureId{0};
  lit.scene.materials[0].occlusion_texture.texcoord = 1;
  lit.scene.materials[1].extra.ensure().extensions.push_back(
      {"KHR_materials_sheen", R"({"sheenColorTexture":{"index":0,"texCoord":1}})"});
  lit.scene.materials[2].base_color_texture.texture = TextureId{0};
  const LightmapPlan plan = make_plan(lit);
  std::size_t moved = 0;
  for (const LightmapMove& move : plan.moves) {
    for (const DrawRef& draw : move.draws) {
      EXPECT_EQ(primitive_of(lit.scene, draw).material, MaterialId{2});
      ++moved;
    }
  }
  EXPECT_GT(moved, 0U);
  EXPECT_NE(plan.left_as.front().find("another texture in the same UV set"), std::string::npos);
}

TEST(Lightmaps, FindTheSideOfPagesByTheirUvs) {
  for (const std::uint32_t side : {64U, 128U, 512U}) {
    test::LitSceneSettings settings;
    settings.draws = 60;
    LitScene lit = test::make_lit_scene(settings);
    lit.pictures.clear();
    EXPECT_EQ(make_plan(lit).pages[0].size_from, PageSizeFrom::guess) << "UVs are anywhere";
    EXPECT_EQ(make_plan(lit).pages[0].size, (RectSize{1024, 1024}));
    EXPECT_EQ(make_plan(lit, {.source_page_px = 200}).pages[0].size, (RectSize{200, 200}));
    EXPECT_EQ(make_plan(lit, {.source_page_px = 200}).pages[0].clean_mips, 2U);
    EXPECT_EQ(make_plan(lit, {.source_page_px = 201}).pages[0].clean_mips, 0U);
    // Now on texels of pages of this side, as most makers put them.
    test::SceneBuilder builder;
    std::mt19937 random(side);
    for (int d = 0; d < 40; ++d) {
      test::MeshData data = test::make_square();
      const auto first = static_cast<float>(random() % (side / 2));
      const auto last = static_cast<float>(side / 2 + random() % (side / 2));
      for (std::size_t v = 0; v < data.positions.size() / 3; ++v) {
        for (const std::size_t c : {0U, 1U}) {
          const float texel = data.positions[3 * v + c] > 0 ? last + 0.5F : first + 0.5F;
          data.lightmap_uvs.push_back(texel / static_cast<float>(side));
        }
      }
      const NodeId node = builder.add_node("part", builder.add_mesh("part", data));
      builder.set_extras(node, d % 2 == 0 ? R"({"lightmap":"a"})" : R"({"lightmap":"b"})");
    }
    lit.scene = builder.finish();
    const LightmapPlan plan = make_plan(lit);
    EXPECT_EQ(plan.pages[0].size_from, PageSizeFrom::uvs);
    EXPECT_EQ(plan.pages[0].size, (RectSize{side, side}));
    EXPECT_EQ(plan.joined[0].name, "joined_0") << "where pages have names";
  }
}

TEST(VerifyLightmaps, RejectsWhatIsOffByATexelAndNothingRight) {
  for (std::uint32_t seed = 0; seed < 40; ++seed) {
    test::LitSceneSettings settings{.seed = seed, .draws = 30, .by_transform = seed % 2 == 0};
    settings.odd_sizes = seed % 3 == 0;
    const LitScene lit = test::make_lit_scene(settings);
    const LightmapPlan plan = make_plan(lit);
    ASSERT_TRUE(plan.joins());
    const auto joined = join_lightmaps(lit.scene, plan);
    ASSERT_TRUE(joined);
    const auto check = [&](const LightmapPlan& told) {
      Verdict verdict;
      verdict.passed = true;
      EXPECT_TRUE(verify_lightmaps(lit.scene, joined->scene, told, verdict));
      EXPECT_GT(verdict.lightmap_lookups, 300U);
      EXPECT_EQ(verdict.passed, verdict.mismatches.empty());
      return verdict.mismatches;
    };
    EXPECT_TRUE(check(plan).empty()) << "seed " << seed;
    LightmapPlan shifted = plan;
    shifted.moves[seed % shifted.moves.size()].x += 1;
    EXPECT_FALSE(check(shifted).empty()) << "seed " << seed;
    LightmapPlan cut = plan;
    cut.moves[0].rect.width -= cut.moves[0].rect.width / 2;
    EXPECT_FALSE(check(cut).empty()) << "seed " << seed;
    LightmapPlan stacked = plan;
    stacked.moves[1].x = stacked.moves[0].x;
    stacked.moves[1].y = stacked.moves[0].y;
    EXPECT_FALSE(check(stacked).empty()) << "seed " << seed;
  }
}

TEST(Lightmaps, KeepToTheNumberOfPages) {
  test::LitSceneSettings settings;
  settings.pages = 24;
  settings.draws = 200;
  const LitScene lit = test::make_lit_scene(settings);
  const LightmapPlan all = make_plan(lit, {.max_page_px = 128});
  ASSERT_GT(all.joined.size(), 1U);
  const LightmapPlan few = make_plan(lit, {.max_page_px = 128, .max_pages = 1});
  EXPECT_EQ(few.joined.size(), 1U);
  EXPECT_LT(few.moves.size(), all.moves.size());
  EXPECT_FALSE(few.left_as.empty());
  const LightmapPlan none = make_plan(lit, {.max_page_px = 64, .gutter_px = 16});
  EXPECT_FALSE(none.joins());
  EXPECT_NE(none.left_as.front().find("max_page_px"), std::string::npos);
}

TEST(Lightmaps, RefuseSettingsOutOfRange) {
  const auto message = [](const LightmapSettings& settings) {
    const auto valid = validate(settings);
    return valid ? std::string() : valid.error().message;
  };
  EXPECT_EQ(message({}), "");
  EXPECT_NE(message({.max_page_px = 32}).find("max_page_px"), std::string::npos);
  EXPECT_NE(message({.max_pages = 70000}).find("max_pages"), std::string::npos);
  EXPECT_NE(message({.clean_mips = 9}).find("clean_mips"), std::string::npos);
  EXPECT_NE(message({.gutter_px = 300}).find("gutter_px"), std::string::npos);
  EXPECT_NE(message({.source_page_px = 2}).find("source_page_px"), std::string::npos);
  EXPECT_NE(message({.pictures = "lm"}).find("{page}"), std::string::npos);
  EXPECT_NE(message({.pictures = "{page}{other}"}).find("{page}"), std::string::npos);
  SurveySettings rules;
  rules.lightmap_uv_set = 16;
  EXPECT_FALSE(validate(rules));
}

}  // namespace
}  // namespace wakuzume
