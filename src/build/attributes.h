// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "survey/draws.h"
#include "wakuzume/scene.h"

/// The vertex layout of a merged primitive: the union of what its members have.
namespace wakuzume {

enum class AttributeRole : std::uint8_t {
  position,
  normal,
  tangent,
  texcoord,
  color,
  joints,
  weights,
  custom
};

/// How a member hangs on the joints of its result's skin.
struct MemberBinding {
  /// By joint of its own skin: of the result's. Of what hangs on one joint, that joint alone.
  std::vector<std::uint32_t> number;
  bool rigid = false;  ///< hangs on one joint
  /// By joint of its own skin: from its own space to the result's, for vertices whose heaviest
  /// joint that is. Empty: one matrix holds for all.
  std::vector<Mat4d> to_bind;
  bool mirrored = false;  ///< its node mirrors, and the result's does not, or the other way about
};

/// One attribute of the result and how its elements are stored.
struct OutputAttribute {
  std::string semantic;
  AttributeRole role = AttributeRole::custom;
  ComponentType component = ComponentType::f32;
  ElementType element = ElementType::vec3;
  bool normalized = false;
  std::uint32_t stride = 0;  ///< bytes, a multiple of four as glTF wants it
  bool lightmap = false;     ///< UVs that lightmaps are looked up in
  bool as_it_is = false;     ///< the source's own bytes
};

/// One draw on its way into a merged primitive.
struct MergeMember {
  DrawRef ref;
  const Primitive* primitive = nullptr;  ///< borrowed from the source scene
  Mat4d matrix = identity_matrix;        ///< from its own space to that of the result
  LightmapPlace lightmap{};              ///< from its own UVs to those of the result
  std::uint64_t first_vertex = 0;
  std::uint64_t vertex_count = 0;
  std::uint64_t first_index = 0;
  std::uint64_t index_count = 0;
  bool whole = false;  ///< uses every vertex of its streams, from the first on
  bool back = false;   ///< turned round: what was seen from behind
  /// Null: no skin deforms the result.
  std::shared_ptr<const MemberBinding> binding{};
};

/// Positions first, then normals, tangents, UVs, colours, joints, weights, custom attributes by
/// name. Joints are as wide as the largest number asks for, weights as the members have them, else
/// floats. Colours stay 8 or 16 bit where all members that have them agree, else they become
/// floats. \pre the members have one merge key, so custom attributes and tangents agree
std::vector<OutputAttribute> make_output_layout(const Scene& scene,
                                                const std::vector<MergeMember>& members);

/// Every attribute as the primitive has it.
std::vector<OutputAttribute> make_own_layout(const Scene& scene, const Primitive& primitive);

}  // namespace wakuzume
