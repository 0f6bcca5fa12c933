// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/wishes.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <functional>
#include <random>
#include <set>

#include "support/process.h"
#include "support/rooms.h"
#include "support/scene_builder.h"
#include "wakuzume/image.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/settings_file.h"

/// What wishes speak of, and that they can be said everywhere.
namespace wakuzume {
namespace {

/// Paths of the nodes of draws, in order.
std::vector<std::string> list_paths(const Scene& scene,
                                    const Survey& found,
                                    const std::vector<DrawId>& draws) {
  std::vector<std::string> out;
  std::transform(draws.begin(), draws.end(), std::back_inserter(out),
                 [&](DrawId id) { return make_node_path(scene, found[id].node); });
  return out;
}

class Street : public testing::Test {
 protected:
  Street() {
    const MaterialId glass = builder_.add_material("glass_clear");
    const MaterialId wall = builder_.add_material("wall (old) and worn");
    const MeshId pane = builder_.add_mesh("pane", test::make_square(), glass);
    const MeshId stone = builder_.add_mesh("stone", test::make_tetrahedron(), wall);
    const NodeId hall = builder_.add_node("hall");
    builder_.set_extras(hall, R"({"room":"east wing","wear":0.25})");
    builder_.add_node("pane_a", pane, {}, hall);
    builder_.add_node("stone_a", stone, test::at(2), hall);
    const NodeId door = builder_.add_node("door", pane, test::at(4));
    builder_.set_extras(door, R"({"static":false,"wear":12})");
    builder_.add_node("stone_b", stone, test::at(6), door);
    scene_ = builder_.finish();
    found_ = *survey(scene_);
  }

  [[nodiscard]] std::vector<std::string> find(const std::string& wish,
                                              WishOver over = WishOver::node_paths) const {
    const auto draws = find_draws(scene_, found_, wish, over);
    EXPECT_TRUE(draws) << (draws ? "" : draws.error().message);
    return draws ? list_paths(scene_, found_, *draws) : std::vector<std::string>{};
  }
  using Paths = std::vector<std::string>;

  test::SceneBuilder builder_;
  Scene scene_;
  Survey found_;
};

TEST_F(Street, IsSpokenOfByGlobsAndTerms) {
  const std::string pane_a = "/hall/pane_a";
  const std::string stone_a = "/hall/stone_a";
  const std::string stone_b = "/door/stone_b";
  EXPECT_EQ(find("/hall/*"), (Paths{pane_a, stone_a}));
  EXPECT_EQ(find("node=/hall/*"), (Paths{pane_a, stone_a}));
  EXPECT_EQ(find("material=glass_*"), (Paths{pane_a, "/door"}));
  EXPECT_EQ(find("material='wall (old) and worn'"), (Paths{stone_a, stone_b}));
  EXPECT_EQ(find("triangles>2"), (Paths{stone_a, stone_b}));
  EXPECT_EQ(find("static=no"), (Paths{"/door", stone_b}));
  EXPECT_EQ(find("static=no and not mesh=pane"), (Paths{stone_b}));
  EXPECT_EQ(find("mesh=pane or mesh=stone and static=no"), (Paths{pane_a, "/door", stone_b}))
      << "and binds closer";
  EXPECT_EQ(find("(mesh=pane or mesh=stone) and static=no"), (Paths{"/door", stone_b}));
  EXPECT_EQ(find("not(static=no)and(triangles<=2)"), (Paths{pane_a}));
  EXPECT_EQ(find("extras.room='east wing'"), (Paths{pane_a, stone_a})) << "for all below";
  EXPECT_EQ(find("extras.room="), (Paths{"/door", stone_b})) << "who has none";
  EXPECT_EQ(find("extras.wear>9"), (Paths{"/door", stone_b})) << "as numbers, not as texts";
  EXPECT_EQ(find("glass_*", WishOver::materials), (Paths{pane_a, "/door"}));
  EXPECT_EQ(find("node=/hall/pane_a", WishOver::materials), (Paths{pane_a, "/door"}))
      << "all that shows a material of which some draw matches";
}

TEST_F(Street, HasNothingUnderWishesThatCanNotBeRead) {
  const std::vector<std::pair<std::string, std::string>> wrong{
      {"matrial=glass", "did you mean material?"},
      {"triangles>many", "compared with a number"},
      {"triangles!2", "the operator is !="},
      {"triangles=>2", "is no condition"},
      {"(mesh=pane", "a bracket is not closed"},
      {"mesh=pane)", "a bracket closes that none opened"},
      {"mesh='pane", "a quote is not closed"},
      {"mesh='pane' stone", "is left over"},
      {"mesh=pane and", "is no condition"},
      {"mesh=pane or not", "is no condition"},
  };
  for (const auto& [wish, why] : wrong) {
    const auto draws = find_draws(scene_, found_, wish);
    ASSERT_FALSE(draws) << wish;
    EXPECT_EQ(draws.error().code, ErrorCode::bad_setting) << wish;
    EXPECT_NE(draws.error().message.find(why), std::string::npos) << draws.error().message;
    EXPECT_NE(draws.error().message.find(wish), std::string::npos) << "names it";
    EXPECT_FALSE(validate_wish(wish)) << wish;
  }
  std::string deep(5000, '(');
  EXPECT_FALSE(validate_wish(deep + "mesh=pane" + std::string(5000, ')')));
  EXPECT_TRUE(validate_wish("((((not (not (mesh=pane))))))"));
}

TEST(Wishes, AreGlobsUnlessTheyBeginLikeTerms) {
  for (const char* glob : {"*_collider", "/a=b/c", "Glass=3", "rock (2)", "not_a_name", "stone", "",
                           "not stone", "[a-c]*", "*=3"}) {
    EXPECT_FALSE(is_terms(glob)) << glob;
    EXPECT_TRUE(validate_wish(glob)) << glob;
  }
  for (const char* terms : {"a=b", "not (a=b)", "not(a=b)", "((triangles > 5))", "extras.Room!=x",
                            "not not static=no"}) {
    EXPECT_TRUE(is_terms(terms)) << terms;
  }
}

// ---- by brute force ----------------------------------------------------------------------------

using Holds = std::function<bool(const Scene&, const Survey&, const Draw&)>;
struct Said {
  std::string text;
  Holds holds;
};

Said say_one(std::mt19937& random) {
  const auto number = random() % 12;
  switch (random() % 5) {
    case 0:
      return {"triangles>" + std::to_string(number),
              [=](const Scene&, const Survey&, const Draw& d) { return d.triangles > number; }};
    case 1:
      return {"vertices <= " + std::to_string(number),
              [=](const Scene&, const Survey&, const Draw& d) { return d.vertices <= number; }};
    case 2:
      return {"static=yes", [](const Scene&, const Survey& s, const Draw& d) {
                return s[d.key].moving_root == no_node;
              }};
    case 3:
      return {"mirrored!=no",
              [](const Scene&, const Survey&, const Draw& d) { return d.mirrored; }};
    default:
      return {
          "primitive=" + std::to_string(number % 3),
          [=](const Scene&, const Survey&, const Draw& d) { return d.primitive == number % 3; }};
  }
}

/// Terms with brackets wherever they are not needed, too.
Said say(std::mt19937& random, int depth) {
  const auto kind = depth == 0 ? 3U : random() % 4;
  if (kind == 3) {
    return say_one(random);
  }
  const Said left = say(random, depth - 1);
  if (kind == 2) {
    return {"not (" + left.text + ")",
            [=](const Scene& a, const Survey& b, const Draw& c) { return !left.holds(a, b, c); }};
  }
  const Said right = say(random, depth - 1);
  if (kind == 1) {
    return {"(" + left.text + ") or (" + right.text + ")",
            [=](const Scene& a, const Survey& b, const Draw& c) {
              return left.holds(a, b, c) || right.holds(a, b, c);
            }};
  }
  return {"(" + left.text + ") and (" + right.text + ")",
          [=](const Scene& a, const Survey& b, const Draw& c) {
            return left.holds(a, b, c) && right.holds(a, b, c);
          }};
}

TEST(Wishes, SpeakOfWhatEachDrawSaysOfItself) {
  std::mt19937 random(24);
  std::size_t hits = 0;
  for (std::uint32_t seed = 0; seed < 8; ++seed) {
    const Scene scene = test::make_random_scene(seed, 40);
    const Survey found = *survey(scene);
    for (int i = 0; i < 60; ++i) {
      const Said said = say(random, 3);
      const auto draws = find_draws(scene, found, said.text);
      ASSERT_TRUE(draws) << said.text;
      std::vector<DrawId> wanted;
      for (std::size_t d = 0; d < found.draws.size(); ++d) {
        if (said.holds(scene, found, found.draws[d])) {
          wanted.push_back(make_id<DrawId>(d));
        }
      }
      ASSERT_EQ(*draws, wanted) << said.text;
      hits += wanted.size();
    }
  }
  EXPECT_GT(hits, 1000U);
}

// ---- rules of the survey -----------------------------------------------------------------------

TEST_F(Street, KeepsSingleDrawsByTermsAndAllBelowByGlobs) {
  SurveySettings rules;
  rules.keep_nodes = {"triangles>2 and static=yes"};
  const Survey kept = *survey(scene_, rules);
  EXPECT_EQ(kept.stay_counts[static_cast<std::size_t>(StayRule::excluded)], 1U);
  const auto hit = std::find_if(kept.draws.begin(), kept.draws.end(),
                                [](const Draw& d) { return d.stay == StayRule::excluded; });
  EXPECT_EQ(make_node_path(scene_, hit->node), "/hall/stone_a");
  EXPECT_EQ(kept.causes[hit->cause].why, "matches \"triangles>2 and static=yes\"");
  EXPECT_EQ(kept.wishes,
            (std::vector<WishUse>{{"survey.keep_nodes", "triangles>2 and static=yes", "", 1}}));
  rules.keep_nodes = {"/door", "/nowhere"};
  const Survey below = *survey(scene_, rules);
  EXPECT_EQ(below.stay_counts[static_cast<std::size_t>(StayRule::excluded)], 2U);
  EXPECT_EQ(below.wishes, (std::vector<WishUse>{{"survey.keep_nodes", "/door", "", 2},
                                                {"survey.keep_nodes", "/nowhere", "", 0}}));
  EXPECT_EQ(list_idle(below.wishes),
            (Paths{"survey.keep_nodes: nothing that is drawn matches \"/nowhere\""}));
}

TEST_F(Street, MovesByTermsAsItWasBeforeThem) {
  SurveySettings rules;
  rules.moving_nodes = {"static=yes and mesh=pane"};
  const Survey moved = *survey(scene_, rules);
  EXPECT_EQ(moved.wishes.front().draws, 1U) << "not asked of what they changed";
  ASSERT_EQ(moved.settings.answers.size(), 1U);
  // Names may go; the answer stays.
  Scene renamed = scene_;
  for (Mesh& mesh : renamed.meshes) {
    mesh.name = "merged";
  }
  const Survey again = *survey(renamed, moved.settings);
  for (std::size_t d = 0; d < moved.draws.size(); ++d) {
    EXPECT_EQ(again[again.draws[d].key].moving_root, moved[moved.draws[d].key].moving_root) << d;
  }
  EXPECT_EQ(again.stay_counts, moved.stay_counts);
  EXPECT_EQ(moved.stay_counts[static_cast<std::size_t>(StayRule::marked_moving)], 3U);
}

TEST_F(Street, HasHelpersByTermsAndRefusesWrongOnesByTheirSetting) {
  SurveySettings rules;
  rules.collider_nodes = {"extras.wear=12 and mesh=stone"};
  EXPECT_EQ(survey(scene_, rules)->stay_counts[static_cast<std::size_t>(StayRule::collider)], 1U);
  rules.collider_nodes = {"weight=12"};
  EXPECT_NE(survey(scene_, rules).error().message.find("survey.collider_nodes"), std::string::npos);
  EXPECT_EQ(validate(rules).error().code, ErrorCode::bad_setting);
}

// ---- one table for the library, settings, plans and the line -----------------------------------

struct Saying {
  const char* name;
  void (*set)(Settings& settings);  ///< in the library
  const char* toml;
  std::vector<std::string> line;
  /// Of the plan's uses; -1: it is not one that is counted.
  int draws = -1;
};
void PrintTo(const Saying& saying, std::ostream* out) { *out << saying.name; }

const std::vector<Saying>& list_sayings() {
  static const std::vector<Saying> sayings{
      {"keep",
       [](Settings& s) { s.survey.keep_nodes = {"triangles>=60 or static=no"}; },
       "[survey]\nkeep_nodes = [\"triangles>=60 or static=no\"]",
       {"--keep", "triangles>=60 or static=no"},
       12},
      {"moving",
       [](Settings& s) { s.survey.moving_nodes = {"material=sign_* and static=yes"}; },
       "[survey]\nmoving_nodes = [\"material=sign_* and static=yes\"]",
       {"--moving", "material=sign_* and static=yes"},
       4},
      {"helper",
       [](Settings& s) {
         s.survey.collider_nodes.insert(s.survey.collider_nodes.begin(), "material=wall_0");
       },
       "[survey]\ncollider_nodes = [\"material=wall_0\", \"*_collider\", \"*_collision\"]",
       {"--helper", "material=wall_0"},
       2},
      {"route",
       [](Settings& s) {
         s.materials.goal = MaterialGoal::fewest_draws;
         s.materials.routes = {"material=sign_* and extras.room=hall=stay"};
       },
       "[materials]\ngoal = \"fewest_draws\"\nroutes = [\"material=sign_* and "
       "extras.room=hall=stay\"]",
       {"--materials", "fewest_draws", "--route", "material=sign_* and extras.room=hall=stay"},
       4},
      {"tile_scale",
       [](Settings& s) {
         s.materials.goal = MaterialGoal::fewest_draws;
         s.materials.scales = {"not material=sign*=0.5"};
       },
       "[materials]\ngoal = \"fewest_draws\"\nscales = [\"not material=sign*=0.5\"]",
       {"--materials", "fewest_draws", "--tile-scale", "not material=sign*=0.5"},
       20},
      {"together",
       [](Settings& s) { s.materials.together = {"material=sign_* or material=wall_1=signs"}; },
       "[materials]\ntogether = [\"material=sign_* or material=wall_1=signs\"]",
       {"--together", "material=sign_* or material=wall_1=signs"},
       6},
      {"bake_onto",
       [](Settings& s) { s.materials.layouts = {"node=/hut/*=hut:1:32px"}; },
       "[materials]\nlayouts = [\"node=/hut/*=hut:1:32px\"]",
       {"--bake-onto", "node=/hut/*=hut:1:32px"},
       4},
      {"page_each",
       [](Settings& s) {
         s.materials.goal = MaterialGoal::full_resolution;
         s.materials.place_key = "room";
       },
       "[materials]\ngoal = \"full_resolution\"\nplace_key = \"room\"",
       {"--materials", "full_resolution", "--page-each", "room"}},
      {"split",
       [](Settings& s) { s.split.nodes = {"mesh=ball and extras.room=hall"}; },
       "[split]\nnodes = [\"mesh=ball and extras.room=hall\"]",
       {"--split", "mesh=ball and extras.room=hall"},
       6},
      {"as_asset",
       [](Settings& s) { s.propose.assets = {"mesh=ball"}; },
       "[propose]\nassets = [\"mesh=ball\"]",
       {"--as-asset", "mesh=ball"}},
      {"only",
       [](Settings& s) {
         s.reduce.share = 0.5;
         s.reduce.nodes = {"extras.room=hall and triangles>=60"};
       },
       "[reduce]\nshare = 0.5\nnodes = [\"extras.room=hall and triangles>=60\"]",
       {"--reduce", "50%", "--only", "extras.room=hall and triangles>=60"},
       6},
      {"protect",
       [](Settings& s) {
         s.reduce.share = 0.5;
         s.reduce.protect = {"mesh=wall_0 and not extras.room=hall"};
       },
       "[reduce]\nshare = 0.5\nprotect = [\"mesh=wall_0 and not extras.room=hall\"]",
       {"--reduce", "50%", "--protect", "mesh=wall_0 and not extras.room=hall"},
       1},
      {"instance_value",
       [](Settings& s) {
         s.propose.instance_values = {"extras.wear", "id"};
       },
       "[propose]\ninstance_values = [\"extras.wear\", \"id\"]",
       {"--instance-value", "extras.wear", "--instance-value", "id"}},
      {"tag_key",
       [](Settings& s) {
         s.survey.tag_keys = {"room=the room", "tag"};
       },
       "[survey]\ntag_keys = [\"room=the room\", \"tag\"]",
       {"--tag-key", "room=the room"}},
  };
  return sayings;
}

class EveryWay : public testing::TestWithParam<Saying> {
 protected:
  EveryWay() : folder_(test::make_scratch()) {
    EXPECT_TRUE(write_scene(test::make_rooms(), path("s.glb")));
  }
  [[nodiscard]] std::string path(const std::string& name) const {
    return (folder_ / name).string();
  }
  [[nodiscard]] std::string propose_by(std::vector<std::string> line,
                                       const std::string& out) const {
    line.insert(line.begin(), "propose");
    line.insert(line.end(), {"-o", path(out), "--views", "4"});
    const test::Outcome outcome = test::run_tool(line);
    EXPECT_EQ(outcome.exit_code, 0) << outcome.out << outcome.err;
    return test::read_all(path(out));
  }

  std::filesystem::path folder_;
};

TEST_P(EveryWay, IsOneWish) {
  const Saying& saying = GetParam();
  // The library.
  Job job;
  job.settings.views.count = 4;
  saying.set(job.settings);
  job.profile = *read_cost_profile(job.settings.profile);
  const StandardCodec codec;
  auto prepared = prepare(*read_scene(path("s.glb")), job, {codec});
  ASSERT_TRUE(prepared) << to_string(prepared.error());
  Plan plan = *propose(*prepared, job);
  plan.scene_path = "s.glb";
  const std::string by_library = to_json(prepared->source.scene, plan);
  if (saying.draws >= 0) {
    ASSERT_EQ(plan.wishes.size(), 1U);
    EXPECT_EQ(plan.wishes.front().draws, static_cast<std::uint64_t>(saying.draws));
  }
  // It changes something, or the rest shows nothing.
  EXPECT_NE(by_library, propose_by({path("s.glb")}, "without.json"));
  // Settings and the line.
  test::write_all(path("wishes.toml"), saying.toml);
  EXPECT_EQ(propose_by({path("s.glb"), "--settings", path("wishes.toml")}, "t.json"), by_library);
  std::vector<std::string> line{path("s.glb")};
  line.insert(line.end(), saying.line.begin(), saying.line.end());
  EXPECT_EQ(propose_by(line, "l.json"), by_library);
  // A plan holds it: read again and planned anew by its own settings it is the same.
  EXPECT_EQ(to_json(prepared->source.scene, *read_plan(path("l.json"))), by_library);
  EXPECT_EQ(propose_by({"--revise", path("l.json")}, "p.json"), by_library);
}

INSTANTIATE_TEST_SUITE_P(Wish, EveryWay, testing::ValuesIn(list_sayings()), [](const auto& one) {
  return std::string(one.param.name);
});

}  // namespace
}  // namespace wakuzume
