// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <fmt/format.h>

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

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

/// What the settings say of materials: "wish=value", the first that speaks of one counts.
class MaterialWishes {
 public:
  /// \pre the entries are good, and `found` is of the scene
  MaterialWishes(const std::vector<std::string>& entries, const Scene& scene, const Survey& found);

  /// What stands behind the sign; empty: nothing speaks of it.
  [[nodiscard]] const std::string& find(MaterialId id) const { return values_[to_index(id)]; }

 private:
  std::vector<std::string> values_;  ///< by material
};

/// "wish=value" at its last sign.
struct MaterialEntry {
  std::string wish;
  std::string value;
};
MaterialEntry cut_entry(const std::string& entry);

std::optional<Route> find_route(std::string_view word);

/// How large a tile is wished to be.
enum class TileUnit : std::uint8_t {
  scale,     ///< of its texels, above 0 to 1
  pixels,    ///< at most, along its longer side
  per_metre  ///< texels, at most
};
struct TileSize {
  TileUnit unit = TileUnit::scale;
  double number = 1;
};
/// "0.5", "512px", "40/m"
std::optional<TileSize> find_tile_size(const std::string& word);

/// A layout that is there: "hut:1", "hut:1:1024px", "hut:1:64/m".
struct LayoutWish {
  std::string name;
  std::uint32_t set = 0;
  std::string size;
};
std::optional<LayoutWish> find_layout(const std::string& word);

/// Every entry is "wish=value" with a wish and a value that are good. \return what is wrong with
/// the first that is not, or empty
template <class Good>
std::string find_bad_entry(const std::vector<std::string>& entries, const Good& is_good) {
  for (const std::string& entry : entries) {
    const MaterialEntry cut = cut_entry(entry);
    if (cut.wish.empty() || !is_good(cut.value)) {
      return fmt::format("'{}'", entry);
    }
    if (const auto valid = validate_wish(cut.wish); !valid) {
      return valid.error().message;
    }
  }
  return {};
}

}  // namespace wakuzume
