// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "job/ask_wishes.h"

#include <algorithm>

#include "job/telling.h"
#include "survey/wish.h"
#include "wakuzume/wishes.h"

namespace wakuzume {

Result<SurveySettings> settle_answers(const Scene& scene,
                                      const SurveySettings& rules,
                                      std::span<const std::string> wishes,
                                      const RunControl& run) {
  const auto is_open = [&](const std::string& wish) {
    return is_terms(wish) && find_answer(rules.answers, wish) == nullptr;
  };
  if (std::none_of(wishes.begin(), wishes.end(), is_open)) {
    return rules;
  }
  auto found = survey(scene, rules, run);
  if (!found) {
    return Failure(found.error());
  }
  if (auto done = answer_wishes(scene, wishes, *found, run); !done) {
    return Failure(done.error());
  }
  return std::move(found->settings);
}

Result<SplitSettings> answer_split(const Scene& scene,
                                   const Settings& settings,
                                   const RunControl& run) {
  SplitSettings out = settings.split;
  if (std::none_of(out.nodes.begin(), out.nodes.end(), is_terms)) {
    return out;
  }
  auto rules = settle_answers(scene, settings.survey, out.nodes, run);
  if (!rules) {
    return Failure(rules.error());
  }
  out.answers = std::move(rules->answers);
  return out;
}

Result<void> note_wishes(Prepared& prepared,
                         const MaterialSettings& materials,
                         const ReduceSettings& reduction,
                         const std::vector<std::string>& assets,
                         const RunControl& run) {
  const Scene& scene = prepared.source.scene;
  std::vector<std::string> asked = list_wishes(materials);
  asked.insert(asked.end(), assets.begin(), assets.end());
  if (auto done = answer_wishes(scene, asked, prepared.survey, run); !done) {
    return done;
  }
  std::vector<WishUse>& all = prepared.wishes;
  all.insert(all.end(), prepared.survey.wishes.begin(), prepared.survey.wishes.end());
  const auto no_reduction = std::vector<WishUse>{};
  for (const auto& uses :
       {reduction.asks() ? count_wishes(scene, prepared.survey, reduction, run) : no_reduction,
        count_wishes(scene, prepared.survey, materials, run)}) {
    if (!uses) {
      return Failure(uses.error());
    }
    all.insert(all.end(), uses->begin(), uses->end());
  }
  std::vector<std::string> notes = list_idle(prepared.wishes);
  if (!reduction.nodes.empty() && !reduction.asks()) {
    notes.emplace_back("reduce.nodes: nothing is reduced at all; --reduce or --error say how far");
  }
  warn(run, notes);
  return {};
}

Result<void> answer_wishes(std::span<const std::string> wishes,
                           Prepared& source,
                           const RunControl& run) {
  auto rules = settle_answers(source.source.before_all(), source.survey.settings, wishes, run);
  if (!rules) {
    return Failure(rules.error());
  }
  source.survey.settings = std::move(*rules);
  return {};
}

}  // namespace wakuzume
