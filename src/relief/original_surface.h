// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <Eigen/Core>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "reduce/triangle_tree.h"
#include "texture/coverage.h"
#include "wakuzume/pixels.h"
#include "wakuzume/scene.h"

namespace wakuzume {

/// A normal picture with its smaller levels.
class NormalLevels {
 public:
  NormalLevels(Pixels pixels, const Sampler& sampler, double scale);

  /// Along the picture's own axes, not of unit length. \param level  0 is the largest
  [[nodiscard]] Eigen::Vector3d look_up(const Eigen::Vector2d& uv, double level) const;
  [[nodiscard]] double texels() const;  ///< of the largest

 private:
  std::vector<Pixels> levels_;
  Sampler sampler_;
  double scale_;
};

/// The triangles that a mesh had, all primitives together, and how they were shaded.
class OriginalSurface {
 public:
  /// \param detail  that primitives of these materials were shaded with; null: none. Borrowed
  OriginalSurface(const Scene& scene,
                  const Mesh& mesh,
                  std::span<const MaterialId> materials,
                  const NormalLevels* detail);
  OriginalSurface(const OriginalSurface&) = delete;
  OriginalSurface& operator=(const OriginalSurface&) = delete;

  /// The shading normal, of unit length, of the nearest place that faces about the same way; the
  /// given one where there is none near.
  /// \param texels_per_metre  of the picture that is painted, there
  /// \param guess  the triangle that was found next to it, or no_index; then the one found here
  [[nodiscard]] Eigen::Vector3d find_normal(const Eigen::Vector3d& place,
                                            const Eigen::Vector3d& normal,
                                            double texels_per_metre,
                                            std::uint32_t& guess) const;

 private:
  void add(const Primitive& primitive, bool detailed);
  [[nodiscard]] Eigen::Vector3d shade(const TriangleTree::Hit& hit, double texels_per_metre) const;
  [[nodiscard]] Eigen::Vector3d mix_normals(const TriangleTree::Hit& hit) const;

  const Scene& scene_;
  const NormalLevels* detail_;
  std::vector<float> positions_;        ///< three a corner
  std::vector<std::uint32_t> indices_;  ///< of corners
  std::vector<float> normals_;          ///< three a corner
  std::vector<float> tangents_;         ///< four a corner; nought without detail
  std::vector<double> uvs_;             ///< two a corner
  std::vector<bool> detailed_;          ///< by triangle
  double reach_ = 0;                    ///< how far another place that faces the same way may be
  std::unique_ptr<TriangleTree> tree_;
};

}  // namespace wakuzume
