// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/geometry.h"
#include "wakuzume/ids.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

/// survey: what a scene costs and what keeps its draws apart.
///
/// In: a checked scene and the rules that say what may move. Out: totals, one row a draw, and the
/// merge keys the draws fall into.
/// 1. Every node x primitive that some glTF scene shows is one draw, in node order.
/// 2. Two draws have the same key exactly when a build may put them into one draw.
/// 3. Draws that must stay as they are carry the first rule that caught them, and where it begins.
/// 4. Shapes with the same decoded geometry are one family, under whatever name they are stored.
namespace wakuzume {

/// A draw by what it is in the scene.
struct DrawRef {
  NodeId node = no_node;
  std::uint32_t primitive = 0;
  bool operator==(const DrawRef&) const = default;
  auto operator<=>(const DrawRef&) const = default;
};

/// What terms were found to speak of. A scene that is repainted, reduced or joined has the draws it
/// had, but not the names and counts that terms ask for.
struct WishAnswer {
  std::string wish;
  std::vector<DrawRef> draws;  ///< ascending
  bool operator==(const WishAnswer&) const = default;
};

/// What becomes of a node whose animation holds it in the place where it stands anyway.
enum class ConstantTracks : std::uint8_t { may_move, stand_still };

inline constexpr const char* default_lightmap_transform_key = "lightmap_transform";

/// The rules that read meaning from a scene. Lists of nodes are wishes of wakuzume/wishes.h: globs
/// over node paths, which speak of all below, too; or terms, which speak of single draws as they
/// are surveyed without any terms. What moves takes all below along.
struct SurveySettings {
  /// Nodes that may move. \default none
  std::vector<std::string> moving_nodes{};
  /// What the user wants left alone. \default none
  std::vector<std::string> keep_nodes{};
  /// Invisible helpers for physics. \default names that say so
  std::vector<std::string> collider_nodes{"*_collider", "*_collision"};
  /// A node whose extras hold this key with false may move, with all below it. \default "static"
  std::string static_key = "static";
  /// Nodes under animations that never change them. \default may_move: engines write to them
  ConstantTracks constant_tracks = ConstantTracks::may_move;
  /// A node whose extras hold this key with true is a collider, with all below. \default "collider"
  std::string collider_key = "collider";
  /// Key in the extras of a node, its mesh, primitive or material that names the lightmap page.
  /// Where there is none, the material's MOZ_lightmap counts. \default "lightmap"
  std::string lightmap_key = "lightmap";
  /// Key in the same extras for where UVs are on that page: four numbers, a scale along u and v and
  /// an offset. The first that has it counts; without it UVs are of the page itself.
  /// \default "lightmap_transform", which counts as set where some draw has it
  std::string lightmap_transform_key = default_lightmap_transform_key;
  /// UV set that lightmaps are looked up in. \range [0, 15]
  std::uint32_t lightmap_uv_set = 1;
  /// Key in the extras of a node whose value says what is loaded together; holds for all below that
  /// has none of its own. \default "level"
  std::string level_key = "level";
  /// Keys in the extras of nodes whose values keep draws apart at the user's wish, as casting
  /// shadows or a layer; each holds for all below that has none of its own. What it is may stand
  /// behind it: "cast_shadow=shadow casting". \default "tag"
  std::vector<std::string> tag_keys{"tag"};
  /// Wishes with terms that have been asked before: they are not asked again. A survey's settings
  /// have all. \default none
  std::vector<WishAnswer> answers{};
};

/// \error bad_setting  names the member and its range, or the wish that can't be read
Result<void> validate(const SurveySettings& settings);

/// What came of a wish of the settings.
struct WishUse {
  std::string setting;  ///< "survey.keep_nodes"
  std::string wish;
  std::string value;        ///< what is wished, where that stands beside it: "stay", "0.5"
  std::uint64_t draws = 0;  ///< that it speaks of, whatever became of them
  bool operator==(const WishUse&) const = default;
};

/// Why a draw stays as it is whatever the plan would like.
enum class StayRule : std::uint8_t {
  none,
  animated,        ///< an animation moves the node or an ancestor
  skinned,         ///< deformed by a skin, or hung on a joint
  morphing,        ///< has morph targets, and no skin
  physics,         ///< a physics extension moves the node or an ancestor
  marked_moving,   ///< by extras or by a glob of the settings
  carries_light,   ///< its node has a light
  carries_camera,  ///< its node has a camera
  collider,        ///< by extras or by a glob of the settings
  excluded,        ///< by a glob of the settings
  instanced,       ///< already an instance set
  own_extension,   ///< its node, mesh or primitive has an extension that a merge would lose
  not_finite,      ///< a position or the transform is NaN, infinite or too large for floats
  bound_apart,     ///< deformed by a skin that can\'t be brought into one bind pose with others
};
inline constexpr std::size_t stay_rule_count = 14;
std::string_view to_string(StayRule rule);

/// What a primitive becomes once strips, fans and loops are lists.
enum class Topology : std::uint8_t { points, lines, triangles };
std::string_view to_string(Topology topology);
/// Of one point, line or triangle.
inline std::uint32_t count_corners(Topology topology) {
  return topology == Topology::triangles ? 3 : topology == Topology::lines ? 2 : 1;
}

enum class RigKind : std::uint8_t {
  skeleton,  ///< the joints of skins that have some in common, or stand one below the other
  chain      ///< animated nodes without a skin that stand one below the other, or move alike
};
std::string_view to_string(RigKind kind);

/// Nodes that carry what may be one mesh with one skin. A skeleton has another rig for what is
/// bound in a pose that can't be brought into the first one's.
struct Rig {
  RigKind kind = RigKind::skeleton;
  std::uint32_t skeleton = 0;  ///< equal of rigs of one skeleton, and of no others
  std::string name;
  std::vector<NodeId> joints;  ///< as the skins list them, the first skin first
  /// One a joint: from the one space that meshes are bound in to the joint's.
  std::vector<Mat4d> inverse_binds;
  NodeId home = no_node;  ///< nearest node with all below it that is bound; no_node: there is none
  SkinId skin = no_skin;  ///< one of the scene that says just this
};

/// What the extras of a node or its ancestors say under one of the user's keys.
struct Tag {
  std::string key;    ///< in the extras
  std::string word;   ///< what it is
  std::string value;  ///< texts without quotes, the rest as it is written
  auto operator<=>(const Tag&) const = default;
};
/// "layer 3, shadow casting false"
std::string to_string(const std::vector<Tag>& tags);

/// Everything that must be equal for draws to be merged.
struct MergeKey {
  MaterialId material = no_material;
  /// no_node: the world. Of what a skin deforms, the rig's home; of what has morph targets and
  /// stands in the world, its node.
  NodeId moving_root = no_node;
  RigId rig = no_rig;     ///< that deforms it, or one of whose joints its moving root is
  bool deformed = false;  ///< by that rig's skin
  Topology topology = Topology::triangles;
  std::string lightmap;  ///< page as the extras spell it, or "image 7" by MOZ_lightmap; empty: none
  std::vector<Tag> tags;        ///< those that it has, in the order of the settings
  std::string level;            ///< by the extras
  std::vector<LevelId> levels;  ///< glTF scenes that show it
  /// What a merge can't bridge: custom attributes with their types, the normals and tangents of
  /// lines and points, and that triangles with a normal texture lack both tangents and its UVs.
  /// Missing UVs and colours, and normals and tangents of triangles can be filled in.
  std::string layout;
  bool operator==(const MergeKey&) const = default;
};

/// What is drawn. \param shown  anything that names a primitive and its mesh, or else a node
template <class Shown>
const Primitive& primitive_of(const Scene& scene, const Shown& shown) {
  if constexpr (requires { shown.mesh; }) {
    return scene[shown.mesh].primitives[shown.primitive];
  } else {
    return scene[scene[shown.node].mesh].primitives[shown.primitive];
  }
}

/// Every draw of a scene: nodes in table order, primitives in mesh order. A node counts when a glTF
/// scene shows it (or the file has none), a primitive when it has positions and something to draw.
std::vector<DrawRef> make_draw_list(const Scene& scene);

/// What makes an engine switch its pipeline.
struct PipelineKey {
  std::string shading;  ///< "metal-rough" or "unlit", and the material's other extensions
  AlphaMode alpha_mode = AlphaMode::opaque;
  bool double_sided = false;
  Topology topology = Topology::triangles;
  std::string layout;  ///< every attribute with its type
  bool operator==(const PipelineKey&) const = default;
};

/// Smallest and largest coordinates in one UV set; min > max where it has no finite value.
struct UvRange {
  std::uint32_t set = 0;
  Vec2d min{};
  Vec2d max{};
  bool finite = true;
  bool operator==(const UvRange&) const = default;

  /// Times the range repeats the texture: its sides, each at least 1, multiplied.
  [[nodiscard]] double count_tiles() const;
  [[nodiscard]] bool inside_tile() const;  ///< within [0, 1] up to 1e-4
  /// A shift by whole tiles brings it inside, which no sampler with repeat can tell.
  [[nodiscard]] bool shift_fixes() const;
};

/// A mesh primitive that some draw shows: what its draws have in common.
struct Shape {
  MeshId mesh = no_mesh;
  std::uint32_t primitive = 0;  ///< position in the mesh
  MaterialId material = no_material;
  FamilyId family{};  ///< shapes with the same decoded vertices and list indices
  PipelineId pipeline{};
  Topology topology = Topology::triangles;
  bool finite = true;             ///< its positions
  bool attributes_finite = true;  ///< all that its streams hold
  Box3d box;                      ///< in its own space, of the vertices that are used
  std::uint64_t vertices = 0;
  std::uint64_t triangles = 0;
  std::uint64_t bytes = 0;  ///< of its streams, whoever else uses them
  std::vector<UvRange> uvs;

  /// Of a UV set; null: it has none.
  [[nodiscard]] const UvRange* find_uvs(std::uint32_t set) const {
    for (const UvRange& range : uvs) {
      if (range.set == set) {
        return &range;
      }
    }
    return nullptr;
  }
};

/// Which rule caught what, where it begins and why.
struct Cause {
  StayRule rule = StayRule::none;
  NodeId at = no_node;  ///< the node that the rule speaks of: the draw's own or an ancestor
  std::string why;      ///< `matches "*_collider"`, `moved by the animation "swing"`
};

/// From a mesh's UVs to those of a lightmap page: times `scale`, and then plus `offset`.
struct LightmapPlace {
  Vec2d scale{1, 1};
  Vec2d offset{0, 0};
  [[nodiscard]] Vec2d apply(const Vec2d& uv) const {
    return {uv[0] * scale[0] + offset[0], uv[1] * scale[1] + offset[1]};
  }
  bool operator==(const LightmapPlace&) const = default;
};
/// First `inner`, then `outer`.
LightmapPlace make_product(const LightmapPlace& outer, const LightmapPlace& inner);

struct Draw {
  NodeId node = no_node;
  MeshId mesh = no_mesh;
  std::uint32_t primitive = 0;  ///< position in the mesh
  MaterialId material = no_material;
  KeyId key{};
  ShapeId shape{};
  std::uint32_t lightmap_place = 0;  ///< position in Survey::lightmap_places; 0: as its UVs are
  StayRule stay = StayRule::none;
  std::uint32_t cause = no_index;  ///< position in Survey::causes, with a StayRule
  bool blended = false;
  bool mirrored = false;
  bool deformed = false;        ///< by a skin or by morph targets
  std::uint64_t triangles = 0;  ///< all instances together
  std::uint64_t vertices = 0;   ///< of the primitive, counted once
  std::uint64_t instances = 1;
  /// World space; of what is deformed, around it in sampled poses of all animations, whatever its
  /// morph targets do from 0 to 1.
  Box3d box;
};

struct KeyUse {
  KeyId key{};
  std::uint32_t draws = 0;
  std::uint32_t staying = 0;  ///< of the draws, those with a StayRule
  std::uint64_t triangles = 0;
};

/// What the scene as a whole adds up to.
struct Totals {
  std::uint64_t nodes = 0;
  std::uint64_t meshes = 0;
  std::uint64_t primitives = 0;
  std::uint64_t draws = 0;
  std::uint64_t materials = 0;  ///< used by some draw
  std::uint64_t textures = 0;
  std::uint64_t images = 0;
  std::uint64_t triangles = 0;  ///< as drawn
  std::uint64_t vertices = 0;   ///< as drawn: a mesh shown twice counts twice
  std::uint64_t bytes = 0;      ///< geometry and encoded images, shared data once
  bool operator==(const Totals&) const = default;
};

struct Survey {
  SurveySettings settings;
  Totals totals;
  std::vector<Draw> draws;
  std::vector<Shape> shapes;                       ///< in first-seen order
  std::vector<ContentHash> families;               ///< content, by FamilyId; in first-seen order
  std::vector<PipelineKey> pipelines;              ///< in first-seen order
  std::vector<Cause> causes;                       ///< in first-seen order
  std::vector<NodeId> constant_nodes;              ///< all their animation tracks hold one value
  std::vector<MergeKey> keys;                      ///< in first-seen order
  std::vector<Rig> rigs;                           ///< skeletons by their first node, then chains
  std::vector<LightmapPlace> lightmap_places{{}};  ///< the first is that of UVs as they are
  std::vector<KeyUse> key_uses;                    ///< one a key, most draws first
  std::vector<std::uint32_t> stay_counts;          ///< indexed by StayRule
  /// Of each wish of the settings that is not there by default, in their order.
  std::vector<WishUse> wishes;
  Box3d bounds;  ///< of all draws

  const Draw& operator[](DrawId id) const { return draws[to_index(id)]; }
  const MergeKey& operator[](KeyId id) const { return keys[to_index(id)]; }
  const Rig& operator[](RigId id) const { return rigs[to_index(id)]; }
  const Shape& operator[](ShapeId id) const { return shapes[to_index(id)]; }
  const PipelineKey& operator[](PipelineId id) const { return pipelines[to_index(id)]; }
};

/// \pre check_scene(scene)
/// \error bad_setting, cancelled
/// \cost O(nodes + draws + vertex bytes + indices), in parallel over nodes, streams and shapes;
/// with
///       terms among the wishes a cell a draw and term, and what is not vertices twice
/// \source families: XXH3-128 over the decoded streams
Result<Survey> survey(const Scene& scene,
                      const SurveySettings& settings = {},
                      const RunControl& run = {});

/// Totals alone, for a scene that is already built. \pre check_scene(scene)
Totals count_totals(const Scene& scene);

/// "iron_green, lightmap 3, level 0": a key as people say it.
std::string to_string(const Scene& scene, const MergeKey& key);

}  // namespace wakuzume
