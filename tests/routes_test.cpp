// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/routes.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "support/pictures.h"
#include "wakuzume/survey.h"

namespace wakuzume {
namespace {

using test::add_picture;
using test::make_flat_picture;
using test::make_patch;
using test::make_picture;
using test::route;

constexpr MaterialSettings fewest{.goal = MaterialGoal::fewest_draws};
constexpr MaterialSettings full{.goal = MaterialGoal::full_resolution};

/// A wall of materials to which tests add what they are about; two plain ones are always there.
class Wall {
 public:
  Wall() {
    add("plain_a", make_picture(64, 64, 1));
    add("plain_b", make_picture(32, 64, 2));
  }
  MaterialId add(const std::string& name, const Pixels& pixels, double u = 1, double v = 1) {
    const MaterialId id = builder.add_material(name);
    material(id).base_color_texture.texture = add_picture(builder, pixels);
    show(id, u, v);
    return id;
  }
  void show(MaterialId id, double u = 1, double v = 1) {
    const double x = static_cast<double>(builder.scene.nodes.size());
    builder.add_node(material(id).name, builder.add_mesh("patch", make_patch(0, 0, u, v), id),
                     test::at(1.5 * x));
  }
  Material& material(MaterialId id) { return builder.scene.materials[to_index(id)]; }

  test::SceneBuilder builder;
};

TEST(ProposeRoutes, FoldsWhatIsEqualByValueUnderOtherNamesAndInOtherFiles) {
  Wall wall;
  const MaterialId copy = wall.builder.add_material("another_name");
  wall.material(copy).base_color_texture.texture =
      add_picture(wall.builder, make_picture(64, 64, 1));
  wall.show(copy);
  const RoutePlan routes = route(wall.builder.finish(), full);
  EXPECT_EQ(routes.find(copy)->route, Route::fold);
  EXPECT_EQ(routes.find(copy)->onto, MaterialId{0});
  EXPECT_EQ(routes.find(copy)->page, routes.find(MaterialId{0})->page);
  EXPECT_EQ(routes.find(copy)->tile, routes.find(MaterialId{0})->tile);
  EXPECT_NE(routes.find(copy)->reason.find("plain_a"), std::string::npos);
}

TEST(ProposeRoutes, FoldsWhatIsNearlyEqualOnlyWithinTheTolerance) {
  Wall wall;
  const MaterialId near = wall.builder.add_material("near");
  wall.material(near) = wall.builder.scene.materials[0];
  wall.material(near).name = "near";
  wall.material(near).roughness -= 0.01;
  wall.show(near);
  const Scene scene = wall.builder.finish();
  MaterialSettings settings = full;
  EXPECT_NE(route(scene, settings).find(near)->route, Route::fold);
  settings.factor_tolerance = 0.011;
  EXPECT_EQ(route(scene, settings).find(near)->route, Route::fold);
  settings.factor_tolerance = 0.009;
  EXPECT_NE(route(scene, settings).find(near)->route, Route::fold);
}

TEST(ProposeRoutes, TintsOnePictureInSeveralColours) {
  Wall wall;
  std::vector<MaterialId> colors;
  for (int c = 0; c < 3; ++c) {
    const MaterialId id = wall.builder.add_material("dyed_" + std::to_string(c));
    wall.material(id) = wall.builder.scene.materials[0];
    wall.material(id).name = "dyed_" + std::to_string(c);
    wall.material(id).base_color = {0.2 + 0.2 * c, 0.5, 0.3, 1};
    wall.show(id, 1, 0.5 + 0.1 * c);
    colors.push_back(id);
  }
  const RoutePlan routes = route(wall.builder.finish(), fewest);
  for (const MaterialId id : colors) {
    EXPECT_EQ(routes.find(id)->route, Route::tint);
    EXPECT_TRUE(routes.find(id)->tinted);
    EXPECT_EQ(routes.find(id)->tile, routes.find(MaterialId{0})->tile) << "one tile for all";
  }
}

TEST(ProposeRoutes, LeavesColoursOfRepeatsToInstances) {
  test::SceneBuilder builder;
  const test::MeshData patch = make_patch(0, 0, 1, 1);
  for (int c = 0; c < 4; ++c) {
    const MaterialId id = builder.add_material("pot_" + std::to_string(c));
    builder.scene.materials[to_index(id)].base_color = {0.2 * c, 0.5, 0.3, 1};
    builder.add_node("pot", builder.add_mesh("pot", patch, id), test::at(c));
  }
  const RoutePlan routes = route(builder.finish(), fewest);
  for (const MaterialRoute& found : routes.routes) {
    EXPECT_EQ(found.route, Route::tint);
    EXPECT_FALSE(found.tinted);
    EXPECT_EQ(found.page, no_index);
    EXPECT_NE(found.reason.find("instances"), std::string::npos);
  }
}

TEST(ProposeRoutes, NamesTheReasonWhyAMaterialStays) {
  Wall wall;
  const MaterialId tiling = wall.add("tiling", make_picture(32, 32, 5), 12, 3);
  const MaterialId broken = wall.add("broken", make_picture(32, 32, 6));
  wall.builder.scene.images.back().bytes = make_bytes(std::vector<char>{'\x89', 'P', 'N', 'G'});
  const MaterialId two_sets = wall.add("two_sets", make_picture(32, 32, 7));
  wall.material(two_sets).emissive_texture = wall.material(two_sets).base_color_texture;
  wall.material(two_sets).emissive_texture.texcoord = 1;
  const MaterialId alone = wall.add("alone", make_picture(32, 32, 8));
  wall.material(alone).alpha_mode = AlphaMode::blend;
  const MaterialId by_hand = wall.add("by_hand", make_picture(32, 32, 9));
  const MaterialId no_uvs = wall.builder.add_material("no_uvs");
  wall.material(no_uvs).base_color_texture = wall.material(MaterialId{0}).base_color_texture;
  wall.material(no_uvs).roughness = 0.1;
  test::MeshData bare = test::make_square();
  bare.uvs.clear();
  wall.builder.add_node("bare", wall.builder.add_mesh("bare", bare, no_uvs), test::at(-3));
  MaterialSettings settings = full;
  settings.routes = {"by_*=stay"};
  const RoutePlan routes = route(wall.builder.finish(), settings);
  const std::pair<MaterialId, const char*> wanted[] = {
      {tiling, "36.0 times"},    {broken, "can't be read"}, {two_sets, "UV sets 0 and 1"},
      {alone, "alone with its"}, {by_hand, "by hand"},      {no_uvs, "lack the UVs"}};
  for (const auto& [id, words] : wanted) {
    EXPECT_EQ(routes.find(id)->route, Route::stay) << words;
    EXPECT_NE(routes.find(id)->reason.find(words), std::string::npos) << routes.find(id)->reason;
    EXPECT_EQ(routes.find(id)->page, no_index);
  }
  EXPECT_EQ(routes.find(MaterialId{0})->route, Route::atlas);
}

TEST(ProposeRoutes, KeepsKindsApart) {
  Wall wall;
  const MaterialId mask = wall.add("mask_a", test::make_mask_picture(32, 3));
  const MaterialId other = wall.add("mask_b", test::make_mask_picture(32, 4));
  wall.material(mask).alpha_mode = wall.material(other).alpha_mode = AlphaMode::mask;
  const MaterialId sided = wall.add("sided_a", make_picture(32, 32, 5));
  const MaterialId sided_too = wall.add("sided_b", make_picture(32, 32, 6));
  wall.material(sided).double_sided = wall.material(sided_too).double_sided = true;
  const RoutePlan routes = route(wall.builder.finish(), fewest);
  ASSERT_EQ(routes.pages.size(), 3U);
  EXPECT_EQ(routes.find(mask)->page, routes.find(other)->page);
  EXPECT_EQ(routes.find(sided)->page, routes.find(sided_too)->page);
  const std::set<std::uint32_t> pages{routes.find(mask)->page, routes.find(sided)->page,
                                      routes.find(MaterialId{0})->page};
  EXPECT_EQ(pages.size(), 3U);
  EXPECT_EQ(routes.pages[routes.find(mask)->page].name, "shared_mask_1");
  EXPECT_EQ(routes.pages[routes.find(sided)->page].name, "shared_opaque_two_sided_1");
}

TEST(ProposeRoutes, PacksOnlyWhatIsTouchedOfATexture) {
  Wall wall;
  const MaterialId id = wall.builder.add_material("trim");
  wall.material(id).base_color_texture.texture =
      add_picture(wall.builder, make_picture(128, 64, 11));
  // A quarter of it, three tiles away: a sampler that repeats can't tell.
  wall.builder.add_node("trim", wall.builder.add_mesh("trim", make_patch(3.25, -2, 3.5, -1.5), id),
                        test::at(9));
  const RoutePlan routes = route(wall.builder.finish(), full);
  const MaterialRoute& found = *routes.find(id);
  ASSERT_EQ(found.route, Route::atlas) << found.reason;
  const Tile& tile = routes.pages[found.page].tiles[found.tile];
  EXPECT_EQ(tile.used.x, 32);
  EXPECT_EQ(tile.used.y, 0);
  EXPECT_EQ(tile.used.width, 32);
  EXPECT_EQ(tile.used.height, 32);
  EXPECT_EQ(tile.size, (RectSize{32, 32}));
}

TEST(ProposeRoutes, UnrollsAFewRepeatsAndNoMore) {
  Wall wall;
  const MaterialId twice = wall.add("twice", make_picture(32, 32, 3), 2, 2);
  const MaterialId often = wall.add("often", make_picture(32, 32, 4), 3, 2);
  const Scene scene = wall.builder.finish();
  const RoutePlan routes = route(scene, full);
  EXPECT_EQ(routes.find(twice)->route, Route::atlas);
  EXPECT_EQ(routes.find(often)->route, Route::stay);
  MaterialSettings more = full;
  more.unrolled_repeats = 6;
  EXPECT_EQ(route(scene, more).find(often)->route, Route::atlas);
}

/// Leaves of a few pixels, each with the whole of a texture: no gutter would keep the others out.
TEST(ProposeRoutes, KeepsOffPagesWhatIsSeenFromTooFar) {
  Wall wall;
  const MaterialId leaf = wall.builder.add_material("leaf", AlphaMode::mask);
  const MaterialId twig = wall.builder.add_material("twig", AlphaMode::mask);
  for (const MaterialId id : {leaf, twig}) {
    wall.material(id).base_color_texture.texture = add_picture(
        wall.builder, test::make_mask_picture(1024, static_cast<std::uint32_t>(to_index(id))));
  }
  const MeshId small = wall.builder.add_mesh("leaf", make_patch(0, 0, 1, 1), leaf);
  for (int i = 0; i < 400; ++i) {
    wall.builder.add_node("leaf", small,
                          test::scaled(0.02, 0.02, 0.02, {0.02 * (i % 20), 0.02 * (i / 20), 0}));
  }
  wall.show(twig);
  const Scene scene = wall.builder.finish();
  const Survey found = *survey(scene);
  const auto images = *read_image_facts(scene, ImageDepth::detail);
  const auto look_from = [&](double away) {
    const std::vector<Viewpoint> views{make_viewpoint("far", {0.2, 0.2, away}, {0.2, 0.2, 0})};
    return *propose_routes(scene, found, images, fewest, {}, {views, {}});
  };
  EXPECT_EQ(look_from(0.3).find(leaf)->route, Route::atlas);
  const RoutePlan far = look_from(5);
  EXPECT_NE(far.find(leaf)->route, Route::atlas);
  EXPECT_NE(far.find(leaf)->reason.find("seen from so far"), std::string::npos)
      << far.find(leaf)->reason;
  EXPECT_EQ(far.find(MaterialId{0})->route, Route::atlas) << "what is large stays on its page";
  MaterialSettings by_hand = fewest;
  by_hand.routes = {"leaf=atlas"};
  const std::vector<Viewpoint> views{make_viewpoint("far", {0.2, 0.2, 5}, {0.2, 0.2, 0})};
  EXPECT_EQ(propose_routes(scene, found, images, by_hand, {}, {views, {}})->find(leaf)->route,
            Route::atlas);
}

TEST(ProposeRoutes, MakesSmallTilesOfWhatHoldsLittle) {
  Wall wall;
  const MaterialId flat = wall.add("flat", make_flat_picture(256, 256, {10, 200, 30, 255}));
  Pixels soft = make_flat_picture(256, 256, {0, 0, 0, 255});
  for (std::size_t i = 0; i < soft.rgba.size(); i += 4) {
    soft.rgba[i] = static_cast<std::uint8_t>(i / 4 / 256);  // one step a row
  }
  const MaterialId gradient = wall.add("gradient", soft);
  const RoutePlan routes = route(wall.builder.finish(), full);
  const auto tile = [&](MaterialId id) {
    const MaterialRoute& found = *routes.find(id);
    return routes.pages[found.page].tiles[found.tile];
  };
  EXPECT_TRUE(tile(flat).solid());
  EXPECT_LE(tile(gradient).size.width_px, 128U);
  EXPECT_EQ(tile(MaterialId{0}).size, (RectSize{64, 64})) << "what is detailed stays as it is";
  EXPECT_EQ(routes.find(MaterialId{0})->texels_per_metre,
            routes.find(MaterialId{0})->texels_per_metre_after);
  EXPECT_LT(routes.find(gradient)->texels_per_metre_after, routes.find(gradient)->texels_per_metre);
  EXPECT_EQ(routes.find(MaterialId{0})->lost_steps, 0);
  EXPECT_GT(routes.find(gradient)->lost_steps, 0);
  EXPECT_LT(routes.find(gradient)->lost_steps, 1) << "too little to be seen";
  EXPECT_NE(routes.find(gradient)->reason.find(" of 255 steps"), std::string::npos)
      << routes.find(gradient)->reason;
}

TEST(ProposeRoutes, MeetsAPageBudgetByWhatHurtsLeast) {
  test::SceneBuilder builder;
  std::vector<MaterialId> all;
  for (std::uint32_t m = 0; m < 12; ++m) {
    const MaterialId id = builder.add_material("rock_" + std::to_string(m));
    builder.scene.materials[m].base_color_texture.texture =
        add_picture(builder, make_picture(128, 128, m));
    // The first is seen on a hundred times the area of the others.
    Trs place = test::at(20.0 * m);
    place.scale = m == 0 ? Vec3d{10, 10, 10} : Vec3d{1, 1, 1};
    builder.add_node("rock", builder.add_mesh("rock", make_patch(0, 0, 1, 1), id), place);
    all.push_back(id);
  }
  const Scene scene = builder.finish();
  MaterialSettings settings = fewest;
  settings.max_page_px = 512;
  settings.clean_mips = 2;
  for (const AtlasPage& page : route(scene, settings).pages) {
    for (const Tile& tile : page.tiles) {
      EXPECT_EQ(tile.size, (RectSize{128, 128})) << "too much would be lost";
    }
  }
  settings.allowed_loss = 255;
  const RoutePlan routes = route(scene, settings);
  ASSERT_EQ(routes.pages.size(), 1U) << "one page a kind where any loss is allowed";
  EXPECT_EQ(routes.pages[0].tiles[routes.find(all[0])->tile].size, (RectSize{128, 128}));
  const auto shrunk = std::count_if(routes.pages[0].tiles.begin(), routes.pages[0].tiles.end(),
                                    [](const Tile& tile) { return tile.size.width_px < 128; });
  EXPECT_GE(shrunk, 1);
  settings.goal = MaterialGoal::full_resolution;
  const RoutePlan whole = route(scene, settings);
  EXPECT_GT(whole.pages.size(), 1U) << "as many as it takes to lose nothing";
  for (const AtlasPage& page : whole.pages) {
    for (const Tile& tile : page.tiles) {
      EXPECT_EQ(tile.size, (RectSize{128, 128}));
    }
  }
}

TEST(ProposeRoutes, ScalesByHandAndByDensity) {
  Wall wall;
  const MaterialId dense = wall.add("dense", make_picture(256, 256, 9));
  const Scene scene = wall.builder.finish();
  MaterialSettings settings = full;
  settings.scales = {"dense=0.25"};
  const auto size = [&](const RoutePlan& routes) {
    const MaterialRoute& found = *routes.find(dense);
    return routes.pages[found.page].tiles[found.tile].size;
  };
  EXPECT_EQ(size(route(scene, settings)), (RectSize{64, 64}));
  settings = full;
  settings.enough_texels_per_metre = 128;
  const RoutePlan routes = route(scene, settings);
  EXPECT_EQ(size(routes), (RectSize{128, 128}));
  EXPECT_NEAR(routes.find(dense)->texels_per_metre, 256, 1e-6);
  EXPECT_NEAR(routes.find(dense)->texels_per_metre_after, 128, 1e-6);
}

TEST(ProposeRoutes, LeavesOutChannelsThatAreTheSameForAll) {
  Wall wall;
  const Scene plain = wall.builder.finish();
  const RoutePlan one = route(plain, full);
  EXPECT_TRUE(one.pages[0].has(Channel::color));
  EXPECT_FALSE(one.pages[0].has(Channel::surface));
  EXPECT_FALSE(one.pages[0].has(Channel::normal));
  EXPECT_FALSE(one.pages[0].has(Channel::emissive));
  wall.material(MaterialId{1}).roughness = 0.5;
  wall.material(MaterialId{1}).normal_texture.texture =
      add_picture(wall.builder, test::make_normal_picture(16, 16, 4));
  const RoutePlan two = route(wall.builder.finish(), full);
  EXPECT_TRUE(two.pages[0].has(Channel::surface)) << "roughness differs";
  EXPECT_TRUE(two.pages[0].has(Channel::normal));
  EXPECT_GT(two.pages[0].halvings[static_cast<std::size_t>(Channel::normal)], 0U)
      << "no finer than its picture";
}

TEST(ProposeRoutes, LeavesAloneWhatARuleKeeps) {
  Wall wall;
  const MaterialId kept = wall.add("kept", make_picture(32, 32, 21));
  const Scene scene = wall.builder.finish();
  SurveySettings rules;
  rules.keep_nodes = {"/kept"};
  const auto found = survey(scene, rules);
  const auto images = read_image_facts(scene, ImageDepth::detail);
  const auto routes = propose_routes(scene, *found, *images, fewest);
  ASSERT_TRUE(routes);
  EXPECT_EQ(routes->find(kept)->route, Route::stay);
  ASSERT_EQ(routes->left_alone.size(), 1U);
  EXPECT_EQ(make_node_path(scene, routes->left_alone[0].node), "/kept");
}

TEST(ProposeRoutes, IsTheSameForAnyNumberOfThreads) {
  const Scene scene = test::make_gallery(3, 40);
  const auto found = survey(scene);
  const auto images = read_image_facts(scene, ImageDepth::detail);
  const auto one = propose_routes(scene, *found, *images, fewest, {.threads = 1});
  const auto four = propose_routes(scene, *found, *images, fewest, {.threads = 4});
  ASSERT_TRUE(one && four);
  ASSERT_EQ(one->pages.size(), four->pages.size());
  for (std::size_t r = 0; r < one->routes.size(); ++r) {
    EXPECT_EQ(one->routes[r].reason, four->routes[r].reason);
    EXPECT_EQ(one->routes[r].tile, four->routes[r].tile);
  }
}

TEST(ProposeRoutes, RefusesSettingsOutOfRangeByName) {
  const auto refused = [](MaterialSettings settings, const char* key) {
    const auto valid = validate(settings);
    return !valid && valid.error().code == ErrorCode::bad_setting &&
           valid.error().message.find(key) != std::string::npos;
  };
  EXPECT_TRUE(refused({.factor_tolerance = 2}, "factor_tolerance"));
  EXPECT_TRUE(refused({.max_page_px = 20}, "max_page_px"));
  EXPECT_TRUE(refused({.max_pages = 70'000}, "max_pages"));
  EXPECT_TRUE(refused({.clean_mips = 9}, "clean_mips"));
  EXPECT_TRUE(refused({.unrolled_repeats = 0.5}, "unrolled_repeats"));
  EXPECT_TRUE(refused({.enough_texels_per_metre = 0.001}, "enough_texels_per_metre"));
  EXPECT_TRUE(refused({.routes = {"moss"}}, "routes"));
  EXPECT_TRUE(refused({.routes = {"moss=vanish"}}, "vanish"));
  EXPECT_TRUE(refused({.scales = {"moss=2"}}, "scales"));
  EXPECT_TRUE(refused({.routes = {"a=b=stay"}}, "material"));
  EXPECT_TRUE(refused({.scales = {"moss=0px"}}, "scales"));
  EXPECT_TRUE(refused({.scales = {"moss=40/mm"}}, "scales"));
  EXPECT_TRUE(refused({.together = {"moss=a/b"}}, "together"));
  EXPECT_TRUE(validate(MaterialSettings{.routes = {"material='a=b'=stay"}, .scales = {"*=1"}}));
  EXPECT_TRUE(validate(MaterialSettings{.scales = {"a=512px", "triangles>=5=40/m"},
                                        .together = {"not material=a=rest_2"}}));
}

}  // namespace
}  // namespace wakuzume
