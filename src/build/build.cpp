// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/build.h"

#include <fmt/format.h>

#include <algorithm>
#include <limits>
#include <map>
#include <set>

#include "build/assets.h"
#include "build/carry.h"
#include "build/colliders.h"
#include "build/compact.h"
#include "build/detach.h"
#include "build/instances.h"
#include "build/merge.h"
#include "build/reuse.h"
#include "plan/check.h"
#include "plan/items.h"
#include "plan/keys.h"
#include "plan/names.h"
#include "scene/matrix.h"
#include "scene/running.h"
#include "survey/glob.h"
#include "survey/rules.h"

namespace wakuzume {
namespace {

class Builder {
 public:
  Builder(const Scene& source,
          const Plan& plan,
          const Survey& survey,
          const BuildSettings& settings)
      : source_(source),
        plan_(plan),
        survey_(survey),
        settings_(settings),
        world_(make_world_matrices(source)) {
    built_.ledger.source_hash = plan.scene_hash;
    built_.ledger.rows.resize(survey.draws.size());
    for (std::size_t d = 0; d < survey.draws.size(); ++d) {
      built_.ledger.rows[d].source = {survey.draws[d].node, survey.draws[d].primitive};
      built_.ledger.rows[d].node = survey.draws[d].node;
      built_.ledger.rows[d].primitive = survey.draws[d].primitive;
    }
    moved_.assign(survey.draws.size(), false);
  }

  Result<Built> run(const RunControl& run) {
    built_.scene = source_;
    if (auto chosen = choose_assets(); !chosen) {
      return Failure(chosen.error());
    }
    adjust_groups();
    if (auto made = make_geometry(run); !made) {
      return Failure(made.error());
    }
    add_colliders();
    detach_draws(source_, moved_, built_.scene, built_.ledger.rows);
    report_left_out();
    Ledger& ledger = built_.ledger;
    if (settings_.carry_source == CarrySource::hidden) {
      ledger.source_copy = carry_source(source_, built_.scene);
    }
    renumber_nodes(compact(source_, built_.scene, ledger.left_out), ledger);
    for (const auto& [node, name] : asset_nodes_) {
      const NodeId id = ledger.results[node].node;
      built_.assets.push_back({name, make_asset_scene(built_.scene, id, built_.scene[id].name)});
    }
    std::sort(ledger.results.begin(), ledger.results.end(),
              [](const LedgerResult& a, const LedgerResult& b) {
                return std::pair(a.node, a.primitive) < std::pair(b.node, b.primitive);
              });
    ledger.result_hash = make_content_hash(built_.scene, run);
    return std::move(built_);
  }

 private:
  /// Where a group's result stands, and below what.
  struct Frame {
    NodeId root = no_node;            ///< the moving root; no_node: the world
    Trs local;                        ///< of the result's node
    Mat4d to_node = identity_matrix;  ///< from the world to the node's space
  };

  /// Geometry that instances of one or more sets show.
  struct Prototype {
    std::size_t merge = no_merge;  ///< position in merges_; no_merge: the source's own primitive
    MeshId mesh = no_mesh;
  };
  static constexpr std::size_t no_merge = static_cast<std::size_t>(-1);

  struct Work {
    Frame frame;
    std::size_t merge = no_merge;  ///< of a cluster
    std::size_t prototype = 0;     ///< of a set, and below
    std::size_t set = no_set;      ///< no_set: of one instance, which is an ordinary node
    Trs alone;                     ///< where that stands below its root
  };
  static constexpr std::size_t no_set = static_cast<std::size_t>(-1);

  /// Clusters that become primitives of one mesh.
  struct Object {
    std::vector<std::size_t> groups;
    NodeId node = no_node;  ///< once there is one
  };

  [[nodiscard]] const Group& group_at(std::size_t g) const {
    const auto adjusted = adjusted_.find(g);
    return adjusted == adjusted_.end() ? plan_.groups[g] : adjusted->second;
  }
  [[nodiscard]] const std::string& shown_name(const Group& group) const {
    return group.object.empty() ? group.name : group.object;
  }

  Result<void> choose_assets() {
    for (const std::string& glob : settings_.assets) {
      const GlobSet wanted({glob});
      bool any = false;
      for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
        const Group& group = plan_.groups[g];
        if (wanted.find(group.name) != no_index || wanted.find(shown_name(group)) != no_index) {
          assets_.insert(g);
          any = true;
        }
      }
      if (!any) {
        return Failure(Error{ErrorCode::bad_setting,
                             fmt::format("no group of the plan matches the asset '{}'", glob),
                             {}});
      }
    }
    return {};
  }

  /// Groups that are built otherwise than the plan has them: a prop's own pivot is part of the
  /// space that it is stored in, and a single instance has the material that it had.
  void adjust_groups() {
    for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
      const Group& group = plan_.groups[g];
      if (!group.object.empty()) {
        objects_[group.object].groups.push_back(g);
      }
      if (group.kind != GroupKind::instance_set) {
        continue;
      }
      if (group.instance_count() == 1 && !group.tint.empty()) {
        Group& own = adjusted_.try_emplace(g, group).first->second;
        const DrawRef& ref = group.members.front();
        own.tint.clear();
        own.material = source_[source_[ref.node].mesh].primitives[ref.primitive].material;
      }
      if (assets_.contains(g) && settings_.asset_pivot != PivotAt::world_origin) {
        const Box3d box = make_prototype_box(survey_, world_, group);
        Vec3d origin = box.empty() ? Vec3d{0, 0, 0} : box.centre();
        origin[1] =
            settings_.asset_pivot == PivotAt::bounds_base && !box.empty() ? box.min[1] : origin[1];
        Mat4d shift = identity_matrix;
        std::copy(origin.begin(), origin.end(), shift.begin() + 12);
        Group& own = adjusted_.try_emplace(g, group).first->second;
        own.axes = make_product(own.axes, shift);
      }
    }
  }

  /// The groups of an object stand where the first one's rule puts all of their members.
  [[nodiscard]] Frame make_object_frame(const Object& object) const {
    Group all = plan_.groups[object.groups.front()];
    all.members = list_members(object.groups);
    return make_frame(all);
  }
  [[nodiscard]] std::vector<DrawRef> list_members(const std::vector<std::size_t>& groups) const {
    std::vector<DrawRef> out;
    for (const std::size_t g : groups) {
      const std::vector<DrawRef>& members = plan_.groups[g].members;
      out.insert(out.end(), members.begin(), members.end());
    }
    return out;
  }

  [[nodiscard]] Frame make_frame(const Group& group) const {
    Frame frame;
    const Draw& first = survey_[find_draw(survey_, group.members.front())];
    const Vec3d pivot = find_pivot(source_, survey_, group);
    frame.root = survey_[first.key].moving_root;
    frame.local.translation = pivot;
    if (frame.root != no_node) {
      const Eigen::Matrix4d to_root = as_eigen(world_[to_index(frame.root)]).inverse();
      const Eigen::Vector3d local = (to_root * as_eigen(pivot).homogeneous()).head<3>();
      frame.local.translation = {local.x(), local.y(), local.z()};
      frame.to_node = from_eigen(to_root);
    }
    for (std::size_t c = 0; c < 3; ++c) {
      frame.to_node[12 + c] -= frame.local.translation[c];
    }
    return frame;
  }

  [[nodiscard]] std::vector<MergePart> make_cluster_parts(const Group& group,
                                                          const Frame& frame) const {
    std::vector<MergePart> parts;
    for (const DrawRef& ref : group.members) {
      parts.push_back({ref, place(frame, world_[to_index(ref.node)])});
    }
    return parts;
  }

  /// From the world into the space of a node. A plain shift keeps every bit of the rest.
  static Mat4d place(const Frame& frame, const Mat4d& world) {
    if (frame.root != no_node) {
      return make_product(frame.to_node, world);
    }
    Mat4d out = world;
    for (std::size_t c = 0; c < 3; ++c) {
      out[12 + c] += frame.to_node[12 + c];
    }
    return out;
  }

  /// The prototype of a set: the source's own primitive where it is stored as it is, else merged;
  /// sets that show the same share it.
  std::size_t find_prototype(const Group& group) {
    std::string name = fmt::format("{} {}", to_index(group.material), group.tint);
    for (const DrawRef& ref : group.prototype) {
      name += fmt::format(" {}.{}", to_index(source_[ref.node].mesh), ref.primitive);
    }
    for (std::size_t p = 0; p < group.prototype.size(); ++p) {
      for (const double value : make_part_matrix(world_, group, p)) {
        name += fmt::format(" {}", value);
      }
    }
    const auto [slot, added] = prototype_of_.try_emplace(name, prototypes_.size());
    if (added) {
      Prototype prototype;
      if (group.prototype.size() > 1 || group.axes != identity_matrix) {
        std::vector<MergePart> parts;
        for (std::size_t p = 0; p < group.prototype.size(); ++p) {
          parts.push_back({group.prototype[p], make_part_matrix(world_, group, p)});
        }
        prototype.merge = merges_.size();
        merges_.emplace_back(source_, parts, find_material(group));
        merge_names_.push_back(group.name);
      }
      prototypes_.push_back(prototype);
    }
    return slot->second;
  }

  /// The group's material, or the one without its tint that all its instances multiply theirs into.
  MaterialId find_material(const Group& group) {
    if (group.tint.empty()) {
      return group.material;
    }
    const auto [slot, added] = untinted_.try_emplace({group.material, group.tint}, group.material);
    if (added) {
      Material material = make_untinted(source_[group.material], group.tint);
      material.name += " tinted";
      slot->second = make_id<MaterialId>(built_.scene.materials.size());
      built_.scene.materials.push_back(std::move(material));
    }
    return slot->second;
  }

  /// The instances' transforms below their node. Engines take the winding from the node and not
  /// from each instance, so where they mirror, the node mirrors x and they do not.
  InstanceSet make_instance_set(const Group& group, Frame& frame) const {
    std::vector<Trs> placed;
    const Box3d box = make_prototype_box(survey_, world_, group);
    for (std::size_t i = 0; i < group.instance_count(); ++i) {
      Mat4d matrix = place(frame, make_instance_world(world_, group, i));
      if (i == 0 && linear_determinant(matrix) < 0) {
        frame.local.scale[0] = -1;
      }
      if (frame.local.scale[0] < 0) {
        for (std::size_t column = 0; column < 4; ++column) {
          matrix[4 * column] = -matrix[4 * column];
        }
      }
      // The world's metres differ from the node's below a scaled root; the loss was checked there.
      const auto trs = make_instance_trs(matrix, box, std::numeric_limits<double>::infinity());
      placed.push_back(trs ? *trs : Trs{});
    }
    return InstanceSet(placed, make_instance_lanes(source_, plan_.settings, group));
  }

  /// Where one instance stands below its root.
  [[nodiscard]] Trs make_single(const Group& group, const Frame& frame) const {
    Mat4d matrix = make_instance_world(world_, group, 0);
    if (frame.root != no_node) {
      matrix = from_eigen(as_eigen(world_[to_index(frame.root)]).inverse() * as_eigen(matrix));
    }
    const auto trs = make_instance_trs(matrix, make_prototype_box(survey_, world_, group),
                                       std::numeric_limits<double>::infinity());
    return trs ? *trs : Trs{};
  }

  void prepare_groups() {
    std::map<std::string, Frame> frames;
    for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
      const Group& group = group_at(g);
      Work work;
      if (group.object.empty()) {
        work.frame = make_frame(group);
      } else {
        const auto [slot, added] = frames.try_emplace(group.object);
        if (added) {
          slot->second = make_object_frame(objects_[group.object]);
        }
        work.frame = slot->second;
      }
      if (group.kind == GroupKind::cluster) {
        work.merge = merges_.size();
        merges_.emplace_back(source_, make_cluster_parts(group, work.frame), group.material);
        merge_names_.push_back(group.name);
      } else {
        work.prototype = find_prototype(group);
        if (group.instance_count() == 1) {
          work.alone = make_single(group, work.frame);
        } else {
          work.set = sets_.size();
          sets_.push_back(make_instance_set(group, work.frame));
        }
      }
      work_.push_back(work);
    }
  }

  /// Layouts and sizes, of what the cache does not have.
  bool count_merges(const RunControl& run) {
    if (settings_.cache != nullptr) {
      built_.reuse.resize(merges_.size());
      for (const std::string& name : merge_names_) {
        cached_.emplace_back(source_, survey_, *settings_.cache, name);
      }
    }
    return for_each_index(merges_.size(), run, "counting", [&](std::size_t i) {
      merges_[i].find_layout();
      if (settings_.cache != nullptr) {
        built_.reuse[i] = cached_[i].look_up(merges_[i]);
      }
      merges_[i].count();
    });
  }

  Result<void> make_geometry(const RunControl& run) {
    prepare_groups();
    if (!count_merges(run)) {
      return Failure(make_cancelled());
    }
    for (const ClusterMerge& merge : merges_) {
      if (merge.vertex_count() >= no_index) {
        return Failure(Error{ErrorCode::too_large,
                             fmt::format("a cluster of {} vertices; the most is {}; lower "
                                         "propose.max_vertices",
                                         merge.vertex_count(), no_index - 1),
                             {}});
      }
    }
    GeometryBlock block;
    for (ClusterMerge& merge : merges_) {
      merge.reserve(block);
    }
    for (InstanceSet& set : sets_) {
      set.reserve(block);
    }
    if (!block.allocate()) {
      return Failure(
          Error{ErrorCode::too_large,
                fmt::format("the merged geometry takes {} bytes, which there is no memory "
                            "for; lower propose.max_vertices or propose.memory_growth",
                            block.size()),
                {}});
    }
    if (!for_each_index(merges_.size(), run, "merging", [&](std::size_t i) {
          merges_[i].fill(block);
          if (settings_.cache != nullptr) {
            cached_[i].store(merges_[i], block);
          }
        })) {
      return Failure(make_cancelled());
    }
    for (const InstanceSet& set : sets_) {
      set.fill(block);
    }
    const BlockId id = make_id<BlockId>(built_.scene.blocks.size());
    if (block.size() > 0) {
      built_.scene.blocks.emplace_back().bytes = block.finish();
    }
    add_groups(id);
    return {};
  }

  void add_groups(BlockId block) {
    for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
      const Group& group = group_at(g);
      if (group.kind == GroupKind::cluster) {
        add_cluster(group, work_[g], block);
      } else {
        add_set(group, work_[g], block);
      }
      if (assets_.contains(g)) {
        add_asset(group);
      }
    }
    if (!sets_.empty()) {
      require_instancing(built_.scene);
    }
  }

  /// The last result becomes an asset, and its node says so.
  void add_asset(const Group& group) {
    const std::size_t result = built_.ledger.results.size() - 1;
    if (built_.ledger.results[result].primitive > 0) {
      return;  // of an object that is one already
    }
    const std::string plain = make_plain_name(shown_name(group));
    std::string name = plain + settings_.asset_ending;
    for (int number = 2; !asset_names_.insert(name).second; ++number) {
      name = fmt::format("{}_{}{}", plain, number, settings_.asset_ending);
    }
    Node& node = built_.scene.nodes[to_index(built_.ledger.results[result].node)];
    if (!set_asset_extra(node, name)) {
      add_once(built_.ledger.left_out,
               fmt::format("the extras of {} are no object, so they do not name its asset {}",
                           node.name, name));
    }
    asset_nodes_.emplace_back(result, name);
  }

  void add_colliders() {
    NameGiver names(source_);
    for (const Group& group : plan_.groups) {
      names.reserve(group.name);
      names.reserve(group.object);
    }
    for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
      const Group& group = plan_.groups[g];
      if (group.collider == ColliderShape::none) {
        continue;
      }
      LedgerResult& result = built_.ledger.results[g];
      const PatternWord words[] = {{"name", group.name}};
      const std::string name =
          names.make_numbered(fill_pattern(plan_.settings.collider_names, words));
      result.collider = add_collider(built_.scene, result.node, result.primitive, group.collider,
                                     name, plan_.survey_settings.collider_key);
      if (result.collider == no_node) {
        built_.ledger.left_out.push_back(
            fmt::format("{} has no triangles, so it has no collider", group.name));
      } else {
        result.collider_shape = group.collider;
      }
    }
  }

  /// Merged primitives and meshes carry the extras that all their draws agree on.
  Primitive make_merged_primitive(const std::vector<DrawRef>& draws,
                                  const ClusterMerge& merge,
                                  BlockId block) {
    Primitive primitive = merge.add_to(built_.scene, block);
    primitive.extra = make_common_extra(draws, [&](const DrawRef& ref) {
      return extras_of(source_[source_[ref.node].mesh].primitives[ref.primitive].extra);
    });
    return primitive;
  }
  [[nodiscard]] Boxed<Extra> make_mesh_extra(const std::vector<DrawRef>& draws) const {
    return make_common_extra(draws, [&](const DrawRef& ref) {
      return extras_of(source_[source_[ref.node].mesh].extra);
    });
  }

  void add_cluster(const Group& group, const Work& work, BlockId block) {
    const ClusterMerge& merge = merges_[work.merge];
    std::uint32_t primitive = 0;
    NodeId id = no_node;
    if (group.object.empty()) {
      id = add_cluster_node(group.name, group.members, merge, work.frame, block);
    } else if (Object& object = objects_[group.object]; object.node == no_node) {
      object.node = id =
          add_cluster_node(group.object, list_members(object.groups), merge, work.frame, block);
    } else {
      id = object.node;
      Mesh& mesh = built_.scene.meshes[to_index(built_.scene[id].mesh)];
      primitive = static_cast<std::uint32_t>(mesh.primitives.size());
      mesh.primitives.push_back(make_merged_primitive(group.members, merge, block));
    }
    built_.ledger.results.push_back({group.name, id, primitive, work.frame.root});
    for (const MergeMember& member : merge.members()) {
      LedgerRow& row = take(member.ref, Fate::merged, id);
      row.primitive = primitive;
      set_range(row, member);
    }
  }

  /// \param members  all that the node stands for
  NodeId add_cluster_node(const std::string& name,
                          const std::vector<DrawRef>& members,
                          const ClusterMerge& merge,
                          const Frame& frame,
                          BlockId block) {
    Node node;
    node.name = name;
    node.trs = frame.local;
    Mesh mesh;
    mesh.name = name;
    mesh.extra = make_mesh_extra(members);
    mesh.primitives.push_back(make_merged_primitive(merge_draws(merge), merge, block));
    node.mesh = add_mesh(std::move(mesh));
    return add_node(std::move(node), members, frame);
  }

  static std::vector<DrawRef> merge_draws(const ClusterMerge& merge) {
    std::vector<DrawRef> out;
    std::transform(merge.members().begin(), merge.members().end(), std::back_inserter(out),
                   [](const MergeMember& member) { return member.ref; });
    return out;
  }

  static void set_range(LedgerRow& row, const MergeMember& member) {
    row.first_index = member.first_index;
    row.index_count = member.index_count;
    row.first_vertex = member.first_vertex;
    row.vertex_count = member.vertex_count;
  }

  void add_set(const Group& group, const Work& work, BlockId block) {
    Node node;
    node.name = group.name;
    node.mesh = find_mesh(group, prototypes_[work.prototype], block);
    if (work.set == no_set) {
      node.trs = work.alone;
      lost_values_ += plan_.settings.instance_values.empty() ? 0U : 1U;
    } else {
      node.trs = work.frame.local;
      node.instancing = sets_[work.set].make_instancing(built_.scene, block);
    }
    const NodeId id = add_node(std::move(node), group.members, work.frame);
    const std::size_t merge = prototypes_[work.prototype].merge;
    LedgerResult& result =
        built_.ledger.results.emplace_back(LedgerResult{group.name, id, 0, work.frame.root});
    if (merge == no_merge) {
      result.shown = group.prototype.front();
    }
    const std::size_t parts = group.prototype.size();
    for (std::size_t m = 0; m < group.members.size(); ++m) {
      LedgerRow& row = take(group.members[m], Fate::instanced, id);
      row.instance = static_cast<std::uint32_t>(m / parts);
      if (merge != no_merge) {
        set_range(row, merges_[merge].members()[m % parts]);
      } else {
        const DrawRef& ref = group.prototype.front();
        const Primitive& primitive = source_[source_[ref.node].mesh].primitives[ref.primitive];
        row.index_count = count_list_indices(source_, primitive);
        row.vertex_count = count_vertices(source_, primitive);
      }
    }
  }

  MeshId find_mesh(const Group& group, Prototype& prototype, BlockId block) {
    if (prototype.mesh != no_mesh) {
      return prototype.mesh;
    }
    const DrawRef& first = group.prototype.front();
    const MeshId source_mesh = source_[first.node].mesh;
    const Primitive& primitive = source_[source_mesh].primitives[first.primitive];
    const MaterialId material = find_material(group);
    if (prototype.merge != no_merge) {
      Mesh mesh;
      mesh.name = group.name;
      mesh.extra = make_mesh_extra(group.prototype);
      mesh.primitives.push_back(
          make_merged_primitive(group.prototype, merges_[prototype.merge], block));
      prototype.mesh = add_mesh(std::move(mesh));
    } else if (source_[source_mesh].primitives.size() == 1 && primitive.material == material) {
      prototype.mesh = source_mesh;
    } else {
      Mesh mesh;
      mesh.name = group.name;
      mesh.extra = source_[source_mesh].extra;
      mesh.primitives.push_back(primitive);
      mesh.primitives.back().material = material;
      prototype.mesh = add_mesh(std::move(mesh));
    }
    return prototype.mesh;
  }

  LedgerRow& take(const DrawRef& ref, Fate fate, NodeId node) {
    const std::size_t draw = to_index(find_draw(survey_, ref));
    moved_[draw] = true;
    LedgerRow& row = built_.ledger.rows[draw];
    row.fate = fate;
    row.node = node;
    row.primitive = 0;
    return row;
  }

  MeshId add_mesh(Mesh mesh) {
    built_.scene.meshes.push_back(std::move(mesh));
    return make_id<MeshId>(built_.scene.meshes.size() - 1);
  }

  /// Groups of static draws stand at the root of the glTF scenes that showed their members, others
  /// below their moving root. They carry the extras that all their members agree on, such as the
  /// lightmap page.
  NodeId add_node(Node node, const std::vector<DrawRef>& members, const Frame& frame) {
    node.extra = make_common_extra(
        members, [&](const DrawRef& ref) { return extras_of(source_[ref.node].extra); });
    const std::string kept = extras_of(node.extra);
    lost_extras_ += static_cast<std::size_t>(
        std::count_if(members.begin(), members.end(), [&](const DrawRef& ref) {
          const std::string had = extras_of(source_[ref.node].extra);
          return !had.empty() && had != kept;
        }));
    node.parent = frame.root;
    built_.scene.nodes.push_back(std::move(node));
    const NodeId id = make_id<NodeId>(built_.scene.nodes.size() - 1);
    if (frame.root != no_node) {
      built_.scene.nodes[to_index(frame.root)].children.push_back(id);
      return id;
    }
    const Draw& first = survey_[find_draw(survey_, members.front())];
    for (const LevelId level : survey_[first.key].levels) {
      built_.scene.levels[to_index(level)].roots.push_back(id);
    }
    return id;
  }

  void report_left_out() {
    if (lost_extras_ > 0) {
      built_.ledger.left_out.push_back(fmt::format(
          "extras that differ within a group are only in the source; this concerns {} draws",
          lost_extras_));
    }
    if (lost_values_ > 0) {
      built_.ledger.left_out.push_back(fmt::format(
          "{} sets of one instance became ordinary nodes, which carry no instance values",
          lost_values_));
    }
  }

  static std::string extras_of(const Boxed<Extra>& extra) {
    return extra ? extra->extras : std::string();
  }

  template <class ExtrasOf>
  static Boxed<Extra> make_common_extra(const std::vector<DrawRef>& draws, const ExtrasOf& get) {
    std::vector<std::string> all;
    std::transform(draws.begin(), draws.end(), std::back_inserter(all), get);
    Boxed<Extra> out;
    if (std::string common = make_common_members(all); !common.empty()) {
      out.ensure().extras = std::move(common);
    }
    return out;
  }

  const Scene& source_;
  const Plan& plan_;
  const Survey& survey_;
  const BuildSettings& settings_;
  std::vector<Mat4d> world_;
  std::set<std::size_t> assets_;           ///< groups that become some
  std::map<std::size_t, Group> adjusted_;  ///< groups that are built otherwise than planned
  std::map<std::string, Object> objects_;  ///< by name
  std::vector<ClusterMerge> merges_;       ///< of clusters and prototypes
  std::vector<std::string> merge_names_;   ///< the first group of each
  std::vector<CachedMerge> cached_;        ///< one a merge, with a cache
  std::set<std::string> asset_names_;
  std::vector<std::pair<std::size_t, std::string>> asset_nodes_;  ///< result, file
  std::vector<InstanceSet> sets_;
  std::vector<Prototype> prototypes_;
  std::map<std::string, std::size_t> prototype_of_;
  std::map<std::pair<MaterialId, std::string>, MaterialId> untinted_;
  std::vector<Work> work_;   ///< one a group
  std::vector<bool> moved_;  ///< indexed by draw
  std::size_t lost_extras_ = 0;
  std::size_t lost_values_ = 0;
  Built built_;
};

}  // namespace

std::string_view to_string(Fate fate) {
  constexpr std::string_view names[fate_count] = {"merged", "instanced", "kept", "dropped"};
  return names[static_cast<std::size_t>(fate)];
}

Result<Built> build(const Scene& scene,
                    const Plan& plan,
                    const BuildSettings& settings,
                    const RunControl& run) {
  const Result<Survey> found = survey_source(scene, plan, run);
  if (!found) {
    return Failure(found.error());
  }
  if (auto covered = check_groups(scene, *found, plan, run); !covered) {
    return Failure(covered.error());
  }
  return Builder(scene, plan, *found, settings).run(run);
}

}  // namespace wakuzume
