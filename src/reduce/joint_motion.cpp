// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/joint_motion.h"

#include <algorithm>

#include "scene/matrix.h"
#include "survey/draws.h"
#include "survey/poses.h"
#include "survey/rigs.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t moments_of_each = 12;
constexpr std::size_t most_moments = 96;
/// Poses of a skin that count: each is one shape more that a mesh has.
constexpr std::size_t most_poses = 4;

double find_difference(const JointMotion::Pose& a, const JointMotion::Pose& b) {
  double sum = 0;
  for (std::size_t j = 0; j < a.size(); ++j) {
    sum += (as_eigen(a[j]) - as_eigen(b[j])).squaredNorm();
  }
  return sum;
}

/// Those that are farthest from all that were taken before, from the first on.
std::vector<JointMotion::Pose> choose_poses(std::vector<JointMotion::Pose> all) {
  std::vector<double> off(all.size(), 0);
  std::vector<JointMotion::Pose> out;
  for (std::size_t p = 0; p < all.size(); ++p) {
    off[p] = find_difference(all[p], all.front());
  }
  while (out.size() < most_poses) {
    const auto farthest = std::max_element(off.begin(), off.end());
    if (farthest == off.end() || *farthest < 1e-8) {
      break;
    }
    out.push_back(all[static_cast<std::size_t>(farthest - off.begin())]);
    for (std::size_t p = 0; p < all.size(); ++p) {
      off[p] = std::min(off[p], find_difference(all[p], out.back()));
    }
  }
  return out;
}

}  // namespace

JointMotion::JointMotion(const Scene& scene) {
  for_each_shown_node(scene, [&](NodeId id) {
    const Node& node = scene[id];
    if (node.mesh != no_mesh && node.skin != no_skin) {
      skin_of_.try_emplace(node.mesh, node.skin);
    }
  });
  if (skin_of_.empty() || scene.animations.empty()) {
    return;
  }
  std::vector<std::vector<Mat4d>> moments{make_world_matrices(scene)};
  for (auto& pose : list_poses(scene, moments_of_each, most_moments)) {
    moments.push_back(std::move(pose));
  }
  for (const auto& [mesh, id] : skin_of_) {
    const Skin& skin = scene.skins[to_index(id)];
    if (skin.joints.empty() || poses_.contains(id)) {
      continue;
    }
    const std::vector<Mat4d> binds = make_inverse_binds(scene, skin);
    std::vector<Pose> all;
    for (const std::vector<Mat4d>& world : moments) {
      const auto joint = [&](std::size_t j) -> Eigen::Matrix4d {
        return as_eigen(world[to_index(skin.joints[j])]) * as_eigen(binds[j]);
      };
      const Eigen::Matrix4d first = joint(0);
      Pose pose;
      for (std::size_t j = 0; j < skin.joints.size(); ++j) {
        Mat4d seen = identity_matrix;
        if (std::abs(first.determinant()) > 1e-12) {
          Eigen::Map<Eigen::Matrix4d>(seen.data()) = first.inverse() * joint(j);
        }
        pose.push_back(seen);
      }
      all.push_back(std::move(pose));
    }
    poses_[id] = choose_poses(std::move(all));
  }
}

std::span<const JointMotion::Pose> JointMotion::list(MeshId mesh) const {
  const auto skin = skin_of_.find(mesh);
  const auto poses = skin == skin_of_.end() ? poses_.end() : poses_.find(skin->second);
  return poses == poses_.end() ? std::span<const Pose>{} : std::span<const Pose>(poses->second);
}

}  // namespace wakuzume
