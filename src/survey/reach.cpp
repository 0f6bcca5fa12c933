// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "survey/reach.h"

#include <algorithm>
#include <array>
#include <tuple>

#include "scene/elements.h"
#include "scene/matrix.h"
#include "survey/poses.h"
#include "survey/rigs.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t moments = 8;              // of an animation
constexpr std::size_t most_poses = 64;            // of all animations together
constexpr std::size_t most_matrices = 4'000'000;  // of all poses together

/// Around each vertex, whatever the targets do.
std::vector<Box3d> find_ranges(const Scene& scene, const Primitive& primitive) {
  const std::vector<double> positions = make_doubles(scene, primitive.find("POSITION"));
  std::vector<Box3d> out(positions.size() / 3);
  for (std::size_t v = 0; v < out.size(); ++v) {
    const Vec3d at{positions[3 * v], positions[3 * v + 1], positions[3 * v + 2]};
    out[v] = {at, at};
  }
  for (const std::vector<Attribute>& target : primitive.morph_targets) {
    for (const Attribute& attribute : target) {
      if (attribute.semantic != "POSITION") {
        continue;
      }
      const std::vector<double> moves = make_doubles(scene, attribute.stream);
      for (std::size_t i = 0; i < std::min(moves.size(), positions.size()); ++i) {
        out[i / 3].min[i % 3] += std::min(moves[i], 0.0);
        out[i / 3].max[i % 3] += std::max(moves[i], 0.0);
      }
    }
  }
  return out;
}

}  // namespace

Reach::Reach(const Scene& scene) : scene_(scene) {
  const bool skinned = std::any_of(scene.nodes.begin(), scene.nodes.end(), [](const Node& node) {
    return node.skin != no_skin && node.mesh != no_mesh;
  });
  if (skinned) {
    const std::size_t room = most_matrices / std::max<std::size_t>(scene.nodes.size(), 1);
    poses_ = list_poses(scene, moments, std::clamp<std::size_t>(room, 4, most_poses));
  }
  poses_.push_back(make_world_matrices(scene));
}

const Reach::Boxes& Reach::find_bound(NodeId id, std::uint32_t number) {
  const Node& node = scene_[id];
  const auto [slot, added] = known_.try_emplace({node.mesh, number, node.skin});
  if (!added) {
    return slot->second;
  }
  const Primitive& primitive = scene_[node.mesh].primitives[number];
  const std::vector<Box3d> ranges = find_ranges(scene_, primitive);
  Boxes& boxes = slot->second;
  if (node.skin == no_skin) {
    boxes.resize(1);
    for (const Box3d& range : ranges) {
      boxes.front().include(range);
    }
    return boxes;
  }
  boxes.resize(scene_.skins[to_index(node.skin)].joints.size());
  for (const InfluenceSet& set : list_influences(primitive)) {
    const ElementReader joints(scene_, set.joints);
    const ElementReader weights(scene_, set.weights);
    for (std::uint32_t v = 0; v < ranges.size(); ++v) {
      std::array<double, 4> j{};
      std::array<double, 4> w{};
      joints.load(v, j.data());
      weights.load(v, w.data());
      for (std::size_t i = 0; i < 4; ++i) {
        if (w[i] > 0 && j[i] < static_cast<double>(boxes.size())) {
          boxes[static_cast<std::size_t>(j[i])].include(ranges[v]);
        }
      }
    }
  }
  return boxes;
}

Box3d Reach::find(NodeId id, std::uint32_t primitive) {
  const Node& node = scene_[id];
  const Boxes& boxes = find_bound(id, primitive);
  Box3d out;
  if (node.skin == no_skin) {
    return make_transformed_box(poses_.back()[to_index(id)], boxes.front());
  }
  const Skin& skin = scene_.skins[to_index(node.skin)];
  const std::vector<Mat4d> binds = make_inverse_binds(scene_, skin);
  for (const std::vector<Mat4d>& world : poses_) {
    for (std::size_t j = 0; j < boxes.size(); ++j) {
      if (!boxes[j].empty()) {
        out.include(make_transformed_box(make_product(world[to_index(skin.joints[j])], binds[j]),
                                         boxes[j]));
      }
    }
  }
  return out;
}

}  // namespace wakuzume
