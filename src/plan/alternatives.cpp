// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

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
  std::vector<Alternative> terms;
  const auto add = [&](std::string name, Repeats repeats, double cell_size_m) {
    Alternative& one = terms.emplace_back(Alternative{std::move(name), settings, {}});
    one.settings.repeats = repeats;
    one.settings.cell_size_m = cell_size_m;
  };
  add("by cost", Repeats::by_cost, 0);
  add("instances only", Repeats::only, 0);
  add("merges only", Repeats::merge, 0);
  const std::size_t first_grid = terms.size();
  const double longest = survey.bounds.empty() ? 0 : survey.bounds.largest_extent();
  for (int g = 1; g <= grids && longest > 0; ++g) {
    const double cell = round_to_two_digits(longest / std::exp2(g));
    add(fmt::format("a grid of {:g} m", cell), settings.repeats, cell);
  }
  std::vector<Alternative> out{{"as it is", settings, {}}};
  for (Alternative& one : terms) {
    auto plan = propose(scene, survey, one.settings, outlook, run);
    if (!plan) {
      return Failure(plan.error());
    }
    out.front().outcome = plan->forecast.before;
    one.outcome = plan->forecast.after;
  }
  const auto grid = terms.begin() + static_cast<std::ptrdiff_t>(first_grid);
  out.insert(out.end(), terms.begin(), grid);
  const auto cheapest =
      std::min_element(grid, terms.end(), [](const Alternative& a, const Alternative& b) {
        return a.outcome.price_ms < b.outcome.price_ms;
      });
  if (cheapest != terms.end()) {
    out.push_back(*cheapest);
  }
  return out;
}

}  // namespace wakuzume
