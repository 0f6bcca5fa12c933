// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/propose.h"

/// What a plan will take, before it is carried out.
namespace wakuzume {

/// The survey that the result of a plan would have, as far as frames are concerned: draws with
/// their boxes, counts and states.
Survey make_planned_survey(const Survey& survey, const Plan& plan);

/// Draws, triangles and vertices as counted in the survey, its frames over the views.
/// \param outlook  with at least one pass
/// \error cancelled
Result<Outcome> measure_outcome(const Scene& scene,
                                const Survey& survey,
                                const Outlook& outlook,
                                const RunControl& run);

/// The same of the scene as it is, with what its geometry takes.
/// \error cancelled
Result<Outcome> measure_today(const Scene& scene,
                              const Survey& survey,
                              const Outlook& outlook,
                              const RunControl& run);

/// Fills the plan's forecast. \param today  of measure_today
/// \error cancelled
Result<void> make_forecast(const Scene& scene,
                           const Survey& survey,
                           const Outlook& outlook,
                           const Outcome& today,
                           Plan& plan,
                           const RunControl& run);

}  // namespace wakuzume
