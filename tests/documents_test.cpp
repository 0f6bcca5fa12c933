// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>
#include <simdjson.h>

#include <ostream>

#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"
#include "wakuzume/settings_file.h"

namespace wakuzume {
namespace {

struct AllMade {
  Scene scene;
  Survey survey;
  Plan plan;
  Built built;
};

AllMade make_all(std::uint32_t seed) {
  AllMade made;
  made.scene = test::make_random_scene(seed, 60);
  made.survey = *survey(made.scene);
  made.plan = *propose(made.scene, made.survey,
                       {.min_instances = 3, .repeats = Repeats::instance, .cell_size_m = 12.5});
  made.plan.scene_path = "some where/\"scene\".glb";
  made.built = *build(made.scene, made.plan);
  return made;
}

Assessment assess_all(const AllMade& made) {
  AssessSettings settings;
  settings.profile = shipped_profiles().front();
  settings.budgets = {{"draws_per_view", 10}};
  settings.tiers = {{"easy", {{"materials", 1000}}}, {"hard", {{"materials", 0}}}};
  return *assess(made.scene, made.survey, {}, settings);
}

std::string replace(std::string text, const std::string& what, const std::string& by) {
  const std::size_t at = text.find(what);
  EXPECT_NE(at, std::string::npos) << what;
  return at == std::string::npos ? text : text.replace(at, what.size(), by);
}

TEST(PlanDocument, IsReadBackToTheSamePlan) {
  const auto file = test::make_scratch() / "a.plan.json";
  for (std::uint32_t seed = 0; seed < 5; ++seed) {
    const AllMade made = make_all(seed);
    const std::string json = to_json(made.scene, made.plan);
    ASSERT_TRUE(write_text(file.string(), json));
    const auto plan = read_plan(file.string());
    ASSERT_TRUE(plan) << to_string(plan.error());
    EXPECT_EQ(to_json(made.scene, *plan), json);
    EXPECT_EQ(plan->scene_path, made.plan.scene_path);
    EXPECT_EQ(plan->settings, made.plan.settings);
    EXPECT_TRUE(check_plan(made.scene, *plan));
    const auto built = build(made.scene, *plan);
    ASSERT_TRUE(built);
    EXPECT_EQ(built->ledger.result_hash, made.built.ledger.result_hash)
        << "a plan from a file builds what the plan in memory builds";
  }
}

TEST(PlanDocument, CanBeEditedByHand) {
  // Taking a draw out of its group: move its line to "kept".
  test::SceneBuilder builder;
  for (int i = 0; i < 3; ++i) {
    builder.add_node("n", builder.add_mesh("m", test::make_square()), test::at(i));
  }
  const Scene scene = builder.finish();
  const Plan plan = *propose(scene, *survey(scene), {.repeats = Repeats::merge});
  const auto file = test::make_scratch() / "a.plan.json";
  std::string json = to_json(scene, plan);
  json = replace(json, ",\n        [2,0,\"/n\"]", "");
  json = replace(json, "\"kept\": []", R"("kept": [[2,0,"/n","alone_in_its_cell"]])");
  ASSERT_TRUE(write_text(file.string(), json));
  const auto edited = read_plan(file.string());
  ASSERT_TRUE(edited) << to_string(edited.error());
  const auto coverage = check_plan(scene, *edited);
  ASSERT_TRUE(coverage) << to_string(coverage.error());
  EXPECT_EQ(coverage->kept, 1U);
  const auto built = build(scene, *edited);
  ASSERT_TRUE(built);
  EXPECT_TRUE(verify(scene, built->scene, built->ledger)->passed);
}

struct Spoilt {
  const char* name;
  const char* what;
  const char* by;
  ErrorCode code;
  const char* pointer;
};
std::ostream& operator<<(std::ostream& out, const Spoilt& fault) { return out << fault.name; }

class PlanFaults : public testing::TestWithParam<Spoilt> {};

TEST_P(PlanFaults, AreNamedWithTheirPlace) {
  const AllMade made = make_all(1);
  const auto file = test::make_scratch() / "a.plan.json";
  const std::string json = replace(to_json(made.scene, made.plan), GetParam().what, GetParam().by);
  ASSERT_TRUE(write_text(file.string(), json));
  const auto plan = read_plan(file.string());
  ASSERT_FALSE(plan);
  EXPECT_EQ(plan.error().code, GetParam().code) << to_string(plan.error());
  EXPECT_EQ(plan.error().place.pointer, GetParam().pointer) << to_string(plan.error());
}

INSTANTIATE_TEST_SUITE_P(
    Plan,
    PlanFaults,
    testing::Values(
        Spoilt{"format", "wakuzume-plan", "wakuzume-ledger", ErrorCode::bad_value, ""},
        Spoilt{"version", "\"version\": 16", "\"version\": 2", ErrorCode::bad_value, ""},
        Spoilt{"unknown", "\"cell_size_m\": 12.5", "\"cell_size\": 12.5", ErrorCode::bad_value,
               "/settings/propose/cell_size"},
        Spoilt{"unknown at the root", "\"forecast\"", "\"fore/cast\"", ErrorCode::bad_value,
               "/fore~1cast"},
        Spoilt{"kind", "\"kind\": \"", "\"kind\": \"un", ErrorCode::bad_value, "/groups/0/kind"},
        Spoilt{"type", "\"pivot\": [", "\"pivot\": [\"x\",", ErrorCode::bad_type,
               "/groups/0/pivot/0"},
        Spoilt{"hash", "\"content\": \"", "\"content\": \"xyz", ErrorCode::bad_value,
               "/scene/content"},
        Spoilt{"range", "\"min_instances\": 3", "\"min_instances\": 1", ErrorCode::bad_setting,
               "/settings"},
        Spoilt{"short row", "\"members\": [", "\"members\": [[1],", ErrorCode::bad_value,
               "/groups/0/members/0"},
        Spoilt{"long row", "\"members\": [", "\"members\": [[1,0,\"/a\",0,0],",
               ErrorCode::bad_value, "/groups/0/members/0"},
        Spoilt{"fit", "\"members\": [", "\"members\": [[1,0,\"/a\",77],", ErrorCode::bad_value,
               "/groups/0"},
        Spoilt{"marks of no draw", "\"draws\": [\n      [", "\"draws\": [\n      [1,2],[",
               ErrorCode::bad_value, "/marks/draws/0"},
        Spoilt{"mark cut off", "\"draws\": [\n      [", "\"draws\": [\n      [1,2,0,0],[",
               ErrorCode::bad_value, "/marks/draws/0"},
        Spoilt{"mark", "\"looks\": [", "\"looks\": [], \"geometry\": [",
               ErrorCode::index_out_of_range, "/marks"},
        Spoilt{"syntax", "\"kept\": [", "\"kept\" [", ErrorCode::bad_json, ""}));

/// A scene of which some is merged, some instanced and some kept.
AllMade make_mixed() {
  AllMade made;
  test::SceneBuilder builder;
  const MaterialId paint = builder.add_material("paint");
  const MeshId bolt = builder.add_mesh("bolt", test::make_square(), paint);
  for (int i = 0; i < 40; ++i) {
    builder.add_node("bolt", bolt, test::at(i));
  }
  for (int i = 0; i < 3; ++i) {
    test::MeshData plate = test::make_square();
    plate.positions[0] -= 0.1F * static_cast<float>(i + 1);
    builder.add_node("plate", builder.add_mesh("plate", plate, paint), test::at(i, 5));
  }
  builder.animate(builder.add_node("door", builder.add_mesh("door", test::make_square(), paint)));
  made.scene = builder.finish();
  made.survey = *survey(made.scene);
  made.plan = *propose(made.scene, made.survey, {.repeats = Repeats::instance});
  made.built = *build(made.scene, made.plan);
  return made;
}

TEST(LedgerDocument, IsReadBackRowByRow) {
  const auto file = test::make_scratch() / "a.ledger.json";
  const AllMade made = make_mixed();
  const std::string json = to_json(made.built.ledger);
  ASSERT_TRUE(write_text(file.string(), json));
  const auto ledger = read_ledger(file.string());
  ASSERT_TRUE(ledger) << to_string(ledger.error());
  EXPECT_EQ(to_json(*ledger), json);
  ASSERT_EQ(ledger->rows.size(), made.survey.draws.size());
  std::array<std::size_t, fate_count> fates{};
  for (std::size_t r = 0; r < ledger->rows.size(); ++r) {
    const LedgerRow& row = ledger->rows[r];
    const LedgerRow& before = made.built.ledger.rows[r];
    ++fates[static_cast<std::size_t>(row.fate)];
    EXPECT_EQ(
        std::tuple(row.source, row.fate, row.node, row.primitive, row.instance),
        std::tuple(before.source, before.fate, before.node, before.primitive, before.instance))
        << r;
    EXPECT_EQ(std::tuple(row.first_index, row.index_count, row.first_vertex, row.vertex_count),
              std::tuple(before.first_index, before.index_count, before.first_vertex,
                         before.vertex_count))
        << r;
  }
  EXPECT_EQ(fates[static_cast<std::size_t>(Fate::instanced)], 40U);
  EXPECT_EQ(fates[static_cast<std::size_t>(Fate::merged)], 3U);
  EXPECT_EQ(fates[static_cast<std::size_t>(Fate::kept)], 1U);
  EXPECT_TRUE(verify(made.scene, made.built.scene, *ledger)->passed);
}

TEST(LedgerDocument, RefusesRowsOfAnotherLength) {
  const auto file = test::make_scratch() / "a.ledger.json";
  const AllMade made = make_all(3);
  const std::string json = to_json(made.built.ledger);
  for (const char* rows : {"[0,0,\"merged\",1]", "[0,0,\"merged\",1,0,0,0,3,0,3,9]",
                           "[0,0,\"lost\",1,0,0,0,3,0,3]", "{}"}) {
    ASSERT_TRUE(write_text(file.string(),
                           replace(json, "\"rows\": [", std::string("\"rows\": [") + rows + ",")));
    const auto ledger = read_ledger(file.string());
    ASSERT_FALSE(ledger) << rows;
    EXPECT_EQ(ledger.error().place.pointer.substr(0, 7), "/rows/0");
  }
}

TEST(LedgerDocument, RefusesInstancesThatNameNoRange) {
  const auto file = test::make_scratch() / "a.ledger.json";
  const std::string json = to_json(make_mixed().built.ledger);
  const std::pair<const char*, ErrorCode> cases[] = {
      {"[0,0,1,0,0]", ErrorCode::bad_value},
      {"[0,0,1,0,0,99999]", ErrorCode::index_out_of_range},
  };
  for (const auto& [row, code] : cases) {
    const std::string begin = "\"instances\": [";
    ASSERT_TRUE(write_text(file.string(), replace(json, begin, begin + row + ",")));
    const auto ledger = read_ledger(file.string());
    ASSERT_FALSE(ledger) << row;
    EXPECT_EQ(ledger.error().code, code);
    EXPECT_EQ(ledger.error().place.pointer, "/instances/0");
  }
}

TEST(LedgerDocument, KnowsTheSceneAfterItWasWrittenAndRead) {
  const auto folder = test::make_scratch();
  for (std::uint32_t seed = 40; seed < 50; ++seed) {
    const AllMade made = make_all(seed);
    for (const char* name : {"a.glb", "a.gltf"}) {
      const std::string path = (folder / name).string();
      ASSERT_TRUE(write_scene(made.built.scene, path));
      const auto again = read_scene(path);
      ASSERT_TRUE(again) << to_string(again.error());
      EXPECT_EQ(make_content_hash(*again), made.built.ledger.result_hash) << seed << name;
    }
  }
}

/// The schemas in docs/formats say what the documents are, held against each other by ajv.
TEST(Documents, AreWhatTheirSchemasSay) {
  const auto folder = test::make_scratch();
  const auto judge = [&](const std::vector<std::string>& files) {
    std::vector<std::string> command{WAKUZUME_NODE, WAKUZUME_JUDGES "/schema.mjs"};
    command.insert(command.end(), files.begin(), files.end());
    return test::run_program(command);
  };
  for (std::uint32_t seed = 0; seed < 3; ++seed) {
    AllMade made = make_all(seed);
    const auto verdict = verify(made.scene, made.built.scene, made.built.ledger);
    const ReduceSettings reduce{.share = 0.5,
                                .protect_detail = 20,
                                .relief_px = 64,
                                .collider_triangles = ColliderTriangles::original};
    const std::vector<bool> fine(std::size_t{DetailMask::cells} * DetailMask::cells, true);
    made.plan.reduction =
        *propose_reduction(made.scene, made.survey, reduce, {}, {}, {{ImageId{0}, fine}});
    made.built.ledger.reduction = made.plan.reduction;
    const auto draws = make_draw_table(made.scene, made.survey, {});
    const SharingInput input{&made.scene, &made.survey, {}};
    const Sharing sharing = find_sharing(std::vector<SharingInput>{input, input});
    const std::pair<const char*, std::string> documents[] = {
        {"plan", to_json(made.scene, made.plan)},
        {"ledger", to_json(made.built.ledger)},
        {"survey", to_json(made.scene, made.survey, assess_all(made))},
        {"verdict", to_json(*verdict)},
        {"views", to_json(*make_views(made.scene, made.survey))},
        {"table", to_json(*draws, std::vector<std::uint32_t>{0, 5})},
        {"alternatives", to_json(*list_alternatives(made.scene, made.survey))},
        {"sharing", to_json(std::vector<std::string>{"a.glb", "b.glb"}, sharing)}};
    std::vector<std::string> files;
    for (const auto& [name, json] : documents) {
      files.push_back(std::string(WAKUZUME_SCHEMAS) + "/" + name + ".schema.json");
      files.push_back((folder / name).string());
      ASSERT_TRUE(write_text(files.back(), json));
    }
    const test::Outcome outcome = judge(files);
    EXPECT_EQ(outcome.exit_code, 0) << outcome.out << outcome.err;
  }
  // The judge itself: a ledger is no plan.
  EXPECT_EQ(
      judge({std::string(WAKUZUME_SCHEMAS) + "/plan.schema.json", (folder / "ledger").string()})
          .exit_code,
      1);
}

TEST(SurveyDocument, AddsUp) {
  const AllMade made = make_all(6);
  simdjson::dom::parser parser;
  const simdjson::dom::element root =
      parser.parse(to_json(made.scene, made.survey, assess_all(made)));
  EXPECT_EQ(std::string_view(root["format"]), "wakuzume-survey");
  std::uint64_t draws = 0;
  std::uint64_t staying = 0;
  for (const auto key : root["merge_keys"].get_array()) {
    draws += std::uint64_t(key["draws"]);
    staying += std::uint64_t(key["staying"]);
  }
  EXPECT_EQ(draws, std::uint64_t(root["totals"]["draws"]));
  std::uint64_t by_rule = 0;
  for (const auto rule : root["staying"].get_object()) {
    by_rule += std::uint64_t(rule.value);
  }
  EXPECT_EQ(staying, by_rule);
}

TEST(VerdictDocument, HasCountsBeforeAndAfter) {
  const AllMade made = make_all(7);
  const auto verdict = verify(made.scene, made.built.scene, made.built.ledger);
  simdjson::dom::parser parser;
  const simdjson::dom::element root = parser.parse(to_json(*verdict));
  EXPECT_TRUE(bool(root["passed"]));
  EXPECT_EQ(std::uint64_t(root["before"]["draws"]), made.survey.draws.size());
  EXPECT_EQ(std::uint64_t(root["after"]["draws"]), made.plan.forecast.after.draws);
  EXPECT_EQ(std::uint64_t(root["fates"]["merged"]) + std::uint64_t(root["fates"]["instanced"]) +
                std::uint64_t(root["fates"]["kept"]),
            made.survey.draws.size());
}

}  // namespace
}  // namespace wakuzume
