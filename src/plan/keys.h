// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "wakuzume/propose.h"

/// Which merge keys of the survey a plan brings together.
namespace wakuzume {

struct PlanKeys {
  std::vector<std::uint32_t> merge;  ///< by KeyId: equal where draws may become one cluster
  std::vector<std::uint32_t> share;  ///< by KeyId: equal where they may be in one instance set
  /// By KeyId: the first material of those that are equal by value.
  std::vector<MaterialId> material;
  /// By share number: the factor that tells its materials apart; empty where they are equal.
  std::vector<std::string> tint;
  /// By share number: the first of its materials, in table order.
  std::vector<MaterialId> shared_material;
  std::size_t merge_count = 0;
};

/// \param profile  by which it is decided what hangs on joints and is to be skinned, where the
///                 settings leave that to cost; null: all may be
/// \cost O(materials + keys + draws)
PlanKeys make_plan_keys(const Scene& scene,
                        const Survey& survey,
                        const ProposeSettings& settings,
                        const CostProfile* profile = nullptr);

/// The factors that instances can carry, by name.
bool is_tint(const std::string& name);
/// What a material has for a factor; scalars in the first component, alpha left out.
Vec3d find_tint(const Material& material, const std::string& name);
/// The same material with a neutral factor, so that what instances carry can be multiplied in.
Material make_untinted(const Material& material, const std::string& name);

/// Whether a draw may go into a group at all; `root_world` is that of its moving root.
bool may_be_planned(const Draw& draw, const ProposeSettings& settings);

}  // namespace wakuzume
