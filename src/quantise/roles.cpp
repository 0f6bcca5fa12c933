// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "quantise/roles.h"

#include <Eigen/SVD>
#include <algorithm>
#include <cmath>
#include <string_view>

#include "scene/matrix.h"
#include "survey/references.h"

namespace wakuzume {
namespace {

StreamRole find_role(std::string_view semantic) {
  return semantic == "POSITION"                          ? StreamRole::position
         : semantic == "NORMAL" || semantic == "TANGENT" ? StreamRole::direction
         : semantic.starts_with("TEXCOORD_")             ? StreamRole::uv
         : semantic.starts_with("COLOR_")                ? StreamRole::color
         : semantic.starts_with("JOINTS_")               ? StreamRole::joints
                                                         : StreamRole::other;
}

/// Between the scales of one instance.
double find_largest_ratio(const std::vector<double>& scales) {
  double ratio = 1;
  for (std::size_t i = 0; i + 2 < scales.size(); i += 3) {
    const auto [low, high] =
        std::minmax({std::abs(scales[i]), std::abs(scales[i + 1]), std::abs(scales[i + 2])});
    ratio = std::max(ratio, low > 0 ? high / low : HUGE_VAL);
  }
  return ratio;
}

}  // namespace

std::vector<StreamRole> find_roles(const Scene& scene) {
  std::vector<StreamRole> roles(scene.streams.size(), StreamRole::none);
  const auto mark = [&](StreamId id, StreamRole role) {
    if (id != no_stream) {
      StreamRole& known = roles[to_index(id)];
      known = known == StreamRole::none || known == role ? role : StreamRole::other;
    }
  };
  for (const Mesh& mesh : scene.meshes) {
    for (const std::vector<Primitive>* list : {&mesh.primitives, &mesh.plain}) {
      for (const Primitive& primitive : *list) {
        mark(primitive.indices, StreamRole::indices);
        for (const Attribute& attribute : primitive.attributes) {
          mark(attribute.stream, find_role(attribute.semantic));
        }
        for (const std::vector<Attribute>& target : primitive.morph_targets) {
          for (const Attribute& attribute : target) {
            mark(attribute.stream, StreamRole::other);
          }
        }
      }
    }
  }
  for (const Skin& skin : scene.skins) {
    mark(skin.inverse_bind_matrices, StreamRole::other);
  }
  for (const Animation& animation : scene.animations) {
    for (const AnimationSampler& sampler : animation.samplers) {
      mark(sampler.input, StreamRole::other);
      mark(sampler.output, StreamRole::other);
    }
  }
  for (const Node& node : scene.nodes) {
    if (node.instancing) {
      for (const Attribute& attribute : node.instancing->attributes) {
        mark(attribute.stream, StreamRole::other);
      }
    }
  }
  return roles;
}

std::vector<double> find_stretches(const Scene& scene) {
  std::vector<double> out(scene.streams.size(), 1);
  const std::vector<Mat4d> world = make_world_matrices(scene);
  for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
    const Node& node = scene.nodes[n];
    if (node.mesh == no_mesh) {
      continue;
    }
    const Eigen::Vector3d scales =
        Eigen::JacobiSVD<Eigen::Matrix3d>(as_eigen(world[n]).topLeftCorner<3, 3>())
            .singularValues();
    double stretch = scales[2] > 0 ? scales[0] / scales[2] : HUGE_VAL;
    if (node.instancing) {
      for (const Attribute& attribute : node.instancing->attributes) {
        if (attribute.semantic == "SCALE") {
          stretch *= find_largest_ratio(make_doubles(scene, attribute.stream));
        }
      }
    }
    for (const std::vector<Primitive>* list :
         {&scene[node.mesh].primitives, &scene[node.mesh].plain}) {
      for (const Primitive& primitive : *list) {
        for (const Attribute& attribute : primitive.attributes) {
          double& known = out[to_index(attribute.stream)];
          known = std::max(known, stretch);
        }
      }
    }
  }
  return out;
}

std::vector<bool> find_bound_nodes(const Scene& scene) {
  std::vector<bool> bound(scene.nodes.size(), false);
  const auto bind = [&](NodeId id) {
    if (id != no_node) {
      bound[to_index(id)] = true;
    }
  };
  for (const Skin& skin : scene.skins) {
    bind(skin.skeleton);
    for (const NodeId joint : skin.joints) {
      bind(joint);
    }
  }
  for (const Animation& animation : scene.animations) {
    for (const AnimationChannel& channel : animation.channels) {
      bind(channel.path == "weights" ? no_node : channel.node);
      bind(find_pointed_node(scene, channel));
    }
  }
  for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
    const Node& node = scene.nodes[n];
    bound[n] = bound[n] || node.skin != no_skin || node.light != no_light ||
               node.camera != no_camera || (node.extra && !node.extra->extensions.empty());
  }
  return bound;
}

}  // namespace wakuzume
