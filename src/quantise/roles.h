// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <vector>

#include "wakuzume/scene.h"

/// What streams are used as.
namespace wakuzume {

enum class StreamRole : std::uint8_t {
  none,   ///< nothing shows it
  other,  ///< more than one of these, or what is not touched
  position,
  direction,  ///< normals and tangents
  uv,
  color,
  joints,
  indices,
};

/// One a stream.
std::vector<StreamRole> find_roles(const Scene& scene);

/// A stream with bytes of its own.
struct NewStream {
  Stream stream;
  std::vector<std::byte> bytes;  ///< empty: the old one stays
  std::uint32_t stride = 0;      ///< 0: tightly packed
};

/// Nodes that take no other scale or place: something animates them, binds to them or speaks of
/// them.
std::vector<bool> find_bound_nodes(const Scene& scene);

/// One a stream: times what a direction turns where it is stored, it may turn in the world, as
/// nodes and instances stretch what they show. Infinite where they flatten it.
std::vector<double> find_stretches(const Scene& scene);

}  // namespace wakuzume
