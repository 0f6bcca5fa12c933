// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/check.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "order/draw_triangles.h"
#include "plan/blends.h"
#include "plan/items.h"
#include "plan/keys.h"
#include "plan/set_judge.h"
#include "scene/matrix.h"
#include "scene/running.h"
#include "scene/tree.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

constexpr std::size_t max_listed = 10;

/// Collects everything that is wrong with the groups of a plan.
class PlanChecker {
 public:
  PlanChecker(const Scene& scene, const Survey& survey, const Plan& plan)
      : scene_(scene),
        survey_(survey),
        plan_(plan),
        frames_(scene, survey),
        keys_(make_plan_keys(scene, survey, plan.settings)),
        sizes_(make_shape_sizes(scene, survey)),
        orders_(scene, survey, frames_.world(), plan.sight),
        taken_(survey.draws.size(), 0) {}

  Result<std::vector<Violation>> run(const RunControl& run) {
    for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
      take_group(plan_.groups[g], fmt::format("/groups/{}", g));
    }
    check_objects();
    for (std::size_t k = 0; k < plan_.kept.size(); ++k) {
      take(plan_.kept[k].draw, fmt::format("/kept/{}", k));
    }
    for (std::size_t t = 0; t < plan_.taken_back.size(); ++t) {
      find(plan_.taken_back[t].draw, fmt::format("/taken_back/{}", t));
    }
    for (std::size_t d = 0; d < taken_.size(); ++d) {
      if (taken_[d] == 0) {
        violate("", fmt::format("{} is in no group and not kept", name_of(survey_.draws[d])));
      }
    }
    // Fits are the costly part: group by group, side by side, and only for groups that are sound.
    std::vector<std::vector<Violation>> misfits(plan_.groups.size());
    if (!for_each_index(plan_.groups.size(), run, "checking the plan", [&](std::size_t g) {
          if (sound_[g] && plan_.groups[g].kind == GroupKind::instance_set) {
            misfits[g] = check_instances(plan_.groups[g], fmt::format("/groups/{}", g));
          }
          if (sound_[g]) {
            check_order(plan_.groups[g], fmt::format("/groups/{}/order", g), misfits[g]);
          }
        })) {
      return Failure(make_cancelled());
    }
    for (std::vector<Violation>& list : misfits) {
      std::move(list.begin(), list.end(), std::back_inserter(found_));
    }
    return std::move(found_);
  }

 private:
  void violate(std::string place, std::string what) {
    found_.push_back({std::move(place), std::move(what)});
  }

  [[nodiscard]] std::string name_of(const Draw& draw) const {
    return fmt::format("{} primitive {}", make_node_path(scene_, draw.node), draw.primitive);
  }
  [[nodiscard]] std::string key_of(const Draw& draw) const {
    return to_string(scene_, survey_[draw.key]);
  }

  DrawId find(const DrawRef& ref, const std::string& place) {
    const DrawId id = find_draw(survey_, ref);
    if (id == no_draw) {
      violate(place, fmt::format("node {} primitive {} is no draw of the scene", to_index(ref.node),
                                 ref.primitive));
    }
    return id;
  }

  DrawId take(const DrawRef& ref, const std::string& place) {
    const DrawId id = find(ref, place);
    if (id != no_draw && ++taken_[to_index(id)] == 2) {
      violate(place, fmt::format("{} is in the plan twice", name_of(survey_[id])));
    }
    return id;
  }

  void take_group(const Group& group, const std::string& place) {
    const std::size_t before = found_.size();
    if (group.name.empty() || !names_.insert(group.name).second) {
      violate(place, fmt::format("the name \"{}\" is empty or another group's too", group.name));
    }
    if (group.members.empty()) {
      violate(place, "the group has no members");
    }
    if (group.pivot_at == PivotAt::node && to_index(group.pivot_node) >= scene_.nodes.size()) {
      violate(place + "/pivot_node", "the pivot's node does not exist");
    }
    std::vector<DrawId> members;
    for (std::size_t m = 0; m < group.members.size(); ++m) {
      const std::string member_place = fmt::format("{}/members/{}", place, m);
      members.push_back(take(group.members[m], member_place));
      if (members.back() != no_draw) {
        check_free(survey_[members.back()], member_place);
      }
    }
    if (found_.size() == before) {
      if (group.kind == GroupKind::cluster) {
        check_cluster(group, members, place);
      } else {
        check_set(group, members, place);
      }
    }
    sound_.push_back(found_.size() == before);
  }

  /// Clusters of one object stand on one node.
  void check_objects() {
    std::map<std::string, std::size_t> first_of;
    for (std::size_t g = 0; g < plan_.groups.size(); ++g) {
      const Group& group = plan_.groups[g];
      const std::string place = fmt::format("/groups/{}/object", g);
      if (group.object.empty() || !sound_[g]) {
        continue;
      }
      if (names_.count(group.object) > 0) {
        violate(place, fmt::format("the object's name \"{}\" is a group's too", group.object));
      }
      if (group.kind != GroupKind::cluster) {
        violate(place, "an instance set is a node of its own and can't be part of an object");
        continue;
      }
      if (find_group_rig(survey_, group) != no_rig ||
          survey_[find_draw(survey_, group.members.front())].deformed) {
        violate(place, "what is deformed has a node of its own and can't be part of an object");
        continue;
      }
      const auto [slot, added] = first_of.try_emplace(group.object, g);
      const Group& leader = plan_.groups[slot->second];
      const MergeKey& mine = key_of_first(group);
      const MergeKey& first = key_of_first(leader);
      if (mine.moving_root != first.moving_root || mine.levels != first.levels) {
        violate(place, fmt::format("\"{}\" and \"{}\" can't be one object: they move or load apart",
                                   group.name, leader.name));
      } else if (mine.lightmap != first.lightmap) {
        violate(place,
                fmt::format("\"{}\" and \"{}\" can't be one object: a node names one lightmap "
                            "page",
                            group.name, leader.name));
      }
    }
  }
  [[nodiscard]] const MergeKey& key_of_first(const Group& group) const {
    return survey_[survey_[find_draw(survey_, group.members.front())].key];
  }

  void check_free(const Draw& draw, const std::string& place) {
    if (draw.blended && plan_.settings.blended == Blended::keep) {
      violate(place, fmt::format("{} is blended and the plan keeps those", name_of(draw)));
    } else if (!may_be_planned(draw, plan_.settings)) {
      violate(place, fmt::format("{} must stay: {}", name_of(draw), to_string(draw.stay)));
    } else if (const NodeId root = survey_[draw.key].moving_root;
               root != no_node && !is_invertible(frames_.world()[to_index(root)])) {
      violate(place, fmt::format("{} moves with a node that has no size", name_of(draw)));
    }
  }

  void check_cluster(const Group& group,
                     const std::vector<DrawId>& members,
                     const std::string& place) {
    const Draw& first = survey_[members.front()];
    std::uint64_t vertices = 0;
    for (std::size_t m = 0; m < members.size(); ++m) {
      const Draw& draw = survey_[members[m]];
      vertices += count_sides(scene_, draw, plan_.settings) * sizes_[to_index(draw.shape)].vertices;
      if (keys_.merge[to_index(draw.key)] != keys_.merge[to_index(first.key)]) {
        violate(fmt::format("{}/members/{}", place, m),
                fmt::format("{} ({}) can't be drawn with {} ({})", name_of(draw), key_of(draw),
                            name_of(first), key_of(first)));
      }
    }
    check_limits(vertices, members, place);
    if (keys_.material[to_index(first.key)] != group.material) {
      violate(place, "the group names another material than its members have");
    }
  }

  void check_limits(std::uint64_t vertices,
                    const std::vector<DrawId>& members,
                    const std::string& place) {
    if (vertices > plan_.settings.max_vertices) {
      violate(place, fmt::format("the cluster may get {} vertices, the limit is {}", vertices,
                                 plan_.settings.max_vertices));
    }
    Box3d box;
    for (const DrawId id : members) {
      box.include(survey_[id].box);
    }
    const double limit = plan_.settings.max_extent_m;
    // Boxes are sums of floats: a hair above the limit is not above it.
    if (limit > 0 && box.largest_extent() > limit * (1 + 1e-9)) {
      violate(place, fmt::format("the group is {:.6g} m long, the limit is {:.6g}",
                                 box.largest_extent(), limit));
    }
  }

  void check_set(const Group& group, const std::vector<DrawId>& members, const std::string& place) {
    std::vector<DrawId> prototype;
    for (std::size_t p = 0; p < group.prototype.size(); ++p) {
      prototype.push_back(find(group.prototype[p], fmt::format("{}/prototype/{}", place, p)));
      if (prototype.back() == no_draw) {
        return;
      }
    }
    if (prototype.empty() || members.size() % prototype.size() != 0) {
      return violate(place, fmt::format("{} members are no whole number of instances of {} draws",
                                        members.size(), prototype.size()));
    }
    const std::size_t instances = members.size() / prototype.size();
    if (!group.fits.empty() && group.fits.size() != instances) {
      return violate(place, fmt::format("{} fits for {} instances", group.fits.size(), instances));
    }
    check_set_keys(group, members, place);
    std::uint64_t vertices = 0;
    for (const DrawId id : prototype) {
      vertices += sizes_[to_index(survey_[id].shape)].vertices;
      if (survey_[id].deformed) {
        violate(place, fmt::format("the prototype's {} is deformed", name_of(survey_[id])));
      }
    }
    check_limits(prototype.size() > 1 ? vertices : 0, members, place);
  }

  void check_set_keys(const Group& group,
                      const std::vector<DrawId>& members,
                      const std::string& place) {
    const Draw& first = survey_[members.front()];
    const std::size_t parts = group.prototype.size();
    const std::uint32_t share = keys_.share[to_index(first.key)];
    for (std::size_t m = 0; m < members.size(); ++m) {
      const Draw& draw = survey_[members[m]];
      const Draw& leader = survey_[members[m - m % parts]];
      const bool shares = group.tint.empty()
                              ? keys_.merge[to_index(draw.key)] == keys_.merge[to_index(first.key)]
                              : keys_.share[to_index(draw.key)] == share;
      if (survey_.lightmap_places[draw.lightmap_place] !=
          survey_.lightmap_places[leader.lightmap_place]) {
        violate(fmt::format("{}/members/{}", place, m),
                fmt::format("{} has another place on its lightmap page than {}, and an instance "
                            "has one",
                            name_of(draw), name_of(leader)));
      }
      if (!shares || keys_.merge[to_index(draw.key)] != keys_.merge[to_index(leader.key)]) {
        violate(fmt::format("{}/members/{}", place, m),
                fmt::format("{} ({}) can't be an instance with {} ({})", name_of(draw),
                            key_of(draw), name_of(first), key_of(first)));
      }
    }
    const bool tinted = !group.tint.empty();
    if (tinted && group.tint != keys_.tint[share]) {
      violate(place, fmt::format("the materials do not differ by \"{}\" alone", group.tint));
    }
    const MaterialId wanted =
        tinted ? keys_.shared_material[share] : keys_.material[to_index(first.key)];
    if (wanted != group.material) {
      violate(place, "the group names another material than its members have");
    }
  }

  /// Blended triangles are drawn in an order that is right from everywhere, or that shows nowhere.
  void check_order(const Group& group,
                   const std::string& place,
                   std::vector<Violation>& out) const {
    const Draw& first = survey_[find_draw(survey_, group.members.front())];
    const bool ordered = group.order != BlendOrder::as_members;
    if (!first.blended || plan_.settings.blended != Blended::proved) {
      if (ordered) {
        out.push_back({place, fmt::format("{} needs no order: it is not blended, or the plan does "
                                          "not prove orders",
                                          name_of(first))});
      }
      return;
    }
    for (const DrawRef& ref : group.members) {
      const Draw& draw = survey_[find_draw(survey_, ref)];
      if (!may_be_ordered(scene_, survey_, draw)) {
        out.push_back(
            {place, fmt::format("{} can't be drawn in an order with others", name_of(draw))});
        return;
      }
    }
    const std::string fault =
        ordered ? find_order_fault(scene_, survey_, orders_, group)
                : "the plan merges blended draws only in an order that can't be seen";
    if (!fault.empty()) {
      out.push_back({place, fault});
    }
  }

  /// Every part of every instance shows what its draw showed.
  [[nodiscard]] std::vector<Violation> check_instances(const Group& group,
                                                       const std::string& place) const {
    std::vector<Violation> out;
    const SetJudge judge(scene_, survey_, plan_.settings.families, frames_);
    for (const Misfit& misfit : judge.find_misfits(group)) {
      const Draw& draw = survey_[find_draw(survey_, group.members[misfit.member])];
      out.push_back({fmt::format("{}/members/{}", place, misfit.member),
                     fmt::format("{} {}", name_of(draw), misfit.what)});
    }
    return out;
  }

  const Scene& scene_;
  const Survey& survey_;
  const Plan& plan_;
  FrameMaker frames_;
  PlanKeys keys_;
  std::vector<ShapeSize> sizes_;
  BlendOrders orders_;
  std::vector<std::uint8_t> taken_;
  std::set<std::string> names_;
  std::vector<bool> sound_;  ///< by group
  std::vector<Violation> found_;
};

}  // namespace

DrawId find_draw(const Survey& survey, const DrawRef& ref) {
  const auto hit = std::lower_bound(survey.draws.begin(), survey.draws.end(), ref,
                                    [](const Draw& draw, const DrawRef& wanted) {
                                      return DrawRef{draw.node, draw.primitive} < wanted;
                                    });
  const bool found =
      hit != survey.draws.end() && hit->node == ref.node && hit->primitive == ref.primitive;
  return found ? make_id<DrawId>(static_cast<std::size_t>(hit - survey.draws.begin())) : no_draw;
}

Vec3d find_pivot(const Scene& scene, const Survey& survey, const Group& group) {
  Box3d box;
  for (const DrawRef& ref : group.members) {
    box.include(survey[find_draw(survey, ref)].box);
  }
  switch (group.pivot_at) {
    case PivotAt::bounds_centre:
      return box.empty() ? Vec3d{0, 0, 0} : box.centre();
    case PivotAt::bounds_base:
      return box.empty() ? Vec3d{0, 0, 0} : Vec3d{box.centre()[0], box.min[1], box.centre()[2]};
    case PivotAt::world_origin:
      return {0, 0, 0};
    case PivotAt::node: {
      const Mat4d world = make_world_matrix(scene, group.pivot_node);
      return {world[12], world[13], world[14]};
    }
    case PivotAt::point:
      break;
  }
  return group.pivot;
}

Mat4d make_instance_world(const std::vector<Mat4d>& world,
                          const Group& group,
                          std::size_t instance) {
  Mat4d out = world[to_index(group.members[instance * group.prototype.size()].node)];
  if (!group.fits.empty()) {
    out = make_product(out, group.fits[instance]);
  }
  return group.axes == identity_matrix ? out : make_product(out, group.axes);
}

Mat4d make_part_matrix(const std::vector<Mat4d>& world, const Group& group, std::size_t part) {
  const Mat4d axes = from_eigen(as_eigen(group.axes).inverse());
  if (part == 0) {
    return group.axes == identity_matrix ? identity_matrix : axes;
  }
  const Mat4d& first = world[to_index(group.prototype.front().node)];
  const Mat4d& own = world[to_index(group.prototype[part].node)];
  return from_eigen(as_eigen(axes) * as_eigen(first).inverse() * as_eigen(own));
}

Box3d make_prototype_box(const Survey& survey,
                         const std::vector<Mat4d>& world,
                         const Group& group) {
  Box3d box;
  for (std::size_t p = 0; p < group.prototype.size(); ++p) {
    const Draw& draw = survey[find_draw(survey, group.prototype[p])];
    box.include(make_transformed_box(make_part_matrix(world, group, p), survey[draw.shape].box));
  }
  return box;
}

Result<std::vector<Violation>> list_violations(const Scene& scene,
                                               const Survey& survey,
                                               const Plan& plan,
                                               const RunControl& run) {
  return PlanChecker(scene, survey, plan).run(run);
}

Result<Coverage> check_groups(const Scene& scene,
                              const Survey& survey,
                              const Plan& plan,
                              const RunControl& run) {
  const auto listed = list_violations(scene, survey, plan, run);
  if (!listed) {
    return Failure(listed.error());
  }
  if (const std::vector<Violation>& violations = *listed; !violations.empty()) {
    std::string text = violations.front().what;
    for (std::size_t v = 1; v < std::min(max_listed, violations.size()); ++v) {
      const Violation& next = violations[v];
      text += fmt::format("; {}{}{}", next.place, next.place.empty() ? "" : ": ", next.what);
    }
    if (violations.size() > max_listed) {
      text += fmt::format("; and {} more", violations.size() - max_listed);
    }
    return Failure(Error{ErrorCode::plan_invalid, text, {"", violations.front().place}});
  }
  Coverage out;
  out.draws = survey.draws.size();
  out.kept = plan.kept.size();
  for (const Group& group : plan.groups) {
    (group.kind == GroupKind::cluster ? out.clustered : out.instanced) += group.members.size();
  }
  return out;
}

Result<void> check_hash(const ContentHash& wanted, const ContentHash& found, const char* what) {
  if (wanted == found) {
    return {};
  }
  return Failure(Error{ErrorCode::plan_mismatch,
                       fmt::format("{} was made for content {}, this is {}; make it again for "
                                   "this scene",
                                   what, to_string(wanted), to_string(found)),
                       {}});
}

Result<Survey> survey_source(const Scene& scene, const Plan& plan, const RunControl& run) {
  if (auto same = check_hash(plan.scene_hash, make_content_hash(scene, run), "the plan"); !same) {
    return Failure(same.error());
  }
  return survey(scene, plan.survey_settings, run);
}

Result<std::vector<Violation>> find_violations(const Scene& scene,
                                               const Plan& plan,
                                               const RunControl& run) {
  const Result<Survey> found = survey_source(scene, plan, run);
  return found ? list_violations(scene, *found, plan, run) : Failure(found.error());
}

Result<Coverage> check_plan(const Scene& scene, const Plan& plan, const RunControl& run) {
  const Result<Survey> found = survey_source(scene, plan, run);
  return found ? check_groups(scene, *found, plan, run) : Failure(found.error());
}

}  // namespace wakuzume
