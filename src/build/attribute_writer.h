// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "build/attributes.h"
#include "build/vertex_pick.h"
#include "wakuzume/scene.h"

/// The attributes of a member of a merge, moved to where it stands.
namespace wakuzume {

/// Writes all of them, each from its place on.
/// \param places  one an attribute of the layout
/// \return the box around the positions, as they were written
Box3d write_attributes(const Scene& scene,
                       const MergeMember& member,
                       const VertexPick& pick,
                       std::span<const OutputAttribute> layout,
                       std::span<std::byte* const> places);

/// What a target adds to one attribute: of vertices that it moves, three values each.
struct TargetMoves {
  std::vector<std::uint32_t> vertices;  ///< of the result, ascending
  std::vector<float> values;
};

/// Adds those of a member. \param target  of its primitive
void add_target_moves(const Scene& scene,
                      const MergeMember& member,
                      const VertexPick& pick,
                      std::size_t target,
                      const std::string& semantic,
                      TargetMoves& moves);

}  // namespace wakuzume
