// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "rework/compact.h"
#include "wakuzume/build.h"

/// What building and restoring do to the nodes of a source.
namespace wakuzume {

/// Takes the draws that went into groups away from their nodes in `out`; what stays keeps its
/// order, and its rows their new primitive. \param moved  by row \pre `out` began as a copy of
/// `source`; the rows are one a draw, by node
void detach_draws(const Scene& source,
                  const std::vector<bool>& moved,
                  Scene& out,
                  std::vector<LedgerRow>& rows);

/// A loader that does not know instance sets would show one instance of each: refusing is better.
void require_instancing(Scene& scene);

/// The ledger's nodes of the result by the numbers they have after compact().
void renumber_nodes(const NodeMap& number, Ledger& ledger);

void add_once(std::vector<std::string>& list, const std::string& text);

}  // namespace wakuzume
