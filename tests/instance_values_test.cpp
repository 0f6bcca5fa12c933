// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <array>
#include <set>

#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/build.h"
#include "wakuzume/io.h"
#include "wakuzume/job.h"
#include "wakuzume/restore.h"
#include "wakuzume/settings_file.h"
#include "wakuzume/spread.h"
#include "wakuzume/verify.h"

/// What the extras of nodes say, carried by instances; and tags, carried by results.
namespace wakuzume {
namespace {

constexpr std::array<const char*, 3> paints{"[0.5,0.25,0.125]", "\"#ff8000\"", "[1,0,0,0.5]"};

/// Barrels in three paints, each with another wear; two say nothing.
Scene make_barrels() {
  test::SceneBuilder builder;
  const MeshId mesh =
      builder.add_mesh("barrel", test::make_ball(6, 0.1), builder.add_material("staves"));
  const NodeId yard = builder.add_node("yard");
  builder.set_extras(yard, R"({"wet":true})");
  for (int i = 0; i < 30; ++i) {
    const NodeId node = builder.add_node("barrel", mesh, test::at(3.0 * i), yard);
    if (i < 28) {
      builder.set_extras(node, "{\"wear\":" + std::to_string(i * 0.25) +
                                   ",\"Paint-A\":" + paints[static_cast<std::size_t>(i) % 3] +
                                   ",\"serial\":" + std::to_string(i * 1000) + "}");
    }
  }
  return builder.finish();
}

const std::vector<std::string> values{"extras.wear", "extras.Paint-A", "extras.wet", "id"};

struct Made {
  Scene source = make_barrels();
  Plan plan;
  Built built;
  explicit Made(ProposeSettings settings = {.repeats = Repeats::instance,
                                            .instance_values = values}) {
    plan = *propose(source, *survey(source), settings);
    built = *build(source, plan);
  }
  /// Of the barrel with this number.
  [[nodiscard]] std::vector<double> find(const LedgerIndex& index,
                                         std::size_t barrel,
                                         const std::string& name) const {
    const NodeId node = make_id<NodeId>(barrel + 1);
    return index.find_value(built.scene, index.find_source(node).front(), name);
  }
};

void expect_near(const std::vector<double>& a, const std::vector<double>& b, double error) {
  ASSERT_EQ(a.size(), b.size());
  for (std::size_t i = 0; i < a.size(); ++i) {
    EXPECT_NEAR(a[i], b[i], error) << i;
  }
}

TEST(InstanceValues, AreWhatTheExtrasOfEachNodeSay) {
  const Made made;
  ASSERT_EQ(made.plan.groups.size(), 1U) << "they stay one set";
  const NodeId set = made.built.ledger.results.front().node;
  std::vector<std::string> semantics;
  for (const Attribute& attribute : made.built.scene[set].instancing->attributes) {
    semantics.push_back(attribute.semantic);
  }
  EXPECT_EQ(semantics,
            (std::vector<std::string>{"TRANSLATION", "_WEAR", "_PAINT_A", "_WET", "_ID"}));
  const LedgerIndex index(made.built.ledger);
  for (std::size_t i = 0; i < 28; ++i) {
    expect_near(made.find(index, i, "extras.wear"), {0.25 * static_cast<double>(i)}, 1e-6);
    expect_near(made.find(index, i, "extras.wet"), {1}, 0);
    expect_near(made.find(index, i, "id"), {static_cast<double>(i + 1)}, 0);
  }
  // Colours with and without alpha are one vector; those of the web are linear.
  expect_near(made.find(index, 0, "extras.Paint-A"), {0.5, 0.25, 0.125, 1}, 1e-6);
  expect_near(made.find(index, 1, "extras.Paint-A"), {1, 0.21586, 0, 1}, 1e-4);
  expect_near(made.find(index, 2, "extras.Paint-A"), {1, 0, 0, 0.5}, 1e-6);
  expect_near(made.find(index, 29, "extras.Paint-A"), {0, 0, 0, 0}, 0);
  EXPECT_TRUE(made.find(index, 3, "extras.serial").empty()) << "nobody asked for it";
}

TEST(InstanceValues, AreToldAsRangesOfTheirSet) {
  const Made made;
  const std::vector<ValueRange>& ranges = made.plan.groups.front().values;
  ASSERT_EQ(ranges.size(), 3U);
  EXPECT_EQ(ranges[0], (ValueRange{"extras.wear", {0}, {27 * 0.25}, 2}));
  EXPECT_EQ(ranges[1].without, 2U);
  expect_near(ranges[1].max, {1, 0.25, 0.125, 1}, 1e-9);
  EXPECT_EQ(ranges[2], (ValueRange{"extras.wet", {1}, {1}, 0})) << "for all below";
}

TEST(InstanceValues, AreOnlyInSetsWhoseNodesSayThem) {
  test::SceneBuilder builder;
  const MaterialId staves = builder.add_material("staves");
  const MeshId barrel = builder.add_mesh("barrel", test::make_ball(6, 0.1), staves);
  const MeshId crate = builder.add_mesh("crate", test::make_ball(5, 0.3), staves);
  for (int i = 0; i < 20; ++i) {
    const NodeId node = builder.add_node("prop", i < 10 ? barrel : crate, test::at(3.0 * i));
    if (i < 5) {
      builder.set_extras(node, "{\"wear\":" + std::to_string(i + 2) + "}");
    }
  }
  const Scene scene = builder.finish();
  const Plan plan = *propose(scene, *survey(scene),
                             {.repeats = Repeats::instance, .instance_values = {"extras.wear"}});
  ASSERT_EQ(plan.groups.size(), 2U);
  EXPECT_EQ(plan.groups[0].values, (std::vector<ValueRange>{{"extras.wear", {2}, {6}, 5}}))
      << "of those that say it";
  EXPECT_TRUE(plan.groups[1].values.empty());
  const Built built = *build(scene, plan);
  std::vector<bool> carried;
  for (const LedgerResult& result : built.ledger.results) {
    const std::vector<Attribute>& all = built.scene[result.node].instancing->attributes;
    carried.push_back(std::any_of(all.begin(), all.end(),
                                  [](const Attribute& a) { return a.semantic == "_WEAR"; }));
  }
  EXPECT_EQ(carried, (std::vector<bool>{true, false}));
  EXPECT_TRUE(LedgerIndex(built.ledger)
                  .find_value(built.scene, built.ledger.rows.back(), "extras.wear")
                  .empty());
}

TEST(InstanceValues, AreNoExtrasThatAreLost) {
  const Made lost;
  const std::vector<std::string>& told = lost.built.ledger.left_out;
  ASSERT_EQ(told.size(), 1U);
  EXPECT_NE(told.front().find("extras that differ within a group are only in the source; this "
                              "concerns 28 draws"),
            std::string::npos)
      << "their serial numbers: " << told.front();
  std::vector<std::string> all = values;
  all.emplace_back("extras.serial");
  EXPECT_TRUE(
      Made({.repeats = Repeats::instance, .instance_values = all}).built.ledger.left_out.empty());
}

TEST(InstanceValues, AreBytesWhereAllOfThemFit) {
  const Made made({.repeats = Repeats::instance,
                   .instance_values = values,
                   .value_storage = ValueStorage::bytes});
  const NodeId set = made.built.ledger.results.front().node;
  for (const Attribute& attribute : made.built.scene[set].instancing->attributes) {
    const ComponentType stored = made.built.scene[attribute.stream].component;
    const bool wide = attribute.semantic == "TRANSLATION" || attribute.semantic == "_WEAR";
    EXPECT_EQ(stored, wide ? ComponentType::f32 : ComponentType::u8) << attribute.semantic;
  }
  const LedgerIndex index(made.built.ledger);
  expect_near(made.find(index, 0, "extras.Paint-A"), {0.5, 0.25, 0.125, 1}, 0.5 / 255);
  expect_near(made.find(index, 4, "extras.wear"), {1}, 0);
}

TEST(InstanceValues, AreExtrasOfNodesAndComeBackWithThem) {
  Made made;
  const auto restored =
      restore(made.built.scene, made.built.ledger, made.source, {.everything = true});
  ASSERT_TRUE(restored);
  EXPECT_EQ(make_content_hash(restored->scene), make_content_hash(made.source));
  made.built.ledger.instances = InstanceForm::nodes;
  spread_instances(made.built.scene, made.built.ledger);
  const LedgerIndex index(made.built.ledger);
  const NodeId first = made.built.ledger.results.front().first_instance;
  ASSERT_NE(first, no_node);
  EXPECT_NE(made.built.scene[first].extra->extras.find("\"Paint-A\":[0.5,0.25,0.125,1]"),
            std::string::npos)
      << made.built.scene[first].extra->extras;
  expect_near(made.find(index, 7, "extras.wear"), {1.75}, 0);
  expect_near(made.find(index, 2, "extras.Paint-A"), {1, 0, 0, 0.5}, 0);
  EXPECT_TRUE(verify(made.source, made.built.scene, made.built.ledger)->passed);
}

TEST(InstanceValues, AreRefusedUnderNamesThatAreTaken) {
  for (const char* name : {"extras.", "wear", "extras.emissive", "extras.Color_0", "extras.id"}) {
    const auto valid = validate(ProposeSettings{.instance_values = {"id", name}});
    ASSERT_FALSE(valid) << name;
    EXPECT_NE(valid.error().message.find("propose.instance_values"), std::string::npos);
  }
  EXPECT_TRUE(validate(ProposeSettings{.instance_values = {"extras.id", "random"}}));
}

TEST(InstanceValues, AreReadBackFromPlansAndLedgers) {
  const auto folder = test::make_scratch();
  Made made;
  test::write_all(folder / "p.json", to_json(made.source, made.plan));
  const auto plan = read_plan((folder / "p.json").string());
  ASSERT_TRUE(plan) << to_string(plan.error());
  EXPECT_EQ(plan->groups.front().values, made.plan.groups.front().values);
  test::write_all(folder / "l.json", to_json(made.built.ledger));
  const auto ledger = read_ledger((folder / "l.json").string());
  ASSERT_TRUE(ledger) << to_string(ledger.error());
  EXPECT_EQ(ledger->instance_values, values);
}

// ---- tags --------------------------------------------------------------------------------------

Scene make_tagged() {
  test::SceneBuilder builder;
  const MeshId mesh =
      builder.add_mesh("crate", test::make_tetrahedron(), builder.add_material("wood"));
  int x = 0;
  for (const char* extras : {R"({"cast":false,"layer":3})", R"({"cast":true,"layer":3})", "{}"}) {
    const NodeId row = builder.add_node("row");
    builder.set_extras(row, extras);
    for (int i = 0; i < 4; ++i) {
      const NodeId node = builder.add_node("crate", mesh, test::at(2.0 * x++), row);
      if (i == 3) {
        builder.set_extras(node, R"({"layer":"7"})");
      }
    }
  }
  return builder.finish();
}

TEST(TagKeys, KeepDrawsApartAndStandOnTheResults) {
  const Scene source = make_tagged();
  const Survey found = *survey(source, {.tag_keys = {"cast=shadow casting", "layer"}});
  EXPECT_EQ(found.keys.size(), 6U) << "three rows, and one crate of each on a layer of its own";
  const MergeKey& first = found[found.draws.front().key];
  EXPECT_EQ(first.tags,
            (std::vector<Tag>{{"cast", "shadow casting", "false"}, {"layer", "layer", "3"}}));
  EXPECT_EQ(to_string(source, first), "wood, shadow casting false, layer 3");
  const Plan plan = *propose(source, found, {.repeats = Repeats::merge});
  EXPECT_EQ(plan.groups.size(), 3U);
  const Built built = *build(source, plan);
  std::multiset<std::string> extras;
  for (const LedgerResult& result : built.ledger.results) {
    const Boxed<Extra>& extra = built.scene[result.node].extra;
    extras.insert(extra ? extra->extras : "");
  }
  EXPECT_EQ(extras, (std::multiset<std::string>{R"({"cast":false,"layer":3})",
                                                R"({"cast":true,"layer":3})", ""}));
  // Surveyed again, results are as far apart as their members were.
  const Survey again = *survey(built.scene, found.settings);
  EXPECT_EQ(again.keys.size(), found.keys.size());
  EXPECT_TRUE(verify(source, built.scene, built.ledger)->passed);
}

TEST(TagKeys, DoNotCountWhereNobodyAsks) {
  const Scene source = make_tagged();
  EXPECT_EQ(survey(source)->keys.size(), 1U);
  EXPECT_EQ(survey(source, {.tag_keys = {}})->keys.size(), 1U);
  EXPECT_FALSE(validate(SurveySettings{.tag_keys = {"=word"}}));
  EXPECT_FALSE(validate(SurveySettings{.tag_keys = {""}}));
}

}  // namespace
}  // namespace wakuzume
