// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/settings.h"

#include <span>

namespace wakuzume {

Result<void> validate(const Settings& settings) {
  for (const Result<void>& valid :
       {validate(settings.split), validate(settings.survey), validate(settings.reduce),
        validate(settings.lightmaps), validate(settings.materials), validate(settings.propose),
        validate(settings.verify), validate(settings.views), validate(settings.findings),
        validate(std::span<const Budget>(settings.budgets))}) {
    if (!valid) {
      return valid;
    }
  }
  for (const Tier& tier : settings.tiers) {
    if (auto valid = validate(std::span<const Budget>(tier.budgets)); !valid) {
      return valid;
    }
  }
  return {};
}

}  // namespace wakuzume
