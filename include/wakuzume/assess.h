// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <vector>

#include "wakuzume/apart.h"
#include "wakuzume/budget.h"
#include "wakuzume/cost.h"
#include "wakuzume/findings.h"
#include "wakuzume/ladder.h"
#include "wakuzume/routes.h"
#include "wakuzume/views.h"

/// assess: all that is told of a surveyed scene in one call.
namespace wakuzume {

struct AssessSettings {
  ViewSettings views;
  std::vector<Viewpoint> listed_views;  ///< where not empty, these and no others
  CostProfile profile;
  FindingSettings findings;
  /// How far the ladder may share materials; its goal is fewest_draws.
  MaterialSettings materials{};
  std::vector<Budget> budgets;
  std::vector<Tier> tiers;
};

struct Assessment {
  std::vector<Viewpoint> views;
  Frames frames;
  Ladder ladder;
  Apart apart;
  std::vector<Finding> findings;
  std::vector<Figure> figures;
  std::vector<BudgetResult> budgets;
  std::vector<TierResult> tiers;

  /// Every budget passes, and of the tiers, if there are any, at least one.
  [[nodiscard]] bool passed() const;
};

/// \pre `survey` is of `scene`; `images` is empty or has one entry an image
/// \error bad_setting, cancelled
/// \cost that of make_views, make_visibility, measure_frames, make_ladder, find_apart and
///       find_findings
Result<Assessment> assess(const Scene& scene,
                          const Survey& survey,
                          std::span<const ImageFacts> images,
                          const AssessSettings& settings,
                          const RunControl& run = {});

}  // namespace wakuzume
