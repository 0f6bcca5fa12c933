// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <string_view>

#include "wakuzume/propose.h"
#include "wakuzume/result.h"
#include "wakuzume/survey.h"
#include "wakuzume/verify.h"

/// The settings file: all stages' settings as TOML, one table a stage.
namespace wakuzume {

struct Settings {
  SurveySettings survey;
  ProposeSettings propose;
  VerifySettings verify;
};

/// Reads a TOML file over the defaults.
/// \error cannot_open
/// \error bad_setting  the place is "line N"; an unknown key comes with the nearest valid one
Result<Settings> read_settings(const std::string& path);
/// The same from text; `name` stands for the file in errors.
Result<Settings> parse_settings(std::string_view toml, const std::string& name);

/// Every setting with its value and its meaning, as TOML that read_settings takes back.
std::string to_toml(const Settings& settings);

}  // namespace wakuzume
