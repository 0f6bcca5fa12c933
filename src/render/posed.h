// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "wakuzume/scene.h"

/// Vertices as they are shown: decoded, morphed by the default weights and posed by their skin.
namespace wakuzume {

struct ShownVertices {
  std::vector<float> positions;  ///< 3 a vertex
  std::vector<float> normals;    ///< 3 a vertex, or none
  std::vector<float> tangents;   ///< 4 a vertex, or none
};

/// A skin or morph targets make the vertices a matter of the node.
bool is_posed(const Scene& scene, const Node& node, const Primitive& primitive);

/// In the space of the node. \param world  matrices of all nodes
ShownVertices make_shown_vertices(const Scene& scene,
                                  NodeId node,
                                  const Primitive& primitive,
                                  const std::vector<Mat4d>& world);

}  // namespace wakuzume
