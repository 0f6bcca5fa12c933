// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "build/geometry.h"

#include <fmt/format.h>

#include <algorithm>

#include "order/draw_triangles.h"
#include "plan/blends.h"
#include "plan/check.h"
#include "plan/items.h"
#include "plan/keys.h"
#include "rework/draw_order.h"
#include "scene/matrix.h"
#include "scene/running.h"
#include "survey/rigs.h"
#include "wakuzume/shading_order.h"

namespace wakuzume {

PlanGeometry::PlanGeometry(const Scene& source,
                           const Plan& plan,
                           const Survey& survey,
                           const BuildSettings& settings,
                           Scene& out)
    : source_(source),
      plan_(plan),
      survey_(survey),
      settings_(settings),
      out_(out),
      frames_(source, survey) {
  for (std::size_t g = 0; g < plan.groups.size(); ++g) {
    if (!plan.groups[g].object.empty()) {
      objects_[plan.groups[g].object].push_back(g);
    }
  }
  std::vector<bool> grouped(survey.draws.size(), false);
  for (const Group& group : plan.groups) {
    for (const DrawRef& ref : group.members) {
      grouped[to_index(find_draw(survey, ref))] = true;
    }
  }
  for (std::size_t d = 0; d < grouped.size(); ++d) {
    if (!grouped[d]) {
      kept_meshes_.insert(survey.draws[d].mesh);
    }
  }
}

const Group& PlanGeometry::group(std::size_t g) const {
  const auto adjusted = adjusted_.find(g);
  return adjusted == adjusted_.end() ? plan_.groups[g] : adjusted->second;
}

/// Groups that are built otherwise than the plan has them: a prop's own pivot is part of the
/// space that it is stored in, and a single instance has the material that it had.
void PlanGeometry::adjust_groups(const std::set<std::size_t>& assets) {
  for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
    const Group& group = plan_.groups[g];
    if (group.kind != GroupKind::instance_set) {
      continue;
    }
    if (group.instance_count() == 1 && !group.tint.empty()) {
      Group& own = adjusted_.try_emplace(g, group).first->second;
      const DrawRef& ref = group.members.front();
      own.tint.clear();
      own.material = primitive_of(source_, ref).material;
    }
    if (assets.contains(g) && settings_.asset_pivot != PivotAt::world_origin) {
      const Box3d box = make_prototype_box(survey_, frames_.world(), group);
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

std::vector<DrawRef> PlanGeometry::list_members(const std::string& object) const {
  std::vector<DrawRef> out;
  for (const std::size_t g : objects_.at(object)) {
    const std::vector<DrawRef>& members = plan_.groups[g].members;
    out.insert(out.end(), members.begin(), members.end());
  }
  return out;
}

/// The groups of an object stand where the first one's rule puts all of their members.
Frame PlanGeometry::make_object_frame(const std::string& object) const {
  Group all = plan_.groups[objects_.at(object).front()];
  all.members = list_members(object);
  return frames_.make(all);
}

std::vector<MergePart> PlanGeometry::make_cluster_parts(const Group& group,
                                                        const Frame& frame) const {
  std::vector<MergePart> parts;
  if (const RigId rig = find_group_rig(survey_, group); rig != no_rig) {
    for (const DrawRef& ref : group.members) {
      parts.push_back(bind_part(ref, rig));
    }
    return parts;
  }
  const bool backs = has_backs(group);
  for (const DrawRef& ref : group.members) {
    const Mat4d matrix = place(frame, frames_.world()[to_index(ref.node)]);
    const LightmapPlace& lightmap =
        survey_.lightmap_places[survey_[find_draw(survey_, ref)].lightmap_place];
    parts.push_back({ref, matrix, false, lightmap});
    if (backs) {
      parts.push_back({ref, matrix, true, lightmap});
    }
  }
  return parts;
}

/// \pre the plan was checked: all of it can be bound
MergePart PlanGeometry::bind_part(const DrawRef& ref, RigId id) const {
  const Rig& rig = survey_[id];
  const Draw& draw = survey_[find_draw(survey_, ref)];
  const auto mirrors = [&](NodeId node) {
    return node != no_node && linear_determinant(frames_.world()[to_index(node)]) < 0;
  };
  MemberBinding binding;
  binding.mirrored = mirrors(ref.node) != mirrors(rig.home);
  MergePart part{ref, identity_matrix, false, survey_.lightmap_places[draw.lightmap_place]};
  if (survey_[draw.key].deformed) {
    Binding bound = make_binding(source_, rig, source_[ref.node].skin, primitive_of(source_, ref));
    binding.number = std::move(bound.number);
    std::replace(binding.number.begin(), binding.number.end(), no_index, 0U);  // no vertex uses it
    if (bound.matrix) {
      part.matrix = *bound.matrix;
    } else {
      binding.to_bind = std::move(bound.to_bind);
    }
  } else {
    const auto at = std::find(rig.joints.begin(), rig.joints.end(), survey_[draw.key].moving_root);
    const auto joint = static_cast<std::uint32_t>(at - rig.joints.begin());
    binding.rigid = true;
    binding.number = {joint};
    part.matrix = make_rigid_binding(rig, joint, frames_.world(), ref.node);
  }
  part.binding = std::make_shared<const MemberBinding>(std::move(binding));
  return part;
}

std::vector<MergePart> PlanGeometry::make_prototype_parts(const Group& group) const {
  std::vector<MergePart> parts;
  for (std::size_t p = 0; p < group.prototype.size(); ++p) {
    // Instances carry their places themselves.
    parts.push_back({group.prototype[p], make_part_matrix(frames_.world(), group, p), false, {}});
  }
  return parts;
}

/// \pre the plan was checked: each has a size
std::vector<Trs> PlanGeometry::make_instances(const Group& group, const Frame& frame) const {
  std::vector<Trs> placed;
  const Box3d box = make_prototype_box(survey_, frames_.world(), group);
  for (std::size_t i = 0; i < group.instance_count(); ++i) {
    placed.push_back(frames_.make_instance(group, frame, box, i).value_or(Trs{}));
  }
  return placed;
}

std::size_t PlanGeometry::add_merge(const Group& group,
                                    const std::vector<MergePart>& parts,
                                    MaterialId material) {
  // What instances show stands for other vertices too, whose tangents are their own. Of what is
  // deformed engines make them anew, as they did.
  const bool bends =
      parts.front().binding != nullptr || survey_[find_draw(survey_, parts.front().draw)].deformed;
  merges_.emplace_back(source_, parts, material, survey_.settings.lightmap_uv_set,
                       group.kind == GroupKind::cluster && !bends ? MissingTangents::made
                                                                  : MissingTangents::left_out);
  std::vector<DrawRef> draws;
  std::transform(parts.begin(), parts.end(), std::back_inserter(draws),
                 [](const MergePart& part) { return part.draw; });
  merges_.back().set_targets(make_target_union(source_, draws));
  if (settings_.cache != nullptr) {
    cached_.emplace_back(source_, survey_, *settings_.cache, group.name);
  }
  return merges_.size() - 1;
}

/// The prototype of a set: the source's own primitive where it is stored as it is, else merged;
/// sets that show the same share it.
std::size_t PlanGeometry::find_prototype(const Group& group) {
  std::string name = fmt::format("{} {}", to_index(group.material), group.tint);
  for (const DrawRef& ref : group.prototype) {
    name += fmt::format(" {}.{}", to_index(source_[ref.node].mesh), ref.primitive);
  }
  for (std::size_t p = 0; p < group.prototype.size(); ++p) {
    for (const double value : make_part_matrix(frames_.world(), group, p)) {
      name += fmt::format(" {}", value);
    }
  }
  const auto [slot, added] = prototype_of_.try_emplace(name, prototypes_.size());
  if (added) {
    Prototype prototype;
    if (group.prototype.size() > 1 || group.axes != identity_matrix) {
      prototype.merge = add_merge(group, make_prototype_parts(group), find_material(group));
      if (may_reorder(group)) {
        merges_.back().set_shading_order();
      }
    }
    prototypes_.push_back(prototype);
  }
  return slot->second;
}

bool PlanGeometry::has_backs(const Group& group) const {
  return group.kind == GroupKind::cluster && group.order != BlendOrder::as_members &&
         source_[group.material].double_sided;
}

MaterialId PlanGeometry::find_material(const Group& group) {
  if (has_backs(group)) {
    const auto [slot, added] = one_sided_.try_emplace(group.material, group.material);
    if (added) {
      Material material = source_[group.material];
      material.name += " front and back";
      material.double_sided = false;
      slot->second = make_id<MaterialId>(out_.materials.size());
      out_.materials.push_back(std::move(material));
    }
    return slot->second;
  }
  if (group.tint.empty()) {
    return group.material;
  }
  const auto [slot, added] = untinted_.try_emplace({group.material, group.tint}, group.material);
  if (added) {
    Material material = make_untinted(source_[group.material], group.tint);
    material.name += " tinted";
    slot->second = make_id<MaterialId>(out_.materials.size());
    out_.materials.push_back(std::move(material));
  }
  return slot->second;
}

/// What is equal of figures that show the same meshes on skeletons of their own: they share what
/// they are merged into. Empty: nobody shares it.
std::string PlanGeometry::describe_deformed(const Group& group,
                                            const std::vector<MergePart>& parts) const {
  if (parts.front().binding == nullptr || !group.object.empty()) {
    return {};
  }
  std::string out = fmt::format("{}", to_index(group.material));
  const auto append = [&](const auto& values) {
    for (const auto& value : values) {
      out += fmt::format(" {}", value);
    }
    out += ';';
  };
  for (const MergePart& part : parts) {
    const MemberBinding& binding = *part.binding;
    out += fmt::format(" {}.{} {} {} ", to_index(source_[part.draw.node].mesh), part.draw.primitive,
                       binding.rigid, binding.mirrored);
    append(part.matrix);
    append(binding.number);
    for (const Mat4d& way : binding.to_bind) {
      append(way);
    }
    append(part.lightmap.scale);
    append(part.lightmap.offset);
    const Node& node = source_[part.draw.node];
    append(node.weights ? *node.weights : source_[node.mesh].weights);
  }
  std::vector<DrawRef> draws;
  std::transform(parts.begin(), parts.end(), std::back_inserter(draws),
                 [](const MergePart& part) { return part.draw; });
  // Targets are brought together by what animates them.
  const TargetUnion targets = make_target_union(source_, draws);
  append(targets.names);
  for (const std::vector<std::uint32_t>& numbers : targets.numbers) {
    append(numbers);
  }
  return out;
}

/// \return false when the observer asked to stop
bool PlanGeometry::prepare_groups(const RunControl& run) {
  constexpr std::size_t at_once = 64;
  std::map<std::string, Frame> frames;
  for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
    if (g % at_once == 0 && !goes_on(run, "preparing")) {
      return false;
    }
    const Group& group = this->group(g);
    Work work;
    if (group.object.empty()) {
      work.frame = frames_.make(group);
    } else {
      const auto [slot, added] = frames.try_emplace(group.object);
      if (added) {
        slot->second = make_object_frame(group.object);
      }
      work.frame = slot->second;
    }
    if (group.kind == GroupKind::cluster) {
      const std::vector<MergePart> parts = make_cluster_parts(group, work.frame);
      const std::string deformed = describe_deformed(group, parts);
      const auto known = deformed_.find(deformed);
      work.merges = deformed.empty() || known == deformed_.end();
      if (work.merges) {
        work.merge = add_merge(group, parts, find_material(group));
        deformed_.emplace(deformed, work.merge);
      } else {
        work.merge = known->second;
      }
    } else {
      work.prototype = find_prototype(group);
      if (group.instance_count() == 1) {
        work.frame.local = frames_.make_single(group, work.frame).value_or(Trs{});
      } else {
        work.set = sets_.size();
        sets_.emplace_back(make_instances(group, work.frame),
                           make_instance_lanes(source_, survey_, plan_.settings, group));
      }
    }
    work_.push_back(work);
  }
  return true;
}

/// Triangles of a group may stand in any order: none of them shows through another.
bool PlanGeometry::may_reorder(const Group& group) const {
  return plan_.settings.triangle_order == TriangleOrder::shading &&
         group.order == BlendOrder::as_members &&
         (group.material == no_material || source_[group.material].alpha_mode != AlphaMode::blend);
}

/// A copy of a set's prototype leaves nothing behind: nobody else shows the same, and the source
/// is not carried along.
bool PlanGeometry::may_store_anew(const DrawRef& prototype) const {
  const MeshId id = source_[prototype.node].mesh;
  const Mesh& mesh = source_[id];
  const Primitive& primitive = mesh.primitives[prototype.primitive];
  const auto has_extensions = [](const Boxed<Extra>& extra) {
    return extra && !extra->extensions.empty();
  };
  return settings_.carry_source == CarrySource::no && mesh.plain.empty() &&
         primitive.morph_targets.empty() && !has_extensions(mesh.extra) &&
         !has_extensions(primitive.extra) && !kept_meshes_.contains(id) &&
         find_topology(primitive.mode) == Topology::triangles &&
         source_[primitive.find("POSITION")].component == ComponentType::f32;
}

/// Sets show the source's own data, unless that is drawn quicker in another order.
/// \return false when the observer asked to stop
bool PlanGeometry::order_prototypes(const RunControl& run) {
  constexpr double least_gain = 0.05;  // of what is shaded; for less nothing is stored anew
  std::vector<std::size_t> chosen;     // groups
  std::set<std::size_t> seen;
  for (std::size_t g = 0; g < work_.size(); ++g) {
    const Group& group = this->group(g);
    if (group.kind == GroupKind::instance_set && prototype(work_[g].prototype).merge == none &&
        seen.insert(work_[g].prototype).second && may_reorder(group) &&
        may_store_anew(group.prototype.front())) {
      chosen.push_back(g);
    }
  }
  std::vector<std::vector<std::uint32_t>> orders(chosen.size());  // empty: no gain
  if (!for_each_index(chosen.size(), run, "ordering", [&](std::size_t i) {
        const Primitive& primitive = primitive_of(source_, group(chosen[i]).prototype.front());
        const std::vector<std::uint32_t> list = make_list_indices(source_, primitive);
        const auto vertices = static_cast<std::uint32_t>(count_vertices(source_, primitive));
        std::vector<std::uint32_t> order = find_draw_order(source_, primitive);
        const std::uint64_t shaded = count_shaded(reorder_triangles(list, order), vertices);
        if (static_cast<double>(shaded) <=
            (1 - least_gain) * static_cast<double>(count_shaded(list, vertices))) {
          orders[i] = std::move(order);
        }
      })) {
    return false;
  }
  for (std::size_t i = 0; i < chosen.size(); ++i) {
    const Group& group = this->group(chosen[i]);
    if (!orders[i].empty()) {
      prototype(work_[chosen[i]].prototype).merge =
          add_merge(group, make_prototype_parts(group), find_material(group));
      merges_.back().set_shading_order(std::move(orders[i]));
      merges_.back().keep_bytes();
    }
  }
  return true;
}

/// The triangles of groups that have an order.
/// \pre the plan was checked: there is one
bool PlanGeometry::order_merges(const RunControl& run) {
  const BlendOrders orders(source_, survey_, frames_.world(), plan_.sight);
  return for_each_index(work_.size(), run, "ordering", [&](std::size_t g) {
    const Group& group = this->group(g);
    const bool ordered =
        group.order == BlendOrder::every_eye || group.order == BlendOrder::given_eyes;
    if (group.kind == GroupKind::cluster && ordered) {
      DrawSequence sequence = orders.find_sequence(find_draws(survey_, group.members));
      merges_[work_[g].merge].set_order(std::move(sequence.triangles));
    } else if (group.kind == GroupKind::cluster && may_reorder(group) && work_[g].merges) {
      merges_[work_[g].merge].set_shading_order();
    }
  });
}

/// Layouts and sizes, of what the cache does not have.
bool PlanGeometry::count_merges(const RunControl& run) {
  reuse_.resize(cached_.size());
  return for_each_index(merges_.size(), run, "counting", [&](std::size_t i) {
    merges_[i].find_layout();
    if (settings_.cache != nullptr) {
      reuse_[i] = cached_[i].look_up(merges_[i]);
    }
    merges_[i].count();
  });
}

Result<void> PlanGeometry::allocate(GeometryBlock& block) {
  for (const ClusterMerge& merge : merges_) {
    if (merge.vertex_count() >= no_index) {
      return Failure(Error{ErrorCode::too_large,
                           fmt::format("a cluster of {} vertices; the most is {}; lower "
                                       "propose.max_vertices",
                                       merge.vertex_count(), no_index - 1),
                           {}});
    }
  }
  for (ClusterMerge& merge : merges_) {
    merge.reserve(block);
  }
  InstanceSet::Places places;
  for (InstanceSet& set : sets_) {
    set.reserve(block, places);
  }
  if (!block.allocate()) {
    return Failure(Error{ErrorCode::too_large,
                         fmt::format("the merged geometry takes {} bytes, which there is no memory "
                                     "for; lower propose.max_vertices or propose.memory_growth",
                                     block.size()),
                         {}});
  }
  return {};
}

Result<void> PlanGeometry::make(const std::set<std::size_t>& assets, const RunControl& run) {
  adjust_groups(assets);
  if (!prepare_groups(run) || !order_prototypes(run) || !order_merges(run) || !count_merges(run)) {
    return Failure(make_cancelled());
  }
  GeometryBlock block;
  if (auto allocated = allocate(block); !allocated) {
    return allocated;
  }
  if (!for_each_index(merges_.size(), run, "merging", [&](std::size_t i) {
        merges_[i].fill(block);
        if (settings_.cache != nullptr) {
          cached_[i].store(merges_[i], block);
        }
      })) {
    return Failure(make_cancelled());
  }
  if (!goes_on(run, "merging", 1)) {
    return Failure(make_cancelled());
  }
  for (const InstanceSet& set : sets_) {
    set.fill(block);
  }
  block_ = make_id<BlockId>(out_.blocks.size());
  if (block.size() > 0) {
    out_.blocks.emplace_back().bytes = block.finish();
  }
  return {};
}

}  // namespace wakuzume
