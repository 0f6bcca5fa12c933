// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <memory>
#include <vector>

#include "wakuzume/pose.h"

/// Where nodes are while animations play.
namespace wakuzume {

/// All nodes at one moment.
struct Pose {
  std::vector<Mat4d> world;                  ///< one a node
  std::vector<std::vector<double>> weights;  ///< the same: of its morph targets
};

/// As everything stands where nothing plays.
Pose make_rest_pose(const Scene& scene);

/// One animation, by itself. What extensions move stays at rest.
/// \source glTF 2.0, appendix C: interpolation
class AnimationPlayer {
 public:
  /// The scene is borrowed.
  AnimationPlayer(const Scene& scene, const Animation& animation);
  ~AnimationPlayer();
  AnimationPlayer(const AnimationPlayer&) = delete;
  AnimationPlayer& operator=(const AnimationPlayer&) = delete;

  [[nodiscard]] bool plays() const;    ///< it moves something
  [[nodiscard]] double begin() const;  ///< seconds \pre plays()
  [[nodiscard]] double end() const;
  /// Gives the nodes what they have at that time. \pre they are those of the scene
  void apply(double time, std::vector<Node>& nodes) const;
  /// \cost a copy of the node tree
  [[nodiscard]] Pose find(double time) const;

 private:
  struct Tracks;
  const Scene& scene_;
  std::unique_ptr<Tracks> tracks_;
};

/// World matrices of all nodes at moments of the scene's animations, each played by itself: the
/// end, and others evenly before it.
/// \param moments  of each animation, until there are `most`
/// \cost a copy of the node tree a pose
std::vector<std::vector<Mat4d>> list_poses(const Scene& scene,
                                           std::uint32_t moments,
                                           std::size_t most);

}  // namespace wakuzume
