// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>
#include <vector>

#include "wakuzume/assess.h"
#include "wakuzume/sharing.h"
#include "wakuzume/table.h"
#include "wakuzume/words.h"

/// What the survey command prints for people.
namespace wakuzume::cli {

std::string to_text(const std::string& path,
                    const Scene& scene,
                    const Survey& survey,
                    const Assessment& assessment);
/// The first rows of a table, columns as wide as they need and the page allows.
std::string to_text(const Table& table, std::span<const std::uint32_t> rows, std::size_t most);

/// What passes and what fails; empty without budgets and tiers.
std::string print_budgets(const std::vector<BudgetResult>& budgets,
                          const std::vector<TierResult>& tiers);

/// A part of a scene: what it holds, which tier it reaches, and what stops it from the next.
std::string print_part(const std::string& path,
                       const std::vector<std::string>& where,
                       const std::vector<Figure>& figures,
                       const std::vector<TierResult>& tiers);

struct SharedScene {
  std::string path;
  Totals totals;
};
std::string to_text(const std::vector<SharedScene>& scenes, const Sharing& sharing);

}  // namespace wakuzume::cli
