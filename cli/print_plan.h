// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>

#include "wakuzume/ladder.h"
#include "wakuzume/revise.h"

/// Plans as text for people, at most 100 columns wide.
namespace wakuzume::cli {

/// What becomes of the draws, the groups that save most, and the forecast.
std::string to_text(const Scene& scene, const Plan& plan);
/// Plans on several terms, one a line. \param profile  by which they were measured
std::string to_text(std::span<const Alternative> list, const std::string& profile);
/// How far down the survey's ladder the plan goes.
std::string compare_with_ladder(const Plan& plan, const Ladder& ladder);
/// What other options could still save, each with its option; empty where it is not worth a word.
/// \param ladder  of the scene that the plan is for
std::string tell_next(const Plan& plan, const Ladder& ladder);
/// Why one draw went where it went.
std::string to_text(const Scene& scene, const Reason& reason);

}  // namespace wakuzume::cli
