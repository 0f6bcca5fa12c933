// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <map>
#include <span>
#include <vector>

#include "order/overlaps.h"
#include "wakuzume/result.h"

/// Blended draws as the views see them, at rest and while they move.
namespace wakuzume {

struct BlendLook {
  std::uint32_t view = 0;
  std::uint32_t pose = no_index;  ///< no_index: at rest
  std::vector<Overlap> overlaps{};
};

struct BlendLooks {
  std::vector<BlendLook> list{};
  /// By pose: how each moving root has moved since it was at rest.
  std::vector<std::map<NodeId, Mat4d>> moves{};

  /// Where a point of a draw is in a look. \param root  the draw's moving root
  [[nodiscard]] Vec3d move(const Vec3d& point, NodeId root, const BlendLook& look) const;
};

/// At rest by all views, and where blended draws move, at some moments of the animations those that
/// overlap then and of which one moves.
/// \error cancelled \cost find_overlaps, once and for each of at most six moments
Result<BlendLooks> look_at_blends(const Scene& scene,
                                  const Survey& survey,
                                  std::span<const Mat4d> world,
                                  std::span<const Viewpoint> views,
                                  const RunControl& run);

}  // namespace wakuzume
