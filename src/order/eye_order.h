// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "order/facets.h"
#include "order/sequencer.h"

/// Cycles of facets, decided by those who look at them.
namespace wakuzume {

/// Puts facets of cycles into an order that is right from the eyes of the settings, as far as there
/// is one. Cycles of very many facets stay.
/// \pre a unit is a facet
/// \param chained  by facet: comes after the one before it
/// \cost of a cycle of n facets n^2 bytes, and an eye O(n log n) and the pairs that overlap in its
/// sight
/// \return whether anything changed
bool decide_by_eyes(const Facets& facets,
                    const std::vector<bool>& chained,
                    const OrderSettings& settings,
                    Sequenced& sequenced);

}  // namespace wakuzume
