// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/cost.h"
#include "wakuzume/result.h"
#include "wakuzume/settings.h"

/// The settings file: all stages' settings as TOML, one table a stage; and cost profiles.
namespace wakuzume {

/// Reads a TOML file over the defaults.
/// \error cannot_open
/// \error bad_setting  the place is "line N"; an unknown key comes with the nearest valid one
Result<Settings> read_settings(const std::string& path);
/// The same from text; `name` stands for the file in errors.
Result<Settings> parse_settings(std::string_view toml, const std::string& name);

/// The cost profiles that ship with the library.
const std::vector<CostProfile>& shipped_profiles();

/// A profile by the name of one that ships, else from a TOML file.
/// \error cannot_open
/// \error bad_setting  the place is "line N"; an unknown key comes with the nearest valid one
Result<CostProfile> read_cost_profile(const std::string& name_or_path);
/// The same from text; `name` stands for the file in errors.
Result<CostProfile> parse_cost_profile(std::string_view toml, const std::string& name);

/// A setting that has an option on the command line.
struct SettingOption {
  std::string table;   ///< "propose"
  std::string key;     ///< "cell_size_m"
  std::string option;  ///< "--cells"
  std::string help;
  std::string value;               ///< what its value is called, "SIZE"
  std::vector<std::string> words;  ///< all that it takes; empty: it takes others
  bool repeats = false;            ///< may be given again
};
/// In the order of the file.
std::vector<SettingOption> list_setting_options();
/// Takes over what such an option says. Its range is checked by the validate of its stage.
/// \param option  "--cells" \param values  one, but of options that may be given again
/// \error bad_setting  not of its kind, or there is no such option
Result<void> assign(Settings& settings,
                    const std::string& option,
                    const std::vector<std::string>& values);

/// Every setting with its value and its meaning, as TOML that read_settings takes back.
std::string to_toml(const Settings& settings);

}  // namespace wakuzume
