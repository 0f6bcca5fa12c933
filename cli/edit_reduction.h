// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "wakuzume/job.h"

namespace wakuzume::cli {

/// Takes the meshes that a plan's groups show to other counts.
/// \param before  with the plan's nodes, its meshes as they were
/// \param wishes  group and count; where two groups show a mesh the last counts
/// \error bad_setting  there is no such group, or what it shows can't be reduced
Result<ReducePlan> edit_reduction(
    const Scene& before,
    const Plan& plan,
    const std::vector<std::pair<std::string, ReduceSettings>>& wishes);

}  // namespace wakuzume::cli
