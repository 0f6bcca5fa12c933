// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/cost.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <ostream>

#include "glasshouse.h"
#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/assess.h"
#include "wakuzume/image.h"
#include "wakuzume/settings_file.h"

namespace wakuzume {
namespace {

CostProfile make_profile(std::vector<PassSpec> passes) {
  CostProfile profile;
  profile.name = "test";
  profile.draw_us = 10;
  profile.instance_us = 1;
  profile.pipeline_switch_us = 100;
  profile.material_switch_us = 50;
  profile.triangle_ns = 1000;
  profile.vertex_ns = 100;
  profile.texture_megabyte_us = 1000;
  profile.passes = std::move(passes);
  return profile;
}

/// Squares in a row before a camera at the origin that looks along -z.
class Frame : public testing::Test {
 protected:
  Frame() {
    for (const char* name : {"red", "blue"}) {
      materials_.push_back(builder_.add_material(name));
    }
    masked_ = builder_.add_material("leaf", AlphaMode::mask);
    glass_ = builder_.add_material("glass", AlphaMode::blend);
  }

  NodeId add(MaterialId material, double z = -10, double x = 0) {
    const MeshId mesh = builder_.add_mesh("square", test::make_square(), material);
    return builder_.add_node("square", mesh, test::at(x, 0, z));
  }

  FrameCost measure(const CostProfile& profile, const std::vector<ImageFacts>& images = {}) {
    const Scene scene = builder_.finish();
    const Survey found = *survey(scene);
    const std::vector<Viewpoint> views{Viewpoint{}};
    const auto frames =
        measure_frames(scene, found, views, *make_visibility(found, views), images, profile);
    EXPECT_TRUE(frames);
    return frames->views.front();
  }

  test::SceneBuilder builder_;
  std::vector<MaterialId> materials_;
  MaterialId masked_;
  MaterialId glass_;
};

TEST_F(Frame, CountsWhatThePassIssuesAndPricesIt) {
  add(materials_[0]);
  add(materials_[1]);
  add(materials_[0]);
  add(masked_);
  add(glass_);
  add(materials_[0], 10);  // behind
  const FrameCost frame = measure(make_profile({{"main", PassKind::main}}));
  const PassCost& cost = frame.total;
  EXPECT_EQ(cost.draws, 5U);
  EXPECT_EQ(cost.instances, 5U);
  EXPECT_EQ(cost.triangles, 10U);
  EXPECT_EQ(cost.vertices, 20U);
  EXPECT_EQ(cost.material_switches, 4U);
  EXPECT_EQ(cost.pipeline_switches, 3U) << "opaque, mask, blend";
  EXPECT_NEAR(cost.cpu_ms, (5 * 10 + 5 * 1 + 3 * 100 + 4 * 50) / 1e3, 1e-12);
  EXPECT_NEAR(cost.gpu_ms, 10 * 1e-3 + 20 * 1e-4, 1e-12);
  EXPECT_EQ(cost.ms(), cost.cpu_ms);
}

TEST_F(Frame, DrawsDepthWithoutBlendedAndWithoutPlainMaterials) {
  add(materials_[0]);
  add(materials_[1]);
  add(masked_);
  add(glass_);
  const FrameCost frame =
      measure(make_profile({{"depth", PassKind::depth}, {"main", PassKind::main}}));
  ASSERT_EQ(frame.passes.size(), 2U);
  EXPECT_EQ(frame.passes[0].draws, 3U);
  EXPECT_EQ(frame.passes[0].pipeline_switches, 2U);
  EXPECT_EQ(frame.passes[0].material_switches, 2U) << "all plain ones share a state";
  EXPECT_EQ(frame.passes[1].draws, 4U);
  EXPECT_EQ(frame.total.draws, 7U);
}

TEST_F(Frame, SwitchesMoreOftenInNodeOrder) {
  for (int i = 0; i < 3; ++i) {
    add(materials_[0]);
    add(materials_[1]);
  }
  CostProfile profile = make_profile({{"main", PassKind::main}});
  EXPECT_EQ(measure(profile).total.material_switches, 2U);
  profile.sorts_by_state = false;
  EXPECT_EQ(measure(profile).total.material_switches, 6U);
  EXPECT_EQ(measure(profile).total.pipeline_switches, 1U);
}

TEST_F(Frame, DrawsBlendedFromFarToNear) {
  const MaterialId other = builder_.add_material("water", AlphaMode::blend);
  add(glass_, -10);
  add(other, -20);
  add(glass_, -30);
  add(other, -40);
  const CostProfile profile = make_profile({{"main", PassKind::main}});
  EXPECT_EQ(measure(profile).total.material_switches, 4U);
  add(glass_, -31);
  EXPECT_EQ(measure(profile).total.material_switches, 4U);
}

TEST_F(Frame, LetsEnginesInstanceAndBatchWhereTheProfileSaysSo) {
  const MeshId mesh = builder_.add_mesh("chair", test::make_square(), materials_[0]);
  for (int i = 0; i < 5; ++i) {
    builder_.add_node("chair", mesh, test::at(0, 0, -5 - i));
  }
  builder_.add_node("mirrored", mesh, test::scaled(-1, 1, 1, {0, 0, -5}));
  add(materials_[1]);
  CostProfile profile = make_profile({{"main", PassKind::main}});
  EXPECT_EQ(measure(profile).total.draws, 7U);
  profile.instances_repeats = true;
  EXPECT_EQ(measure(profile).total.draws, 3U) << "the mirrored one is a stack of its own";
  EXPECT_EQ(measure(profile).total.instances, 7U);
  profile.instances_repeats = false;
  profile.batches_up_to_vertices = 3;
  EXPECT_EQ(measure(profile).total.draws, 7U) << "squares have four vertices";
  profile.batches_up_to_vertices = 4;
  EXPECT_EQ(measure(profile).total.draws, 2U) << "a batch a material";
}

TEST_F(Frame, TouchesEachImageOnceWithItsMipLevels) {
  Image image;
  image.bytes = make_bytes(std::vector<std::uint8_t>{1, 2, 3});
  builder_.scene.images = {image, image};
  builder_.add_texture(ImageId{0});
  builder_.add_texture(ImageId{1});
  Material& red = builder_.scene.materials[to_index(materials_[0])];
  red.base_color_texture.texture = TextureId{0};
  red.normal_texture.texture = TextureId{0};
  builder_.scene.materials[to_index(materials_[1])].emissive_texture.texture = TextureId{0};
  builder_.scene.materials[to_index(masked_)].base_color_texture.texture = TextureId{1};
  add(materials_[0]);
  add(materials_[1]);
  add(masked_);
  ImageFacts facts;
  facts.width_px = 300;
  facts.height_px = 100;
  CostProfile profile = make_profile({{"depth", PassKind::depth}, {"main", PassKind::main}});
  profile.texture_bytes_per_texel = 4;
  const FrameCost frame = measure(profile, {facts, facts});
  EXPECT_EQ(frame.passes[0].texture_bytes, 160'000U) << "the mask alone";
  EXPECT_EQ(frame.passes[1].texture_bytes, 320'000U);
  EXPECT_EQ(frame.total.texture_bytes, 320'000U) << "not counted again for another pass";
}

TEST_F(Frame, GivesASliceOfTheSunOnlyItsCasters) {
  add(materials_[0], -5);
  add(materials_[0], -50);
  add(materials_[0], -500);
  CostProfile profile = make_profile(
      {{"near", PassKind::sun_shadow, 0, 20, 10}, {"far", PassKind::sun_shadow, 20, 100, 10}});
  profile.sun_direction = {0, -1, 0};
  const FrameCost frame = measure(profile);
  EXPECT_EQ(frame.passes[0].draws, 1U);
  EXPECT_EQ(frame.passes[1].draws, 1U);
  // A caster above the slice counts as far up as the profile says.
  builder_.add_node("cloud", builder_.scene.nodes[0].mesh, test::at(0, 30, -10));
  EXPECT_EQ(measure(profile).passes[0].draws, 1U);
  profile.passes[0].casters_m = 40;
  EXPECT_EQ(measure(profile).passes[0].draws, 2U);
}

TEST_F(Frame, FollowsTheDirectionalLightOfTheScene) {
  add(materials_[0], -10);
  builder_.add_node("caster", builder_.scene.nodes[0].mesh, test::at(40, 0, -10));
  const CostProfile profile = make_profile({{"sun", PassKind::sun_shadow, 0, 20, 100}});
  EXPECT_EQ(measure(profile).total.draws, 1U);
  Light sun;
  sun.type = "directional";
  builder_.scene.lights.push_back(sun);
  const NodeId node = builder_.add_node("sun");
  const double half = std::sqrt(0.5);
  builder_.scene.nodes[to_index(node)].trs.rotation = {0, half, 0, half};  // shines along -x
  builder_.scene.nodes[to_index(node)].light = LightId{0};
  EXPECT_EQ(measure(profile).total.draws, 2U);
}

TEST_F(Frame, CountsSixFacesAPointLightAndTheNearestLightsAlone) {
  add(materials_[0], -10, 3);
  Light lamp;
  lamp.type = "point";
  lamp.range = 5;
  builder_.scene.lights.push_back(lamp);
  const auto add_lamp = [&](double x, double z) {
    const NodeId node = builder_.add_node("lamp", no_mesh, test::at(x, 0.5, z));
    builder_.scene.nodes[to_index(node)].light = LightId{0};
  };
  CostProfile profile = make_profile({{"lights", PassKind::light_shadows}});
  profile.passes[0].lights = 1;
  EXPECT_EQ(measure(profile).total.draws, 0U);
  add_lamp(0, -10);  // the square from x = 3 to 4 is seen by the face towards +x
  EXPECT_EQ(measure(profile).total.draws, 1U);
  add_lamp(0, -8.5);
  EXPECT_EQ(measure(profile).total.draws, 1U) << "one light, the nearer one";
  profile.passes[0].lights = 2;
  EXPECT_EQ(measure(profile).total.draws, 2U);
  add_lamp(0, 100);
  profile.passes[0].lights = 3;
  EXPECT_EQ(measure(profile).total.draws, 2U) << "behind the view, out of reach";
}

TEST(Frames, AddUpWithWhatEachDrawCosts) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  const auto views = *make_views(scene, found);
  const CostProfile profile = make_profile({{"main", PassKind::main}});
  const auto frames = measure_frames(scene, found, views, *make_visibility(found, views), {},
                                     profile, {.threads = 3});
  ASSERT_TRUE(frames);
  for (std::size_t v = 0; v < views.size(); ++v) {
    const Frustum frustum = make_frustum(views[v]);
    PassCost expected;
    for (const Draw& draw : found.draws) {
      if (sees_box(frustum, draw.box)) {
        ++expected.draws;
        expected.triangles += draw.triangles;
        expected.vertices += draw.vertices * draw.instances;
      }
    }
    EXPECT_EQ(frames->views[v].total.draws, expected.draws) << views[v].name;
    EXPECT_EQ(frames->views[v].total.triangles, expected.triangles);
    EXPECT_EQ(frames->views[v].total.vertices, expected.vertices);
  }
}

/// Whatever the view sees within a slice of sunlight stands in that slice itself.
TEST(Frames, GiveTheSunAllThatStandsInItsSlice) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  const auto views = *make_views(scene, found);
  const auto frames = *measure_frames(
      scene, found, views, *make_visibility(found, views), {},
      make_profile({{"sun", PassKind::sun_shadow, 0, 25, 1000}, {"main", PassKind::main}}));
  for (std::size_t v = 0; v < views.size(); ++v) {
    Viewpoint slice = views[v];
    slice.zfar_m = 25;
    const Frustum frustum = make_frustum(slice);
    std::uint64_t in_slice = 0;
    std::uint64_t casters = 0;
    for (const Draw& draw : found.draws) {
      // Wholly inside all planes: no box beyond the corners is taken for one that is in.
      const bool inside =
          std::all_of(frustum.planes.begin(), frustum.planes.end(), [&](const Plane& plane) {
            double reach = plane.distance;
            for (std::size_t c = 0; c < 3; ++c) {
              reach += plane.normal[c] * (plane.normal[c] > 0 ? draw.box.min[c] : draw.box.max[c]);
            }
            return reach >= 0;
          });
      in_slice += inside && !draw.blended ? 1U : 0U;
      casters += draw.blended ? 0U : 1U;
    }
    EXPECT_GE(frames.views[v].passes[0].draws, in_slice) << views[v].name;
    EXPECT_LE(frames.views[v].passes[0].draws, casters);
  }
}

/// Stops as soon as it is asked.
class Stopper final : public Observer {
 public:
  bool advance(std::string_view, double) override { return false; }
};

TEST(Assess, CanBeCancelledInEachOfItsParts) {
  const Scene scene = demo::make_glasshouse();
  const Survey found = *survey(scene);
  const auto views = *make_views(scene, found);
  const auto visibility = *make_visibility(found, views);
  Stopper stopper;
  const RunControl run{.observer = &stopper};
  const auto expect_cancelled = [](const auto& result) {
    ASSERT_FALSE(result);
    EXPECT_EQ(result.error().code, ErrorCode::cancelled);
  };
  expect_cancelled(survey(scene, {}, run));
  expect_cancelled(read_image_facts(scene, ImageDepth::pixels, {}, run));
  expect_cancelled(make_visibility(found, views, run));
  expect_cancelled(
      measure_frames(scene, found, views, visibility, {}, shipped_profiles().front(), run));
  expect_cancelled(make_ladder(scene, found, visibility, {}, {}, {}, run));
  expect_cancelled(find_findings(scene, found, {}, {}, run));
  AssessSettings settings;
  settings.profile = shipped_profiles().front();
  expect_cancelled(assess(scene, found, {}, settings, run));
}

TEST(Assess, RefusesBudgetsAndProfilesThatCanNotBe) {
  const Scene scene = test::make_random_scene(1, 10);
  const Survey found = *survey(scene);
  AssessSettings settings;
  EXPECT_EQ(assess(scene, found, {}, settings).error().code, ErrorCode::bad_setting)
      << "a profile without passes";
  settings.profile = shipped_profiles().front();
  settings.tiers = {{"low", {{"drawz", 1}}}};
  EXPECT_EQ(assess(scene, found, {}, settings).error().code, ErrorCode::bad_setting);
  settings.tiers.clear();
  settings.views.count = 70'000;
  EXPECT_EQ(assess(scene, found, {}, settings).error().code, ErrorCode::bad_setting);
}

TEST(Spread, IsTheMedianTheNinetyFifthAndTheWorst) {
  std::vector<double> values;
  for (int i = 100; i > 0; --i) {
    values.push_back(i);
  }
  const Spread spread = make_spread(values);
  EXPECT_EQ(spread.median, 50);
  EXPECT_EQ(spread.p95, 95);
  EXPECT_EQ(spread.worst, 100);
  EXPECT_EQ(spread.worst_view, 0U);
  EXPECT_EQ(make_spread({7}).p95, 7);
  EXPECT_EQ(make_spread({}).worst_view, no_index);
}

TEST(CostProfiles, ThatShipAreFourAndValid) {
  ASSERT_EQ(shipped_profiles().size(), 4U);
  for (const CostProfile& profile : shipped_profiles()) {
    EXPECT_TRUE(validate(profile));
    EXPECT_FALSE(profile.about.empty());
    EXPECT_EQ(read_cost_profile(profile.name)->passes.size(), profile.passes.size());
  }
  EXPECT_EQ(read_cost_profile("pocket")->draw_us, 12);
  const auto none = read_cost_profile("toaster");
  ASSERT_FALSE(none);
  EXPECT_NE(none.error().message.find("pocket, headset, couch, desk"), std::string::npos);
}

struct BadProfile {
  const char* toml;
  const char* place;
  const char* text;
};
std::ostream& operator<<(std::ostream& out, const BadProfile& fault) { return out << fault.text; }
class BadProfiles : public testing::TestWithParam<BadProfile> {};

TEST_P(BadProfiles, NameFileLineAndKey) {
  const auto profile = parse_cost_profile(GetParam().toml, "mine.toml");
  ASSERT_FALSE(profile);
  EXPECT_EQ(profile.error().code, ErrorCode::bad_setting);
  EXPECT_EQ(profile.error().place.file, "mine.toml");
  EXPECT_EQ(profile.error().place.pointer, GetParam().place) << to_string(profile.error());
  EXPECT_NE(profile.error().message.find(GetParam().text), std::string::npos)
      << to_string(profile.error());
}

INSTANTIATE_TEST_SUITE_P(
    Faults,
    BadProfiles,
    testing::Values(
        BadProfile{"name = \"a\"\ndraws_us = 3", "line 2", "did you mean draw_us?"},
        BadProfile{"name = \"a\"\n\ndraw_us = \"3\"", "line 3", "microseconds from 0"},
        BadProfile{"name = \"a\"\n[[pass]]\nkind = \"mian\"", "line 2", "main, depth, sun_shadow"},
        BadProfile{"name = \"a\"\n[[pass]]\nkind = \"main\"\nfrm_m = 3", "line 4", "pass.from_m"},
        BadProfile{"name = \"a\"", "", "at least one [[pass]]"},
        BadProfile{"[[pass]]\nkind = \"main\"", "line 1", "needs a name"},
        BadProfile{"name = \"a\"\ndraw_us = -1\n[[pass]]\nkind = \"main\"", "", "draw_us"},
        BadProfile{"name = \"a\"\n[[pass]]\nkind = \"sun_shadow\"\nfrom_m = 9\nto_m = 3", "",
                   "from_m < to_m"},
        BadProfile{"name = \"a\"\nsun_direction = [0, 0, 0]\n[[pass]]\nkind = \"main\"", "",
                   "sun_direction"},
        BadProfile{"name = ", "line 1", ""}));

}  // namespace
}  // namespace wakuzume
