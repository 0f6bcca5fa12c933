// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <memory>
#include <optional>
#include <utility>
#include <vector>

#include "family/points.h"
#include "scene/point_tree.h"

/// Whether one part, put somewhere, shows what another shows where it stands. Whoever finds, plans,
/// checks or proves repeats asks here, so that none refuses what another accepted.
namespace wakuzume {

/// How far apart corners may be that stand for each other.
struct RepeatLimits {
  double position_m = 0;
  double attribute = 0;  ///< of a value
  double direction = 0;  ///< of a component of a unit normal or tangent
};
/// \param size_m      diagonal of the part's box where it stands
/// \param rounding_m  by which stored floats may be off on top
RepeatLimits make_repeat_limits(const FamilySettings& settings,
                                double size_m,
                                double rounding_m = 0);

/// Which corners stand for each other.
struct Judgement {
  double error_m = 0;  ///< of the farthest corner
  /// By corner of what is shown: the corner of the part. Elements are whole, wound alike, and each
  /// stands for one.
  std::vector<std::uint32_t> corners;
};

class RepeatJudge {
 public:
  /// \param part  borrowed
  RepeatJudge(const Points& part, const Mat4d& world);

  [[nodiscard]] double size_m() const { return size_m_; }
  /// Around the positions in the world. \cost made when it is first asked for
  [[nodiscard]] const PointTree& tree() const;

  /// \param shown  attributes that only one of both has are not looked at
  /// \return nothing where some element has no partner
  /// \cost O(corners) where both have one order; else a search for each vertex. Gives up where many
  ///       vertices are in one place
  [[nodiscard]] std::optional<Judgement> judge(const Points& shown,
                                               const Mat4d& placed,
                                               const RepeatLimits& limits) const;

 private:
  const Points& part_;
  Eigen::Matrix4d world_;
  std::vector<Eigen::Vector3d> places_;  ///< of the positions, in the world
  double size_m_ = 0;
  mutable std::unique_ptr<PointTree> tree_;
};

}  // namespace wakuzume
