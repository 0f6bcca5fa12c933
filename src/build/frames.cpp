// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/frames.h"

#include <limits>

#include "plan/check.h"
#include "plan/items.h"
#include "scene/matrix.h"

namespace wakuzume {
namespace {

/// From the world into the space of a node. A plain shift keeps every bit of the rest.
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

}  // namespace

FrameMaker::FrameMaker(const Scene& source, const Survey& survey)
    : source_(source), survey_(survey), world_(make_world_matrices(source)) {}

Frame FrameMaker::make(const Group& group) const {
  Frame frame;
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
  return frame;
}

std::vector<MergePart> FrameMaker::make_cluster_parts(const Group& group,
                                                      const Frame& frame) const {
  std::vector<MergePart> parts;
  for (const DrawRef& ref : group.members) {
    parts.push_back({ref, place(frame, world_[to_index(ref.node)])});
  }
  return parts;
}

std::vector<MergePart> FrameMaker::make_prototype_parts(const Group& group) const {
  std::vector<MergePart> parts;
  for (std::size_t p = 0; p < group.prototype.size(); ++p) {
    parts.push_back({group.prototype[p], make_part_matrix(world_, group, p)});
  }
  return parts;
}

std::vector<Trs> FrameMaker::make_instances(const Group& group, Frame& frame) const {
  std::vector<Trs> placed;
  const Box3d box = make_prototype_box(survey_, world_, group);
  for (std::size_t i = 0; i < group.instance_count(); ++i) {
    Mat4d matrix = place(frame, make_instance_world(world_, group, i));
    if (i == 0 && linear_determinant(matrix) < 0) {
      frame.local.scale[0] = -1;
    }
    if (frame.local.scale[0] < 0) {
      for (std::size_t column = 0; column < 4; ++column) {
        matrix[4 * column] = -matrix[4 * column];
      }
    }
    // The world's metres differ from the node's below a scaled root; the loss was checked there.
    const auto trs = make_instance_trs(matrix, box, std::numeric_limits<double>::infinity());
    placed.push_back(trs ? *trs : Trs{});
  }
  return placed;
}

Trs FrameMaker::make_single(const Group& group, const Frame& frame) const {
  Mat4d matrix = make_instance_world(world_, group, 0);
  if (frame.root != no_node) {
    matrix = from_eigen(as_eigen(world_[to_index(frame.root)]).inverse() * as_eigen(matrix));
  }
  const auto trs = make_instance_trs(matrix, make_prototype_box(survey_, world_, group),
                                     std::numeric_limits<double>::infinity());
  return trs ? *trs : Trs{};
}

}  // namespace wakuzume
