// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>

#include "source.h"
#include "wakuzume/mend.h"

/// Making, changing and asking plans.
namespace wakuzume::cli {

struct Proposal {
  Source source;
  Survey survey;
  Outlook outlook;
  Plan plan;
  std::vector<ImageFacts> images{};  ///< of the source before it was repainted; empty: nothing was
};

Result<Proposal> make_proposal(Command& command, const std::string& path);
/// Routes and plans once more, without what was taken back of the earlier proposal and by a step.
Result<void> propose_without(Command& command, const MendStep& step, Proposal& proposal);

/// "out/level.glb" with ".ledger.json" is "out/level.ledger.json".
std::string beside(const std::string& path, const char* ending);
/// A plan names its scene relative to itself, so that both can be moved together.
std::string make_relative(const std::string& scene, const std::string& plan);
/// Where the scene of a plan is. \param file  of the plan
std::string find_scene(const std::string& relative, const std::string& file);

/// With an error of a plan that is for another scene: what changed since.
void tell_changes(Command& command, const Scene& scene, const Plan& plan, Error& error);

}  // namespace wakuzume::cli
