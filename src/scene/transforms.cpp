// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "scene/matrix.h"
#include "scene/tree.h"
#include "wakuzume/scene.h"

namespace wakuzume {
namespace {

/// Far deeper than any scene that people made; paths and stacks stay small.
constexpr std::uint32_t max_depth = 512;

/// What is wrong with entry `c` of the children of node `i`.
Error make_child_error(const Scene& scene, std::size_t i, std::size_t c) {
  const NodeId child = scene.nodes[i].children[c];
  Error error;
  error.place.pointer = fmt::format("/nodes/{}/children/{}", i, c);
  if (to_index(child) >= scene.nodes.size()) {
    error.code = ErrorCode::index_out_of_range;
    error.message =
        fmt::format("node {} does not exist, there are {}", to_index(child), scene.nodes.size());
  } else {
    error.code = ErrorCode::node_cycle;
    error.message =
        fmt::format("node {} is already a child of node {}; a node has at most one parent",
                    to_index(child), to_index(scene[child].parent));
  }
  return error;
}

}  // namespace

Vec3d Box3d::centre() const {
  return {(min[0] + max[0]) / 2, (min[1] + max[1]) / 2, (min[2] + max[2]) / 2};
}

double Box3d::largest_extent() const {
  return empty() ? 0 : std::max({max[0] - min[0], max[1] - min[1], max[2] - min[2]});
}

Box3d make_transformed_box(const Mat4d& matrix, const Box3d& box) {
  Box3d out;
  if (box.empty()) {
    return out;
  }
  for (unsigned corner = 0; corner < 8; ++corner) {
    const Eigen::Vector4d point((corner & 1U) != 0 ? box.max[0] : box.min[0],
                                (corner & 2U) != 0 ? box.max[1] : box.min[1],
                                (corner & 4U) != 0 ? box.max[2] : box.min[2], 1);
    const Eigen::Vector4d moved = as_eigen(matrix) * point;
    out.include(Vec3d{moved.x(), moved.y(), moved.z()});
  }
  return out;
}

Mat4d make_product(const Mat4d& a, const Mat4d& b) { return from_eigen(as_eigen(a) * as_eigen(b)); }

Mat4d make_matrix(const Trs& trs) {
  const Eigen::Quaterniond rotation(trs.rotation[3], trs.rotation[0], trs.rotation[1],
                                    trs.rotation[2]);
  Eigen::Matrix4d out = Eigen::Matrix4d::Identity();
  out.topLeftCorner<3, 3>() =
      rotation.normalized().toRotationMatrix() * as_eigen(trs.scale).asDiagonal();
  out.topRightCorner<3, 1>() = as_eigen(trs.translation);
  return from_eigen(out);
}

double linear_determinant(const Mat4d& matrix) {
  return as_eigen(matrix).topLeftCorner<3, 3>().determinant();
}

Decomposed decompose(const Mat4d& matrix, Trs& out) {
  const Eigen::Matrix3d linear = as_eigen(matrix).topLeftCorner<3, 3>();
  Eigen::Vector3d scale = linear.colwise().norm();
  const double largest = linear.cwiseAbs().maxCoeff();
  if (!(scale.minCoeff() > 1e-12 * largest)) {
    return Decomposed::degenerate;
  }
  if (linear.determinant() < 0) {
    scale.x() = -scale.x();
  }
  const Eigen::Matrix3d axes = linear * scale.cwiseInverse().asDiagonal();
  const Eigen::Quaterniond rotation = Eigen::Quaterniond(axes).normalized();
  const Eigen::Matrix3d again = rotation.toRotationMatrix() * scale.asDiagonal();
  if (!((again - linear).cwiseAbs().maxCoeff() <= 1e-6 * largest)) {
    return Decomposed::sheared;
  }
  out.translation = {matrix[12], matrix[13], matrix[14]};
  out.rotation = {rotation.x(), rotation.y(), rotation.z(), rotation.w()};
  out.scale = {scale.x(), scale.y(), scale.z()};
  return Decomposed::exact;
}

Result<void> link_parents(Scene& scene) {
  for (Node& node : scene.nodes) {
    node.parent = no_node;
  }
  for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
    for (std::size_t c = 0; c < scene.nodes[i].children.size(); ++c) {
      const NodeId child = scene.nodes[i].children[c];
      if (to_index(child) >= scene.nodes.size() || scene[child].parent != no_node) {
        return Failure(make_child_error(scene, i, c));
      }
      scene.nodes[to_index(child)].parent = make_id<NodeId>(i);
    }
  }
  // Every node has at most one parent now, so what no root reaches is a cycle.
  const std::vector<NodeId> order = make_tree_order(scene);
  std::vector<std::uint32_t> depth(scene.nodes.size(), 0);
  for (const NodeId id : order) {
    const NodeId parent = scene[id].parent;
    depth[to_index(id)] = parent == no_node ? 1 : depth[to_index(parent)] + 1;
    if (depth[to_index(id)] > max_depth) {
      return Failure(Error{ErrorCode::too_large,
                           fmt::format("nodes nested deeper than {} levels", max_depth),
                           {"", fmt::format("/nodes/{}", to_index(id))}});
    }
  }
  const auto lost = std::find(depth.begin(), depth.end(), 0U);
  if (lost != depth.end()) {
    const auto index = lost - depth.begin();
    return Failure(Error{ErrorCode::node_cycle,
                         fmt::format("node {} is its own ancestor; the children lists must form "
                                     "trees",
                                     index),
                         {"", fmt::format("/nodes/{}", index)}});
  }
  return {};
}

Mat4d make_local_matrix(const Node& node) {
  return node.matrix ? *node.matrix : make_matrix(node.trs);
}

std::vector<Mat4d> make_world_matrices(const Scene& scene) {
  std::vector<Mat4d> world(scene.nodes.size(), identity_matrix);
  for (const NodeId id : make_tree_order(scene)) {
    const Node& node = scene[id];
    const Mat4d local = make_local_matrix(node);
    world[to_index(id)] =
        node.parent == no_node ? local : make_product(world[to_index(node.parent)], local);
  }
  return world;
}

std::string make_path_step(const Scene& scene, NodeId id) {
  constexpr std::size_t longest = 128;
  const std::string& name = scene[id].name;
  if (name.empty()) {
    return fmt::format("#{}", to_index(id));
  }
  std::size_t end = std::min(name.size(), longest);
  // Never through a UTF-8 sequence: its continuation bytes are 10xxxxxx.
  while (end < name.size() && end > 0 && (static_cast<unsigned char>(name[end]) & 0xC0U) == 0x80U) {
    --end;
  }
  return name.substr(0, end);
}

std::string make_node_path(const Scene& scene, NodeId node) {
  std::vector<NodeId> chain;
  for (NodeId id = node; id != no_node; id = scene[id].parent) {
    chain.push_back(id);
  }
  std::string path;
  for (auto id = chain.rbegin(); id != chain.rend(); ++id) {
    path += '/';
    path += make_path_step(scene, *id);
  }
  return path;
}

}  // namespace wakuzume
