// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>
#include <vector>

#include "wakuzume/job.h"

/// When wishes of a job are asked: terms are about the scene as it was read, while all has its
/// name.
namespace wakuzume {

/// The settings of a survey with answers to terms, asked of a scene where some are open.
/// \error as validate_wish; cancelled
Result<SurveySettings> settle_answers(const Scene& scene,
                                      const SurveySettings& rules,
                                      std::span<const std::string> wishes,
                                      const RunControl& run);

/// What is to be split, with answers to its terms by the user's rules. \error as settle_answers
Result<SplitSettings> answer_split(const Scene& scene,
                                   const Settings& settings,
                                   const RunControl& run);

/// What came of the wishes of a source that is surveyed and not yet reduced. Terms that are asked
/// later are answered; what speaks of nothing is told. \error as settle_answers
Result<void> note_wishes(Prepared& prepared,
                         const MaterialSettings& materials,
                         const ReduceSettings& reduction,
                         const std::vector<std::string>& assets,
                         const RunControl& run);

}  // namespace wakuzume
