// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/budget.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace wakuzume {
namespace {

constexpr std::array<std::string_view, 25> names{"draws",
                                                 "nodes",
                                                 "merge_keys",
                                                 "materials",
                                                 "textures",
                                                 "images",
                                                 "triangles",
                                                 "file_megabytes",
                                                 "texture_megabytes",
                                                 "vertices_per_draw",
                                                 "triangles_per_draw",
                                                 "serious_findings",
                                                 "draws_per_view",
                                                 "median_draws_per_view",
                                                 "instances_per_view",
                                                 "triangles_per_view",
                                                 "pipeline_switches_per_view",
                                                 "material_switches_per_view",
                                                 "texture_megabytes_per_view",
                                                 "milliseconds_per_view",
                                                 "meshes",
                                                 "skins",
                                                 "joints",
                                                 "influences",
                                                 "targets"};

/// Edits (insert, drop, replace) that turn one word into the other (V. Levenshtein, 1965).
std::size_t count_edits(std::string_view a, std::string_view b) {
  std::vector<std::size_t> row(b.size() + 1);
  std::iota(row.begin(), row.end(), std::size_t{0});
  for (std::size_t i = 0; i < a.size(); ++i) {
    std::size_t corner = row[0]++;
    for (std::size_t j = 0; j < b.size(); ++j) {
      const std::size_t replaced = corner + (a[i] == b[j] ? 0 : 1);
      corner = row[j + 1];
      row[j + 1] = std::min({replaced, row[j] + 1, row[j + 1] + 1});
    }
  }
  return row.back();
}

/// Values by name; a name that is not in the list is a mistake of this file.
class FigureMaker {
 public:
  FigureMaker() {
    std::transform(names.begin(), names.end(), std::back_inserter(figures),
                   [](std::string_view name) {
                     return Figure{name, 0, ""};
                   });
  }
  void set(std::string_view name, double value, std::string where = "") {
    const auto hit = std::find_if(figures.begin(), figures.end(),
                                  [&](const Figure& figure) { return figure.name == name; });
    hit->value = value;
    hit->where = std::move(where);
  }
  void set(std::string_view name, std::uint64_t value) { set(name, static_cast<double>(value)); }

  std::vector<Figure> figures;
};

}  // namespace

std::span<const std::string_view> figure_names() { return names; }

std::vector<Figure> make_figures(const Survey& survey,
                                 const Frames& frames,
                                 std::span<const Viewpoint> views,
                                 std::span<const ImageFacts> images,
                                 std::span<const Finding> findings) {
  FigureMaker out;
  const Totals& totals = survey.totals;
  out.set("draws", totals.draws);
  out.set("nodes", totals.nodes);
  out.set("merge_keys", std::uint64_t{survey.keys.size()});
  out.set("materials", totals.materials);
  out.set("textures", totals.textures);
  out.set("images", totals.images);
  out.set("triangles", totals.triangles);
  out.set("file_megabytes", static_cast<double>(totals.bytes) / 1e6);
  const double texels =
      std::accumulate(images.begin(), images.end(), 0.0, [](double sum, const ImageFacts& facts) {
        return sum + static_cast<double>(facts.width_px) * static_cast<double>(facts.height_px);
      });
  out.set("texture_megabytes", texels * frames.profile.texture_bytes_per_texel * 4 / 3 / 1e6);
  std::uint64_t vertices = 0;
  std::uint64_t triangles = 0;
  for (const Draw& draw : survey.draws) {
    vertices = std::max(vertices, draw.vertices);
    triangles = std::max(triangles, draw.triangles);
  }
  out.set("vertices_per_draw", vertices);
  out.set("triangles_per_draw", triangles);
  out.set("serious_findings",
          static_cast<double>(std::count_if(findings.begin(), findings.end(), [](const Finding& f) {
            return f.severity == Severity::serious;
          })));
  const auto per_view = [&](std::string_view name, double (*figure)(const FrameCost&)) {
    const Spread spread = frames.find_spread(figure);
    if (spread.worst_view != no_index) {
      out.set(name, spread.worst, views[spread.worst_view].name);
    }
  };
  const auto draws = [](const FrameCost& f) { return static_cast<double>(f.total.draws); };
  per_view("draws_per_view", draws);
  out.set("median_draws_per_view", frames.find_spread(draws).median);
  per_view("instances_per_view",
           [](const FrameCost& f) { return static_cast<double>(f.total.instances); });
  per_view("triangles_per_view",
           [](const FrameCost& f) { return static_cast<double>(f.total.triangles); });
  per_view("pipeline_switches_per_view",
           [](const FrameCost& f) { return static_cast<double>(f.total.pipeline_switches); });
  per_view("material_switches_per_view",
           [](const FrameCost& f) { return static_cast<double>(f.total.material_switches); });
  per_view("texture_megabytes_per_view",
           [](const FrameCost& f) { return static_cast<double>(f.total.texture_bytes) / 1e6; });
  per_view("milliseconds_per_view", [](const FrameCost& f) { return f.total.ms(); });
  return out.figures;
}

bool TierResult::passed() const {
  return std::all_of(results.begin(), results.end(),
                     [](const BudgetResult& result) { return result.passed(); });
}

Result<void> validate(std::span<const Budget> budgets) {
  for (const Budget& budget : budgets) {
    if (std::find(names.begin(), names.end(), budget.figure) == names.end()) {
      return Failure(
          Error{ErrorCode::bad_setting,
                fmt::format("there is no figure {}; did you mean {}? There are {}", budget.figure,
                            find_nearest_word(budget.figure, names), fmt::join(names, ", ")),
                {}});
    }
    if (!(std::isfinite(budget.limit) && budget.limit >= 0)) {
      return Failure(Error{ErrorCode::bad_setting,
                           fmt::format("the budget for {} must be a number from 0", budget.figure),
                           {}});
    }
  }
  return {};
}

std::vector<BudgetResult> check_budgets(std::span<const Budget> budgets,
                                        std::span<const Figure> figures) {
  std::vector<BudgetResult> results;
  for (const Budget& budget : budgets) {
    const auto hit = std::find_if(figures.begin(), figures.end(), [&](const Figure& figure) {
      return figure.name == budget.figure;
    });
    if (hit != figures.end()) {
      results.push_back({budget, hit->value, hit->where});
    }
  }
  return results;
}

std::vector<TierResult> check_tiers(std::span<const Tier> tiers, std::span<const Figure> figures) {
  std::vector<TierResult> results;
  for (const Tier& tier : tiers) {
    results.push_back({tier.name, check_budgets(tier.budgets, figures)});
  }
  return results;
}

std::string_view find_nearest_word(std::string_view word, std::span<const std::string_view> known) {
  return *std::min_element(known.begin(), known.end(), [&](const auto& a, const auto& b) {
    return count_edits(word, a) < count_edits(word, b);
  });
}

}  // namespace wakuzume
