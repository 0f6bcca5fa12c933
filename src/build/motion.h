// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <vector>

#include "build/targets.h"
#include "wakuzume/result.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

/// Skins, weights and tracks of results.
namespace wakuzume {

class MotionWriter {
 public:
  /// \param out  borrowed
  explicit MotionWriter(Scene& out) : out_(out) {}

  /// The scene's own skin where one says the same; one for all results of a rig.
  SkinId add_skin(const Rig& rig, RigId id);
  /// Weights, names and tracks of the targets of a result.
  /// \param node  whose mesh has them, and is its alone
  void add_weights(const TargetUnion& targets, NodeId node);
  /// All that was asked for, in one block at the end.
  /// \error too_large
  Result<void> finish();

 private:
  StreamId add(std::vector<float> values, ElementType element, bool bounded);

  struct Asked {
    StreamId stream = no_stream;
    std::vector<float> values;
  };
  Scene& out_;
  std::map<RigId, SkinId> skins_;
  std::vector<Asked> asked_;
};

enum class IdleTracks : std::uint8_t { dropped, kept };

/// Skins and weights of nodes without a mesh, or without targets, go, and so do tracks of weights,
/// unless they are kept for a copy of the node.
void drop_idle_motion(Scene& scene, IdleTracks tracks = IdleTracks::dropped);
/// Of a node that shows something with morph targets.
bool has_targets(const Scene& scene, const Node& node);

}  // namespace wakuzume
