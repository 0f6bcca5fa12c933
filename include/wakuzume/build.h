// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "wakuzume/bytes.h"
#include "wakuzume/ids.h"
#include "wakuzume/propose.h"
#include "wakuzume/repaint.h"
#include "wakuzume/result.h"
#include "wakuzume/run_control.h"
#include "wakuzume/scene.h"

/// build: carry a plan out.
///
/// In: a scene and a plan for it. Out: a new scene that shares all unchanged data with the old one,
/// and the ledger of what became of every source draw.
/// 1. World positions move by no more than 1e-6 of a cluster's extent plus half a float ulp.
/// 2. A result has the very material its sources had, by identity.
/// 3. Kept nodes keep name, extras and place; emptied leaf nodes go, unless something points at
/// them.
/// 4. A result carries the extras that all its members agree on, such as their lightmap page.
/// 5. The same bytes for any number of threads, with or without a cache.
namespace wakuzume {

enum class Fate : std::uint8_t { merged, instanced, kept, dropped };
inline constexpr std::size_t fate_count = 4;
std::string_view to_string(Fate fate);

/// What became of one source draw. Ranges count in list indices of the output primitive, before
/// LedgerResult::order where there is one.
struct LedgerRow {
  DrawRef source;
  Fate fate = Fate::kept;
  NodeId node = no_node;  ///< in the output scene; no_node when dropped
  std::uint32_t primitive = 0;
  std::uint32_t instance = 0;  ///< with instanced
  std::uint64_t first_index = 0;
  std::uint64_t index_count = 0;
  std::uint64_t first_vertex = 0;
  std::uint64_t vertex_count = 0;
};

/// Where the morph targets of a draw are among those of its result.
struct CarriedTargets {
  DrawRef draw;                         ///< of the source
  std::vector<std::uint32_t> number{};  ///< by target of the draw: of the result's primitive
};

/// What a group became: a primitive of a node of the output scene.
struct LedgerResult {
  std::string group;  ///< its name
  NodeId node = no_node;
  std::uint32_t primitive = 0;
  NodeId below = no_node;  ///< node of the source that it stands under; no_node: at the roots
  /// Primitive of the source whose data an instance set shows as it is; no_node: data of its own.
  DrawRef shown{no_node, 0};
  NodeId collider = no_node;  ///< child of the node
  ColliderShape collider_shape = ColliderShape::none;
  /// Each row's ranges hold its triangles twice: as they were, and then turned round.
  bool has_backs = false;
  /// Each row's triangles stand as order_for_shading has those of its source's list and positions;
  /// without `order`.
  bool in_shading_order = false;
  /// By triangle of the primitive: which one it is, counted along the rows' ranges. Empty: they
  /// stand in that order.
  std::vector<std::uint32_t> order{};
  /// Nodes of the source that the joints of its node's skin are; empty: no skin deforms it.
  std::vector<NodeId> joints{};
  std::vector<CarriedTargets> targets{};  ///< ascending by draw; of those that have some
  /// Where a set's instances are nodes: the first of them, children of `node` one after the other;
  /// no_node: they are not. And how many there are.
  NodeId first_instance = no_node;
  std::uint32_t instances = 0;
};

/// Where the result holds a copy of its source, in a glTF scene that is not shown.
struct SourceCopy {
  NodeId first_node = no_node;     ///< the source's nodes in their order; no_node: there is no copy
  std::vector<NodeId> node_there;  ///< by node of the source: the one it still is; or no_node
  /// Sizes of the source's tables; what is beyond belongs to the result alone.
  std::uint32_t meshes = 0;
  std::uint32_t materials = 0;
  std::uint32_t streams = 0;
  std::uint32_t views = 0;
  std::uint32_t blocks = 0;
  std::uint32_t levels = 0;
  std::uint32_t extensions_used = 0;
  std::uint32_t extensions_required = 0;
  std::uint32_t skins = 0;
  /// Nodes of the source whose skin is not on the node that is shown, and that skin, in turn.
  std::vector<std::uint32_t> lost_skins;
  /// By animation: channels and samplers that the source has, in turn; those behind are results'.
  std::vector<std::uint32_t> tracks;
};

struct Ledger : SourceSteps {
  std::string source_path;  ///< relative to the ledger's folder; the core does not use it
  /// Images of the routes' pages in the result, then of normals that were painted for reduced
  /// meshes, then of joined lightmap pages, these in the first channel. Both hashes are without
  /// their bytes.
  PageImages page_images;
  /// The image of a joined page in the result; no_image where it is a file, or has no picture.
  /// \param joined  position in LightmapPlan::joined
  [[nodiscard]] ImageId find_joined_image(std::size_t joined) const {
    // A ledger comes from a file: one that lists too few images has none of these.
    const std::size_t count = page_images.size();
    const std::size_t at = count - std::min(count, lightmaps.joined.size()) + joined;
    return at < count ? page_images[at][0] : no_image;
  }
  /// By material of the result: its number in the source. Empty: they have the same numbers.
  std::vector<MaterialId> material_from;
  ContentHash source_hash;
  ContentHash result_hash;
  /// Within which another's geometry stands for that of an instanced draw.
  FamilySettings families;
  InstanceForm instances = InstanceForm::extension;
  std::vector<std::string> instance_values;  ///< as the plan's settings have them
  GeometrySettings geometry;                 ///< how it is stored, and within which errors
  GpuPictureSettings gpu_pictures;           ///< the files beside its pictures
  std::string lightmap_key = "lightmap";     ///< as the plan's survey had it
  std::string lightmap_transform_key{};      ///< the same; of a result own_transform_key is none
  std::uint32_t lightmap_uv_set = 1;         ///< the same
  std::vector<TakenBack> taken_back;         ///< as the plan has it
  std::vector<LedgerRow> rows;               ///< one a source draw, in draw order
  std::vector<LedgerResult> results;         ///< by node and primitive
  SourceCopy source_copy;
  std::vector<std::string> left_out;  ///< what a result could not carry, one sentence each
};

/// Keeps what a build made for the next one. Your own, or FolderCache of wakuzume/io.h.
class BuildCache {
 public:
  BuildCache() = default;
  BuildCache(const BuildCache&) = delete;
  BuildCache& operator=(const BuildCache&) = delete;
  virtual ~BuildCache() = default;
  /// What was stored under a key of 32 hexadecimal digits; empty when nothing was. A build checks
  /// what it gets. \threads from several at a time
  virtual Bytes find(const std::string& key) = 0;
  /// May forget, and may not fail the build. \threads from several at a time
  virtual void store(const std::string& key, std::span<const std::byte> bytes) = 0;
};

enum class CarrySource : std::uint8_t { no, hidden };

struct BuildSettings {
  /// The source goes along in a second glTF scene, so that one file can be put back. \default no
  CarrySource carry_source = CarrySource::no;
  /// Groups and objects that become scenes of their own beside those that the plan's settings name,
  /// in the same way.
  std::vector<std::string> assets{};
  /// Where the origin of a set's asset is: at its own, or by the box of what is repeated.
  /// \range bounds_centre, bounds_base, world_origin (its own)
  PivotAt asset_pivot = PivotAt::world_origin;
  /// What a result's "asset" extra names: the group's name with this. \default ".glb"
  std::string asset_ending = ".glb";
  /// The scene that the source was repainted from: what only that one shows does not go along.
  const Scene* origin = nullptr;  ///< borrowed; null: there is none
  /// The same before its meshes were reduced.
  const Scene* unreduced = nullptr;
  PageImages page_images{};     ///< of the source, where it was repainted
  BuildCache* cache = nullptr;  ///< borrowed; null: everything is made anew
};

/// One group as a scene of its own, its origin at the group's pivot.
struct AssetScene {
  std::string name;  ///< of its file: the group's, with the ending
  Scene scene;
};

/// What a cache was good for, one entry a group that is merged.
struct Reuse {
  std::string group;
  bool reused = false;
  std::string why;    ///< not
  bool known = true;  ///< the cache had seen a group of this name
};

struct Built {
  Scene scene;
  Ledger ledger;
  std::vector<AssetScene> assets;
  std::vector<LightmapFile> lightmaps;  ///< pictures of joined pages that are files
  std::vector<Reuse> reuse;             ///< empty without a cache
};

/// \pre check_scene(scene)
/// \error plan_mismatch, plan_invalid  as check_plan
/// \error bad_setting  a wish of the assets that can't be read
/// \error too_large  a merge of more than 4,294,967,294 vertices
/// \error cancelled
/// \cost each merged vertex and index is read and written once; parallel over the groups
Result<Built> build(const Scene& scene,
                    const Plan& plan,
                    const BuildSettings& settings = {},
                    const RunControl& run = {});

}  // namespace wakuzume
