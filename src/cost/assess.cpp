// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/assess.h"

#include <algorithm>
#include <array>

#include "wakuzume/culling.h"
#include "wakuzume/figures_of.h"
#include "wakuzume/routes.h"

namespace wakuzume {
namespace {

Result<void> check(const AssessSettings& settings) {
  Result<void> valid = validate(settings.budgets);
  for (const Tier& tier : settings.tiers) {
    valid = valid ? validate(tier.budgets) : valid;
  }
  return valid;
}

/// Empty where the pixels are not known.
Result<RoutePlan> find_routes(const Scene& scene,
                              const Survey& survey,
                              std::span<const ImageFacts> images,
                              MaterialSettings settings,
                              const RunControl& run) {
  const bool unseen = images.size() < scene.images.size() ||
                      std::any_of(images.begin(), images.end(), [](const ImageFacts& facts) {
                        return !facts.decoded && facts.problem.empty() && facts.width_px > 0;
                      });
  if (unseen) {
    return RoutePlan{};
  }
  settings.goal = MaterialGoal::fewest_draws;
  // What sharing could give, whatever is to stay among itself.
  settings.together.clear();
  settings.layouts.clear();
  settings.place_key.clear();
  settings.ungrouped = Ungrouped::allowed;
  auto routes = propose_routes(scene, survey, images, settings, run);
  // What does not fit on a page by hand's wish is told when it is proposed.
  return !routes && routes.error().code == ErrorCode::too_large ? RoutePlan{} : routes;
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

namespace {

/// Figures of what deforms the scene, by those of all of its draws.
void add_deformed(const Scene& scene, const Survey& survey, std::vector<Figure>& figures) {
  std::vector<DrawId> draws;
  for (std::size_t d = 0; d < survey.draws.size(); ++d) {
    draws.push_back(make_id<DrawId>(d));
  }
  constexpr std::array<std::string_view, 5> added{"meshes", "skins", "joints", "influences",
                                                  "targets"};
  for (const Figure& own : make_figures_of(draws, scene, survey, {}, {})) {
    if (std::find(added.begin(), added.end(), own.name) != added.end()) {
      std::find_if(figures.begin(), figures.end(), [&](const Figure& figure) {
        return figure.name == own.name;
      })->value = own.value;
    }
  }
}

}  // namespace

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
  const auto routes = find_routes(scene, survey, images, settings.materials, run);
  if (!routes) {
    return Failure(routes.error());
  }
  const BlendSight sight{make_eyes(out.views), settings.profile.sorts_blended};
  auto ladder = make_ladder(scene, survey, *visibility, images, *routes, sight, run);
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
  add_deformed(scene, survey, out.figures);
  out.budgets = check_budgets(settings.budgets, out.figures);
  out.tiers = check_tiers(settings.tiers, out.figures);
  return out;
}

}  // namespace wakuzume
