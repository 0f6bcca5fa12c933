// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/blend_looks.h"

#include <algorithm>
#include <utility>

#include "order/draw_triangles.h"
#include "scene/matrix.h"
#include "survey/poses.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t moments_an_animation = 3;
constexpr std::size_t most_poses = 6;

NodeId root_of(const Survey& survey, const Draw& draw) { return survey[draw.key].moving_root; }

/// The survey with the boxes that moving draws have in a pose.
Survey pose_survey(const Scene& scene, const Survey& survey, std::span<const Mat4d> world) {
  Survey out = survey;
  for (Draw& draw : out.draws) {
    if (root_of(survey, draw) != no_node) {
      // An empty box counts as in sight.
      draw.box = draw.instances > 1 ? Box3d{} : find_tight_box(scene, draw, world);
    }
  }
  return out;
}

}  // namespace

Vec3d BlendLooks::move(const Vec3d& point, NodeId root, const BlendLook& look) const {
  if (look.pose == no_index || root == no_node) {
    return point;
  }
  const auto moved = moves[look.pose].find(root);
  if (moved == moves[look.pose].end()) {
    return point;
  }
  const Eigen::Vector3d at = (as_eigen(moved->second) * as_eigen(point).homogeneous()).head<3>();
  return {at.x(), at.y(), at.z()};
}

Result<BlendLooks> look_at_blends(const Scene& scene,
                                  const Survey& survey,
                                  std::span<const Mat4d> world,
                                  std::span<const Viewpoint> views,
                                  const RunControl& run) {
  BlendLooks out;
  const auto add = [&](std::vector<std::vector<Overlap>> found, std::uint32_t pose) {
    for (std::uint32_t v = 0; v < found.size(); ++v) {
      if (pose != no_index) {
        std::erase_if(found[v], [&](const Overlap& overlap) {
          return root_of(survey, survey.draws[overlap.behind]) == no_node &&
                 root_of(survey, survey.draws[overlap.before]) == no_node;
        });
      }
      out.list.push_back({v, pose, std::move(found[v])});
    }
  };
  auto at_rest = find_overlaps(scene, survey, world, views, run);
  if (!at_rest) {
    return Failure(at_rest.error());
  }
  add(std::move(*at_rest), no_index);
  const bool any_moves = std::any_of(survey.draws.begin(), survey.draws.end(), [&](const Draw& d) {
    return d.blended && root_of(survey, d) != no_node;
  });
  if (!any_moves) {
    return out;
  }
  for (const std::vector<Mat4d>& pose : list_poses(scene, moments_an_animation, most_poses)) {
    std::map<NodeId, Mat4d>& moves = out.moves.emplace_back();
    for (const Draw& draw : survey.draws) {
      const NodeId root = root_of(survey, draw);
      if (draw.blended && root != no_node && is_invertible(world[to_index(root)])) {
        if (const auto [move, added] = moves.try_emplace(root); added) {
          Eigen::Map<Eigen::Matrix4d>(move->second.data()) =
              as_eigen(pose[to_index(root)]) * as_eigen(world[to_index(root)]).inverse();
        }
      }
    }
    auto found = find_overlaps(scene, pose_survey(scene, survey, pose), pose, views, run);
    if (!found) {
      return Failure(found.error());
    }
    add(std::move(*found), static_cast<std::uint32_t>(out.moves.size() - 1));
  }
  return out;
}

}  // namespace wakuzume
