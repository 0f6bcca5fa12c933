// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <map>
#include <string>
#include <vector>

#include "rework/geometry_block.h"
#include "wakuzume/propose.h"

/// Writing an instance set: one node, one mesh, a list of transforms and values.
namespace wakuzume {

/// A value that each instance carries beside its transform.
struct InstanceLane {
  std::string semantic;
  ElementType element = ElementType::scalar;
  ValueStorage storage = ValueStorage::floats;
  std::vector<double> values;  ///< in [0, 1] when stored as bytes
};

class InstanceSet {
 public:
  /// \param placed  one an instance: from the prototype's space to that of the node, all of them
  ///                mirroring or none
  InstanceSet(const std::vector<Trs>& placed, const std::vector<InstanceLane>& lanes);

  /// Where lanes of these bytes are, by a hash of them and of their type.
  using Places = std::map<std::array<std::uint64_t, 2>, std::uint64_t>;
  /// Room for the transforms and values, in group order, unless an earlier set has the same: the
  /// parts of one model often stand at the same places.
  void reserve(GeometryBlock& block, Places& places);
  void fill(GeometryBlock& block) const;
  /// All of it in a block of its own. \pre nothing was reserved
  [[nodiscard]] Instancing add_to(Scene& out);
  /// Adds the streams to `out`. \param made  those there are, by their place in the block
  [[nodiscard]] Instancing make_instancing(Scene& out,
                                           BlockId block,
                                           std::map<std::uint64_t, StreamId>& made) const;

 private:
  struct Stored {
    std::string semantic;
    ElementType element = ElementType::vec3;
    ComponentType component = ComponentType::f32;
    std::vector<std::byte> bytes;
  };
  void add_floats(const char* semantic, ElementType element, const std::vector<float>& values);
  void add_lane(const InstanceLane& lane);

  std::size_t count_ = 0;
  std::vector<Stored> lanes_;
  std::vector<std::uint64_t> offsets_;  ///< in the block, one a lane
  std::vector<bool> owned_;             ///< by lane: no earlier set has it
};

/// The tint, where each looks its lightmap up, and the values that a plan asks for.
/// \pre the group passed check_groups
std::vector<InstanceLane> make_instance_lanes(const Scene& scene,
                                              const Survey& survey,
                                              const ProposeSettings& settings,
                                              const Group& group);

}  // namespace wakuzume
