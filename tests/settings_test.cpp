// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <gtest/gtest.h>

#include <ostream>

#include "support/process.h"
#include "wakuzume/settings_file.h"

namespace wakuzume {
namespace {

TEST(Settings, PrintedAreReadBackUnchanged) {
  Settings settings;
  settings.survey.keep_nodes = {"/a \"b\"/*", "*\\"};
  settings.survey.tag_key = "";
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
  EXPECT_EQ(keys, 147U);
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

TEST(SettingOptions, TakeWhatTheLineSaysOverWhatIsThere) {
  const auto options = list_setting_options();
  EXPECT_EQ(options.size(), 30U);
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
    EXPECT_NE(to_toml({}).find(option.key + " = "), std::string::npos) << option.option;
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
