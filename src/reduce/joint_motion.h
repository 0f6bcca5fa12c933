// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <span>
#include <vector>

#include "wakuzume/scene.h"

namespace wakuzume {

/// Where joints take what hangs on them while the scene's animations play.
class JointMotion {
 public:
  /// A matrix a joint of the skin, from where vertices are stored to where they are in a pose, as
  /// seen from the skin's first joint.
  using Pose = std::vector<Mat4d>;

  /// \cost of playing the animations; nothing without skins
  explicit JointMotion(const Scene& scene);

  /// Poses of the first skin that shows the mesh, those that differ most first; none where nothing
  /// plays.
  [[nodiscard]] std::span<const Pose> list(MeshId mesh) const;

 private:
  std::map<SkinId, std::vector<Pose>> poses_;
  std::map<MeshId, SkinId> skin_of_;
};

}  // namespace wakuzume
