// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/frames.h"

#include <algorithm>
#include <limits>

#include "plan/check.h"
#include "plan/items.h"
#include "scene/matrix.h"

namespace wakuzume {
namespace {

/// What a triple can't hold is judged by what it shows then.
constexpr double any_loss = std::numeric_limits<double>::infinity();

}  // namespace

RigId find_group_rig(const Survey& survey, const Group& group) {
  if (group.kind != GroupKind::cluster || survey.rigs.empty()) {
    return no_rig;
  }
  const auto key_of = [&](const DrawRef& ref) -> const MergeKey& {
    return survey[survey[find_draw(survey, ref)].key];
  };
  const MergeKey& first = key_of(group.members.front());
  const bool bends =
      std::any_of(group.members.begin(), group.members.end(), [&](const DrawRef& ref) {
        const MergeKey& key = key_of(ref);
        return key.deformed || key.moving_root != first.moving_root;
      });
  return bends ? first.rig : no_rig;
}

Mat4d place(const Frame& frame, const Mat4d& world) {
  if (frame.root != no_node) {
    return make_product(frame.to_node, world);
  }
  Mat4d out = world;
  for (std::size_t c = 0; c < 3; ++c) {
    out[12 + c] += frame.to_node[12 + c];
  }
  return out;
}

FrameMaker::FrameMaker(const Scene& source, const Survey& survey)
    : source_(source), survey_(survey), world_(make_world_matrices(source)) {}

Frame FrameMaker::make(const Group& group) const {
  Frame frame;
  if (const RigId rig = find_group_rig(survey_, group); rig != no_rig) {
    // Bound in the space that the rig has for it, wherever its node is.
    frame.root = survey_[rig].home;
    return frame;
  }
  const Draw& first = survey_[find_draw(survey_, group.members.front())];
  const Vec3d pivot = find_pivot(source_, survey_, group);
  frame.root = survey_[first.key].moving_root;
  frame.local.translation = pivot;
  if (frame.root != no_node) {
    const Eigen::Matrix4d to_root = as_eigen(world_[to_index(frame.root)]).inverse();
    const Eigen::Vector3d local = (to_root * as_eigen(pivot).homogeneous()).head<3>();
    frame.local.translation = {local.x(), local.y(), local.z()};
    frame.to_node = from_eigen(to_root);
  }
  for (std::size_t c = 0; c < 3; ++c) {
    frame.to_node[12 + c] -= frame.local.translation[c];
  }
  if (group.instance_count() > 1 &&
      linear_determinant(place(frame, make_instance_world(world_, group, 0))) < 0) {
    frame.local.scale[0] = -1;
  }
  return frame;
}

std::optional<Trs> FrameMaker::make_instance(const Group& group,
                                             const Frame& frame,
                                             const Box3d& prototype,
                                             std::size_t instance) const {
  Mat4d matrix = place(frame, make_instance_world(world_, group, instance));
  if (frame.local.scale[0] < 0) {
    for (std::size_t column = 0; column < 4; ++column) {
      matrix[4 * column] = -matrix[4 * column];
    }
  }
  return make_instance_trs(matrix, prototype, any_loss);
}

std::optional<Trs> FrameMaker::make_single(const Group& group, const Frame& frame) const {
  Mat4d matrix = make_instance_world(world_, group, 0);
  if (frame.root != no_node) {
    matrix = from_eigen(as_eigen(world_[to_index(frame.root)]).inverse() * as_eigen(matrix));
  }
  return make_instance_trs(matrix, make_prototype_box(survey_, world_, group), any_loss);
}

Mat4d FrameMaker::make_shown_world(const Group& group, const Frame& frame, const Trs& trs) const {
  const Mat4d root = frame.root == no_node ? identity_matrix : world_[to_index(frame.root)];
  return group.instance_count() == 1
             ? make_product(root, make_matrix(trs))
             : make_product(make_product(root, make_matrix(frame.local)), make_matrix(trs));
}

}  // namespace wakuzume
