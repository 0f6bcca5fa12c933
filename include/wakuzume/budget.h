// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/cost.h"
#include "wakuzume/findings.h"
#include "wakuzume/image_facts.h"
#include "wakuzume/survey.h"
#include "wakuzume/views.h"

/// Budgets: figures of a surveyed scene held against limits.
namespace wakuzume {

/// A number a budget can limit. Figures of a view are its worst over all views, all passes
/// together.
struct Figure {
  std::string_view name;  ///< one of figure_names()
  double value = 0;
  std::string where;  ///< the view that has it, for figures of a view
};

/// Every name there is, in the order of make_figures.
std::span<const std::string_view> figure_names();

/// \pre all are of one scene; `images` may be empty, then texture megabytes are 0
std::vector<Figure> make_figures(const Survey& survey,
                                 const Frames& frames,
                                 std::span<const Viewpoint> views,
                                 std::span<const ImageFacts> images,
                                 std::span<const Finding> findings);

struct Budget {
  std::string figure;
  double limit = 0;  ///< passes when the value is at most that
  bool operator==(const Budget&) const = default;
};

/// A named set of budgets, such as those of one device.
struct Tier {
  std::string name;
  std::vector<Budget> budgets;
  bool operator==(const Tier&) const = default;
};

struct BudgetResult {
  Budget budget;
  double value = 0;
  std::string where;
  [[nodiscard]] bool passed() const { return value <= budget.limit; }
};

struct TierResult {
  std::string name;
  std::vector<BudgetResult> results;
  [[nodiscard]] bool passed() const;
};

/// \error bad_setting  an unknown figure, with the nearest known one, or a limit that is no number
Result<void> validate(std::span<const Budget> budgets);
/// \pre validate(budgets)
std::vector<BudgetResult> check_budgets(std::span<const Budget> budgets,
                                        std::span<const Figure> figures);
/// One entry a tier, in their order.
std::vector<TierResult> check_tiers(std::span<const Tier> tiers, std::span<const Figure> figures);

/// The known word with the fewest edits from `word`; for "did you mean". \pre known is not empty
std::string_view find_nearest_word(std::string_view word, std::span<const std::string_view> known);

}  // namespace wakuzume
