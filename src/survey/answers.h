// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "survey/rules.h"

/// Terms among the wishes of the settings: asked once, and what they speak of kept.
namespace wakuzume {

/// Whether there are terms that have no answer yet.
bool has_open(const SurveyWishes& wishes, const std::vector<WishAnswer>& answers);

/// \pre every wish with terms has an answer
/// \param list  draws of the scene
TermHits make_term_hits(const Scene& scene,
                        const SurveyWishes& wishes,
                        const std::vector<WishAnswer>& answers,
                        const std::vector<DrawRef>& list);

/// How many draws each wish speaks of that is not there by default, into Survey::wishes.
/// \pre the survey's settings have every answer
Result<void> count_wishes(const Scene& scene,
                          const SurveyWishes& wishes,
                          Survey& found,
                          const RunControl& run);

}  // namespace wakuzume
