// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/build.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "build/compact.h"
#include "build/instances.h"
#include "build/merge.h"
#include "plan/check.h"
#include "scene/running.h"
#include "survey/rules.h"

namespace wakuzume {
namespace {

constexpr const char* instancing_extension = "EXT_mesh_gpu_instancing";

void add_once(std::vector<std::string>& list, const std::string& text) {
  if (std::find(list.begin(), list.end(), text) == list.end()) {
    list.push_back(text);
  }
}

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
    detach_moved();
    report_left_out();
    const NodeMap number = compact(source_, built_.scene, built_.ledger.left_out);
    for (LedgerRow& row : built_.ledger.rows) {
      row.node = number[to_index(row.node)];
    }
    built_.ledger.result_hash = make_content_hash(built_.scene, run);
    return std::move(built_);
  }

 private:
  Result<void> make_geometry(const RunControl& run) {
    for (const Group& group : plan_.groups) {
      if (group.kind == GroupKind::cluster) {
        clusters_.emplace_back(source_, world_, group);
      } else {
        sets_.emplace_back(world_, group);
      }
    }
    if (!for_each_index(clusters_.size(), run, "counting",
                        [&](std::size_t i) { clusters_[i].count(); })) {
      return Failure(make_cancelled());
    }
    for (const ClusterMerge& cluster : clusters_) {
      if (cluster.vertex_count() >= no_index) {
        return Failure(Error{ErrorCode::too_large,
                             fmt::format("a cluster of {} vertices; the most is {}; lower "
                                         "propose.max_vertices",
                                         cluster.vertex_count(), no_index - 1),
                             {}});
      }
    }
    GeometryBlock block;
    for (ClusterMerge& cluster : clusters_) {
      cluster.reserve(block);
    }
    for (InstanceSet& set : sets_) {
      set.reserve(block);
    }
    if (!block.allocate()) {
      return Failure(
          Error{ErrorCode::too_large,
                fmt::format("the merged geometry takes {} bytes, which there is no memory "
                            "for; lower propose.max_vertices or propose.min_instances",
                            block.size()),
                {}});
    }
    if (!for_each_index(clusters_.size(), run, "merging",
                        [&](std::size_t i) { clusters_[i].fill(block); })) {
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
    std::size_t next_cluster = 0;
    std::size_t next_set = 0;
    for (const Group& group : plan_.groups) {
      if (group.kind == GroupKind::cluster) {
        add_cluster(group, clusters_[next_cluster++], block);
      } else {
        add_set(group, sets_[next_set++], block);
      }
    }
    if (next_set > 0) {
      // A loader without it would show one instance of each set: refusing the file is better.
      add_once(built_.scene.extensions_used, instancing_extension);
      add_once(built_.scene.extensions_required, instancing_extension);
    }
  }

  void add_cluster(const Group& group, const ClusterMerge& cluster, BlockId block) {
    Mesh mesh;
    mesh.name = group.name;
    mesh.primitives.push_back(cluster.add_to(built_.scene, block));
    mesh.primitives.back().extra = make_common_extra(group, [&](const DrawRef& ref) {
      return extras_of(source_[source_[ref.node].mesh].primitives[ref.primitive].extra);
    });
    mesh.extra = make_common_extra(group, [&](const DrawRef& ref) {
      return extras_of(source_[source_[ref.node].mesh].extra);
    });
    Node node;
    node.name = group.name;
    node.trs.translation = group.pivot;
    node.mesh = add_mesh(std::move(mesh));
    const NodeId id = add_node(std::move(node), group);
    for (const MergeMember& member : cluster.members()) {
      LedgerRow& row = take(member.ref, Fate::merged, id);
      row.first_index = member.first_index;
      row.index_count = member.index_count;
      row.first_vertex = member.first_vertex;
      row.vertex_count = member.vertex_count;
    }
  }

  void add_set(const Group& group, const InstanceSet& set, BlockId block) {
    const DrawRef& first = group.members.front();
    const MeshId source_mesh = source_[first.node].mesh;
    Node node = set.make_node(built_.scene, block);
    if (source_[source_mesh].primitives.size() == 1) {
      node.mesh = source_mesh;
    } else {
      Mesh mesh;
      mesh.name = group.name;
      mesh.extra = source_[source_mesh].extra;
      mesh.primitives.push_back(source_[source_mesh].primitives[first.primitive]);
      node.mesh = add_mesh(std::move(mesh));
    }
    const NodeId id = add_node(std::move(node), group);
    for (std::size_t m = 0; m < group.members.size(); ++m) {
      LedgerRow& row = take(group.members[m], Fate::instanced, id);
      row.instance = static_cast<std::uint32_t>(m);
      const Primitive& primitive = source_[source_mesh].primitives[first.primitive];
      row.index_count = count_list_indices(source_, primitive);
      row.vertex_count = count_vertices(source_, primitive);
    }
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

  /// Groups of static draws stand at the root of the glTF scenes that showed their members.
  /// They carry the extras that all their members agree on, such as the lightmap page.
  NodeId add_node(Node node, const Group& group) {
    node.extra = make_common_extra(
        group, [&](const DrawRef& ref) { return extras_of(source_[ref.node].extra); });
    const std::string kept = extras_of(node.extra);
    lost_extras_ += static_cast<std::size_t>(
        std::count_if(group.members.begin(), group.members.end(), [&](const DrawRef& ref) {
          const std::string had = extras_of(source_[ref.node].extra);
          return !had.empty() && had != kept;
        }));
    built_.scene.nodes.push_back(std::move(node));
    const NodeId id = make_id<NodeId>(built_.scene.nodes.size() - 1);
    const Draw& first = survey_[find_draw(survey_, group.members.front())];
    for (const LevelId level : survey_[first.key].levels) {
      built_.scene.levels[to_index(level)].roots.push_back(id);
    }
    return id;
  }

  /// Takes the moved primitives away from their nodes; what stays keeps its order.
  void detach_moved() {
    std::map<std::pair<MeshId, std::vector<std::uint32_t>>, MeshId> remainders;
    std::size_t d = 0;
    while (d < survey_.draws.size()) {
      const NodeId id = survey_.draws[d].node;
      const std::size_t first = d;
      std::vector<std::uint32_t> gone;
      for (; d < survey_.draws.size() && survey_.draws[d].node == id; ++d) {
        if (moved_[d]) {
          gone.push_back(survey_.draws[d].primitive);
        }
      }
      if (!gone.empty()) {
        detach(id, gone, remainders);
        renumber_kept(first, d, gone);
      }
    }
  }

  void detach(NodeId id,
              const std::vector<std::uint32_t>& gone,
              std::map<std::pair<MeshId, std::vector<std::uint32_t>>, MeshId>& remainders) {
    Node& node = built_.scene.nodes[to_index(id)];
    const Mesh& mesh = source_[node.mesh];
    if (gone.size() == mesh.primitives.size()) {
      node.mesh = no_mesh;
      return;
    }
    const auto [slot, added] = remainders.try_emplace({node.mesh, gone}, no_mesh);
    if (added) {
      Mesh rest = mesh;
      for (auto p = gone.rbegin(); p != gone.rend(); ++p) {
        rest.primitives.erase(rest.primitives.begin() + *p);
      }
      slot->second = add_mesh(std::move(rest));
    }
    built_.scene.nodes[to_index(id)].mesh = slot->second;
  }

  void renumber_kept(std::size_t begin, std::size_t end, const std::vector<std::uint32_t>& gone) {
    for (std::size_t d = begin; d < end; ++d) {
      if (!moved_[d]) {
        LedgerRow& row = built_.ledger.rows[d];
        row.primitive -= static_cast<std::uint32_t>(
            std::lower_bound(gone.begin(), gone.end(), row.primitive) - gone.begin());
      }
    }
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
  static Boxed<Extra> make_common_extra(const Group& group, const ExtrasOf& get) {
    std::vector<std::string> all;
    std::transform(group.members.begin(), group.members.end(), std::back_inserter(all), get);
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
  std::vector<ClusterMerge> clusters_;
  std::vector<InstanceSet> sets_;
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
  if (auto same = check_hash(plan.scene_hash, make_content_hash(scene, run), "the plan"); !same) {
    return Failure(same.error());
  }
  const Result<Survey> found = survey(scene, plan.survey_settings, run);
  if (!found) {
    return Failure(found.error());
  }
  if (auto covered = check_groups(scene, *found, plan); !covered) {
    return Failure(covered.error());
  }
  return Builder(scene, plan, *found).run(run);
}

}  // namespace wakuzume
