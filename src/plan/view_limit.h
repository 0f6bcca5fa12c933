// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "plan/cut.h"
#include "wakuzume/propose.h"

/// Which groups of an arrangement a view can't afford: those that draw much of what it does not
/// see.
namespace wakuzume {

class ViewLimit {
 public:
  /// All are borrowed.
  ViewLimit(const Scene& scene,
            const Items& items,
            const Trees& trees,
            const Outlook& outlook,
            const RunControl& run);

  /// Groups are halved, those first that draw most in vain, until no view takes too long.
  /// \param over_us  by view: GPU time beyond what it may take; not above 0: it holds its limit
  /// \cost a test for each item and frustum of the views that take too long; in parallel over these
  [[nodiscard]] Barred find_barred(const Arrangement& arrangement,
                                   std::span<const double> over_us,
                                   const RunControl& run) const;

 private:
  const Scene& scene_;
  const Items& items_;
  const Trees& trees_;
  const Outlook& outlook_;
  CullingBoxes boxes_;  ///< of the items
};

}  // namespace wakuzume
