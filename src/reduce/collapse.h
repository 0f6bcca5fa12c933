// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "reduce/collapse_field.h"
#include "wakuzume/run_control.h"

namespace wakuzume {

struct Collapse {
  std::vector<SurfaceStep> steps;
  double error_m = 0;  ///< largest of the moves
  ReducedTo why = ReducedTo::count;
};

/// Reduces a field that is weighed. Large ones first in pieces, side by side, as far as what shows
/// least in each of them shows less than most of what will go; then as a whole.
/// \pre points are numbered so that what is near in number is near in space
/// \return false when the observer asked to stop
bool collapse(CollapseField& field,
              const SurfaceTarget& target,
              const RunControl& run,
              Collapse& out);

}  // namespace wakuzume
