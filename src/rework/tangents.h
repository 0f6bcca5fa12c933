// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "wakuzume/scene.h"

/// Tangents for geometry that has none, as glTF 2.0 section 3.7.2.1 wants them.
namespace wakuzume {

/// The corners of triangles, three a triangle.
struct CornerData {
  std::vector<float> positions;  ///< 3 a corner
  std::vector<float> normals;    ///< 3 a corner
  std::vector<float> uvs;        ///< 2 a corner
};

/// Four a corner: the direction in which u grows, of unit length, and the sign of the bitangent.
/// Corners with equal values whose triangles join at an edge and are mapped alike share one.
/// \cost O(corners log corners)
/// \source the method glTF names: M. S. Mikkelsen, "Simulation of Wrinkled Surfaces Revisited",
///         University of Copenhagen 2008, without a limit on the angle between triangles
std::vector<float> make_corner_tangents(const CornerData& corners);

/// Corners of a primitive's triangles with flat normals where it has none.
/// \pre survey/draws.h: can_make_tangents
CornerData make_corner_data(const Scene& scene, const Primitive& primitive);

/// Tangents of a primitive's corners along other UVs than its own. \param uvs  two a corner
/// \pre it is of triangles
std::vector<float> make_tangents_along(const Scene& scene,
                                       const Primitive& primitive,
                                       std::vector<float> uvs);

/// Tangents of a primitive's corners: its own, or without them those along UVs.
/// \param uvs  two a corner \pre it is of triangles
std::vector<float> find_corner_tangents(const Scene& scene,
                                        const Primitive& primitive,
                                        std::vector<float> uvs);

/// A primitive's vertices with a tangent each; a vertex that needs several is there several times.
struct TangentVertices {
  std::vector<std::uint32_t> vertices;  ///< numbers in the primitive, ascending
  std::vector<std::uint32_t> indices;   ///< list indices into `vertices`
  std::vector<float> tangents;          ///< 4 a vertex
};
/// \pre survey/draws.h: can_make_tangents
TangentVertices make_tangent_vertices(const Scene& scene, const Primitive& primitive);

}  // namespace wakuzume
