// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "survey/glob.h"
#include "texture/material_rules.h"
#include "texture/uv_source.h"
#include "wakuzume/routes.h"

/// What the draws of each material add up to.
namespace wakuzume {

struct MaterialUse {
  std::uint32_t draws = 0;  ///< that may take a route
  std::uint32_t left_alone = 0;
  double area_m2 = 0;
  double tiles = 0;     ///< that area on the texture, whole pictures
  Vec2d lengths{0, 0};  ///< metres along a tile's u and v, summed over the area
  Box3d box;
  Vec2d min{1e300, 1e300};  ///< touched, in tiles
  Vec2d max{-1e300, -1e300};
  bool missing = false;  ///< some have no such UVs
  bool finite = true;
  std::vector<ShapeId> shapes;  ///< of those draws, ascending

  [[nodiscard]] bool touched() const { return min[0] <= max[0]; }
  void join(const MaterialUse& other);
};

/// What one draw shows of its material's texture.
struct DrawUse {
  double area_m2 = 0;  ///< 0: it is left alone
  Vec2d tile_m{0, 0};  ///< metres along a tile's u and v
};

class MaterialUses {
 public:
  /// All are borrowed.
  MaterialUses(const Scene& scene, const Survey& survey, const MaterialRules& rules);

  /// \return false when it was cancelled
  bool measure(const RunControl& run);

  MaterialUse& operator[](MaterialId id) { return uses_[to_index(id)]; }
  const MaterialUse& operator[](MaterialId id) const { return uses_[to_index(id)]; }
  [[nodiscard]] const UvSource& source(MaterialId id) const { return sources_[to_index(id)]; }
  [[nodiscard]] const DrawUse& of_draw(DrawId id) const { return draws_[to_index(id)]; }
  [[nodiscard]] std::size_t material_count() const { return uses_.size(); }
  /// Draws that a rule keeps as they are, ascending.
  [[nodiscard]] const std::vector<DrawRef>& left_alone() const { return left_alone_; }
  /// Length in the world of one in a shape's own space, where it is drawn largest.
  [[nodiscard]] double find_scale(ShapeId shape) const { return scales_[to_index(shape)]; }

 private:
  [[nodiscard]] bool is_left_alone(const Draw& draw) const;
  void add(const Draw& draw, const UvExtent& extent, const Mat4d& world, DrawUse& own);

  const Scene& scene_;
  const Survey& survey_;
  const MaterialRules& rules_;
  std::vector<MaterialUse> uses_;  ///< by material, like the next
  std::vector<UvSource> sources_;
  std::vector<double> scales_;  ///< by shape
  std::vector<DrawUse> draws_;
  std::vector<DrawRef> left_alone_;
};

/// What the settings say of materials by their names: "glob=value", the first that matches counts.
class ByName {
 public:
  /// \param entries  borrowed
  explicit ByName(const std::vector<std::string>& entries);

  /// What stands behind the sign; empty: none matches.
  [[nodiscard]] std::string find(const std::string& name) const;

 private:
  const std::vector<std::string>& entries_;
  GlobSet globs_;
};

std::optional<Route> find_route(std::string_view word);
std::optional<double> find_scale(const std::string& word);  ///< above 0, to 1
/// Every entry is "glob=value" with a value that is good. \return the first that is not, or empty
template <class Good>
std::string find_bad_entry(const std::vector<std::string>& entries, const Good& is_good) {
  for (const std::string& entry : entries) {
    const std::size_t sign = entry.rfind('=');
    if (sign == std::string::npos || sign == 0 || !is_good(entry.substr(sign + 1))) {
      return entry;
    }
  }
  return {};
}

}  // namespace wakuzume
