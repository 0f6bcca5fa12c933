// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <tuple>
#include <utility>
#include <vector>

#include "wakuzume/survey.h"

/// Boxes around what skins and morph targets deform.
namespace wakuzume {

class Reach {
 public:
  /// Samples poses where a skin deforms something. \cost as list_poses
  explicit Reach(const Scene& scene);

  /// World box of a draw in all sampled poses, and at rest. A vertex lies between the places that
  /// its joints give it, so that the boxes around those hold it; weights have to sum to 1.
  /// \pre the primitive has positions, all finite
  Box3d find(NodeId node, std::uint32_t primitive);

 private:
  /// By joint of a skin, or one for all: around its vertices as they are bound.
  using Boxes = std::vector<Box3d>;
  const Boxes& find_bound(NodeId node, std::uint32_t primitive);

  const Scene& scene_;
  std::vector<std::vector<Mat4d>> poses_;
  std::map<std::tuple<MeshId, std::uint32_t, SkinId>, Boxes> known_;
};

}  // namespace wakuzume
