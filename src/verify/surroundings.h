// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/scene.h"

/// What decides where and when a draw is seen beside its geometry.
namespace wakuzume {

/// Of all nodes of a scene: the glTF scenes that show them and what moves them; and the lightmap
/// pages of draws.
class Surroundings {
 public:
  /// \cost O(nodes), and one pass over the key frames
  Surroundings(const Scene& scene, std::string lightmap_key);

  /// As "0,2"; empty: nothing shows it.
  [[nodiscard]] const std::string& levels(NodeId node) const;
  /// Animations that change something, and bodies, from the node up to its root, each by its name
  /// and tracks; empty: it stands still.
  [[nodiscard]] std::string movers(NodeId node) const;
  /// Empty: it has none.
  [[nodiscard]] std::string lightmap(NodeId node, const Primitive& primitive) const;

 private:
  const Scene& scene_;
  std::string lightmap_key_;
  std::vector<std::string> level_texts_;
  std::vector<std::uint32_t> level_of_node_;
  std::vector<std::string> mover_of_node_;  ///< empty: does not move by itself
  std::string none_;
};

struct DrawnPrimitive {
  NodeId node;
  const Primitive& primitive;
};

enum class MovedBy : std::uint8_t {
  nodes,
  joints  ///< the nodes above it do not move it
};

/// What differs, as a sentence; empty: nothing.
std::string compare_surroundings(const Surroundings& before,
                                 const DrawnPrimitive& was,
                                 const Surroundings& after,
                                 const DrawnPrimitive& is,
                                 MovedBy moved_by = MovedBy::nodes);

}  // namespace wakuzume
