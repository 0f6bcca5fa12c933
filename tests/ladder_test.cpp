// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/ladder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <map>
#include <set>
#include <string>
#include <tuple>

#include "support/pictures.h"
#include "support/scene_builder.h"
#include "wakuzume/apart.h"
#include "wakuzume/assess.h"
#include "wakuzume/cost.h"
#include "wakuzume/settings_file.h"

namespace wakuzume {
namespace {

using test::SceneBuilder;

Ladder ladder_of(const Scene& scene, const Survey& found, const std::vector<Viewpoint>& views) {
  auto ladder = make_ladder(scene, found, *make_visibility(found, views), {});
  EXPECT_TRUE(ladder);
  return *ladder;
}

TEST(Ladder, SharesOnlyWhatRoutesShare) {
  // Three pictures in one kind, and one that stays by hand.
  SceneBuilder builder;
  for (std::uint32_t m = 0; m < 4; ++m) {
    const MaterialId id = builder.add_material("m" + std::to_string(m));
    builder.scene.materials[m].base_color_texture.texture =
        test::add_picture(builder, test::make_picture(16, 16, m));
    builder.add_node("n", builder.add_mesh("n", test::make_patch(0, 0, 1, 1), id), test::at(m));
  }
  const Scene scene = builder.finish();
  const Survey found = *survey(scene);
  const auto images = *read_image_facts(scene, ImageDepth::detail);
  const auto count = [&](const MaterialSettings& settings) {
    const RoutePlan routes = *propose_routes(scene, found, images, settings);
    return make_ladder(scene, found, *make_visibility(found, {}), images, routes)
        ->rungs[static_cast<std::size_t>(Rung::sharing)]
        .draws;
  };
  EXPECT_EQ(count({.goal = MaterialGoal::fewest_draws}), 1U);
  EXPECT_EQ(count({.goal = MaterialGoal::fewest_draws, .routes = {"m3=stay"}}), 2U);
  AssessSettings settings;
  settings.profile = *read_cost_profile("desk");
  settings.materials.routes = {"m2=stay", "m3=stay"};
  EXPECT_EQ(assess(scene, found, images, settings)->ladder[Rung::sharing].draws, 3U);
  EXPECT_EQ(assess(scene, found, {}, settings)->ladder[Rung::sharing].draws, 1U)
      << "without a look at the pictures all of one pipeline counts";
}

/// A scene in which every step of the ladder saves something.
class Steps : public testing::Test {
 protected:
  Steps() {
    const MaterialId stone = add_material("stone", 1);
    const MaterialId copy = add_material("stone.001", 1);
    const MaterialId dark = add_material("dark stone", 0.5);
    const MaterialId rough = add_material("rough stone", 1);
    builder_.scene.materials[to_index(rough)].roughness = 0.3;
    const MaterialId glass = builder_.add_material("glass", AlphaMode::blend);
    const MeshId pillar = builder_.add_mesh("pillar", test::make_square(), stone);
    for (int i = 0; i < 4; ++i) {
      builder_.add_node("pillar", pillar, test::at(i, 0, -10));
    }
    add("wall", test::make_tetrahedron(), stone);
    add("copy", test::make_tetrahedron(), copy);
    add("dark", test::make_tetrahedron(), dark);
    add("rough", test::make_tetrahedron(), rough);
    add("pane", test::make_square(), glass);
    add("pane", test::make_tetrahedron(), glass);
    const NodeId door = add("door", test::make_square(), stone);
    builder_.add_node("handle", builder_.scene.nodes[4].mesh, test::at(0), door);
    builder_.animate(door);
    builder_.set_extras(add("lit", test::make_tetrahedron(), stone), R"({"lightmap":1})");
    builder_.set_extras(add("kept", test::make_square(), stone), R"({"collider":true})");
  }
  MaterialId add_material(const char* name, double red) {
    const MaterialId id = builder_.add_material(name);
    builder_.scene.materials[to_index(id)].base_color[0] = red;
    return id;
  }
  NodeId add(const char* name, const test::MeshData& data, MaterialId material) {
    return builder_.add_node(name, builder_.add_mesh(name, data, material), test::at(0, 0, -10));
  }

  SceneBuilder builder_;
};

TEST_F(Steps, EachSaveWhatTheyPromise) {
  const Scene scene = builder_.finish();
  const Survey found = *survey(scene);
  const Ladder ladder = ladder_of(scene, found, {Viewpoint{}});
  EXPECT_EQ(ladder[Rung::today].draws, 14U);
  EXPECT_EQ(ladder[Rung::instancing].draws, 11U) << "four pillars are one";
  EXPECT_EQ(ladder[Rung::merging].draws, 10U) << "and one with the wall";
  EXPECT_EQ(ladder[Rung::moving_together].draws, 9U) << "door and handle";
  EXPECT_EQ(ladder[Rung::folding].draws, 8U) << "stone.001";
  EXPECT_EQ(ladder[Rung::tinting].draws, 7U) << "dark stone";
  EXPECT_EQ(ladder[Rung::sharing].draws, 6U) << "rough stone";
  EXPECT_EQ(ladder[Rung::ordering].draws, 5U) << "two panes";
  EXPECT_EQ(ladder[Rung::joining].draws, 5U) << "there is one page";
  EXPECT_EQ(ladder[Rung::blending].draws, 5U);
  EXPECT_EQ(ladder[Rung::floor].draws, 4U) << "opaque, glass, door, collider";
  EXPECT_EQ(ladder[Rung::today].median_draws, 14U);
  EXPECT_EQ(ladder[Rung::floor].median_draws, 4U);
}

TEST_F(Steps, CountInAViewOnlyWhatHasSomethingInSight) {
  const Scene scene = builder_.finish();
  const Survey found = *survey(scene);
  const Viewpoint away = make_viewpoint("away", {0, 0, 0}, {0, 0, 10});
  EXPECT_EQ(ladder_of(scene, found, {away})[Rung::today].median_draws, 0U);
  const Ladder two_of_three = ladder_of(scene, found, {away, Viewpoint{}, Viewpoint{}});
  EXPECT_EQ(two_of_three[Rung::merging].median_draws, 10U);
  EXPECT_EQ(ladder_of(scene, found, {})[Rung::merging].median_draws, 0U);
}

/// Counts by comparing texts, from the public survey alone.
std::uint64_t count_groups(const Scene& scene, const Survey& found, Rung rung) {
  // A material that spells out the default equals no material at all.
  std::map<MaterialId, MaterialId> folded;
  Scene with_default = scene;
  with_default.materials.emplace_back();
  const auto last = make_id<MaterialId>(scene.materials.size());
  for (const auto& set : find_equal_materials(with_default, {})) {
    for (const MaterialId id : set) {
      folded[id] = set.back() == last ? no_material : set.front();
    }
  }
  std::set<std::string> groups;
  for (std::size_t d = 0; d < found.draws.size(); ++d) {
    const Draw& draw = found.draws[d];
    MergeKey key = found[draw.key];
    const bool moves = draw.stay == StayRule::animated || draw.stay == StayRule::marked_moving;
    const bool free = draw.stay == StayRule::none || (rung >= Rung::moving_together && moves);
    if (!free || draw.blended) {
      groups.insert("draw " + std::to_string(d));
      continue;
    }
    if (rung >= Rung::folding && folded.count(key.material) > 0) {
      key.material = folded[key.material];
    }
    std::string text = std::to_string(to_index(key.material)) + "|" +
                       std::to_string(to_index(key.moving_root)) + "|" +
                       std::string(to_string(key.topology)) + "|" + key.lightmap + "|" +
                       to_string(key.tags) + "|" + key.level + "|" + key.layout;
    for (const LevelId level : key.levels) {
      text += "," + std::to_string(to_index(level));
    }
    if (rung == Rung::instancing) {
      text += "|" + std::to_string(to_index(found[draw.shape].family)) + (draw.mirrored ? "m" : "");
    }
    groups.insert(text);
  }
  return groups.size();
}

TEST(Ladder, AgreesWithKeysComparedAsTextsOnRandomScenes) {
  for (std::uint32_t seed = 0; seed < 20; ++seed) {
    const Scene scene = test::make_random_scene(seed, 120);
    const Survey found = *survey(scene);
    const Ladder ladder = ladder_of(scene, found, {});
    EXPECT_EQ(ladder[Rung::today].draws, found.draws.size());
    for (const Rung rung :
         {Rung::instancing, Rung::merging, Rung::moving_together, Rung::folding}) {
      EXPECT_EQ(ladder[rung].draws, count_groups(scene, found, rung))
          << seed << " " << to_string(rung);
    }
    for (std::size_t r = 1; r < rung_count; ++r) {
      EXPECT_LE(ladder.rungs[r].draws, ladder.rungs[r - 1].draws);
    }
  }
}

/// The median over views, from single tests of every box.
TEST(Ladder, AgreesWithSingleTestsInEveryView) {
  const Scene scene = test::make_random_scene(11, 200);
  const Survey found = *survey(scene);
  const auto views = *make_views(scene, found, {.count = 15});
  const Ladder ladder = ladder_of(scene, found, views);
  std::vector<double> today;
  std::vector<double> merging;
  for (const Viewpoint& view : views) {
    const Frustum frustum = make_frustum(view);
    std::set<std::string> groups;
    double draws = 0;
    for (std::size_t d = 0; d < found.draws.size(); ++d) {
      const Draw& draw = found.draws[d];
      if (sees_box(frustum, draw.box)) {
        ++draws;
        const bool free = draw.stay == StayRule::none && !draw.blended;
        groups.insert(free ? "key " + std::to_string(to_index(draw.key))
                           : "draw " + std::to_string(d));
      }
    }
    today.push_back(draws);
    merging.push_back(static_cast<double>(groups.size()));
  }
  EXPECT_EQ(static_cast<double>(ladder[Rung::today].median_draws), make_spread(today).median);
  EXPECT_EQ(static_cast<double>(ladder[Rung::merging].median_draws), make_spread(merging).median);
}

class KeysApart : public testing::Test {
 protected:
  MaterialId add(const char* name) {
    const MaterialId id = builder_.add_material(name);
    const MeshId mesh = builder_.add_mesh(name, test::make_square(), id);
    nodes_.push_back(builder_.add_node(name, mesh));
    return id;
  }
  Material& material(MaterialId id) { return builder_.scene.materials[to_index(id)]; }
  /// The parts by which the only two keys differ.
  std::vector<KeyPart> find_parts() {
    const Scene scene = builder_.finish();
    const Survey found = *survey(scene);
    EXPECT_EQ(found.keys.size(), 2U);
    const Apart apart = find_apart(scene, found, {});
    EXPECT_EQ(apart.nearest.size(), 2U);
    return apart.nearest.empty() ? std::vector<KeyPart>{} : apart.nearest.front().differing;
  }
  using Parts = std::vector<KeyPart>;

  SceneBuilder builder_;
  std::vector<NodeId> nodes_;
};

TEST_F(KeysApart, TellWhichPartOfTheMaterialDiffers) {
  add("a");
  const MaterialId b = add("b");
  EXPECT_EQ(find_parts(), Parts{KeyPart::material_name});
  material(b).base_color = {1, 0, 0, 1};
  EXPECT_EQ(find_parts(), Parts{KeyPart::base_color});
  material(b).base_color = {1, 1, 1, 1};
  material(b).metallic = 0.5;
  EXPECT_EQ(find_parts(), Parts{KeyPart::factors});
  material(b).metallic = 1;
  material(b).double_sided = true;
  EXPECT_EQ(find_parts(), Parts{KeyPart::sidedness});
  material(b).double_sided = false;
  material(b).alpha_mode = AlphaMode::mask;
  EXPECT_EQ(find_parts(), Parts{KeyPart::alpha});
  material(b).alpha_mode = AlphaMode::opaque;
  material(b).alpha_cutoff = 0.2;
  EXPECT_EQ(find_parts(), Parts{KeyPart::material_name}) << "without effect unless masked";
  material(b).extra.ensure().extensions.push_back({"KHR_materials_unlit", "{}"});
  EXPECT_EQ(find_parts(), Parts{KeyPart::shading});
  material(b).metallic = 0;
  material(b).base_color = {0, 0, 0, 1};
  EXPECT_EQ(find_parts(), (Parts{KeyPart::base_color, KeyPart::factors, KeyPart::shading}));
}

TEST_F(KeysApart, CompareTexturesByWhatTheyShow) {
  const MaterialId a = add("a");
  const MaterialId b = add("b");
  Image first;
  first.name = "first";
  first.bytes = make_bytes(std::vector<std::uint8_t>{1, 2, 3});
  Image second = first;
  second.name = "second";
  builder_.scene.images = {first, second};
  builder_.add_texture(ImageId{0});
  builder_.add_texture(ImageId{1});
  material(a).base_color_texture.texture = TextureId{0};
  material(b).base_color_texture.texture = TextureId{1};
  EXPECT_EQ(find_parts(), Parts{KeyPart::material_name}) << "the same bytes under two names";
  builder_.scene.images[1].bytes = make_bytes(std::vector<std::uint8_t>{1, 2, 4});
  EXPECT_EQ(find_parts(), Parts{KeyPart::color_texture});
  material(a).base_color_texture = {};
  material(b).base_color_texture = {};
  material(b).normal_texture.texture = TextureId{0};
  EXPECT_EQ(find_parts(), Parts{KeyPart::other_textures});
  material(a).normal_texture.texture = TextureId{0};
  UvTransform shifted;
  shifted.offset = {0.5, 0};
  material(b).normal_texture.transform = shifted;
  EXPECT_EQ(find_parts(), Parts{KeyPart::other_textures});
  material(b).normal_texture.transform = UvTransform{};
  EXPECT_EQ(find_parts(), Parts{KeyPart::material_name}) << "a transform that changes nothing";
}

TEST_F(KeysApart, TellWhichPartOfTheDrawDiffers) {
  add("a");
  builder_.scene.materials.push_back(builder_.scene.materials[0]);
  const NodeId other = builder_.add_node("other", builder_.scene.nodes[0].mesh);
  const std::pair<const char*, KeyPart> extras[] = {{R"({"lightmap":2})", KeyPart::lightmap},
                                                    {R"({"tag":"x"})", KeyPart::tag},
                                                    {R"({"level":"cellar"})", KeyPart::level},
                                                    {R"({"static":false})", KeyPart::moving_root}};
  for (const auto& [json, part] : extras) {
    builder_.set_extras(other, json);
    EXPECT_EQ(find_parts(), Parts{part}) << json;
  }
}

TEST_F(KeysApart, AreGroupedByTheOnePartThatDiffers) {
  add("grey");
  add("grey.001");
  material(add("red")).base_color = {1, 0, 0, 1};
  material(add("blue")).base_color = {0, 0, 1, 1};
  const Scene scene = builder_.finish();
  const Survey found = *survey(scene);
  const Apart apart = find_apart(scene, found, {});
  ASSERT_EQ(apart.groups.size(), 2U);
  EXPECT_EQ(apart.groups[0].part, KeyPart::base_color);
  EXPECT_EQ(apart.groups[0].keys.size(), 3U) << "equal materials count once here";
  EXPECT_EQ(apart.groups[1].part, KeyPart::material_name);
  EXPECT_EQ(apart.groups[1].keys.size(), 2U);
}

TEST_F(KeysApart, NameMeshesOfSeveralMaterials) {
  const MaterialId a = add("a");
  const MaterialId b = add("b");
  const MeshId both = builder_.add_mesh("both", {builder_.make_primitive(test::make_square(), a),
                                                 builder_.make_primitive(test::make_square(), b)});
  builder_.add_node("both", both);
  builder_.add_node("both", both);
  const Scene scene = builder_.finish();
  const Apart apart = find_apart(scene, *survey(scene), {});
  ASSERT_EQ(apart.meshes.size(), 1U);
  EXPECT_EQ(apart.meshes[0].mesh, both);
  EXPECT_EQ(apart.meshes[0].materials, 2U);
  EXPECT_EQ(apart.meshes[0].draws, 4U);
}

TEST(Families, AreTheSameForTheSameGeometryHoweverStored) {
  SceneBuilder builder;
  const MeshId a = builder.add_mesh("a", test::make_square());
  test::MeshData other = test::make_square();
  const MeshId copy = builder.add_mesh("copy", other, builder.add_material("other"));
  Primitive& primitive = builder.scene.meshes[to_index(copy)].primitives[0];
  std::reverse(primitive.attributes.begin(), primitive.attributes.end());
  std::vector<std::uint8_t> indices(other.indices.begin(), other.indices.end());
  primitive.indices = builder.add_stream(indices, ElementType::scalar, ComponentType::u8);
  other.uvs[0] = 0.5F;
  const MeshId differs = builder.add_mesh("differs", other);
  other = test::make_square();
  std::swap(other.indices[0], other.indices[1]);
  const MeshId turned = builder.add_mesh("turned", other);
  for (const MeshId mesh : {a, copy, differs, turned, a}) {
    builder.add_node("node", mesh);
  }
  const Scene scene = builder.finish();
  const Survey found = *survey(scene);
  const auto family = [&](std::size_t draw) { return found[found.draws[draw].shape].family; };
  EXPECT_EQ(found.families.size(), 3U);
  EXPECT_EQ(family(0), family(1));
  EXPECT_EQ(family(0), family(4));
  EXPECT_NE(family(0), family(2));
  EXPECT_NE(family(0), family(3));
}

TEST(LadderOfLightmaps, JoinsPagesAndLeavesWhatHasNoneByItself) {
  test::SceneBuilder builder;
  const MaterialId stone = builder.add_material("stone");
  const MaterialId glass = builder.add_material("glass", AlphaMode::blend);
  const auto add = [&](const test::MeshData& data, MaterialId material, double x,
                       const char* page) {
    const NodeId node =
        builder.add_node("part", builder.add_mesh("part", data, material), test::at(x));
    builder.set_extras(node, page);
  };
  const char* const pages[] = {R"({"lightmap":0})", R"({"lightmap":1})", R"({"lightmap":2})"};
  for (int i = 0; i < 6; ++i) {
    add(test::make_tetrahedron(), stone, 4.0 * i, pages[i % 3]);
  }
  add(test::make_tetrahedron(), stone, 40, "{}");
  add(test::make_tetrahedron(), stone, 44, "{}");
  // Panes in one plane have an order together, once they are on one page.
  add(test::make_square(), glass, 60, pages[0]);
  add(test::make_square(), glass, 62, pages[1]);
  const Scene scene = builder.finish();
  const Survey found = *survey(scene);
  const Ladder ladder = ladder_of(scene, found, {Viewpoint{}});
  EXPECT_EQ(ladder[Rung::merging].draws, 4U + 2U) << "three pages, none, and two panes";
  EXPECT_EQ(ladder[Rung::ordering].draws, 6U);
  EXPECT_EQ(ladder[Rung::joining].draws, 3U) << "lit, not lit, and panes";
  EXPECT_EQ(ladder[Rung::blending].draws, 3U);
  EXPECT_EQ(ladder[Rung::floor].draws, 2U);
}

}  // namespace
}  // namespace wakuzume
