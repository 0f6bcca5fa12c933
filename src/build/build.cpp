// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/build.h"

#include <fmt/format.h>

#include <algorithm>
#include <limits>
#include <map>

#include "build/compact.h"
#include "build/detach.h"
#include "build/instances.h"
#include "build/merge.h"
#include "plan/check.h"
#include "plan/items.h"
#include "plan/keys.h"
#include "scene/matrix.h"
#include "scene/running.h"
#include "survey/rules.h"

namespace wakuzume {
namespace {

class Builder {
 public:
  Builder(const Scene& source, const Plan& plan, const Survey& survey)
      : source_(source), plan_(plan), survey_(survey), world_(make_world_matrices(source)) {
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
    if (auto made = make_geometry(run); !made) {
      return Failure(made.error());
    }
    detach_draws(source_, moved_, built_.scene, built_.ledger.rows);
    report_left_out();
    const NodeMap number = compact(source_, built_.scene, built_.ledger.left_out);
    for (LedgerRow& row : built_.ledger.rows) {
      row.node = number[to_index(row.node)];
    }
    for (LedgerResult& result : built_.ledger.results) {
      result.node = number[to_index(result.node)];
    }
    built_.ledger.result_hash = make_content_hash(built_.scene, run);
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
    std::size_t set = 0;
  };

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

  void prepare_groups() {
    for (const Group& group : plan_.groups) {
      Work work;
      work.frame = make_frame(group);
      if (group.kind == GroupKind::cluster) {
        work.merge = merges_.size();
        merges_.emplace_back(source_, make_cluster_parts(group, work.frame), group.material);
      } else {
        work.prototype = find_prototype(group);
        work.set = sets_.size();
        sets_.push_back(make_instance_set(group, work.frame));
      }
      work_.push_back(work);
    }
  }

  Result<void> make_geometry(const RunControl& run) {
    prepare_groups();
    if (!for_each_index(merges_.size(), run, "counting",
                        [&](std::size_t i) { merges_[i].count(); })) {
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
    if (!for_each_index(merges_.size(), run, "merging",
                        [&](std::size_t i) { merges_[i].fill(block); })) {
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
      if (plan_.groups[g].kind == GroupKind::cluster) {
        add_cluster(plan_.groups[g], work_[g], block);
      } else {
        add_set(plan_.groups[g], work_[g], block);
      }
    }
    if (!sets_.empty()) {
      require_instancing(built_.scene);
    }
  }

  /// A mesh of one merged primitive that carries the extras all its draws agree on.
  MeshId add_merged_mesh(const std::string& name,
                         const std::vector<DrawRef>& draws,
                         const ClusterMerge& merge,
                         BlockId block) {
    Mesh mesh;
    mesh.name = name;
    mesh.primitives.push_back(merge.add_to(built_.scene, block));
    mesh.primitives.back().extra = make_common_extra(draws, [&](const DrawRef& ref) {
      return extras_of(source_[source_[ref.node].mesh].primitives[ref.primitive].extra);
    });
    mesh.extra = make_common_extra(draws, [&](const DrawRef& ref) {
      return extras_of(source_[source_[ref.node].mesh].extra);
    });
    return add_mesh(std::move(mesh));
  }

  void add_cluster(const Group& group, const Work& work, BlockId block) {
    const ClusterMerge& merge = merges_[work.merge];
    Node node;
    node.name = group.name;
    node.trs = work.frame.local;
    node.mesh = add_merged_mesh(group.name, group.members, merge, block);
    const NodeId id = add_node(std::move(node), group, work.frame);
    for (const MergeMember& member : merge.members()) {
      set_range(take(member.ref, Fate::merged, id), member);
    }
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
    node.trs = work.frame.local;
    node.mesh = find_mesh(group, prototypes_[work.prototype], block);
    node.instancing = sets_[work.set].make_instancing(built_.scene, block);
    const NodeId id = add_node(std::move(node), group, work.frame);
    const std::size_t merge = prototypes_[work.prototype].merge;
    if (merge == no_merge) {
      built_.ledger.results.back().shown = group.prototype.front();
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
      prototype.mesh =
          add_merged_mesh(group.name, group.prototype, merges_[prototype.merge], block);
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
  NodeId add_node(Node node, const Group& group, const Frame& frame) {
    node.extra = make_common_extra(
        group.members, [&](const DrawRef& ref) { return extras_of(source_[ref.node].extra); });
    const std::string kept = extras_of(node.extra);
    lost_extras_ += static_cast<std::size_t>(
        std::count_if(group.members.begin(), group.members.end(), [&](const DrawRef& ref) {
          const std::string had = extras_of(source_[ref.node].extra);
          return !had.empty() && had != kept;
        }));
    node.parent = frame.root;
    built_.scene.nodes.push_back(std::move(node));
    const NodeId id = make_id<NodeId>(built_.scene.nodes.size() - 1);
    built_.ledger.results.push_back({id, frame.root, {no_node, 0}});
    if (frame.root != no_node) {
      built_.scene.nodes[to_index(frame.root)].children.push_back(id);
      return id;
    }
    const Draw& first = survey_[find_draw(survey_, group.members.front())];
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
  std::vector<Mat4d> world_;
  std::vector<ClusterMerge> merges_;  ///< of clusters and prototypes
  std::vector<InstanceSet> sets_;
  std::vector<Prototype> prototypes_;
  std::map<std::string, std::size_t> prototype_of_;
  std::map<std::pair<MaterialId, std::string>, MaterialId> untinted_;
  std::vector<Work> work_;   ///< one a group
  std::vector<bool> moved_;  ///< indexed by draw
  std::size_t lost_extras_ = 0;
  Built built_;
};

}  // namespace

std::string_view to_string(Fate fate) {
  constexpr std::string_view names[fate_count] = {"merged", "instanced", "kept", "dropped"};
  return names[static_cast<std::size_t>(fate)];
}

Result<Built> build(const Scene& scene, const Plan& plan, const RunControl& run) {
  const Result<Survey> found = survey_source(scene, plan, run);
  if (!found) {
    return Failure(found.error());
  }
  if (auto covered = check_groups(scene, *found, plan, run); !covered) {
    return Failure(covered.error());
  }
  return Builder(scene, plan, *found).run(run);
}

}  // namespace wakuzume
