// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <algorithm>
#include <functional>
#include <map>

#include "support/process.h"
#include "support/rig_scene.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"
#include "wakuzume/propose.h"
#include "wakuzume/restore.h"
#include "wakuzume/verify.h"

/// What a skeleton carries becomes one mesh a material, and is where it was in every pose.
namespace wakuzume {
namespace {

struct Merged {
  Scene scene;
  Survey survey;
  Plan plan;
  Built built;
};

Merged merge(Scene scene, const ProposeSettings& settings) {
  Merged out;
  out.scene = std::move(scene);
  out.survey = *survey(out.scene);
  out.plan = *propose(out.scene, out.survey, settings);
  auto built = build(out.scene, out.plan);
  EXPECT_TRUE(built) << to_string(built.error());
  out.built = std::move(*built);
  return out;
}

const ProposeSettings all_skinned{.repeats = Repeats::merge, .rigid_parts = RigidParts::skin};

class RandomRigs : public testing::TestWithParam<std::uint32_t> {};

TEST_P(RandomRigs, StandWhereTheyStoodInEveryPose) {
  for (std::uint32_t i = 0; i < 12; ++i) {
    const std::uint32_t seed = 100 * GetParam() + i;
    SCOPED_TRACE(seed);
    const Merged made = merge(test::make_random_rig(seed), all_skinned);
    const auto checked = check_scene(made.built.scene);
    ASSERT_TRUE(checked) << to_string(checked.error());
    const auto verdict = verify(made.scene, made.built.scene, made.built.ledger);
    ASSERT_TRUE(verdict);
    ASSERT_TRUE(verdict->passed) << verdict->mismatches[0].path << ": "
                                 << verdict->mismatches[0].what;
    EXPECT_GT(verdict->fates[static_cast<std::size_t>(Fate::merged)], 0U);
    EXPECT_GT(verdict->poses, 1U);
    for (int animation = -1; animation < 2; ++animation) {
      for (const double time : {0.0, 0.33, 0.71, 1.4}) {
        EXPECT_LT(test::find_motion_error(made.scene, made.built.scene, made.built.ledger,
                                          animation, time),
                  1e-5)
            << "animation " << animation << " at " << time;
      }
    }
  }
}
INSTANTIATE_TEST_SUITE_P(Seeds, RandomRigs, testing::Range(0U, 6U));

TEST(RandomRigs, AreRestoredWholeAndInPart) {
  for (std::uint32_t seed = 900; seed < 920; ++seed) {
    SCOPED_TRACE(seed);
    const Merged made = merge(test::make_random_rig(seed), all_skinned);
    const auto whole =
        restore(made.built.scene, made.built.ledger, made.scene, {.everything = true});
    ASSERT_TRUE(whole) << to_string(whole.error());
    EXPECT_EQ(make_content_hash(whole->scene), make_content_hash(made.scene));
    RestoreChoice half;
    for (std::size_t r = 0; r < made.built.ledger.rows.size(); r += 2) {
      const LedgerRow& row = made.built.ledger.rows[r];
      if (row.fate == Fate::merged) {
        half.nodes.push_back(make_node_path(made.scene, row.source.node));
      }
    }
    const auto part = restore(made.built.scene, made.built.ledger, made.scene, half);
    ASSERT_TRUE(part) << to_string(part.error());
    const auto checked = check_scene(part->scene);
    ASSERT_TRUE(checked) << to_string(checked.error());
    const auto verdict = verify(made.scene, part->scene, part->ledger);
    ASSERT_TRUE(verdict) << to_string(verdict.error());
    EXPECT_TRUE(verdict->passed) << verdict->mismatches[0].path << ": "
                                 << verdict->mismatches[0].what;
    EXPECT_LT(test::find_motion_error(made.scene, part->scene, part->ledger, 0, 0.6), 1e-5);
  }
}

TEST(RandomRigs, ShareWhatEqualFiguresAreMergedInto) {
  std::size_t shared = 0;
  for (std::uint32_t seed = 300; seed < 320; ++seed) {
    SCOPED_TRACE(seed);
    const Merged made = merge(test::make_random_rig(seed, {.figures = 3}), all_skinned);
    const auto verdict = verify(made.scene, made.built.scene, made.built.ledger);
    ASSERT_TRUE(verdict && verdict->passed) << verdict->mismatches[0].what;
    EXPECT_LT(test::find_motion_error(made.scene, made.built.scene, made.built.ledger, 0, 0.4),
              1e-5);
    std::map<MeshId, std::size_t> uses;
    for (const LedgerResult& result : made.built.ledger.results) {
      ++uses[made.built.scene[result.node].mesh];
    }
    for (const auto& [mesh, count] : uses) {
      shared += count > 1 ? 1U : 0U;
    }
    const auto part = restore(made.built.scene, made.built.ledger, made.scene,
                              {.nodes = {make_node_path(made.scene, made.survey.draws[0].node)}});
    if (part) {
      const auto again = verify(made.scene, part->scene, part->ledger);
      EXPECT_TRUE(again && again->passed) << again->mismatches[0].what;
    }
  }
  EXPECT_GT(shared, 10U);
}

TEST(Deformed, HasNoColliderAndIsNoAsset) {
  const Scene scene = test::make_random_rig(1);
  ProposeSettings settings = all_skinned;
  settings.colliders = ColliderShape::hull;
  const Plan plan = *propose(scene, *survey(scene), settings);
  const auto built = build(scene, plan, {.assets = {"*"}});
  ASSERT_TRUE(built);
  EXPECT_TRUE(built->assets.empty());
  for (const LedgerResult& result : built->ledger.results) {
    EXPECT_EQ(result.collider, no_node) << result.group;
  }
  const auto told = [&](const char* what) {
    return std::any_of(
        built->ledger.left_out.begin(), built->ledger.left_out.end(),
        [&](const std::string& line) { return line.find(what) != std::string::npos; });
  };
  EXPECT_TRUE(told("no collider") && told("no asset"));
  const auto carried = build(scene, plan, {.carry_source = CarrySource::hidden});
  ASSERT_TRUE(carried);
  ASSERT_TRUE(check_scene(carried->scene));
  const auto source = find_carried_source(carried->scene, carried->ledger);
  ASSERT_TRUE(source);
  EXPECT_EQ(make_content_hash(*source), make_content_hash(scene));
}

/// What names parts by their numbers would name others.
TEST(Deformed, StaysWhereAnExtensionSpeaksOfIt) {
  Scene scene = test::make_random_rig(1);
  const Survey before = *survey(scene);
  const auto free = [](const Survey& found) {
    return std::count_if(found.draws.begin(), found.draws.end(),
                         [](const Draw& d) { return d.stay == StayRule::skinned && d.deformed; });
  };
  const Draw& named = before.draws.front();
  ASSERT_TRUE(named.deformed);
  scene.extra.ensure().extensions.push_back(
      {"ACME_faces",
       "{\"binds\":[{\"node\":" + std::to_string(to_index(named.node)) + ",\"index\":0}]}"});
  const Survey after = *survey(scene);
  EXPECT_EQ(free(after), free(before) - 1);
  EXPECT_EQ(after.draws.front().stay, StayRule::own_extension);
  EXPECT_NE(after.causes[after.draws.front().cause].why.find("ACME_faces"), std::string::npos);
}

/// The bytes of a stream as floats, to be changed.
std::vector<float> take_floats(const Scene& scene, StreamId stream) {
  return make_floats(scene, stream);
}

void put_floats(Scene& scene, StreamId stream, std::vector<float> values) {
  BlockView view;
  view.block = make_id<BlockId>(scene.blocks.size());
  view.length = values.size() * sizeof(float);
  scene.blocks.emplace_back().bytes = make_bytes(std::move(values));
  Stream& changed = scene.streams[to_index(stream)];
  changed.view = make_id<ViewId>(scene.views.size());
  changed.offset = 0;
  scene.views.push_back(view);
}

/// What a proof in one pose would not see.
TEST(ProofInMotion, RejectsWhatMovesOtherwise) {
  // The first whose first result has tracks of weights, of more than one value.
  const auto has_tracks = [](const Merged& rig) {
    const NodeId node = rig.built.ledger.results.front().node;
    return std::any_of(rig.built.scene.animations.begin(), rig.built.scene.animations.end(),
                       [&](const Animation& animation) {
                         return std::any_of(
                             animation.channels.begin(), animation.channels.end(),
                             [&](const AnimationChannel& channel) { return channel.node == node; });
                       });
  };
  Merged made;
  for (std::uint32_t seed = 3; made.scene.nodes.empty() || !has_tracks(made); ++seed) {
    made = merge(test::make_random_rig(seed), all_skinned);
  }
  const LedgerResult& result = made.built.ledger.results.front();
  ASSERT_FALSE(result.joints.empty());
  ASSERT_FALSE(result.targets.empty());
  const Node& node = made.built.scene[result.node];
  struct Spoiling {
    const char* name;
    std::function<void(Scene&)> spoil;
  };
  const Spoiling spoilings[] = {
      {"joints",
       [&](Scene& s) {
         Skin& skin = s.skins[to_index(node.skin)];
         std::swap(skin.joints.front(), skin.joints.back());
       }},
      {"bind pose",
       [&](Scene& s) {
         const StreamId binds = s.skins[to_index(node.skin)].inverse_bind_matrices;
         std::vector<float> values = take_floats(s, binds);
         for (std::size_t j = 0; j < values.size() / 16; ++j) {
           values[16 * j + 12] += 0.001F;
         }
         put_floats(s, binds, std::move(values));
       }},
      {"weights", [&](Scene& s) { s.meshes[to_index(node.mesh)].weights.front() += 0.25; }},
      {"a track of weights",
       [&](Scene& s) {
         for (Animation& animation : s.animations) {
           for (const AnimationChannel& channel : animation.channels) {
             if (channel.node == result.node) {
               const StreamId output = animation.samplers[channel.sampler].output;
               std::vector<float> values = take_floats(s, output);
               for (float& value : values) {
                 value += 0.1F;
               }
               put_floats(s, output, std::move(values));
             }
           }
         }
       }},
      {"a joint's track",
       [&](Scene& s) {
         for (Animation& animation : s.animations) {
           for (const AnimationChannel& channel : animation.channels) {
             if (channel.path == "rotation") {
               const StreamId output = animation.samplers[channel.sampler].output;
               std::vector<float> values = take_floats(s, output);
               std::swap(values[0], values[3]);
               put_floats(s, output, std::move(values));
             }
           }
         }
       }},
      {"a target", [&](Scene& s) {
         Primitive& primitive = s.meshes[to_index(node.mesh)].primitives[result.primitive];
         std::swap(primitive.morph_targets.front(), primitive.morph_targets.back());
       }}};
  for (const Spoiling& one : spoilings) {
    Scene spoilt = made.built.scene;
    one.spoil(spoilt);
    Ledger ledger = made.built.ledger;
    ledger.result_hash = make_content_hash(spoilt);
    const auto verdict = verify(made.scene, spoilt, ledger);
    ASSERT_TRUE(verdict) << one.name;
    EXPECT_FALSE(verdict->passed) << one.name;
    EXPECT_FALSE(verdict->rejected.empty()) << one.name;
  }
  Scene same = made.built.scene;
  Ledger ledger = made.built.ledger;
  ledger.result_hash = make_content_hash(same);
  EXPECT_TRUE(verify(made.scene, same, ledger)->passed);
}

/// The tool from end to end: merged, drawn in poses, told on the page, put back.
TEST(ProofInMotion, IsToldByTheToolAndPlayedOnThePage) {
  const auto folder = test::make_scratch();
  const std::string file = (folder / "figure.glb").string();
  ASSERT_TRUE(write_scene(test::make_random_rig(3), file));
  const test::Outcome run =
      test::run_tool_small({"run", file, "-o", (folder / "out").string(), "--rigid-parts", "skin"});
  ASSERT_EQ(run.exit_code, 0) << run.err;
  EXPECT_NE(run.out.find("in motion: "), std::string::npos) << run.out;
  EXPECT_NE(run.out.find("8 poses drawn before and after"), std::string::npos) << run.out;
  const std::string page = test::read_all(folder / "out/figure.report.html");
  EXPECT_NE(page.find("\"poses\":[{\"name\":"), std::string::npos);
  const std::string verdict = test::read_all(folder / "out/figure.verdict.json");
  EXPECT_NE(verdict.find("\"posed_views\""), std::string::npos);
  const test::Outcome back = test::run_tool(
      {"restore", (folder / "out/figure.glb").string(), "-o", (folder / "back.glb").string()});
  ASSERT_EQ(back.exit_code, 0) << back.err;
  EXPECT_EQ(make_content_hash(*read_scene((folder / "back.glb").string())),
            make_content_hash(*read_scene(file)));
}

/// Primitives of one node go into results of several materials, and have one weight all the same.
TEST(ProofInMotion, PosesAllThatTheTargetsOfANodeMove) {
  const auto folder = test::make_scratch();
  Scene scene = test::make_random_rig(3);
  for (Mesh& mesh : scene.meshes) {
    if (!mesh.weights.empty()) {
      Primitive& twin = mesh.primitives.emplace_back(mesh.primitives.front());
      twin.material = make_id<MaterialId>((to_index(twin.material) + 1) % scene.materials.size());
    }
  }
  const std::string file = (folder / "figure.glb").string();
  ASSERT_TRUE(write_scene(scene, file));
  const test::Outcome run = test::run_tool_small(
      {"run", file, "-o", (folder / "out").string(), "--rigid-parts", "skin", "--mend", "never"});
  EXPECT_EQ(run.exit_code, 0) << run.out;
  EXPECT_NE(run.out.find("8 poses drawn before and after"), std::string::npos) << run.out;
}

TEST(RandomMachines, BecomeOneMeshOnRequestAndMoveAsTheyDid) {
  for (std::uint32_t seed = 0; seed < 60; ++seed) {
    SCOPED_TRACE(seed);
    const Scene scene = test::make_random_machine(seed);
    const Merged kept = merge(scene, {});
    EXPECT_TRUE(kept.built.scene.skins.empty());
    const Merged made = merge(scene, {.rigid_chains = RigidChains::skin});
    const auto verdict = verify(made.scene, made.built.scene, made.built.ledger);
    ASSERT_TRUE(verdict && verdict->passed) << verdict->mismatches[0].what;
    EXPECT_LE(verdict->after.draws, count_totals(kept.built.scene).draws);
    for (const double time : {0.0, 0.3, 0.9, 2.0}) {
      EXPECT_LT(test::find_motion_error(made.scene, made.built.scene, made.built.ledger, 0, time),
                1e-5);
    }
    const auto whole =
        restore(made.built.scene, made.built.ledger, made.scene, {.everything = true});
    ASSERT_TRUE(whole);
    EXPECT_EQ(make_content_hash(whole->scene), make_content_hash(made.scene));
  }
}

}  // namespace
}  // namespace wakuzume
