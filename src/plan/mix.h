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

/// What a mix is chosen by.
struct MixPrices {
  double faster_share = 0;  ///< as CostProfile has it
  double byte_us = 0;
};

/// Microseconds of a mean frame, and those of bytes.
double find_price(const CutTotals& totals, const MixPrices& prices);

struct Mix {
  std::vector<std::uint32_t> choices;  ///< by component: position in the offers
  CutTotals totals;
  bool held = false;  ///< the limits
  CutTerms next;      ///< on which a further offer is most likely to be of use
};

/// Raising a price moves all components of one kind at once, from far above a limit to far below
/// it. So a price is found at which the limits are held, and what is left of them is given to those
/// components that make most of it.
/// \pre there is an offer; all have as many components
/// \cost O(components x offers) some 300 times
Mix choose_mix(std::span<const Offer> offers, const MixLimits& limits, const MixPrices& prices);

/// One offer for all components. \param offer  position in the offers
Mix make_plain_mix(std::span<const Offer> offers, const MixLimits& limits, std::uint32_t offer);

}  // namespace wakuzume
