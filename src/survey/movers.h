// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string>
#include <vector>

#include "wakuzume/survey.h"

/// What moves by itself: animations, joints, physics.
namespace wakuzume {

struct Mover {
  StayRule rule = StayRule::none;
  std::string why;
};

struct Movers {
  std::vector<Mover> of_node;          ///< one a node
  std::vector<NodeId> constant_nodes;  ///< ascending; all their tracks hold one value
};

/// \cost O(nodes), and one pass over the key frames
Movers find_movers(const Scene& scene, ConstantTracks constant_tracks);

}  // namespace wakuzume
