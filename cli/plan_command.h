// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "command.h"

/// Making, changing and asking plans.
namespace wakuzume::cli {

/// With an error of a plan that is for another scene: what changed since.
void tell_changes(Command& command, const Scene& scene, const Plan& plan, Error& error);

}  // namespace wakuzume::cli
