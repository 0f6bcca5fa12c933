// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/propose.h"

/// Changing a plan by hand, planning again around what was decided, and asking a plan why.
///
/// 1. A plan that comes out can be built: an edit that can't be carried out gives an error, and the
///    plan that went in is unchanged.
/// 2. What an edit touches is pinned, so that planning again keeps it.
namespace wakuzume {

enum class EditKind : std::uint8_t {
  keep,      ///< takes nodes out of the plan: they stay as they are
  release,   ///< gives kept nodes back, for the next planning
  pin,       ///< leaves a group as it is
  unpin,     ///< plans it again
  move,      ///< puts nodes into a group
  merge,     ///< makes clusters of a group
  instance,  ///< makes instance sets of what repeats in a group
  pivot,     ///< sets where a group's origin is
  rename,    ///< gives a group a name
  join,      ///< makes a cluster a primitive of an object, or with no name a mesh of its own again
  collide    ///< gives a group a collider
};
inline constexpr std::size_t edit_kind_count = 11;
std::string_view to_string(EditKind kind);

struct Edit {
  EditKind kind = EditKind::keep;
  std::string nodes{};  ///< keep, release, move: a wish over node paths
  std::string group{};  ///< all others, and move: the name or id of a group
  std::string value{};  ///< rename: the name; join: that of the object; may be empty
  ColliderShape collider = ColliderShape::none;
  PivotAt pivot_at = PivotAt::bounds_centre;
  NodeId pivot_node = no_node;  ///< with PivotAt::node
  Vec3d point{0, 0, 0};         ///< with PivotAt::point
};

/// Carries edits out in their order, and makes the forecast anew.
/// \pre `survey` is of `scene`, made with the plan's settings
/// \error plan_mismatch  the plan is for another scene
/// \error plan_invalid   no such node or group, or a plan that could not be built
Result<Plan> edit_plan(const Scene& scene,
                       const Survey& survey,
                       const Plan& plan,
                       std::span<const Edit> edits,
                       const Outlook& outlook = {},
                       const RunControl& run = {});

/// Plans again: pinned groups and what was kept by hand stay, all else is decided anew.
/// \error plan_mismatch, plan_invalid, bad_setting, cancelled
Result<Plan> revise(const Scene& scene,
                    const Survey& survey,
                    const Plan& plan,
                    const ProposeSettings& settings,
                    const Outlook& outlook = {},
                    const RunControl& run = {});

/// A draw of a plan that is not what it was, or one that the plan does not know.
struct PlanChange {
  std::string path;
  std::string what;  ///< "gone", "new", "moved", "its geometry changed" ...
};
/// What became different since a plan was made, in the plan's order, then what is new.
/// Nodes are found by their paths; several of one path by their order.
std::vector<PlanChange> list_changes(const Scene& scene, const Survey& survey, const Plan& plan);

/// Takes a plan over to a scene that was changed: groups whose draws are all there and still fit
/// stay, the others lose what is gone or are planned again, new draws are planned around them.
/// \error bad_setting, cancelled
Result<Plan> rebase(const Scene& scene,
                    const Survey& survey,
                    const Plan& plan,
                    const Outlook& outlook = {},
                    const RunControl& run = {});

/// Why a draw went where it went.
struct Reason {
  DrawRef draw;
  std::string where;                  ///< the group it is in, or why it is kept
  std::vector<std::string> numbers;   ///< what it costs there and elsewhere
  std::vector<std::string> remedies;  ///< what would have to change to put it elsewhere
  std::vector<WishUse> wishes;        ///< of the plan, those that speak of it
};
/// One entry a draw that a wish speaks of; empty where there is none.
/// \param wish  over node paths \error bad_setting  terms that can't be read
Result<std::vector<Reason>> explain(const Scene& scene,
                                    const Survey& survey,
                                    const Plan& plan,
                                    const std::string& wish,
                                    const Outlook& outlook = {});

}  // namespace wakuzume
