// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <string>
#include <utility>
#include <vector>

#include "wakuzume/reduce.h"

namespace wakuzume {

/// Names of settings that are wishes, with what they hold.
std::array<std::pair<const char*, const std::vector<std::string>&>, 2> list_wishes(
    const ReduceSettings& settings);

/// Asks terms that have no answer in the settings. \error as find_draws
Result<void> answer_terms(const Scene& scene,
                          const Survey& survey,
                          ReduceSettings& settings,
                          const RunControl& run);

}  // namespace wakuzume
