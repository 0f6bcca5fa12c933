// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "scene/matrix.h"
#include "wakuzume/families.h"

/// A primitive's geometry in a form that can be compared whatever its storage.
namespace wakuzume {

enum class LaneRole : std::uint8_t { normal, tangent, value };

/// An attribute as a part of each vertex record.
struct Lane {
  std::string semantic;
  LaneRole role = LaneRole::value;
  std::uint32_t width = 0;   ///< floats
  std::uint32_t offset = 0;  ///< in the record
};

/// Distinct vertices in the order of the file, and what is drawn with them.
struct Points {
  Topology topology = Topology::triangles;
  std::vector<Eigen::Vector3d> positions;
  std::vector<Lane> lanes;     ///< by semantic, those that are ignored left out
  std::uint32_t width = 0;     ///< floats a record
  std::vector<float> records;  ///< `width` a vertex: all lanes
  std::vector<std::uint32_t> corners;
  std::vector<double> means;        ///< of each float of a record, over the corners
  Eigen::Vector3d centre{0, 0, 0};  ///< mean over the corners
  double diagonal = 0;              ///< of the box around the positions

  [[nodiscard]] const float* record(std::size_t vertex) const {
    return records.data() + vertex * width;
  }
};

/// \cost one decode of what the indices use, and a sort-free search for equal vertices
Points make_points(const Scene& scene, const Primitive& primitive, const FamilySettings& settings);
/// Of some of its elements. \param corners  list indices of these
Points make_points(const Scene& scene,
                   const Primitive& primitive,
                   std::vector<std::uint32_t> corners,
                   const FamilySettings& settings);

/// Mean and deviation over the corners of each value that no transform touches (UVs, colours,
/// values of one's own). Where each value is off by at most so much, so are these.
std::vector<double> list_fixed_values(const Points& points);
double find_values_tolerance(const FamilySettings& settings);

/// What must be equal before two primitives are worth a look: topology, elements, attributes.
std::string make_signature(const Scene& scene,
                           const Primitive& primitive,
                           const FamilySettings& settings);

/// Positions after the covariance is taken out: what is left of an affine map is a rotation.
struct Whitening {
  Eigen::Matrix3d matrix = Eigen::Matrix3d::Zero();  ///< takes (position - centre) there
  Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();
  Eigen::Vector3d deviations{0, 0, 0};  ///< along the axes, largest first; 0 where flat
  int rank = 0;
};
Whitening make_whitening(const Points& points);

/// Invariants of a family that do not depend on the order of its vertices.
struct Descriptor {
  double noise = 0;               ///< of a whitened coordinate
  std::array<float, 32> radii{};  ///< whitened distances from the centre, evenly from all in order
};
Descriptor make_descriptor(const Points& points, const FamilySettings& settings);

/// False where no transform makes one of the other. Moving each corner a little moves each place
/// in the order of their distances no further.
bool may_fit(const Descriptor& a, const Descriptor& b);

}  // namespace wakuzume
