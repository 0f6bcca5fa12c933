// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "plan/item_input.h"

/// What a plan will take, before it is carried out.
namespace wakuzume {

/// An outcome, and what it takes by view.
struct Measured {
  Outcome outcome;
  std::vector<double> gpu_ms;  ///< by view, all passes
};

/// What the scene as it is takes.
/// \param outlook  with at least one pass; see with_passes
/// \error cancelled
Result<Measured> measure_today(const Scene& scene,
                               const Survey& survey,
                               const std::vector<ShapeSize>& sizes,
                               const Outlook& outlook,
                               const RunControl& run);

/// What the scene takes when the plan is carried out. \error cancelled
Result<Measured> measure_plan(const Scene& scene,
                              const Survey& survey,
                              const std::vector<ShapeSize>& sizes,
                              const Outlook& outlook,
                              const Plan& plan,
                              const RunControl& run);

/// \param outlook  whose `before` is told where there is one
Forecast make_forecast(const Measured& today, const Measured& planned, const Outlook& outlook);

/// A profile without passes draws what is seen, once.
inline CostProfile with_passes(CostProfile profile) {
  if (profile.passes.empty()) {
    profile.passes.emplace_back();
  }
  return profile;
}

}  // namespace wakuzume
