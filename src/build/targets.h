// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "wakuzume/survey.h"

/// The morph targets of a merged primitive: the union of those that its members have.
namespace wakuzume {

/// Weights over time in one animation, of all targets of a union.
struct WeightTrack {
  std::size_t animation = 0;
  std::string interpolation;  ///< as glTF has it; empty: LINEAR
  std::vector<float> times;
  std::vector<float> values;  ///< key by key, all targets; with CUBICSPLINE three times that
};

struct TargetUnion {
  std::vector<std::string> names;                   ///< one a target
  std::vector<double> weights;                      ///< the same, by default
  std::vector<std::vector<std::string>> semantics;  ///< the same: what it moves
  std::vector<std::vector<std::uint32_t>> numbers;  ///< by member and by its own target
  std::vector<WeightTrack> tracks;
  bool named = false;  ///< some mesh names its targets

  [[nodiscard]] bool empty() const { return names.empty(); }
};

/// Names of a mesh's targets, as its extras have them; empty: it has none.
std::vector<std::string> find_target_names(const Mesh& mesh);

/// Targets of one name, or of one number where meshes name none, are one target where they always
/// have the same weight; else they stand side by side under names of their own.
/// \pre no animation has steps for some and none for others
TargetUnion make_target_union(const Scene& scene, std::span<const DrawRef> members);

}  // namespace wakuzume
