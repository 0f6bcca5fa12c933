// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/propose.h"

/// Facts about draws that proposing and checking a plan share.
namespace wakuzume {

/// The most vertices a draw can add to a cluster: what its indices can reach, or one a corner where
/// flat normals may have to be made.
std::uint64_t count_cluster_vertices(const Scene& scene, const Draw& draw);

/// Position of a draw in the survey's list, or no_draw.
DrawId find_draw(const Survey& survey, const DrawRef& ref);

/// Holds the groups of a plan against a survey made with the plan's own settings.
/// \error plan_invalid
Result<Coverage> check_groups(const Scene& scene, const Survey& survey, const Plan& plan);

/// \error plan_mismatch
Result<void> check_hash(const ContentHash& wanted, const ContentHash& found, const char* what);

}  // namespace wakuzume
