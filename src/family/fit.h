// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <optional>

#include "family/points.h"

/// The transform that takes one part to another.
namespace wakuzume {

/// Tries, in this order: the same place, the same order of vertices, matching two vertices that are
/// rare among the points. Of the maps within tolerance the plainest is given: a similarity before a
/// translation-rotation-scale triple before any other.
/// \pre both have one signature
std::optional<Fit> find_fit(const Points& from, const Points& to, const FamilySettings& settings);

std::optional<Fit> check_fit(const Points& from,
                             const Points& to,
                             const Mat4d& matrix,
                             const FamilySettings& settings);

}  // namespace wakuzume
