// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "support/pictures.h"
#include "support/process.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/settings_file.h"

/// Groups of materials by hand and by place, and the sizes of their tiles.
namespace wakuzume {
namespace {

using test::add_picture;
using test::make_patch;
using test::make_picture;

/// Rooms with windows, signs and walls.
class House : public testing::Test {
 protected:
  House() {
    for (std::uint32_t m = 0; m < 2; ++m) {
      windows_.push_back(add("window_" + std::to_string(m), 10 + m));
      signs_.push_back(add("sign_" + std::to_string(m), 20 + m));
      walls_.push_back(add("wall_" + std::to_string(m), 30 + m));
    }
    for (const char* room : {"kitchen", "hall"}) {
      const NodeId node = builder_.add_node(room);
      builder_.set_extras(node, std::string(R"({"room":")") + room + "\"}");
      for (const auto* list : {&windows_, &signs_, &walls_}) {
        for (const MaterialId id : *list) {
          show(id, node);
          show(id, node);
        }
      }
    }
  }
  MaterialId add(const std::string& name, std::uint32_t seed) {
    const MaterialId id = builder_.add_material(name);
    material(id).base_color_texture.texture = add_picture(builder_, make_picture(64, 32, seed));
    meshes_.push_back(builder_.add_mesh(name, make_patch(0, 0, 1, 1), id));
    return id;
  }
  void show(MaterialId id, NodeId parent) {
    builder_.add_node(material(id).name, meshes_[to_index(id)],
                      test::at(1.5 * static_cast<double>(builder_.scene.nodes.size())), parent);
  }
  Material& material(MaterialId id) { return builder_.scene.materials[to_index(id)]; }

  static Job make_job(MaterialSettings materials) {
    Job job{.profile = *read_cost_profile("desk")};
    job.settings.materials = std::move(materials);
    job.settings.verify.picture_width_px = 160;
    job.settings.verify.picture_height_px = 90;
    job.settings.verify.picture_views = 2;
    job.settings.propose.repeats = Repeats::merge;
    return job;
  }
  static const StandardCodec& codec() {
    static const StandardCodec made;
    return made;
  }
  Result<JobResult> run(const MaterialSettings& materials) {
    return run_job(builder_.finish(), make_job(materials), {.codec = codec()});
  }
  /// Names of materials that results show, those of equal names once.
  static std::set<std::string> list_shown(const Scene& scene) {
    std::set<std::string> out;
    const Survey found = *survey(scene);
    for (const Draw& draw : found.draws) {
      out.insert(scene[draw.material].name);
    }
    return out;
  }
  static std::string refusal(const Result<JobResult>& made) {
    EXPECT_FALSE(made);
    EXPECT_EQ(made.error().code, ErrorCode::bad_setting);
    return made ? "" : made.error().message;
  }

  test::SceneBuilder builder_;
  std::vector<MeshId> meshes_;  ///< by material
  std::vector<MaterialId> windows_;
  std::vector<MaterialId> signs_;
  std::vector<MaterialId> walls_;
};

TEST_F(House, HasAMaterialAGroupAndTheRestAsItWas) {
  const auto made = run({.together = {"window_*=glass", "sign_*=signs"}});
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed);
  EXPECT_EQ(list_shown(made->built.scene),
            (std::set<std::string>{"glass", "signs", "wall_0", "wall_1"}));
  for (const Material& shared : made->built.scene.materials) {
    if (shared.name == "glass" || shared.name == "signs") {
      EXPECT_EQ(shared.extra->extras, R"({"together":")" + shared.name + R"("})");
    }
  }
  ASSERT_EQ(made->plan.routes.pages.size(), 2U);
  EXPECT_EQ(made->plan.routes.pages[0].name, "glass");
  EXPECT_EQ(made->plan.routes.pages[0].tiles.size(), 2U);
  EXPECT_EQ(made->plan.wishes,
            (std::vector<WishUse>{{"materials.together", "window_*", "glass", 8},
                                  {"materials.together", "sign_*", "signs", 8}}));
}

TEST_F(House, SharesTheRestButNeverWithAGroup) {
  const auto made = run({.goal = MaterialGoal::fewest_draws, .together = {"window_0=pane"}});
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed);
  EXPECT_EQ(list_shown(made->built.scene), (std::set<std::string>{"shared_opaque_1", "window_0"}));
  EXPECT_EQ(made->plan.routes.find(windows_[0])->reason, "alone in the group pane");
  // What equals it by value stays apart as well.
  material(walls_[1]).base_color_texture = material(windows_[0]).base_color_texture;
  const auto equal = run({.together = {"window_0=pane"}});
  ASSERT_TRUE(equal);
  EXPECT_EQ(list_shown(equal->built.scene).size(), 6U);
}

TEST_F(House, CopiesMaterialsThatSeveralGroupsShow) {
  const Scene source = builder_.finish();
  const auto made = run({.together = {"extras.room=kitchen=kitchen", "extras.room=hall=hall"},
                         .ungrouped = Ungrouped::refused});
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed);
  EXPECT_EQ(list_shown(made->built.scene), (std::set<std::string>{"kitchen", "hall"}));
  EXPECT_EQ(survey(made->built.scene)->draws.size(), 2U);
  EXPECT_EQ(made->plan.routes.grouped.copies.size(), 6U);
  // One room back on its own nodes: the other stays as it is, and all of it is still proved.
  Built kept = made->built;
  const auto back = put_back(source, kept.ledger, kept.scene, {.nodes = {"/kitchen"}});
  ASSERT_TRUE(back) << to_string(back.error());
  EXPECT_EQ(list_shown(back->scene).count("hall"), 1U);
  EXPECT_EQ(list_shown(back->scene).count("kitchen"), 0U);
  EXPECT_EQ(survey(back->scene)->draws.size(), 13U);
  const auto all = put_back(source, kept.ledger, kept.scene, {.everything = true});
  ASSERT_TRUE(all);
  EXPECT_EQ(make_content_hash(all->scene), make_content_hash(source));
}

TEST_F(House, HasPagesOfTheirOwnForEachPlace) {
  const auto made = run({.goal = MaterialGoal::full_resolution, .place_key = "room"});
  ASSERT_TRUE(made) << to_string(made.error());
  EXPECT_TRUE(made->verdict.passed);
  EXPECT_EQ(list_shown(made->built.scene),
            (std::set<std::string>{"shared_opaque_kitchen_1", "shared_opaque_hall_1"}));
  for (const Material& shared : made->built.scene.materials) {
    EXPECT_FALSE(shared.extra) << "places are no marks";
  }
}

TEST_F(House, TellsEachMaterialThatCanNotJoinAndWhatWouldHaveToChange) {
  material(windows_[1]).alpha_mode = AlphaMode::blend;
  material(signs_[0]).double_sided = true;
  material(walls_[0]).extra.ensure().extras = R"({"kit":"old"})";
  const std::string all = refusal(run({.together = {"*=one"}}));
  EXPECT_NE(all.find("the group one can't be one material"), std::string::npos) << all;
  EXPECT_NE(all.find("window_1: it is blended, and window_0 is opaque: give both one alpha mode"),
            std::string::npos)
      << all;
  EXPECT_NE(all.find("sign_0: it is two-sided"), std::string::npos) << all;
  EXPECT_NE(all.find("wall_0: it has other extras than window_0"), std::string::npos) << all;
  EXPECT_EQ(all.find("wall_1"), std::string::npos) << "it can: " << all;
  const std::string forced =
      refusal(run({.routes = {"wall_1=stay"}, .together = {"wall_1=w", "sign_1=w"}}));
  EXPECT_NE(forced.find("wall_1: by hand: stay"), std::string::npos) << forced;
}

TEST_F(House, TellsWhatIsInNoGroupBeforeAnythingIsPainted) {
  const std::string told = refusal(
      run({.together = {"window_*=glass", "sign_*=signs"}, .ungrouped = Ungrouped::refused}));
  EXPECT_NE(told.find("2 of the materials are in no group: wall_0 (4 draws), wall_1 (4 draws)"),
            std::string::npos)
      << told;
}

TEST_F(House, RefusesAGroupThatTakesSeveralPages) {
  const std::string told = refusal(run({.max_page_px = 128, .together = {"*=one"}}));
  EXPECT_NE(told.find("pages of 128 pixels: a larger materials.max_page_px or smaller tiles"),
            std::string::npos)
      << told;
}

TEST_F(House, WantsItsCopiesMadeBeforeItsRoutes) {
  const Scene scene = builder_.finish();
  const Survey found = *survey(scene);
  const MaterialSettings settings{.together = {"extras.room=hall=hall"}};
  const std::vector<ImageFacts> images = *StandardCodec().measure(scene, ImageDepth::detail, {});
  EXPECT_EQ(propose_routes(scene, found, images, settings).error().code, ErrorCode::bad_setting);
  const auto groups = find_material_groups(scene, found, settings);
  ASSERT_TRUE(groups);
  ASSERT_EQ(groups->copies.size(), 6U);
  Scene copied = scene;
  ASSERT_TRUE(group_materials(*groups, copied));
  EXPECT_TRUE(check_scene(copied));
  const ContentHash once = make_content_hash(copied);
  ASSERT_TRUE(group_materials(*groups, copied));
  EXPECT_EQ(make_content_hash(copied), once) << "what is done stays";
  EXPECT_TRUE(propose_routes(copied, *survey(copied), images, settings));
  Scene other;
  EXPECT_EQ(group_materials(*groups, other).error().code, ErrorCode::plan_mismatch);
}

TEST_F(House, HasTilesOfTheSizesThatAreWishedFor) {
  const Scene scene = builder_.finish();
  const auto size_of = [&](const RoutePlan& routes, MaterialId id) {
    const MaterialRoute* route = routes.find(id);
    const RectSize size = routes.pages[route->page].tiles[route->tile].size;
    return std::pair(size.width_px, size.height_px);
  };
  using Size = std::pair<std::uint32_t, std::uint32_t>;
  const RoutePlan routes =
      test::route(scene, {.goal = MaterialGoal::full_resolution,
                          .turning = Turning::never,
                          .scales = {"sign_*=1", "window_0=16px", "window_1=512px", "wall_0=8/m",
                                     "node=*/wall_1=0.5"}});
  EXPECT_EQ(size_of(routes, signs_[0]), (Size{64, 32}));
  EXPECT_EQ(size_of(routes, windows_[0]), (Size{16, 8}));
  EXPECT_EQ(size_of(routes, windows_[1]), (Size{64, 32})) << "never finer than its texture";
  EXPECT_EQ(size_of(routes, walls_[1]), (Size{32, 16}));
  // A patch is a metre square: 64 x 32 texels are 45 a metre by area.
  EXPECT_NEAR(routes.find(walls_[0])->texels_per_metre, std::sqrt(64.0 * 32), 0.5);
  EXPECT_NEAR(routes.find(walls_[0])->texels_per_metre_after, 8, 0.6);
}

TEST_F(House, HasTilesInRowsWhereThatIsWishedFor) {
  // Names in another order than places.
  for (std::size_t m = 0; m < 6; ++m) {
    builder_.scene.materials[m].name = std::string(1, static_cast<char>('f' - m));
  }
  const Scene scene = builder_.finish();
  for (const TileOrder order : {TileOrder::by_name, TileOrder::by_place}) {
    const RoutePlan routes = test::route(
        scene, {.goal = MaterialGoal::full_resolution, .max_page_px = 256, .tile_order = order});
    ASSERT_EQ(routes.pages.size(), 1U);
    const std::vector<Tile>& tiles = routes.pages[0].tiles;
    ASSERT_EQ(tiles.size(), 6U);
    for (std::size_t t = 0; t + 1 < tiles.size(); ++t) {
      const Tile& a = tiles[t];
      const Tile& b = tiles[t + 1];
      EXPECT_FALSE(b.turned);
      EXPECT_TRUE(b.y > a.y || (b.y == a.y && b.x > a.x)) << "in rows from the top left";
      if (order == TileOrder::by_name) {
        EXPECT_LT(scene[a.material].name, scene[b.material].name);
      }
    }
    EXPECT_GT(tiles.back().y, tiles.front().y) << "more than one row";
  }
}

TEST_F(House, IsComparedByWhatEachGoalGives) {
  Job job = make_job({});
  const auto choices = list_material_choices(builder_.finish(), job, {.codec = codec()});
  ASSERT_TRUE(choices) << to_string(choices.error());
  ASSERT_EQ(choices->size(), 3U);
  const MaterialChoice& keep = (*choices)[0];
  const MaterialChoice& full = (*choices)[1];
  EXPECT_EQ(keep.name, "keep");
  EXPECT_EQ(keep.materials, 6U);
  EXPECT_EQ(keep.pages, 0U);
  EXPECT_EQ(full.materials, 1U);
  EXPECT_EQ(full.pages, 1U);
  EXPECT_LT(full.draws, keep.draws);
  // Six pictures of 64 x 32 texels on square metres.
  EXPECT_NEAR(keep.megabytes, 6 * 64 * 32 * job.profile.texture_bytes_per_texel * 4 / 3 / 1e6,
              1e-9);
  EXPECT_GT(full.megabytes, keep.megabytes) << "gutters";
  EXPECT_NEAR(keep.usual_texels_per_metre, std::sqrt(64.0 * 32), 0.5);
  EXPECT_NEAR(full.least_texels_per_metre, keep.least_texels_per_metre, 1e-9);
  EXPECT_EQ(full.least_kept, 1);
}

}  // namespace
}  // namespace wakuzume
