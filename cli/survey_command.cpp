// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <iterator>
#include <limits>
#include <map>

#include "command.h"
#include "print_survey.h"
#include "wakuzume/figures_of.h"

namespace wakuzume::cli {
namespace {

std::unique_ptr<Table> choose_table(const Options& options,
                                    const Scene& scene,
                                    const Survey& survey,
                                    const Assessment& assessment) {
  static const std::map<std::string, GroupBy> groups{
      {"key", GroupBy::key},   {"material", GroupBy::material}, {"family", GroupBy::family},
      {"mesh", GroupBy::mesh}, {"level", GroupBy::level},       {"subtree", GroupBy::subtree}};
  if (!options.by.empty()) {
    return make_group_table(scene, survey, groups.at(options.by), options.depth);
  }
  if (options.table == "views") {
    return make_view_table(assessment);
  }
  if (options.table == "findings") {
    return make_finding_table(assessment);
  }
  if (options.table == "near") {
    return make_near_table(scene, survey, assessment);
  }
  return make_draw_table(scene, survey, assessment.findings);
}

bool wants_table(const Options& options) {
  return !options.table.empty() || !options.by.empty() || !options.where.empty() ||
         !options.sort.empty() || options.top || options.format == Format::csv;
}

Result<std::string> print_table(const Options& options,
                                const Scene& scene,
                                const Survey& survey,
                                const Assessment& assessment) {
  const auto table = choose_table(options, scene, survey, assessment);
  auto rows = select_rows(*table, {options.where, options.sort});
  if (!rows) {
    return Failure(rows.error());
  }
  if (options.format == Format::text) {
    return to_text(*table, *rows, options.top.value_or(20));
  }
  rows->resize(std::min<std::size_t>(
      rows->size(), options.top.value_or(std::numeric_limits<std::uint32_t>::max())));
  return options.format == Format::csv ? to_csv(*table, *rows) : to_json(*table, *rows);
}

/// Tiers of what --where chooses, and of nothing else.
bool ranks_part(const Options& options) {
  return !options.where.empty() && !options.tier.empty() && options.table.empty() &&
         options.by.empty() && options.format == Format::text;
}

Exit rank_part(Command& command,
               const Scene& scene,
               const Survey& survey,
               const Assessment& assessment) {
  const Options& options = command.options();
  const auto table = make_draw_table(scene, survey, assessment.findings);
  const auto rows = select_rows(*table, {options.where, ""});
  if (!rows) {
    return command.fail(rows.error());
  }
  if (rows->empty()) {
    return command.fail({ErrorCode::bad_setting, "--where leaves no draw to be ranked", {}});
  }
  const auto images = command.read_images(scene);
  if (!images) {
    return command.fail(images.error());
  }
  std::vector<DrawId> draws;
  std::transform(rows->begin(), rows->end(), std::back_inserter(draws),
                 [](std::uint32_t row) { return make_id<DrawId>(row); });
  const std::vector<Figure> figures =
      make_figures_of(draws, scene, survey, *images, command.job().profile);
  const std::vector<Tier>& tiers = command.job().settings.tiers;
  const std::vector<TierResult> results = check_tiers(tiers, figures);
  const Exit delivered =
      command.deliver(print_part(options.inputs.front(), options.where, figures, results));
  const bool reached = std::any_of(results.begin(), results.end(), [&](const TierResult& tier) {
    return tier.name == options.tier && tier.passed();
  });
  return delivered != Exit::done || reached ? delivered : Exit::check_failed;
}

Exit survey_one(Command& command) {
  const Options& options = command.options();
  const auto one = command.read_and_survey(options.inputs.front());
  if (!one) {
    return command.fail(one.error());
  }
  auto outlook = make_outlook(one->scene, one->survey, command.job());
  if (!outlook) {
    return command.fail(outlook.error());
  }
  const auto assessment = assess(one->scene, one->survey, std::move(*outlook), command.job(),
                                 command.tools(), command.run());
  if (!assessment) {
    return command.fail(assessment.error());
  }
  if (!options.save_views.empty()) {
    if (auto done = command.write_json(options.save_views, to_json(assessment->views)); !done) {
      return command.fail(done.error());
    }
  }
  if (ranks_part(options)) {
    return rank_part(command, one->scene, one->survey, *assessment);
  }
  Result<std::string> text;
  if (wants_table(options)) {
    text = print_table(options, one->scene, one->survey, *assessment);
  } else if (options.format == Format::json) {
    text = to_json(one->scene, one->survey, *assessment);
  } else {
    text = to_text(options.inputs.front(), one->scene, one->survey, *assessment);
  }
  if (!text) {
    return command.fail(text.error());
  }
  const Exit delivered = command.deliver(*text);
  return delivered != Exit::done || assessment->passed() ? delivered : Exit::check_failed;
}

/// Several scenes: what they have in common.
Exit survey_many(Command& command) {
  const Options& options = command.options();
  std::vector<Surveyed> all;
  std::vector<std::vector<ImageFacts>> images;
  for (const std::string& path : options.inputs) {
    auto one = command.read_and_survey(path);
    if (!one) {
      return command.fail(one.error());
    }
    auto facts = command.read_images(one->scene);
    if (!facts) {
      return command.fail(facts.error());
    }
    all.push_back(std::move(*one));
    images.push_back(std::move(*facts));
  }
  std::vector<SharingInput> inputs;
  std::vector<SharedScene> scenes;
  for (std::size_t i = 0; i < all.size(); ++i) {
    inputs.push_back({&all[i].scene, &all[i].survey, images[i]});
    scenes.push_back({options.inputs[i], all[i].survey.totals});
  }
  const Sharing sharing = find_sharing(inputs);
  return command.deliver(options.format == Format::json ? to_json(options.inputs, sharing)
                                                        : to_text(scenes, sharing));
}

}  // namespace

Exit survey_command(const Options& options) {
  Command command(options);
  if (auto loaded = command.load_job(); !loaded) {
    return command.fail(loaded.error());
  }
  if (options.inputs.size() == 1) {
    return survey_one(command);
  }
  if (wants_table(options)) {
    return command.fail({ErrorCode::bad_setting,
                         "tables, filters and CSV are for one scene; several are compared as text "
                         "or JSON",
                         {}});
  }
  return survey_many(command);
}

}  // namespace wakuzume::cli
