// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/geometry.h"
#include "wakuzume/ids.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"

/// propose: decide what becomes of every draw.
///
/// In: a scene and its survey. Out: a plan, plain data to read, store, edit and check.
/// 1. Every draw of the survey is in exactly one group, or kept with one reason.
/// 2. Draws of one group have the same merge key; no cluster is above the vertex limit.
/// 3. Same scene, same settings: the same plan.
namespace wakuzume {

enum class Blended : std::uint8_t { keep, merge };

struct ProposeSettings {
  /// Repeats of one mesh primitive become an instance set from this many on. \range [2, 1e9]
  std::uint32_t min_instances = 8;
  /// Most vertices in one cluster. \range [3, 4294967294] \default fits 16-bit indices
  std::uint32_t max_vertices = 65'535;
  /// Edge of the grid cells that clusters are cut along, from the world origin; 0: chosen, the
  /// finest halving of the scene's extent that still reaches `fewer_draws`. \range [0, 1e9]
  double cell_size_m = 0;
  /// With a chosen cell size: how many times fewer draws to aim for. \range [1, 1e6]
  double fewer_draws = 12;
  /// Blended draws are sorted by an engine one by one, so they stay unless asked. \default keep
  Blended blended = Blended::keep;

  bool operator==(const ProposeSettings&) const = default;
};
/// \error bad_setting  names the member and its range
Result<void> validate(const ProposeSettings& settings);

enum class GroupKind : std::uint8_t { cluster, instance_set };
std::string_view to_string(GroupKind kind);

/// Why a draw is in no group.
enum class KeepReason : std::uint8_t {
  must_stay,            ///< the survey's StayRule says more
  blended,              ///< draws in its own order
  only_one_of_its_key,  ///< nothing else could be drawn with it
  alone_in_its_cell,    ///< its nearest partners are in other cells
  above_vertex_limit,   ///< alone it has as many vertices as a cluster may have
};
inline constexpr std::size_t keep_reason_count = 5;
std::string_view to_string(KeepReason reason);

struct Group {
  std::string id;    ///< stable: from kind, key and members
  std::string name;  ///< readable and unique; the result's node and mesh carry it
  GroupKind kind = GroupKind::cluster;
  MaterialId material = no_material;
  Vec3d pivot{0, 0, 0};  ///< world; vertices or instances are stored relative to it
  std::string reason;    ///< one sentence with the numbers behind it
  std::uint64_t triangles = 0;
  std::uint64_t vertices = 0;
  std::vector<DrawRef> members;  ///< in draw order; the first of an instance set is the prototype
};

struct KeptDraw {
  DrawRef draw;
  KeepReason reason = KeepReason::must_stay;
  StayRule rule = StayRule::none;  ///< with must_stay
};

/// Counts of the scene as it is and as the plan would leave it.
struct Forecast {
  std::uint64_t draws_before = 0;
  std::uint64_t draws_after = 0;
  std::uint64_t vertices_stored_before = 0;  ///< unique vertex data, instances counted once
  std::uint64_t vertices_stored_after = 0;
};

struct Plan {
  std::string scene_path;  ///< as given to the tool, relative to the plan file; empty in memory
  ContentHash scene_hash;
  SurveySettings survey_settings;
  ProposeSettings settings;
  double cell_size_m = 0;  ///< that was used
  Forecast forecast;
  std::vector<Group> groups;
  std::vector<KeptDraw> kept;
};

/// \pre `survey` is of `scene`
/// \error bad_setting, cancelled
/// \cost O(draws log draws) and one pass over the scene's bytes for the hash
Result<Plan> propose(const Scene& scene,
                     const Survey& survey,
                     const ProposeSettings& settings = {},
                     const RunControl& run = {});

/// How a plan covers the draws of a scene.
struct Coverage {
  std::uint64_t draws = 0;
  std::uint64_t clustered = 0;
  std::uint64_t instanced = 0;
  std::uint64_t kept = 0;
};

/// Holds a plan, edited or not, against the scene it is for.
/// \error plan_mismatch  the scene's content is not what the plan was made for
/// \error plan_invalid   a draw missing, repeated or unknown; a group of two keys; a draw that must
///                       stay in a group; a cluster above the limit. Names up to ten violations
Result<Coverage> check_plan(const Scene& scene, const Plan& plan, const RunControl& run = {});

}  // namespace wakuzume
