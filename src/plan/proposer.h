// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include "wakuzume/propose.h"

namespace wakuzume {

/// One a draw of the survey, in its order. \cost O(draws), in parallel
std::vector<DrawMark> make_marks(const Scene& scene, const Survey& survey, const RunControl& run);

/// A draw of a plan and the same one in a scene that may have changed.
struct NodeMove {
  std::size_t then = 0;
  std::uint32_t now = no_index;  ///< no_index: it is gone
};
/// One a mark of `then`, in its order: found by path, order among equal paths, and primitive.
std::vector<NodeMove> match_marks(const std::vector<DrawMark>& then,
                                  const std::vector<DrawMark>& now);

/// What a proposer is given beside the scene.
struct ProposeTask {
  const ProposeSettings& settings;
  const Outlook& outlook;
  /// Draws that are to be planned, where not all of those that nothing decides yet are.
  const std::vector<DrawRef>* only = nullptr;
};

/// Adds to what was taken back; what is known already stays as it was. Keeps their order.
void add_taken_back(std::vector<TakenBack>& list, TakenBack taken);

/// propose, around what is decided already: the pinned groups of a plan, what somebody took out of
/// it by hand, and what was taken back. \pre these are draws of the survey
Result<Plan> propose_around(const Plan& decided,
                            const Scene& scene,
                            const Survey& survey,
                            const ProposeTask& task,
                            const RunControl& run);

}  // namespace wakuzume
