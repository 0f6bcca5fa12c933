// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "plan/cut.h"

/// One cut for each component, out of cuts that were made on different terms.
namespace wakuzume {

/// What all components take when each is cut on these terms.
struct Offer {
  CutTerms terms;
  std::vector<CutTotals> totals;  ///< by component
};

struct MixLimits {
  double triangles = 0;  ///< of a mean frame
  double bytes = 0;

  [[nodiscard]] bool hold(const CutTotals& totals) const;
};

enum class MixAim : std::uint8_t {
  slower,  ///< a frame takes as long as the slower of CPU and GPU
  both     ///< the sum of them
};

struct Mix {
  std::vector<std::uint32_t> choices;  ///< by component: position in the offers
  CutTotals totals;
  bool held = false;  ///< the limits
  CutTerms next;      ///< on which a further offer is most likely to be of use
};

/// Raising a price moves all components of one kind at once, from far above a limit to far below
/// it. So a price is found at which the limits are held, and what is left of them is given to those
/// components that make most of it.
/// \param byte_us  price of a byte
/// \pre there is an offer; all have as many components
/// \cost O(components x offers) some 300 times
Mix choose_mix(std::span<const Offer> offers, const MixLimits& limits, MixAim aim, double byte_us);

/// One offer for all components. \param offer  position in the offers
Mix make_plain_mix(std::span<const Offer> offers, const MixLimits& limits, std::uint32_t offer);

/// Microseconds that `aim` counts, and those of bytes.
double find_price(const CutTotals& totals, MixAim aim, double byte_us);

}  // namespace wakuzume
