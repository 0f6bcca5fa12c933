// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/table.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <tuple>

#include "support/scene_builder.h"
#include "wakuzume/budget.h"
#include "wakuzume/io.h"
#include "wakuzume/settings_file.h"

namespace wakuzume {
namespace {

using Rows = std::vector<std::uint32_t>;

/// Three chairs and a lamp that moves, in two halls.
class Draws : public testing::Test {
 protected:
  Draws() {
    const MaterialId wood = builder_.add_material("=wood, \"dark\"");
    const MeshId chair = builder_.add_mesh("chair", test::make_tetrahedron(), wood);
    const NodeId hall = builder_.add_node("hall_1");
    builder_.add_node("chair_1", chair, test::at(0), hall);
    builder_.add_node("chair_2", chair, test::at(2), hall);
    const NodeId other = builder_.add_node("hall_2");
    builder_.add_node("chair_3", chair, test::at(4), other);
    test::MeshData square = test::make_square();
    square.uvs = {0, 0, 3, 0, 3, 2, 0, 2};
    const NodeId lamp =
        builder_.add_node("lamp", builder_.add_mesh("lamp", square), test::at(6), other);
    builder_.set_extras(lamp, R"({"static":false,"tag":"light","lightmap":7,"level":"night"})");
    scene_ = builder_.finish();
    survey_ = *survey(scene_);
    findings_ = *find_findings(scene_, survey_, {});
    table_ = make_draw_table(scene_, survey_, findings_);
  }
  [[nodiscard]] std::string text(std::size_t row, std::string_view column) const {
    const Cell cell = table_->cell(row, at(column));
    return std::get<std::string>(cell);
  }
  [[nodiscard]] double number(std::size_t row, std::string_view column) const {
    return std::get<double>(table_->cell(row, at(column)));
  }
  [[nodiscard]] std::size_t at(std::string_view column) const {
    for (std::size_t c = 0; c < table_->columns().size(); ++c) {
      if (table_->columns()[c].name == column) {
        return c;
      }
    }
    ADD_FAILURE() << column;
    return 0;
  }
  Rows select(std::vector<std::string> where, std::string sort = "") {
    const auto rows = select_rows(*table_, {std::move(where), std::move(sort)});
    EXPECT_TRUE(rows) << to_string(rows.error());
    return rows ? *rows : Rows{};
  }

  test::SceneBuilder builder_;
  Scene scene_;
  Survey survey_;
  std::vector<Finding> findings_;
  std::unique_ptr<Table> table_;
};

TEST_F(Draws, HaveARowEachWithAllThatIsKnown) {
  ASSERT_EQ(table_->row_count(), 4U);
  EXPECT_EQ(text(3, "node"), "/hall_2/lamp");
  EXPECT_EQ(text(3, "mesh"), "lamp");
  EXPECT_EQ(text(3, "material"), "(default)");
  EXPECT_EQ(text(0, "material"), "=wood, \"dark\"");
  EXPECT_EQ(number(3, "triangles"), 2);
  EXPECT_EQ(number(3, "vertices"), 4);
  EXPECT_EQ(number(3, "bytes"), 4 * 32 + 24);
  EXPECT_EQ(text(3, "uv_ranges"), "0: 0..3 x 0..2");
  EXPECT_EQ(number(3, "uv_tiles"), 6);
  EXPECT_EQ(text(3, "lightmap"), "7");
  EXPECT_EQ(text(3, "tag"), "light");
  EXPECT_EQ(text(3, "level"), "scene 0/night");
  EXPECT_EQ(text(3, "moving_root"), "/hall_2/lamp");
  EXPECT_EQ(text(3, "rule"), "marked_moving");
  EXPECT_EQ(text(3, "why"), "its extras say \"static\": false");
  EXPECT_EQ(text(0, "rule"), "");
  EXPECT_EQ(number(0, "family"), number(2, "family"));
  EXPECT_EQ(number(0, "key"), number(2, "key"));
  EXPECT_NE(number(0, "key"), number(3, "key"));
}

TEST_F(Draws, AreFilteredByGlobsAndComparisons) {
  EXPECT_EQ(select({"node=/hall_1/*"}), (Rows{0, 1}));
  EXPECT_EQ(select({"node=*_[23]"}), (Rows{1, 2}));
  EXPECT_EQ(select({"node != /hall_1/*"}), (Rows{2, 3}));
  EXPECT_EQ(select({"triangles>2"}), (Rows{0, 1, 2}));
  EXPECT_EQ(select({"triangles >= 2", "uv_tiles<2"}), (Rows{0, 1, 2}));
  EXPECT_EQ(select({"triangles==2"}), (Rows{3}));
  EXPECT_EQ(select({"rule="}), (Rows{0, 1, 2}));
  EXPECT_EQ(select({"rule!="}), (Rows{3}));
  EXPECT_EQ(select({"node=/none"}), Rows{});
  EXPECT_EQ(select({"material==wood, \"dark\""}), Rows{}) << "= twice is the operator";
  EXPECT_EQ(select({"material=*wood*"}), (Rows{0, 1, 2}));
}

TEST_F(Draws, AreSortedNumbersDownAndTextsUp) {
  EXPECT_EQ(select({}, "triangles"), (Rows{0, 1, 2, 3}));
  EXPECT_EQ(select({}, "triangles:up"), (Rows{3, 0, 1, 2}));
  EXPECT_EQ(select({}, "node:down"), (Rows{3, 2, 1, 0}));
  EXPECT_EQ(select({"triangles>2"}, "node"), (Rows{0, 1, 2}));
}

TEST_F(Draws, RefuseQueriesThatCanNotBe) {
  const std::pair<TableQuery, const char*> cases[] = {
      {{{"triangels>3"}, ""}, "did you mean triangles?"},
      {{{"triangles"}, ""}, "is no condition"},
      {{{">3"}, ""}, "is no condition"},
      {{{"triangles>many"}, ""}, "compared with a number"},
      {{{"triangles!3"}, ""}, "the operator is !="},
      {{{}, "nodes"}, "did you mean node?"}};
  for (const auto& [query, message] : cases) {
    const auto rows = select_rows(*table_, query);
    ASSERT_FALSE(rows) << message;
    EXPECT_EQ(rows.error().code, ErrorCode::bad_setting);
    EXPECT_NE(rows.error().message.find(message), std::string::npos) << rows.error().message;
  }
}

TEST_F(Draws, BecomeCsvThatASpreadsheetOpens) {
  const std::string csv = to_csv(*table_, Rows{0, 3});
  EXPECT_EQ(csv.substr(0, 3), "\xEF\xBB\xBF");
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 3);
  EXPECT_NE(csv.find(",\"'=wood, \"\"dark\"\"\","), std::string::npos) << csv;
  EXPECT_NE(csv.find(",\"its extras say \"\"static\"\": false\","), std::string::npos);
  EXPECT_EQ(csv.find("\r\n"), csv.find('\n') - 1);
}

TEST_F(Draws, AreGroupedByWhatTheyShare) {
  const auto cell = [&](const Table& table, std::size_t row, std::size_t column) {
    const Cell found = table.cell(row, column);
    const double* value = std::get_if<double>(&found);
    return value != nullptr ? std::to_string(static_cast<int>(*value))
                            : std::get<std::string>(found);
  };
  const auto first_two = [&](GroupBy by, std::size_t depth) {
    const auto table = make_group_table(scene_, survey_, by, depth);
    std::string out;
    for (std::size_t row = 0; row < table->row_count(); ++row) {
      out += cell(*table, row, 0) + "=" + cell(*table, row, 1) + ";";
    }
    return out;
  };
  EXPECT_EQ(first_two(GroupBy::mesh, 2), "chair=3;lamp=1;");
  EXPECT_EQ(first_two(GroupBy::material, 2), "=wood, \"dark\"=3;(default)=1;");
  EXPECT_EQ(first_two(GroupBy::subtree, 1), "/hall_1=2;/hall_2=2;");
  EXPECT_EQ(first_two(GroupBy::subtree, 9),
            "/hall_1/chair_1=1;/hall_1/chair_2=1;"
            "/hall_2/chair_3=1;/hall_2/lamp=1;");
  EXPECT_EQ(first_two(GroupBy::level, 2), "scene 0=3;scene 0/night=1;");
  EXPECT_EQ(first_two(GroupBy::family, 2), "0: chair=3;1: lamp=1;");
  EXPECT_EQ(make_group_table(scene_, survey_, GroupBy::key)->row_count(), 2U);
}

TEST_F(Draws, AddUpInEveryGrouping) {
  for (const GroupBy by : {GroupBy::key, GroupBy::material, GroupBy::family, GroupBy::mesh,
                           GroupBy::level, GroupBy::subtree}) {
    const Scene scene = test::make_random_scene(4, 150);
    const Survey found = *survey(scene);
    const auto table = make_group_table(scene, found, by);
    double draws = 0;
    double triangles = 0;
    for (std::size_t row = 0; row < table->row_count(); ++row) {
      draws += std::get<double>(table->cell(row, 1));
      triangles += std::get<double>(table->cell(row, 3));
    }
    EXPECT_EQ(draws, static_cast<double>(found.totals.draws));
    EXPECT_EQ(triangles, static_cast<double>(found.totals.triangles));
  }
}

TEST_F(Draws, AreHeldAgainstBudgetsAndTiers) {
  AssessSettings settings;
  settings.profile = shipped_profiles().front();
  settings.listed_views = {make_viewpoint("from the door", {3, 1, 30}, {3, 1, 0})};
  settings.budgets = {{"draws", 4}, {"materials", 0}};
  settings.tiers = {{"easy", {{"triangles", 100}}},
                    {"middle", {{"triangles", 14}, {"vertices_per_draw", 12}}},
                    {"hard", {{"triangles", 13}, {"draws_per_view", 1}}}};
  auto assessment = assess(scene_, survey_, {}, settings);
  ASSERT_TRUE(assessment);
  EXPECT_TRUE(assessment->budgets[0].passed());
  EXPECT_FALSE(assessment->budgets[1].passed());
  EXPECT_EQ(assessment->budgets[1].value, 1);
  EXPECT_TRUE(assessment->tiers[0].passed());
  EXPECT_TRUE(assessment->tiers[1].passed());
  EXPECT_FALSE(assessment->tiers[2].passed());
  EXPECT_EQ(assessment->tiers[2].results[1].where, "from the door");
  EXPECT_FALSE(assessment->passed());
  settings.budgets.pop_back();
  EXPECT_TRUE(assess(scene_, survey_, {}, settings)->passed());
  settings.tiers = {settings.tiers[2]};
  EXPECT_FALSE(assess(scene_, survey_, {}, settings)->passed()) << "not even one tier";
}

TEST(Budgets, RefuseUnknownFiguresAndLimitsThatAreNone) {
  const Budget unknown[] = {{"draw_per_view", 3}};
  const auto valid = validate(unknown);
  ASSERT_FALSE(valid);
  EXPECT_EQ(valid.error().code, ErrorCode::bad_setting);
  EXPECT_NE(valid.error().message.find("did you mean draws_per_view?"), std::string::npos);
  const Budget negative[] = {{"draws", -1}};
  EXPECT_FALSE(validate(negative));
  const auto settings = parse_settings(
      "[budget]\ndraws_per_view = 10\n[[tier]]\nname = \"low\"\n"
      "materials = 5\n",
      "mine.toml");
  ASSERT_TRUE(settings) << to_string(settings.error());
  EXPECT_EQ(settings->budgets, (std::vector<Budget>{{"draws_per_view", 10}}));
  EXPECT_EQ(settings->tiers[0].budgets, (std::vector<Budget>{{"materials", 5}}));
  EXPECT_EQ(to_toml(*parse_settings(to_toml(*settings), "again")), to_toml(*settings));
  for (const auto& [toml, line, text] :
       {std::tuple("[budget]\n\ndraws_per_vew = 3", "line 3", "did you mean draws_per_view?"),
        std::tuple("[budget]\ndraws = \"few\"", "line 2", "a number from 0"),
        std::tuple("[[tier]]\ndraws = 3", "line 1", "needs a name"),
        std::tuple("[[tier]]\nname = \"a\"\nmaterial = 3", "line 3", "did you mean materials?"),
        std::tuple("[findings]\nrepeats = 0", "line 2", "findings.repeats must be"),
        std::tuple("[views]\ncount = 70000", "line 2", "views.count must be"),
        std::tuple("[survey]\nconstant_tracks = \"stay\"", "line 2", "stand_still")}) {
    const auto bad = parse_settings(toml, "mine.toml");
    ASSERT_FALSE(bad) << toml;
    EXPECT_EQ(bad.error().place.pointer, line) << to_string(bad.error());
    EXPECT_NE(bad.error().message.find(text), std::string::npos) << to_string(bad.error());
  }
}

TEST(Figures, AreOneForEachName) {
  const Scene scene = test::make_random_scene(3, 40);
  AssessSettings settings;
  settings.profile = shipped_profiles().front();
  const auto assessment = assess(scene, *survey(scene), {}, settings);
  ASSERT_EQ(assessment->figures.size(), figure_names().size());
  for (std::size_t i = 0; i < figure_names().size(); ++i) {
    EXPECT_EQ(assessment->figures[i].name, figure_names()[i]);
  }
  EXPECT_EQ(assessment->figures[0].value, 40);
}

}  // namespace
}  // namespace wakuzume
