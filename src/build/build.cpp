// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/build.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "build/assets.h"
#include "build/carry.h"
#include "build/colliders.h"
#include "build/geometry.h"
#include "build/lightmap_uvs.h"
#include "build/looks.h"
#include "build/motion.h"
#include "plan/check.h"
#include "plan/instance_values.h"
#include "plan/names.h"
#include "rework/compact.h"
#include "rework/detach.h"
#include "scene/running.h"
#include "survey/lightmaps.h"
#include "survey/rules.h"
#include "survey/wish.h"
#include "texture/plain_look.h"

namespace wakuzume {
namespace {

constexpr std::string_view building = "building";
/// Groups after which it is told how far it is.
constexpr std::size_t groups_at_once = 64;

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
        geometry_(source, plan, survey, settings, built_.scene) {
    built_.scene = source;
    built_.ledger.source_hash = plan.scene_hash;
    built_.ledger.page_images = settings.page_images;
    built_.ledger.families = plan.settings.families;
    built_.ledger.instance_values = plan.settings.instance_values;
    built_.ledger.lightmap_key = plan.survey_settings.lightmap_key;
    built_.ledger.lightmap_transform_key = plan.survey_settings.lightmap_transform_key;
    built_.ledger.lightmap_uv_set = plan.survey_settings.lightmap_uv_set;
    built_.ledger.taken_back = plan.taken_back;
    built_.ledger.rows.resize(survey.draws.size());
    for (std::size_t d = 0; d < survey.draws.size(); ++d) {
      built_.ledger.rows[d].source = {survey.draws[d].node, survey.draws[d].primitive};
      built_.ledger.rows[d].node = survey.draws[d].node;
      built_.ledger.rows[d].primitive = survey.draws[d].primitive;
    }
    moved_.assign(survey.draws.size(), false);
  }

  Result<Built> run(const RunControl& run) {
    if (auto chosen = choose_assets(run); !chosen) {
      return Failure(chosen.error());
    }
    if (auto made = geometry_.make(assets_, run); !made) {
      return Failure(made.error());
    }
    built_.reuse = geometry_.take_reuse();
    if (!add_groups(run)) {
      return Failure(make_cancelled());
    }
    const std::size_t blocks = built_.scene.blocks.size();
    if (auto moved = motion_.finish(); !moved) {
      return Failure(moved.error());
    }
    add_colliders();
    if (!goes_on(run, building, 0.5)) {
      return Failure(make_cancelled());
    }
    detach_draws(source_, moved_, built_.scene, built_.ledger.rows);
    drop_idle_motion(built_.scene, settings_.carry_source == CarrySource::hidden
                                       ? IdleTracks::kept
                                       : IdleTracks::dropped);
    if (survey_.settings.lightmap_transform_key == own_transform_key) {
      give_lightmap_uvs(survey_.settings.lightmap_uv_set, built_.scene);
    }
    if (auto added = add_plain_looks(plan_.routes, settings_.page_images, built_.scene); !added) {
      return Failure(added.error());
    }
    join_blocks(built_.scene, blocks);
    report_left_out();
    if (!goes_on(run, building, 0.7)) {
      return Failure(make_cancelled());
    }
    Ledger& ledger = built_.ledger;
    if (settings_.carry_source == CarrySource::hidden) {
      ledger.source_copy = carry_source(source_, built_.scene);
    }
    // A copy of the source needs all that the source refers to.
    const bool drops = settings_.origin != nullptr && ledger.source_copy.first_node == no_node;
    renumber_nodes(
        compact(source_, built_.scene, ledger.left_out, drops ? settings_.origin : nullptr),
        ledger);
    if (ledger.source_copy.first_node == no_node) {
      drop_unshown({settings_.origin, settings_.unreduced, plan_}, built_);
    }
    for (const auto& [node, name] : asset_nodes_) {
      const NodeId id = ledger.results[node].node;
      built_.assets.push_back({name, make_asset_scene(built_.scene, id, built_.scene[id].name)});
    }
    std::sort(ledger.results.begin(), ledger.results.end(),
              [](const LedgerResult& a, const LedgerResult& b) {
                return std::pair(a.node, a.primitive) < std::pair(b.node, b.primitive);
              });
    if (!goes_on(run, building, 0.9)) {
      return Failure(make_cancelled());
    }
    ledger.result_hash = make_content_hash(built_.scene, run);
    return std::move(built_);
  }

 private:
  [[nodiscard]] const std::string& shown_name(const Group& group) const {
    return group.object.empty() ? group.name : group.object;
  }

  /// \param hits  by draw
  [[nodiscard]] bool shows_any(const Group& group, const std::vector<bool>& hits) const {
    return std::any_of(group.members.begin(), group.members.end(),
                       [&](const DrawRef& ref) { return hits[to_index(find_draw(survey_, ref))]; });
  }

  Result<void> choose_assets(const RunControl& run) {
    std::vector<std::string> wishes = plan_.settings.assets;
    wishes.insert(wishes.end(), settings_.assets.begin(), settings_.assets.end());
    for (const std::string& text : wishes) {
      const auto wish = Wish::parse(text);
      if (!wish) {
        return Failure(wish.error());
      }
      std::vector<bool> hits;
      if (wish->has_terms()) {
        auto found = find_hits(source_, survey_, *wish, WishOver::node_paths, WishReach::own, run);
        if (!found) {
          return Failure(found.error());
        }
        hits = std::move(*found);
      }
      bool any = false;
      for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
        const Group& group = plan_.groups[g];
        if (wish->has_terms() ? shows_any(group, hits)
                              : wish->matches(group.name) || wish->matches(shown_name(group))) {
          any = true;
          if (is_deformed(group)) {
            add_once(
                built_.ledger.left_out,
                fmt::format("{} is deformed where its joints are, so it is no asset of its own",
                            group.name));
            continue;
          }
          // An object is one asset, whichever of its groups is named.
          assets_.insert(group.object.empty() ? g : geometry_.find_object(group.object));
        }
      }
      if (!any) {
        add_once(built_.ledger.left_out,
                 fmt::format("no group of the plan matches the asset '{}'", text));
      }
    }
    return {};
  }

  /// By a skin, or by morph targets.
  [[nodiscard]] bool is_deformed(const Group& group) const {
    return group.kind == GroupKind::cluster &&
           (find_group_rig(survey_, group) != no_rig ||
            survey_[find_draw(survey_, group.members.front())].deformed);
  }

  /// \return false when the observer asked to stop
  bool add_groups(const RunControl& run) {
    for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
      if (g % groups_at_once == 0 &&
          !goes_on(run, building,
                   0.5 * static_cast<double>(g) / static_cast<double>(plan_.groups.size()))) {
        return false;
      }
      const Group& group = geometry_.group(g);
      if (group.kind == GroupKind::cluster) {
        add_cluster(group, geometry_.work(g));
      } else {
        add_set(group, geometry_.work(g));
      }
      if (assets_.contains(g)) {
        add_asset(group);
      }
    }
    if (geometry_.has_sets()) {
      require_instancing(built_.scene);
    }
    return true;
  }

  /// The last result becomes an asset, and its node says so.
  void add_asset(const Group& group) {
    const std::size_t result = built_.ledger.results.size() - 1;
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
    const Boxed<Extra> extra = make_collider_extra(plan_.survey_settings.collider_key);
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
      if (is_deformed(group)) {
        add_once(
            built_.ledger.left_out,
            "what is deformed has no collider: one would stay in the pose that it is bound in");
        continue;
      }
      LedgerResult& result = built_.ledger.results[g];
      const PatternWord words[] = {{"name", group.name}};
      const std::string name =
          names.make_numbered(fill_pattern(plan_.settings.collider_names, words));
      const auto original = find_original(result);
      result.collider = add_collider(built_.scene, result.node, result.primitive, group.collider,
                                     name, extra, original ? &*original : nullptr);
      if (result.collider == no_node) {
        built_.ledger.left_out.push_back(
            fmt::format("{} has no triangles, so it has no collider", group.name));
      } else {
        result.collider_shape = group.collider;
      }
    }
  }

  /// What a result's draws had before they were reduced, where its collider is to have it.
  [[nodiscard]] std::optional<OriginalDraws> find_original(const LedgerResult& result) const {
    if (settings_.unreduced == nullptr ||
        plan_.reduction.settings.collider_triangles != ColliderTriangles::original) {
      return std::nullopt;
    }
    OriginalDraws out{*settings_.unreduced};
    std::copy_if(built_.ledger.rows.begin(), built_.ledger.rows.end(), std::back_inserter(out.rows),
                 [&](const LedgerRow& row) {
                   return (row.fate == Fate::merged || row.fate == Fate::instanced) &&
                          row.node == result.node && row.primitive == result.primitive;
                 });
    return out;
  }

  /// Merged primitives and meshes carry the extras that all their draws agree on.
  Primitive make_merged_primitive(const std::vector<DrawRef>& draws, const ClusterMerge& merge) {
    Primitive primitive = merge.add_to(built_.scene, geometry_.block());
    primitive.extra = make_common_extra(
        draws, [&](const DrawRef& ref) { return extras_of(primitive_of(source_, ref).extra); });
    return primitive;
  }
  [[nodiscard]] Boxed<Extra> make_mesh_extra(const std::vector<DrawRef>& draws) const {
    return make_common_extra(draws, [&](const DrawRef& ref) {
      return extras_of(source_[source_[ref.node].mesh].extra);
    });
  }

  void add_cluster(const Group& group, const PlanGeometry::Work& work) {
    const ClusterMerge& merge = geometry_.merge(work.merge);
    std::uint32_t primitive = 0;
    NodeId id = no_node;
    const auto shared = work.merges ? meshes_.end() : meshes_.find(work.merge);
    Primitive merged =
        shared == meshes_.end() ? make_merged_primitive(group.members, merge) : Primitive{};
    if (shared != meshes_.end()) {
      Node node;
      node.name = group.name;
      node.trs = work.frame.local;
      node.mesh = shared->second;
      id = add_node(std::move(node), group.members, work.frame);
    } else if (group.object.empty()) {
      id = add_cluster_node(group.name, group.members, std::move(merged), work.frame);
      meshes_.emplace(work.merge, built_.scene[id].mesh);
    } else if (NodeId& object = objects_.try_emplace(group.object, no_node).first->second;
               object == no_node) {
      object = id = add_cluster_node(group.object, geometry_.list_members(group.object),
                                     std::move(merged), work.frame);
    } else {
      id = object;
      Mesh& mesh = built_.scene.meshes[to_index(built_.scene[id].mesh)];
      primitive = static_cast<std::uint32_t>(mesh.primitives.size());
      mesh.primitives.push_back(std::move(merged));
    }
    LedgerResult& result = built_.ledger.results.emplace_back(
        LedgerResult{group.name, id, primitive, work.frame.root});
    add_motion(group, merge, result);
    result.has_backs = geometry_.has_backs(group);
    result.order = merge.order();
    result.in_shading_order = merge.in_shading_order();
    auto draw = group.members.begin();  // a merge that is shared knows the first group's
    for (const MergeMember& member : merge.members()) {
      if (member.back) {
        extend_range(built_.ledger.rows[to_index(find_draw(survey_, member.ref))], member);
        continue;
      }
      LedgerRow& row = take(*draw++, Fate::merged, id);
      row.primitive = primitive;
      set_range(row, member);
    }
  }

  /// What deforms a result: its skin, the weights of its targets and what animates them.
  void add_motion(const Group& group, const ClusterMerge& merge, LedgerResult& result) {
    if (const RigId rig = find_group_rig(survey_, group); rig != no_rig) {
      built_.scene.nodes[to_index(result.node)].skin = motion_.add_skin(survey_[rig], rig);
      result.joints = survey_[rig].joints;
    }
    if (merge.targets().empty()) {
      return;
    }
    // What animates them is the group's own, whoever shows the same mesh.
    const TargetUnion targets = make_target_union(source_, group.members);
    motion_.add_weights(targets, result.node);
    for (std::size_t m = 0; m < group.members.size(); ++m) {
      if (!targets.numbers[m].empty()) {
        result.targets.push_back({group.members[m], targets.numbers[m]});
      }
    }
    std::sort(result.targets.begin(), result.targets.end(),
              [](const CarriedTargets& a, const CarriedTargets& b) { return a.draw < b.draw; });
  }

  /// What is turned round follows what it was.
  static void extend_range(LedgerRow& row, const MergeMember& member) {
    row.index_count += member.index_count;
    row.vertex_count += member.vertex_count;
  }

  /// \param members  all that the node stands for
  NodeId add_cluster_node(const std::string& name,
                          const std::vector<DrawRef>& members,
                          Primitive merged,
                          const Frame& frame) {
    Node node;
    node.name = name;
    node.trs = frame.local;
    Mesh mesh;
    mesh.name = name;
    mesh.extra = make_mesh_extra(members);
    mesh.primitives.push_back(std::move(merged));
    node.mesh = add_mesh(std::move(mesh));
    return add_node(std::move(node), members, frame);
  }

  static void set_range(LedgerRow& row, const MergeMember& member) {
    row.first_index = member.first_index;
    row.index_count = member.index_count;
    row.first_vertex = member.first_vertex;
    row.vertex_count = member.vertex_count;
  }

  void add_set(const Group& group, const PlanGeometry::Work& work) {
    Node node;
    node.name = group.name;
    node.mesh = find_mesh(group, geometry_.prototype(work.prototype));
    node.trs = work.frame.local;
    if (work.set == PlanGeometry::none) {
      lost_values_ += plan_.settings.instance_values.empty() ? 0U : 1U;
    } else {
      node.instancing =
          geometry_.set(work.set).make_instancing(built_.scene, geometry_.block(), lanes_);
    }
    const NodeId id = add_node(std::move(node), group.members, work.frame);
    if (work.set == PlanGeometry::none) {
      put_place(group.members.front(), built_.scene.nodes[to_index(id)].extra);
    }
    const std::size_t merge = geometry_.prototype(work.prototype).merge;
    LedgerResult& result =
        built_.ledger.results.emplace_back(LedgerResult{group.name, id, 0, work.frame.root});
    if (merge == PlanGeometry::none) {
      result.shown = group.prototype.front();
    } else {
      result.in_shading_order = geometry_.merge(merge).in_shading_order();
    }
    const std::size_t parts = group.prototype.size();
    for (std::size_t m = 0; m < group.members.size(); ++m) {
      LedgerRow& row = take(group.members[m], Fate::instanced, id);
      row.instance = static_cast<std::uint32_t>(m / parts);
      if (merge != PlanGeometry::none) {
        set_range(row, geometry_.merge(merge).members()[m % parts]);
      } else {
        const DrawRef& ref = group.prototype.front();
        const Primitive& primitive = primitive_of(source_, ref);
        row.index_count = count_list_indices(source_, primitive);
        row.vertex_count = count_vertices(source_, primitive);
      }
    }
  }

  /// A set of one has no instance to tell where it looks its lightmap up.
  void put_place(const DrawRef& member, Boxed<Extra>& extra) const {
    const std::uint32_t number = survey_[find_draw(survey_, member)].lightmap_place;
    if (number != 0) {
      extra.ensure().extras =
          put_member(extras_of(extra), plan_.survey_settings.lightmap_transform_key,
                     to_json(survey_.lightmap_places[number]));
    }
  }

  MeshId find_mesh(const Group& group, PlanGeometry::Prototype& prototype) {
    if (prototype.mesh != no_mesh) {
      return prototype.mesh;
    }
    const DrawRef& first = group.prototype.front();
    const MeshId source_mesh = source_[first.node].mesh;
    const Primitive& primitive = source_[source_mesh].primitives[first.primitive];
    const MaterialId material = geometry_.find_material(group);
    if (prototype.merge != PlanGeometry::none) {
      Mesh mesh;
      mesh.name = group.name;
      mesh.extra = make_mesh_extra(group.prototype);
      mesh.primitives.push_back(
          make_merged_primitive(group.prototype, geometry_.merge(prototype.merge)));
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

  /// What keeps draws apart is the same for all, and stays where engines look for it, even where
  /// the members had it from an ancestor that they don't stand below any more.
  void name_tags(const DrawRef& member, NodeId root, Node& node) const {
    for (const Tag& tag : survey_[survey_[find_draw(survey_, member)].key].tags) {
      if (find_extra(node.extra, tag.key) == tag.value ||
          (root != no_node && find_extra_above(source_, root, tag.key) == tag.value)) {
        continue;
      }
      const std::string json = find_json_above(source_, member.node, tag.key);
      node.extra.ensure().extras = put_member(extras_of(node.extra), tag.key, json);
    }
  }

  /// Groups of static draws stand at the root of the glTF scenes that showed their members, others
  /// below their moving root. They carry the extras that all their members agree on, such as the
  /// lightmap page.
  NodeId add_node(Node node, const std::vector<DrawRef>& members, const Frame& frame) {
    node.extra = make_common_extra(
        members, [&](const DrawRef& ref) { return extras_of(source_[ref.node].extra); });
    name_lightmap(members.front(), node);
    name_tags(members.front(), frame.root, node);
    const std::string kept = extras_of(node.extra);
    lost_extras_ += static_cast<std::size_t>(
        std::count_if(members.begin(), members.end(), [&](const DrawRef& ref) {
          const std::string had = drop_place(ref, extras_of(source_[ref.node].extra));
          return !had.empty() && had != kept &&
                 (!node.instancing || drop_values(ref, had) != drop_values(ref, kept));
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

  /// Where some members had the page on their node and others on their mesh, they have no member in
  /// common that names it.
  void name_lightmap(const DrawRef& member, Node& node) {
    const std::string& key = plan_.survey_settings.lightmap_key;
    const std::string& page = survey_[survey_[find_draw(survey_, member)].key].lightmap;
    const Primitive& primitive = built_.scene[node.mesh].primitives.front();
    if (page != find_lightmap_page(built_.scene, node, primitive, key)) {
      node.extra.ensure().extras = add_member(extras_of(node.extra), key, page);
    }
  }

  void report_left_out() {
    if (lost_extras_ > 0) {
      built_.ledger.left_out.push_back(fmt::format(
          "extras that differ within a group are only in the source; this concerns {} draws; "
          "--instance-value extras.KEY has instances carry numbers and colours",
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

  /// Extras without a place on a lightmap page, where UVs or instances have it.
  [[nodiscard]] std::string drop_place(const DrawRef& draw, const std::string& extras) const {
    const std::string& place = plan_.survey_settings.lightmap_transform_key;
    const bool moved = survey_[find_draw(survey_, draw)].lightmap_place != 0;
    return moved && !find_member(extras, place).empty() ? put_member(extras, place, "") : extras;
  }

  /// Extras without what instances carry.
  [[nodiscard]] std::string drop_values(const DrawRef& draw, std::string extras) const {
    for (const std::string& name : plan_.settings.instance_values) {
      const std::string key(find_value_key(name));
      if (!key.empty() && !find_member(extras, key).empty() &&
          !read_instance_value(source_, draw.node, key).empty()) {
        extras = put_member(extras, key, "");
      }
    }
    return extras;
  }

  template <class ExtrasOf>
  [[nodiscard]] Boxed<Extra> make_common_extra(const std::vector<DrawRef>& draws,
                                               const ExtrasOf& get) const {
    std::vector<std::string> all;
    std::transform(draws.begin(), draws.end(), std::back_inserter(all), get);
    Boxed<Extra> out;
    const std::string common = drop_place(draws.front(), make_common_members(all));
    if (!common.empty()) {
      out.ensure().extras = common;
    }
    return out;
  }

  const Scene& source_;
  const Plan& plan_;
  const Survey& survey_;
  const BuildSettings& settings_;
  Built built_;
  PlanGeometry geometry_;
  MotionWriter motion_{built_.scene};
  std::map<std::uint64_t, StreamId> lanes_;  ///< of instance sets, by place in the block
  std::set<std::size_t> assets_;             ///< groups that become some
  std::map<std::size_t, MeshId> meshes_;     ///< by merge: of clusters with a node of their own
  std::map<std::string, NodeId> objects_;    ///< nodes by name, once there are some
  std::set<std::string> asset_names_;
  std::vector<std::pair<std::size_t, std::string>> asset_nodes_;  ///< result, file
  std::vector<bool> moved_;                                       ///< indexed by draw
  std::size_t lost_extras_ = 0;
  std::size_t lost_values_ = 0;
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
