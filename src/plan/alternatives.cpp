// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "wakuzume/propose.h"

namespace wakuzume {
namespace {

/// Grids are tried from half of the scene's longest side to this part of it, halved each time.
constexpr int grids = 5;

/// Two digits are enough for a grid.
double round_to_two_digits(double value) {
  const double unit = std::pow(10.0, std::floor(std::log10(value)) - 1);
  return std::round(value / unit) * unit;
}

}  // namespace

Result<std::vector<Alternative>> list_alternatives(const Scene& scene,
                                                   const Survey& survey,
                                                   const ProposeSettings& settings,
                                                   const Outlook& outlook,
                                                   const RunControl& run) {
  std::vector<Alternative> out;
  std::optional<Error> error;
  const auto measure = [&](std::string name, const ProposeSettings& other) {
    auto plan = error ? Result<Plan>(Failure(*error)) : propose(scene, survey, other, outlook, run);
    if (!plan) {
      error = plan.error();
      return Alternative{};
    }
    if (out.empty()) {
      out.push_back({"as it is", settings, plan->forecast.before});
    }
    return Alternative{std::move(name), other, plan->forecast.after};
  };
  const auto with = [&](Repeats repeats, double cell_size_m) {
    ProposeSettings other = settings;
    other.repeats = repeats;
    other.cell_size_m = cell_size_m;
    return other;
  };
  Alternative by_cost = measure("by cost", with(Repeats::by_cost, 0));
  out.push_back(std::move(by_cost));
  out.push_back(measure("instances only", with(Repeats::only, 0)));
  out.push_back(measure("merges only", with(Repeats::merge, 0)));
  const double longest = survey.bounds.empty() ? 0 : survey.bounds.largest_extent();
  std::optional<Alternative> grid;
  for (int g = 1; g <= grids && longest > 0; ++g) {
    const double cell = round_to_two_digits(longest / std::exp2(g));
    Alternative made = measure(fmt::format("a grid of {:g} m", cell), with(settings.repeats, cell));
    if (!grid || made.outcome.price_ms < grid->outcome.price_ms) {
      grid = std::move(made);
    }
  }
  if (grid) {
    out.push_back(std::move(*grid));
  }
  return error ? Result<std::vector<Alternative>>(Failure(*error)) : std::move(out);
}

}  // namespace wakuzume
