// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/budget.h"
#include "wakuzume/findings.h"
#include "wakuzume/lightmaps.h"
#include "wakuzume/propose.h"
#include "wakuzume/result.h"
#include "wakuzume/survey.h"
#include "wakuzume/verify.h"
#include "wakuzume/views.h"

namespace wakuzume {

/// The settings of all stages. read_settings of wakuzume/settings_file.h takes them from TOML, one
/// table a stage.
struct Settings {
  SplitSettings split;
  SurveySettings survey;
  ViewSettings views;
  /// Name of a cost profile that ships, or path of a TOML file. \default "desk"
  std::string profile = "desk";
  FindingSettings findings;
  ReduceSettings reduce;
  LightmapSettings lightmaps;
  MaterialSettings materials;
  ProposeSettings propose;
  VerifySettings verify;
  std::vector<Budget> budgets;
  std::vector<Tier> tiers;  ///< from the easiest to the hardest to reach
};

/// Those of every stage. Asked by a job before it begins.
/// \error bad_setting  of the first that is wrong, by its name
Result<void> validate(const Settings& settings);

}  // namespace wakuzume
