// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <random>

#include "support/process.h"
#include "support/scene_builder.h"
#include "support/soup.h"
#include "wakuzume/io.h"
#include "wakuzume/revise.h"
#include "wakuzume/settings_file.h"

/// A plan that we made is a plan that we build: whatever the settings, whatever somebody edits,
/// whatever becomes of the scene.
namespace wakuzume {
namespace {

class Dice {
 public:
  explicit Dice(std::uint32_t seed) : engine_(seed) {}
  double between(double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(engine_);
  }
  bool one_in(std::size_t n) { return pick(n) == 0; }
  std::size_t pick(std::size_t size) {
    return std::uniform_int_distribution<std::size_t>(0, size - 1)(engine_);
  }
  template <class T>
  T any_of(std::initializer_list<T> list) {
    return *(list.begin() + static_cast<std::ptrdiff_t>(pick(list.size())));
  }

 private:
  std::mt19937 engine_;
};

ProposeSettings make_any_settings(Dice& dice) {
  ProposeSettings out;
  out.min_instances = static_cast<std::uint32_t>(2 + dice.pick(4));
  out.repeats = static_cast<Repeats>(dice.pick(4));
  out.max_vertices = dice.any_of({3U, 24U, 200U, 65'535U, 1'000'000U});
  out.max_extent_m = dice.any_of({0.0, 0.01, 5.0, 30.0});
  out.cell_size_m = dice.any_of({0.0, 0.0, 4.0, 25.0});
  out.triangle_growth = dice.any_of({0.0, 1.0, 1.2});
  out.memory_growth = dice.any_of({0.0, 1.0, 1.5});
  out.blended = static_cast<Blended>(dice.pick(3));
  out.moving_parts = static_cast<MovingParts>(dice.pick(2));
  out.equal_materials = static_cast<EqualMaterials>(dice.pick(2));
  out.value_storage = static_cast<ValueStorage>(dice.pick(2));
  out.mesh_unit = static_cast<MeshUnit>(dice.pick(2));
  out.colliders = static_cast<ColliderShape>(dice.pick(collider_shape_count));
  if (dice.one_in(2)) {
    out.tints = {"base_color", "metallic", "roughness", "emissive"};
  }
  if (dice.one_in(3)) {
    out.instance_values = {"id", "random"};
  }
  if (dice.one_in(3)) {
    out.cluster_names = dice.any_of<std::string>({"{material}", "x", "{mesh}/{tag}{number}"});
    out.set_names = out.cluster_names;
  }
  return out;
}

Outlook make_outlook(const Scene& scene, const Survey& survey, Dice& dice) {
  Outlook out;
  if (dice.one_in(2)) {
    out.views = *make_views(scene, survey, {.count = 4});
    out.profile = shipped_profiles()[dice.pick(shipped_profiles().size())];
  }
  return out;
}

/// Holds a plan to what is promised of each: it is accepted, in a file too, and built and proved.
void expect_holds(const Scene& scene, const Plan& plan, const std::string& of) {
  SCOPED_TRACE(of);
  const auto coverage = check_plan(scene, plan);
  ASSERT_TRUE(coverage) << to_string(coverage.error());
  EXPECT_EQ(coverage->clustered + coverage->instanced + coverage->kept, coverage->draws);
  const std::string file = (test::make_scratch() / "plan.json").string();
  ASSERT_TRUE(write_document(file, to_json(scene, plan)));
  const auto read = read_plan(file);
  ASSERT_TRUE(read) << to_string(read.error());
  const auto built = build(scene, *read);
  ASSERT_TRUE(built) << to_string(built.error());
  const auto verdict = verify(scene, built->scene, built->ledger);
  ASSERT_TRUE(verdict);
  EXPECT_TRUE(verdict->passed) << verdict->mismatches[0].what;
  const bool collides = std::any_of(plan.groups.begin(), plan.groups.end(), [](const Group& group) {
    return group.collider != ColliderShape::none;
  });
  if (collides) {
    return;  // bodies are meshes too, and nothing of the source
  }
  const auto before = test::make_soup(scene);
  const auto after = test::make_soup(built->scene);
  ASSERT_EQ(before.size(), after.size());
  EXPECT_EQ(test::count_unmatched(before, after, 2e-4), 0U);
}

class PlansOfRandomScenes : public testing::TestWithParam<std::uint32_t> {};

TEST_P(PlansOfRandomScenes, AreAcceptedWhateverTheSettings) {
  for (std::uint32_t i = 0; i < 25; ++i) {
    const std::uint32_t seed = 1000 + GetParam() * 25 + i;
    Dice dice(seed);
    const Scene scene = test::make_random_scene(seed, 10 + dice.pick(40));
    const Survey survey = *wakuzume::survey(scene);
    const ProposeSettings settings = make_any_settings(dice);
    const auto plan =
        propose(scene, survey, settings, make_outlook(scene, survey, dice), RunControl{});
    ASSERT_TRUE(plan) << "seed " << seed << ": " << to_string(plan.error());
    expect_holds(scene, *plan, "seed " + std::to_string(seed));
    for (const Group& group : plan->groups) {
      EXPECT_LE(group.kind == GroupKind::cluster && group.members.size() > 1 ? group.vertices : 0,
                settings.max_vertices)
          << "seed " << seed << ", " << group.name;
    }
  }
}

Edit make_any_edit(const Scene& scene, const Survey& survey, const Plan& plan, Dice& dice) {
  Edit edit{.kind = static_cast<EditKind>(dice.pick(edit_kind_count))};
  const DrawRef draw = {survey.draws[dice.pick(survey.draws.size())].node, 0};
  edit.nodes = dice.one_in(5) ? "*_1*" : make_node_path(scene, draw.node);
  if (!plan.groups.empty() && !dice.one_in(8)) {
    edit.group = plan.groups[dice.pick(plan.groups.size())].name;
  }
  edit.value = dice.any_of<std::string>({"", "shed", "shed", "a/b", edit.group});
  edit.collider = static_cast<ColliderShape>(dice.pick(collider_shape_count));
  edit.pivot_at = static_cast<PivotAt>(dice.pick(pivot_at_count));
  edit.pivot_node = draw.node;
  edit.point = {dice.between(-9, 9), dice.between(-9, 9), dice.between(-9, 9)};
  return edit;
}

TEST_P(PlansOfRandomScenes, AreAcceptedOnceTheirEditsAre) {
  std::size_t taken = 0;
  std::size_t refused = 0;
  for (std::uint32_t i = 0; i < 12; ++i) {
    const std::uint32_t seed = 5000 + GetParam() * 12 + i;
    Dice dice(seed);
    const Scene scene = test::make_random_scene(seed, 24);
    const Survey survey = *wakuzume::survey(scene);
    const ProposeSettings settings = make_any_settings(dice);
    auto plan = propose(scene, survey, settings);
    ASSERT_TRUE(plan);
    for (int e = 0; e < 8; ++e) {
      const Edit edit = make_any_edit(scene, survey, *plan, dice);
      auto edited = edit_plan(scene, survey, *plan, {&edit, 1});
      (edited ? taken : refused) += 1;
      if (edited) {
        plan = std::move(edited);
      } else {
        EXPECT_EQ(edited.error().code, ErrorCode::plan_invalid) << to_string(edited.error());
        EXPECT_FALSE(edited.error().message.empty());
      }
    }
    expect_holds(scene, *plan, "edited, seed " + std::to_string(seed));
    const auto again = revise(scene, survey, *plan, settings);
    ASSERT_TRUE(again) << "seed " << seed << ": " << to_string(again.error());
    expect_holds(scene, *again, "edited and planned again, seed " + std::to_string(seed));
  }
  EXPECT_GT(taken, 10U);
  EXPECT_GT(refused, 10U);
}

/// As people go on with their level: things move, go, and look otherwise.
void change(Scene& scene, Dice& dice) {
  for (Node& node : scene.nodes) {
    if (node.matrix || node.mesh == no_mesh) {
      continue;
    }
    switch (dice.pick(12)) {
      case 0:
        node.trs.translation[dice.pick(3)] += dice.between(-5, 5);
        break;
      case 1:
        node.mesh = no_mesh;
        break;
      case 2:
        node.mesh = make_id<MeshId>(dice.pick(scene.meshes.size()));
        break;
      case 3:
        node.name += "_renamed";
        break;
      default:
        break;
    }
  }
  if (dice.one_in(2)) {
    scene.materials[dice.pick(scene.materials.size())].roughness = dice.between(0, 1);
  }
}

TEST_P(PlansOfRandomScenes, AreTakenOverToWhatTheSceneBecame) {
  std::size_t changes = 0;
  for (std::uint32_t i = 0; i < 12; ++i) {
    const std::uint32_t seed = 9000 + GetParam() * 12 + i;
    Dice dice(seed);
    Scene scene = test::make_random_scene(seed, 30);
    const Survey before = *survey(scene);
    const auto plan = propose(scene, before, make_any_settings(dice));
    ASSERT_TRUE(plan);
    change(scene, dice);
    const Survey after = *survey(scene);
    const auto fits = check_plan(scene, *plan);
    if (fits || after.draws.empty()) {
      continue;  // nothing became of it, or nothing is left
    }
    EXPECT_EQ(fits.error().code, ErrorCode::plan_mismatch) << "seed " << seed;
    changes += list_changes(scene, after, *plan).size();
    const auto rebased = rebase(scene, after, *plan);
    ASSERT_TRUE(rebased) << "seed " << seed << ": " << to_string(rebased.error());
    expect_holds(scene, *rebased, "taken over, seed " + std::to_string(seed));
    EXPECT_TRUE(list_changes(scene, after, *rebased).empty()) << "seed " << seed;
  }
  EXPECT_GT(changes, 20U);
}

INSTANTIATE_TEST_SUITE_P(Lots, PlansOfRandomScenes, testing::Range(0U, 4U));

}  // namespace
}  // namespace wakuzume
