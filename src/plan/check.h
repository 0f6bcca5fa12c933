// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <vector>

#include "wakuzume/propose.h"

/// Facts about draws that proposing, checking and building share.
namespace wakuzume {

/// Position of a draw in the survey's list, or no_draw.
DrawId find_draw(const Survey& survey, const DrawRef& ref);

/// Holds the groups of a plan against a survey made with the plan's own settings. \error cancelled
Result<std::vector<Violation>> list_violations(const Scene& scene,
                                               const Survey& survey,
                                               const Plan& plan,
                                               const RunControl& run);
/// The first ten in one error, or how the plan covers the draws. \error plan_invalid, cancelled
Result<Coverage> check_groups(const Scene& scene,
                              const Survey& survey,
                              const Plan& plan,
                              const RunControl& run);

/// \error plan_mismatch
Result<void> check_hash(const ContentHash& wanted, const ContentHash& found, const char* what);

/// The survey of a plan's source, made with the plan's own settings.
/// \error plan_mismatch  the scene's content is not what the plan was made for
Result<Survey> survey_source(const Scene& scene, const Plan& plan, const RunControl& run);

/// Where a group's pivot is by its rule. \pre the members are draws of the survey
Vec3d find_pivot(const Scene& scene, const Survey& survey, const Group& group);

/// World matrix of an instance's geometry: its first draw's node, the fit, and the axes.
Mat4d make_instance_world(const std::vector<Mat4d>& world,
                          const Group& group,
                          std::size_t instance);
/// Box around the prototype's geometry in the space it is stored in.
Box3d make_prototype_box(const Survey& survey, const std::vector<Mat4d>& world, const Group& group);
/// The same for one of its parts: the matrix from the part's own space to that space.
Mat4d make_part_matrix(const std::vector<Mat4d>& world, const Group& group, std::size_t part);

}  // namespace wakuzume
