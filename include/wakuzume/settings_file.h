// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/cost.h"
#include "wakuzume/result.h"
#include "wakuzume/settings.h"

/// The settings file: all stages' settings as TOML, one table a stage; and cost profiles.
namespace wakuzume {

/// Where a setting got its value.
struct SettingOrigin {
  std::string key;    ///< "survey.keep_nodes", "budget.draws_per_view"
  std::string place;  ///< "props/wakuzume.toml line 12", with the paths of its section
};

/// Settings as they count for one scene.
struct EffectiveSettings {
  Settings settings;
  std::vector<SettingOrigin>
      origins;                     ///< of what is said somewhere; one a key, the last that counts
  std::vector<std::string> files;  ///< that were read, in the order in which they count

  /// Empty: nobody said it.
  [[nodiscard]] std::string find_origin(const std::string& key) const;
  void set_origin(const std::string& key, std::string place);
};

/// The settings file that lives with a project.
inline constexpr const char* project_settings_name = "wakuzume.toml";

/// The nearest file of that name in the folder of a scene, or in one above it; empty: there is
/// none. \param scene  path of a file, which need not be there; empty: the current folder counts
std::string find_project_settings(const std::string& scene);

/// Reads a TOML file over the defaults: first the files that `include = ["base.toml"]` at its top
/// names, beside it, then its own tables, and last those below each `[[scene]]` one of whose
/// `paths` matches the scene. Later values take the place of earlier ones.
/// \param scene  paths of sections are globs over its path from the file's folder, or over the
/// whole
///               path; `*` crosses slashes. Empty: no section counts, all are checked
/// \error cannot_open
/// \error bad_setting  the place is "line N"; an unknown key comes with the nearest valid one
Result<EffectiveSettings> read_settings_for(const std::string& path, const std::string& scene);
/// The same without a scene.
Result<Settings> read_settings(const std::string& path);
/// The same from text; `name` stands for the file in errors, and what it includes lies beside that.
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
/// The same, and behind each value where it comes from.
std::string to_toml(const EffectiveSettings& settings);

}  // namespace wakuzume
