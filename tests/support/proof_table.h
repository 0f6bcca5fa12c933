// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "support/faults.h"
#include "wakuzume/scene.h"

/// How often a proof is wrong: over many scenes, the share of right results that it rejects and of
/// broken ones that it accepts.
namespace wakuzume::test {

/// How the draws of a scene are brought together.
enum class Recipe : std::uint8_t {
  merges,
  instances,
  fold,
  tint,
  atlas,
  layers,
  rebake,
  shared  ///< whatever is proposed for fewest draws
};
inline constexpr std::size_t recipe_count = 8;
std::string_view to_string(Recipe recipe);

/// Parts of a made-up kit on a floor, lit by two lightmap pages, some mirrored, one moving: of such
/// materials that the recipe has something to do. Another for each seed.
Scene make_kit_scene(std::uint32_t seed, Recipe recipe);

struct TableSettings {
  std::uint32_t width_px = 640;
  std::uint32_t height_px = 360;
  std::size_t views = 6;
};

/// Of right results.
struct RightCount {
  std::uint64_t results = 0;
  std::uint64_t rejected = 0;
  double worst_psnr_db = 100;  ///< of any view
};

/// Of results with one fault.
struct BrokenCount {
  std::uint64_t results = 0;
  std::uint64_t accepted = 0;
  std::uint64_t seen_by_audit = 0;  ///< rejected by it
  std::uint64_t seen_by_looks = 0;
  std::uint64_t seen_by_views = 0;
};

class ProofTable {
 public:
  explicit ProofTable(TableSettings settings = {}) : settings_(settings) {}
  /// Builds the scene, proves the result, and breaks it in every way that it can be broken.
  void add(const std::string& name, const Scene& scene, Recipe recipe, std::uint32_t seed);

  [[nodiscard]] const RightCount& right(Recipe recipe) const;
  [[nodiscard]] const BrokenCount& broken(Recipe recipe, Fault fault) const;
  /// Right results that were rejected and broken ones that were accepted, a line each.
  [[nodiscard]] const std::vector<std::string>& wrong() const { return wrong_; }
  /// As people read it.
  [[nodiscard]] std::string print() const;

 private:
  TableSettings settings_;
  std::array<RightCount, recipe_count> right_{};
  std::array<std::array<BrokenCount, fault_count>, recipe_count> broken_{};
  std::vector<std::string> wrong_;
};

}  // namespace wakuzume::test
