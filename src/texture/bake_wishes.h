// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <map>
#include <span>
#include <string>
#include <vector>

#include "texture/tiles.h"
#include "texture/uses.h"

/// What rebaking a material would take.
namespace wakuzume {

class BakeFinder {
 public:
  /// All are borrowed.
  BakeFinder(const Scene& scene,
             const Survey& survey,
             std::span<const ImageFacts> images,
             const MaterialSettings& settings,
             const MaterialUses& uses);

  /// The UV set that new coordinates of a material go to; no_index: none is free.
  [[nodiscard]] std::uint32_t find_uv_set(MaterialId id) const;
  /// Why a material can't be rebaked; empty: it can, and make_wishes says how.
  /// \param asked  by hand: however much it takes
  std::string find_problem(MaterialId id, bool asked);
  /// A tile for each shape that is unlike the others. \pre find_problem found none
  /// \error cancelled
  [[nodiscard]] Result<std::vector<TileWish>> make_wishes(MaterialId id,
                                                          const RunControl& run) const;

  /// Texels a unit of a shape's own space, of the finest texture it shows.
  [[nodiscard]] double find_density(MaterialId id, ShapeId s) const;

 private:
  /// Equal shapes of one material, and how fine their charts have to be.
  struct BakeShape {
    std::vector<PrimitiveRef> shapes;
    double texels_per_unit = 0;
    double area = 0;  ///< in their own space
    double area_m2 = 0;
  };

  [[nodiscard]] std::vector<BakeShape> list_shapes(MaterialId id) const;

  const Scene& scene_;
  const Survey& survey_;
  std::span<const ImageFacts> images_;
  const MaterialSettings& settings_;
  const MaterialUses& uses_;
  MaterialWishes scales_;
  std::map<MaterialId, std::vector<BakeShape>> shapes_;
};

}  // namespace wakuzume
