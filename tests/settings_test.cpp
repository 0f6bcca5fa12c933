// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <array>
#include <filesystem>
#include <ostream>

#include "support/process.h"
#include "support/scene_builder.h"
#include "wakuzume/io.h"
#include "wakuzume/settings_file.h"

namespace wakuzume {
namespace {

TEST(Settings, PrintedAreReadBackUnchanged) {
  Settings settings;
  settings.survey.keep_nodes = {"/a \"b\"/*", "*\\"};
  settings.survey.tag_keys = {"layer", "cast=shadow casting"};
  settings.propose = {.min_instances = 3,
                      .repeats = Repeats::instance,
                      .max_vertices = 1234,
                      .cell_size_m = 0.1,
                      .triangle_growth = 7.5,
                      .blended = Blended::merge};
  settings.verify.direction_tolerance = 1e-3;
  const std::string toml = to_toml(settings);
  const auto again = parse_settings(toml, "mine.toml");
  ASSERT_TRUE(again) << to_string(again.error());
  EXPECT_EQ(to_toml(*again), toml);
  EXPECT_EQ(again->propose, settings.propose);
  EXPECT_EQ(again->survey.keep_nodes, settings.survey.keep_nodes);
}

TEST(Settings, ExplainEveryKey) {
  const std::string toml = to_toml(Settings{});
  std::size_t keys = 0;
  std::size_t comments = 0;
  std::size_t at = 0;
  while (at < toml.size()) {
    const std::size_t end = toml.find('\n', at);
    const std::string line = toml.substr(at, end - at);
    comments += line.starts_with("#") ? 1U : 0U;
    keys += line.find(" = ") != std::string::npos && !line.starts_with("#") ? 1U : 0U;
    EXPECT_LE(line.size(), 100U) << line;
    at = end + 1;
  }
  EXPECT_GT(comments, keys) << "each key is explained, and the budgets are";
  EXPECT_EQ(keys, 153U);
  for (const std::string_view figure : figure_names()) {
    EXPECT_NE(toml.find(figure), std::string::npos) << figure;
  }
}

TEST(Settings, LeftOutKeepTheirDefaults) {
  const auto settings = parse_settings("[propose]\nmax_vertices = 99\n", "mine.toml");
  ASSERT_TRUE(settings);
  EXPECT_EQ(settings->propose.max_vertices, 99U);
  EXPECT_EQ(settings->propose.min_instances, ProposeSettings{}.min_instances);
  EXPECT_TRUE(parse_settings("", "mine.toml"));
}

struct BadSetting {
  const char* toml;
  const char* place;
  const char* text;
};
std::ostream& operator<<(std::ostream& out, const BadSetting& fault) { return out << fault.text; }

class BadSettings : public testing::TestWithParam<BadSetting> {};

TEST_P(BadSettings, NameFileLineAndKey) {
  const auto settings = parse_settings(GetParam().toml, "mine.toml");
  ASSERT_FALSE(settings);
  EXPECT_EQ(settings.error().code, ErrorCode::bad_setting);
  EXPECT_EQ(settings.error().place.file, "mine.toml");
  EXPECT_EQ(settings.error().place.pointer, GetParam().place) << to_string(settings.error());
  EXPECT_NE(settings.error().message.find(GetParam().text), std::string::npos)
      << to_string(settings.error());
}

INSTANTIATE_TEST_SUITE_P(
    Faults,
    BadSettings,
    testing::Values(
        BadSetting{"[propose]\nmin_instance = 3", "line 2", "did you mean propose.min_instances?"},
        BadSetting{"\n[prepose]\nmin_instances = 3", "line 3", "propose.min_instances"},
        BadSetting{"[survey]\n\nkeep_node = []", "line 3", "survey.keep_nodes"},
        BadSetting{"triangle_growth = 3", "line 1", "propose.triangle_growth"},
        BadSetting{"[propose]\nmax_vertices = \"many\"", "line 2", "propose.max_vertices"},
        BadSetting{"[propose]\nmax_vertices = -1", "line 2", "propose.max_vertices"},
        BadSetting{"[propose]\nmax_vertices = 5000000000", "line 2", "out of range"},
        BadSetting{"[propose]\ncell_size_m = nan", "line 2", "propose.cell_size_m"},
        BadSetting{"[propose]\nblended = \"sort\"", "line 2", "propose.blended"},
        BadSetting{"[survey]\nkeep_nodes = [1]", "line 2", "survey.keep_nodes"},
        BadSetting{"[propose]\nmin_instances = 1", "line 2", "from 2 to 1000000000"},
        BadSetting{"[verify]\n\nposition_tolerance = 2", "line 3", "from 0 to 1"},
        BadSetting{"[propose\nmin_instances = 1", "line 1", ""},
        BadSetting{"[propose]\nblended = keep", "line 2", ""}));

TEST(SettingsFile, ThatIsMissingIsNamed) {
  const auto settings = read_settings((test::make_scratch() / "none.toml").string());
  ASSERT_FALSE(settings);
  EXPECT_EQ(settings.error().code, ErrorCode::cannot_open);
}

// ---- with a project ----------------------------------------------------------------------------

class ProjectSettings : public testing::Test {
 protected:
  ProjectSettings() : folder_(test::make_scratch()) {
    std::filesystem::create_directories(folder_ / "levels" / "deep");
    std::filesystem::create_directories(folder_ / "kits");
    test::write_all(folder_ / "kits" / "house.toml",
                    "[survey]\ntag_keys = [\"layer\"]\n[propose]\nmin_instances = 7\n"
                    "[budget]\ndraws_per_view = 900\n");
    test::write_all(folder_ / "wakuzume.toml",
                    "include = \"kits/house.toml\"\n"
                    "[propose]\nmin_instances = 9\n"
                    "[budget]\ndraws_per_view = 500\ndraws = 10000\n"
                    "[[scene]]\npaths = [\"levels/cave_*.glb\"]\n"
                    "[scene.propose]\nmin_instances = 11\n"
                    "[scene.views]\ncount = 3\n");
  }
  [[nodiscard]] std::string path(const char* name) const { return (folder_ / name).string(); }

  std::filesystem::path folder_;
};

TEST_F(ProjectSettings, AreFoundUpwardsAndCountInTheirOrder) {
  const std::string found = find_project_settings(path("levels/deep/cave_1.glb"));
  EXPECT_EQ(std::filesystem::weakly_canonical(found),
            std::filesystem::weakly_canonical(folder_ / "wakuzume.toml"));
  const auto cave = read_settings_for(found, path("levels/cave_1.glb"));
  ASSERT_TRUE(cave) << to_string(cave.error());
  EXPECT_EQ(cave->settings.propose.min_instances, 11U);
  EXPECT_EQ(cave->settings.views.count, 3U);
  EXPECT_EQ(cave->settings.survey.tag_keys, (std::vector<std::string>{"layer"}));
  ASSERT_EQ(cave->settings.budgets.size(), 2U);
  for (const Budget& budget : cave->settings.budgets) {
    EXPECT_EQ(budget.limit, budget.figure == "draws" ? 10000 : 500) << "a figure has one limit";
  }
  ASSERT_EQ(cave->files.size(), 2U);
  EXPECT_TRUE(cave->files[0].ends_with("house.toml")) << "what is included counts first";
  EXPECT_NE(cave->find_origin("propose.min_instances").find("line 10, for levels/cave_*.glb"),
            std::string::npos)
      << cave->find_origin("propose.min_instances");
  EXPECT_NE(cave->find_origin("survey.tag_keys").find("house.toml line 2"), std::string::npos);
  EXPECT_EQ(cave->find_origin("propose.max_vertices"), "");
  const auto other = read_settings_for(found, path("levels/deep/hut.glb"));
  EXPECT_EQ(other->settings.propose.min_instances, 9U);
  EXPECT_EQ(read_settings(found)->propose.min_instances, 9U);
}

TEST_F(ProjectSettings, AreWrittenWithWhereEachComesFromAndReadBack) {
  const auto cave = read_settings_for(path("wakuzume.toml"), path("levels/cave_1.glb"));
  const std::string text = to_toml(*cave);
  EXPECT_NE(text.find("min_instances = 11  # from "), std::string::npos);
  EXPECT_NE(text.find("max_vertices = 65535  # from the defaults"), std::string::npos);
  EXPECT_NE(text.find("draws_per_view = 500  # from "), std::string::npos);
  EXPECT_EQ(to_toml(*parse_settings(text, "again")), to_toml(cave->settings));
}

TEST_F(ProjectSettings, NameTheFileAndTheLineOfAFault) {
  const std::vector<std::array<const char*, 3>> faults{
      {"include = 3\n", "line 1", "include is written as a path"},
      {"include = \"gone.toml\"\n", "", "gone.toml"},
      {"include = \"wakuzume.toml\"\n", "line 1", "does one include itself?"},
      {"[scene]\npaths = \"a\"\n", "line 1", "[[scene]]"},
      {"[[scene]]\n[scene.views]\ncount = 3\n", "line 1", "needs paths"},
      {"[[scene]]\npaths = \"never\"\n[scene.views]\ncont = 3\n", "line 4",
       "did you mean views.count?"},
      {"[[scene]]\npaths = \"never\"\n[scene.propose]\nmin_instances = 1\n", "line 4", "from 2"},
      {"[survey]\nkeep_nodes = [\"triangle>3\"]\n", "line 2", "did you mean triangles?"},
  };
  for (const auto& [text, place, what] : faults) {
    test::write_all(folder_ / "wakuzume.toml", text);
    const auto read = read_settings_for(path("wakuzume.toml"), path("a.glb"));
    ASSERT_FALSE(read) << text;
    EXPECT_NE(to_string(read.error()).find(what), std::string::npos) << to_string(read.error());
    if (*place != '\0') {
      EXPECT_EQ(read.error().place.pointer, place) << text;
    }
  }
}

TEST_F(ProjectSettings, CountForTheToolAndCanBeAsked) {
  ASSERT_TRUE(write_scene(test::make_random_scene(1, 5), path("levels/cave_1.glb")));
  const auto told =
      test::run_tool({"settings", path("levels/cave_1.glb"), "--effective", "--cells", "8"});
  EXPECT_EQ(told.exit_code, 0) << told.err;
  EXPECT_NE(told.out.find("min_instances = 11  # from "), std::string::npos);
  EXPECT_NE(told.out.find("cell_size_m = 8  # from the line, --cells"), std::string::npos);
  const auto plan = test::run_tool({"propose", path("levels/cave_1.glb"), "-o", path("p.json")});
  EXPECT_EQ(plan.exit_code, 0) << plan.err;
  EXPECT_EQ(read_plan(path("p.json"))->settings.min_instances, 11U);
  // The line's own file takes the place of the project's.
  test::write_all(folder_ / "mine.toml", "[propose]\nmin_instances = 5\n");
  test::run_tool({"propose", path("levels/cave_1.glb"), "-o", path("p.json"), "--settings",
                  path("mine.toml")});
  EXPECT_EQ(read_plan(path("p.json"))->settings.min_instances, 5U);
}

TEST(SettingOptions, TakeWhatTheLineSaysOverWhatIsThere) {
  const auto options = list_setting_options();
  EXPECT_EQ(options.size(), 42U);
  Settings settings;
  settings.materials.routes = {"*=stay"};
  settings.split.nodes = {"/old"};
  ASSERT_TRUE(assign(settings, "--cells", {"12.5"}));
  ASSERT_TRUE(assign(settings, "--views", {"7"}));
  ASSERT_TRUE(assign(settings, "--repeats", {"only"}));
  ASSERT_TRUE(assign(settings, "--profile", {"mine.toml"}));
  ASSERT_TRUE(assign(settings, "--route", {"moss=fold", "oak=tint"}));
  ASSERT_TRUE(assign(settings, "--split", {"/a", "/b"}));
  EXPECT_EQ(settings.propose.cell_size_m, 12.5);
  EXPECT_EQ(settings.views.count, 7U);
  EXPECT_EQ(settings.propose.repeats, Repeats::only);
  EXPECT_EQ(settings.profile, "mine.toml");
  EXPECT_EQ(settings.materials.routes,
            (std::vector<std::string>{"moss=fold", "oak=tint", "*=stay"}))
      << "the first that matches counts";
  EXPECT_EQ(settings.split.nodes, (std::vector<std::string>{"/a", "/b"}));
  // Each word that an option lists is one that it takes.
  for (const SettingOption& option : options) {
    EXPECT_FALSE(option.help.empty()) << option.option;
    EXPECT_NE(to_toml(Settings{}).find(option.key + " = "), std::string::npos) << option.option;
    for (const std::string& word : option.words) {
      EXPECT_TRUE(assign(settings, option.option, {word})) << option.option << " " << word;
      EXPECT_NE(to_toml(settings).find(option.key + " = \"" + word + "\""), std::string::npos)
          << option.option << " " << word;
    }
  }
}

TEST(SettingOptions, RefuseWhatIsNotOfTheirKind) {
  Settings settings;
  const std::string before = to_toml(settings);
  const std::vector<std::pair<std::string, std::vector<std::string>>> wrong{
      {"--cells", {"wide"}},    {"--cells", {"1.5m"}},
      {"--cells", {""}},        {"--cells", {"1", "2"}},
      {"--views", {"-1"}},      {"--views", {"1.5"}},
      {"--repeats", {"often"}}, {"--repeats", {}},
      {"--no-such", {"1"}},     {"--min-instances", {"99999999999"}}};
  for (const auto& [option, values] : wrong) {
    const auto done = assign(settings, option, values);
    ASSERT_FALSE(done) << option;
    EXPECT_EQ(done.error().code, ErrorCode::bad_setting);
    EXPECT_NE(done.error().message.find(option), std::string::npos) << done.error().message;
  }
  EXPECT_EQ(to_toml(settings), before) << "nothing was taken over";
}

}  // namespace
}  // namespace wakuzume
