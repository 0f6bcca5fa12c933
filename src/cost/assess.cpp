// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/assess.h"

#include <algorithm>

#include "wakuzume/culling.h"

namespace wakuzume {
namespace {

Result<void> check(const AssessSettings& settings) {
  Result<void> valid = validate(settings.budgets);
  for (const Tier& tier : settings.tiers) {
    valid = valid ? validate(tier.budgets) : valid;
  }
  return valid;
}

}  // namespace

bool Assessment::passed() const {
  const bool kept = std::all_of(budgets.begin(), budgets.end(),
                                [](const BudgetResult& result) { return result.passed(); });
  const bool reached =
      tiers.empty() || std::any_of(tiers.begin(), tiers.end(),
                                   [](const TierResult& result) { return result.passed(); });
  return kept && reached;
}

Result<Assessment> assess(const Scene& scene,
                          const Survey& survey,
                          std::span<const ImageFacts> images,
                          const AssessSettings& settings,
                          const RunControl& run) {
  if (auto valid = check(settings); !valid) {
    return Failure(valid.error());
  }
  Assessment out;
  out.views = settings.listed_views;
  if (out.views.empty()) {
    auto views = make_views(scene, survey, settings.views);
    if (!views) {
      return Failure(views.error());
    }
    out.views = std::move(*views);
  }
  const auto visibility = make_visibility(survey, out.views, run);
  if (!visibility) {
    return Failure(visibility.error());
  }
  auto frames =
      measure_frames(scene, survey, out.views, *visibility, images, settings.profile, run);
  if (!frames) {
    return Failure(frames.error());
  }
  out.frames = std::move(*frames);
  auto ladder = make_ladder(scene, survey, *visibility, images, run);
  if (!ladder) {
    return Failure(ladder.error());
  }
  out.ladder = *ladder;
  auto findings = find_findings(scene, survey, images, settings.findings, run);
  if (!findings) {
    return Failure(findings.error());
  }
  out.findings = std::move(*findings);
  out.apart = find_apart(scene, survey, images);
  out.figures = make_figures(survey, out.frames, out.views, images, out.findings);
  out.budgets = check_budgets(settings.budgets, out.figures);
  out.tiers = check_tiers(settings.tiers, out.figures);
  return out;
}

}  // namespace wakuzume
