// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <map>
#include <span>
#include <utility>
#include <vector>

#include "wakuzume/scene.h"

namespace wakuzume {

/// Where meshes meet that show parts of one vertex list: what was cut apart, such as by cells.
/// Each is reduced by itself, so that a gap would open if they did not stay as they are there.
class CutBorders {
 public:
  /// \cost O(n log n) in the triangles of meshes that share their positions with others
  explicit CutBorders(const Scene& scene);

  /// Elements of the primitive's streams that lie where it was cut, ascending.
  [[nodiscard]] std::span<const std::uint32_t> list(MeshId mesh, std::uint32_t primitive) const;

 private:
  std::map<std::pair<MeshId, std::uint32_t>, std::vector<std::uint32_t>> elements_;
};

}  // namespace wakuzume
