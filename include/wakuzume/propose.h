// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/cost.h"
#include "wakuzume/families.h"
#include "wakuzume/geometry.h"
#include "wakuzume/gpu_pictures.h"
#include "wakuzume/ids.h"
#include "wakuzume/image_facts.h"
#include "wakuzume/lightmaps.h"
#include "wakuzume/order.h"
#include "wakuzume/quantise.h"
#include "wakuzume/reduce.h"
#include "wakuzume/result.h"
#include "wakuzume/routes.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"
#include "wakuzume/split.h"
#include "wakuzume/survey.h"
#include "wakuzume/views.h"

/// propose: decide what becomes of every draw.
///
/// In: a scene, its survey, and the views and prices that count. Out: a plan, plain data to read,
/// store, edit and check.
/// 1. Every draw of the survey is in exactly one group, or kept with one reason.
/// 2. Draws of one group can be drawn as one: their keys agree, or differ by what an instance
///    carries.
/// 3. The clusters are the cheapest cut through a spatial tree of each key: no other choice of its
///    branches costs less by the profile's prices within the limits.
/// 4. Same scene, same settings, same views: the same plan, for any number of threads.
/// 5. The plan passes check_plan: what would not, is taken back, planned otherwise, and told.
namespace wakuzume {

enum class Blended : std::uint8_t {
  keep,
  proved,  ///< they merge where their order can't be seen
  merge    ///< they merge, and their order is lost
};
enum class BlendedFrom : std::uint8_t { views, everywhere };
enum class Repeats : std::uint8_t {
  by_cost,
  instance,
  merge,
  only  ///< they become instances, and nothing is merged
};
enum class MovingParts : std::uint8_t { merge, keep };
enum class RigidParts : std::uint8_t {
  by_cost,
  skin,  ///< what hangs on a joint becomes part of what its skeleton's skin deforms
  keep
};
enum class RigidChains : std::uint8_t { keep, skin };
enum class EqualMaterials : std::uint8_t { fold, apart };
enum class ValueStorage : std::uint8_t { floats, bytes };
enum class MeshUnit : std::uint8_t { group, place };
enum class TriangleOrder : std::uint8_t {
  shading,  ///< that of order_for_shading, and vertices by their first use, member by member
  source
};

/// What stands in for a group where things collide.
enum class ColliderShape : std::uint8_t {
  none,
  triangles,  ///< all of the group's
  box,        ///< along the axes of the result's node
  hull        ///< the smallest convex body around it
};
inline constexpr std::size_t collider_shape_count = 4;
std::string_view to_string(ColliderShape shape);

/// How a result says where instances of a set are.
enum class InstanceForm : std::uint8_t {
  extension,  ///< EXT_mesh_gpu_instancing
  nodes,      ///< a node each, on one mesh
};

struct ProposeSettings {
  FamilySettings families{};
  /// An instance set has at least so many instances. \range [2, 1e9]
  std::uint32_t min_instances = 2;
  /// Repeats: the cheaper of both by the cost profile, or always the one; or nothing but them.
  /// \default by_cost
  Repeats repeats = Repeats::by_cost;
  /// Most vertices in one cluster; up to 65,535 its indices take 16 bits. \range [3, 4294967294]
  std::uint32_t max_vertices = 1'000'000;
  /// Longest side of a group's box, metres; 0: any. \range [0, 1e9]
  double max_extent_m = 0;
  /// Edge of the grid cells that groups are cut along, from the world origin; 0: cut by cost.
  /// \range [0, 1e9]
  double cell_size_m = 0;
  /// Times the triangles of today that a usual view may submit; 0: any number. \range 0, [1, 1e6]
  double triangle_growth = 0;
  /// The limit on triangles is not looked at while those of a usual frame take less than this on
  /// the GPU. \range [0, 1e6]
  double few_triangles_ms = 0;
  /// Times the geometry bytes of today that the result may hold; 0: any number.
  /// \range 0, [1, 1e6]
  double memory_growth = 0;
  /// The limit on memory is not looked at while all geometry takes less than this. \range [0, 1e6]
  double few_megabytes = 0;
  /// Engines sort blended draws one by one, from far to near. \default proved
  Blended blended = Blended::proved;
  /// With Blended::proved: whether orders of triangles in one draw have to be right from
  /// everywhere, or where that is not to be had, from where the views are. \default views
  BlendedFrom blended_from = BlendedFrom::views;
  /// Parts that move as one may merge under their moving root. \default merge
  MovingParts moving_parts = MovingParts::merge;
  /// Parts that hang on joints of a skeleton: whether they become part of its skinned meshes, with
  /// one influence a vertex. \default by_cost: where skinning them costs less than their draws
  RigidParts rigid_parts = RigidParts::by_cost;
  /// The same for animated parts that stand one below the other, or move alike. \default keep
  RigidChains rigid_chains = RigidChains::keep;
  /// Materials that are equal by value under other names count as one. \default fold
  EqualMaterials equal_materials = EqualMaterials::fold;
  /// Factors by which the materials of one instance set may differ, one of them at a time; each
  /// instance then carries its own. Of "base_color", "metallic", "roughness", "emissive".
  std::vector<std::string> tints{"base_color"};
  /// Values that every instance gets: "id" (number of its source node), "random" (by the node's
  /// path, the same every time), and "extras.KEY": up to four numbers, or a colour "#rrggbb", that
  /// the extras of its node or of the nearest ancestor say; 0 where none does, and nothing in sets
  /// where that is all of them. Shaders find them as `_ID`, `_RANDOM` and `_KEY`. \default none
  std::vector<std::string> instance_values{};
  /// How tints and values are stored. \default floats
  ValueStorage value_storage = ValueStorage::floats;
  /// A mesh a cluster; or one for all clusters of one place, a primitive a material: a place is a
  /// moving root, and with a grid also one of its cells. \default group
  MeshUnit mesh_unit = MeshUnit::group;
  /// How triangles of merged draws stand; blended ones keep their own order. \default shading
  TriangleOrder triangle_order = TriangleOrder::shading;
  /// A collider for every group that is planned. \default none
  ColliderShape colliders = ColliderShape::none;
  /// Groups and objects that become files of their own, too: globs over their names, or terms over
  /// draws of which they have one (wakuzume/wishes.h). \default none
  std::vector<std::string> assets{};
  /// Names of results. {number} makes them unique, {material}, {mesh}, {root}, {level}, {lightmap}
  /// and {tag} are those of the first member; without {number} one is appended where it has to be.
  std::string cluster_names = "merged_{material}_{number}";
  std::string set_names = "set_{mesh}_{number}";
  std::string object_names = "object_{root}_{number}";  ///< with MeshUnit::place
  std::string collider_names = "{name}_collider";       ///< {name}: of the group
  /// Nodes are for loaders that know no extension, and for engines that instance equal meshes by
  /// themselves: where CostProfile::instances_repeats says that one does not, no sets are planned.
  /// \default extension
  InstanceForm instances = InstanceForm::extension;
  /// How the result stores what it draws.
  GeometrySettings geometry{};
  /// Files for GPUs beside the pictures of the result.
  GpuPictureSettings gpu_pictures{};

  bool operator==(const ProposeSettings&) const = default;
};
/// \error bad_setting  names the member and its range
Result<void> validate(const ProposeSettings& settings);

/// What a scene adds up to, and what its frames take over the views.
struct Outcome {
  std::uint64_t draws = 0;
  std::uint64_t triangles = 0;  ///< as drawn
  std::uint64_t vertices = 0;   ///< stored: data that several draws share counts once
  std::uint64_t bytes = 0;      ///< of that geometry
  Spread view_draws;            ///< main pass
  Spread view_triangles;        ///< main pass
  Spread view_bytes;            ///< of geometry that the main pass reads, shared data once
  Spread frame_draws;           ///< all passes
  Spread frame_ms;              ///< all passes
  double mean_ms = 0;
  /// What plans are chosen by: over the views the mean of the slower of CPU and GPU, and the share
  /// of the faster that the profile says; and geometry stored, at the profile's price.
  double price_ms = 0;
};

/// What a plan is measured by. Without views everything counts as always in sight.
struct Outlook {
  std::vector<Viewpoint> views{};
  CostProfile profile{};
  /// One an image of the scene, for the time that textures take; empty: they take none.
  std::vector<ImageFacts> images{};
  /// With BlendedFrom::views: where orders of blended triangles have to be right that are not right
  /// from everywhere, beside where the views are. Without either none such is taken.
  std::vector<OrderEye> eyes{};
  /// What is told as the forecast's `before`, where the scene was another one first. \default what
  /// the scene itself takes
  std::optional<Outcome> before{};
};
/// From where orders of blended triangles are looked at: the eyes, and the views.
BlendSight make_sight(const Outlook& outlook);

/// What the instances of a set have of one value of their extras.
struct ValueRange {
  std::string name;         ///< as the settings have it
  std::vector<double> min;  ///< by component, over the instances whose extras say something
  std::vector<double> max;
  std::uint64_t without = 0;  ///< instances whose extras don't, which have noughts
  bool operator==(const ValueRange&) const = default;
};

enum class GroupKind : std::uint8_t { cluster, instance_set };
std::string_view to_string(GroupKind kind);

/// In which order a group's blended triangles are drawn.
enum class BlendOrder : std::uint8_t {
  as_members,  ///< member by member: they are not blended, or their order was given up
  every_eye,   ///< one that is right from everywhere (order.h); of a set: that of its members
  any,         ///< all have the same colour, so that none shows
  given_eyes  ///< of a cluster: one that is right from the eyes of the plan, where every_eye is not
};
inline constexpr std::size_t blend_order_count = 4;
std::string_view to_string(BlendOrder order);

/// Why a draw is in no group.
enum class KeepReason : std::uint8_t {
  must_stay,            ///< the survey's StayRule says more
  blended,              ///< in one draw with others its order would show
  only_one_of_its_key,  ///< nothing else could be drawn with it
  alone_in_its_cell,    ///< its nearest partners are in other cells of the grid
  above_vertex_limit,   ///< alone it has as many vertices as a cluster may have
  not_repeated,         ///< nothing shows the same, and with Repeats::only nothing is merged
  cheaper_alone,        ///< with its nearest partners it would cost more than by itself
  by_hand,              ///< somebody took it out of the plan
  taken_back            ///< merged it was not what it was; Plan::taken_back says why
};
inline constexpr std::size_t keep_reason_count = 9;
std::string_view to_string(KeepReason reason);

/// Where the origin of a group's result is.
enum class PivotAt : std::uint8_t { bounds_centre, bounds_base, world_origin, node, point };
inline constexpr std::size_t pivot_at_count = 5;
std::string_view to_string(PivotAt at);

struct Group {
  std::string id;    ///< stable: from kind, key and members
  std::string name;  ///< readable and unique; the result's node and mesh carry it
  /// Clusters of one object become primitives of one mesh on one node of that name; empty: a node
  /// and mesh of its own.
  std::string object;
  GroupKind kind = GroupKind::cluster;
  bool pinned = false;  ///< planning again leaves it as it is
  ColliderShape collider = ColliderShape::none;
  /// Other than as_members: a cluster of a two-sided material is stored as two that are culled,
  /// front and back, which look the same.
  BlendOrder order = BlendOrder::as_members;
  MaterialId material = no_material;
  std::string tint;  ///< factor that each instance carries; empty: all have the material's
  PivotAt pivot_at = PivotAt::bounds_centre;
  NodeId pivot_node = no_node;  ///< with PivotAt::node
  Vec3d pivot{0, 0, 0};         ///< world; vertices or instances are stored relative to it
  std::string reason;           ///< one sentence with the numbers behind it
  std::uint64_t triangles = 0;  ///< as drawn
  std::uint64_t vertices = 0;   ///< as stored
  std::uint64_t bytes = 0;      ///< as stored
  double saved_us = 0;          ///< of a mean frame, against drawing its members one by one
  /// Draws. Those of an instance set stand instance by instance, `prototype.size()` each, and any
  /// number of instances from the first on is an even thinning of all.
  std::vector<DrawRef> members;

  // Instance sets.
  /// The draws whose geometry all instances show, merged if there are several.
  std::vector<DrawRef> prototype;
  /// One an instance, or none where all are the identity: from the space of the prototype's first
  /// draw to that of the instance's first draw.
  std::vector<Mat4d> fits;
  /// The space the prototype's geometry is stored in, as seen from its first draw.
  Mat4d axes = identity_matrix;
  double residual = 0;             ///< largest of the fits', as a share of the part's diagonal
  std::vector<ValueRange> values;  ///< those that extras say, as of the whole set

  [[nodiscard]] std::size_t instance_count() const {
    return prototype.empty() ? 0 : members.size() / prototype.size();
  }
};

struct KeptDraw {
  DrawRef draw;
  KeepReason reason = KeepReason::must_stay;
  StayRule rule = StayRule::none;  ///< with must_stay
};

/// What a draw was taken out of once it was planned.
enum class TakenFrom : std::uint8_t {
  repeats,  ///< another's geometry does not show what it shows: it shows its own
  merges    ///< it stays as it is
};
inline constexpr std::size_t taken_from_count = 2;
std::string_view to_string(TakenFrom from);

struct TakenBack {
  DrawRef draw;
  TakenFrom from = TakenFrom::repeats;
  std::string why;  ///< one sentence
};

struct Forecast {
  Outcome before;
  Outcome after;
  /// Times today's GPU time, in the view where it grows most; of those that it takes more of than
  /// CostProfile::few_gpu_ms.
  double gpu_growth = 1;
};

/// A draw as the plan saw it: what tells whether it changed since.
struct DrawMark {
  DrawRef draw;
  std::string path;            ///< of its node
  std::uint32_t place = 0;     ///< hash of its world matrix
  std::uint32_t geometry = 0;  ///< of what it decodes to
  std::uint32_t look = 0;      ///< of its material by value
};

/// Shapes of one family as the plan found them.
struct PlannedFamily {
  DrawRef prototype;
  struct Member {
    DrawRef draw;  ///< the first that shows the shape
    Likeness likeness = Likeness::content;
    Fit fit;
    std::uint32_t draws = 0;  ///< that show it
  };
  std::uint32_t draws = 0;  ///< that show the prototype's shape
  std::vector<Member> members;
};

/// How a source was made of the scene that was read: each step of what the one before left. Plans
/// and ledgers carry it along.
struct SourceSteps {
  SplitSettings split;
  ReducePlan reduction;    ///< by which its meshes were reduced; empty: they were not
  LightmapPlan lightmaps;  ///< by which its lightmap pages were joined; empty: they were not
  RoutePlan routes;        ///< by which it was repainted; empty: it was not
};

struct Plan : SourceSteps {
  std::string scene_path;  ///< as given to the tool, relative to the plan file; empty in memory
  ContentHash scene_hash;
  SurveySettings survey_settings;
  ProposeSettings settings;
  std::string profile;           ///< name of the cost profile
  std::uint32_t view_count = 0;  ///< that it was measured from
  /// By which groups of BlendOrder::given_eyes have their order; empty where there are none.
  BlendSight sight;
  Forecast forecast;
  std::vector<Group> groups;
  std::vector<KeptDraw> kept;
  std::vector<TakenBack> taken_back;    ///< ascending by draw, then by what from; one each
  std::vector<WishUse> wishes;          ///< what came of those of all settings
  std::vector<PlannedFamily> families;  ///< of more than one draw
  std::vector<DrawMark> marks;          ///< one a draw, in draw order
};

/// What a scene as it is takes. \error cancelled
Result<Outcome> measure_outcome(const Scene& scene,
                                const Survey& survey,
                                const Outlook& outlook,
                                const RunControl& run = {});

/// \pre `survey` is of `scene`
/// \error bad_setting, cancelled
/// \cost find_families; O(draws log draws) for the trees, twice as many boxes as draws against each
///       view and pass, and O(draws log draws) for each of some ten rounds over the prices
Result<Plan> propose(const Scene& scene,
                     const Survey& survey,
                     const ProposeSettings& settings = {},
                     const Outlook& outlook = {},
                     const RunControl& run = {});

/// The same without what was taken back. \param taken  ascending; draws of the scene
Result<Plan> propose_without(std::span<const TakenBack> taken,
                             const Scene& scene,
                             const Survey& survey,
                             const ProposeSettings& settings = {},
                             const Outlook& outlook = {},
                             const RunControl& run = {});

/// What a scene would take on certain terms.
struct Alternative {
  std::string name;  ///< of the terms, in words
  ProposeSettings settings;
  Outcome outcome;
};

/// The scene as it is, and what becomes of it by cost, with instances only, with merges only, and
/// cut along the cheapest of five grids; all else as the settings say.
/// \error bad_setting, cancelled
/// \cost that of eight plans
Result<std::vector<Alternative>> list_alternatives(const Scene& scene,
                                                   const Survey& survey,
                                                   const ProposeSettings& settings = {},
                                                   const Outlook& outlook = {},
                                                   const RunControl& run = {});

/// How a plan covers the draws of a scene.
struct Coverage {
  std::uint64_t draws = 0;
  std::uint64_t clustered = 0;
  std::uint64_t instanced = 0;
  std::uint64_t kept = 0;
};

/// Something in a plan that can't be carried out.
struct Violation {
  std::string place;  ///< JSON pointer into the plan; empty: a draw that is nowhere in it
  std::string what;
};

/// Everything that is wrong with a plan, in its own order; empty when it can be built.
/// \error plan_mismatch  the scene's content is not what the plan was made for
/// \cost that of a survey, and a fit for each shape of an instance set that is not its prototype's
Result<std::vector<Violation>> find_violations(const Scene& scene,
                                               const Plan& plan,
                                               const RunControl& run = {});

/// Holds a plan, edited or not, against the scene it is for.
/// \error plan_mismatch  the scene's content is not what the plan was made for
/// \error plan_invalid   names up to ten of the violations
Result<Coverage> check_plan(const Scene& scene, const Plan& plan, const RunControl& run = {});

}  // namespace wakuzume
