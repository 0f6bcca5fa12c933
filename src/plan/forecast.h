// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "plan/item_input.h"

/// What a plan will take, before it is carried out.
namespace wakuzume {

/// What the scene as it is takes.
/// \param outlook  with at least one pass; see with_passes
/// \error cancelled
Result<Outcome> measure_today(const Scene& scene,
                              const Survey& survey,
                              const std::vector<ShapeSize>& sizes,
                              const Outlook& outlook,
                              const RunControl& run);

/// Fills the plan's forecast. \param today  of measure_today
/// \error cancelled
Result<void> make_forecast(const Scene& scene,
                           const Survey& survey,
                           const std::vector<ShapeSize>& sizes,
                           const Outlook& outlook,
                           const Outcome& today,
                           Plan& plan,
                           const RunControl& run);

/// A profile without passes draws what is seen, once.
inline CostProfile with_passes(CostProfile profile) {
  if (profile.passes.empty()) {
    profile.passes.emplace_back();
  }
  return profile;
}

}  // namespace wakuzume
