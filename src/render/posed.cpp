// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "render/posed.h"

#include <algorithm>

#include "scene/matrix.h"
#include "survey/rigs.h"

namespace wakuzume {
namespace {

std::vector<float> decode(const Scene& scene,
                          const std::vector<Attribute>& attributes,
                          const char* semantic) {
  for (const Attribute& attribute : attributes) {
    if (attribute.semantic == semantic) {
      return make_floats(scene, attribute.stream);
    }
  }
  return {};
}

/// \param width  components of a value; a target's differences have three
void add_morph(const std::vector<float>& differences,
               double weight,
               std::size_t width,
               std::vector<float>& values) {
  const std::size_t count = std::min(differences.size() / 3, values.size() / width);
  for (std::size_t v = 0; v < count; ++v) {
    for (std::size_t c = 0; c < 3; ++c) {
      values[width * v + c] += static_cast<float>(weight) * differences[3 * v + c];
    }
  }
}

void morph(const Scene& scene, const Node& node, const Primitive& primitive, ShownVertices& out) {
  const std::vector<double>& weights = node.weights ? *node.weights : scene[node.mesh].weights;
  for (std::size_t t = 0; t < std::min(weights.size(), primitive.morph_targets.size()); ++t) {
    const std::vector<Attribute>& target = primitive.morph_targets[t];
    if (weights[t] != 0) {
      add_morph(decode(scene, target, "POSITION"), weights[t], 3, out.positions);
      add_morph(decode(scene, target, "NORMAL"), weights[t], 3, out.normals);
      add_morph(decode(scene, target, "TANGENT"), weights[t], 4, out.tangents);
    }
  }
}

/// From the mesh as it is bound to the space of the node, by joint.
std::vector<Eigen::Matrix4d> make_joint_matrices(const Scene& scene,
                                                 NodeId id,
                                                 const std::vector<Mat4d>& world) {
  const Skin& skin = scene.skins[to_index(scene[id].skin)];
  const std::vector<Mat4d> binds = make_inverse_binds(scene, skin);
  const Eigen::Matrix4d to_node = as_eigen(world[to_index(id)]).inverse();
  std::vector<Eigen::Matrix4d> out;
  for (std::size_t j = 0; j < skin.joints.size(); ++j) {
    out.emplace_back(to_node * as_eigen(world[to_index(skin.joints[j])]) * as_eigen(binds[j]));
  }
  return out;
}

void pose(const Scene& scene,
          NodeId id,
          const Primitive& primitive,
          const std::vector<Mat4d>& world,
          ShownVertices& out) {
  const std::vector<Eigen::Matrix4d> joints = make_joint_matrices(scene, id, world);
  std::vector<std::pair<std::vector<float>, std::vector<float>>> sets;
  for (const InfluenceSet& set : list_influences(primitive)) {
    sets.emplace_back(make_floats(scene, set.joints), make_floats(scene, set.weights));
  }
  const std::size_t count = sets.empty() ? 0 : out.positions.size() / 3;
  for (std::size_t v = 0; v < count; ++v) {
    Eigen::Matrix4d matrix = Eigen::Matrix4d::Zero();
    for (const auto& [numbers, weights] : sets) {
      for (std::size_t i = 4 * v; i < std::min(4 * v + 4, weights.size()); ++i) {
        const auto joint = static_cast<std::size_t>(numbers[i]);
        if (joint < joints.size()) {
          matrix += static_cast<double>(weights[i]) * joints[joint];
        }
      }
    }
    const auto apply = [&](std::vector<float>& values, std::size_t width, double w,
                           const Eigen::Matrix4d& by) {
      if (width * (v + 1) <= values.size()) {
        Eigen::Map<Eigen::Vector3f> at(values.data() + width * v);
        const Eigen::Vector4d moved = by * Eigen::Vector4d(at.x(), at.y(), at.z(), w);
        at = moved.head<3>().cast<float>();
      }
    };
    Eigen::Matrix4d turned = Eigen::Matrix4d::Identity();
    turned.topLeftCorner<3, 3>() = make_normal_matrix(matrix.topLeftCorner<3, 3>());
    apply(out.positions, 3, 1, matrix);
    apply(out.normals, 3, 0, turned);
    apply(out.tangents, 4, 0, matrix);
  }
}

}  // namespace

bool is_posed(const Scene& scene, const Node& node, const Primitive& primitive) {
  return (node.skin != no_skin && to_index(node.skin) < scene.skins.size()) ||
         !primitive.morph_targets.empty();
}

ShownVertices make_shown_vertices(const Scene& scene,
                                  NodeId id,
                                  const Primitive& primitive,
                                  const std::vector<Mat4d>& world) {
  ShownVertices out;
  out.positions = decode(scene, primitive.attributes, "POSITION");
  out.normals = decode(scene, primitive.attributes, "NORMAL");
  if (!out.normals.empty()) {
    out.tangents = decode(scene, primitive.attributes, "TANGENT");
  }
  const Node& node = scene[id];
  if (is_posed(scene, node, primitive)) {
    morph(scene, node, primitive, out);
    if (node.skin != no_skin) {
      pose(scene, id, primitive, world, out);
    }
  }
  return out;
}

}  // namespace wakuzume
