// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/revise.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>
#include <utility>

#include "plan/blends.h"
#include "plan/check.h"
#include "plan/forecast.h"
#include "plan/instance_values.h"
#include "plan/items.h"
#include "plan/keys.h"
#include "plan/names.h"
#include "plan/proposer.h"

namespace wakuzume {
namespace {

Failure refuse(std::string what) {
  return Failure(Error{ErrorCode::plan_invalid, std::move(what), {}});
}

/// Instances, or single draws of a cluster, that hold one of these draws leave the group whole.
/// \return the draws that left
std::vector<DrawRef> take_out(Group& group, const std::set<DrawRef>& draws) {
  const std::size_t parts = std::max<std::size_t>(1, group.prototype.size());
  std::vector<DrawRef> left;
  std::vector<DrawRef> stay;
  std::vector<Mat4d> fits;
  for (std::size_t m = 0; m + parts <= group.members.size(); m += parts) {
    const auto begin = group.members.begin() + static_cast<std::ptrdiff_t>(m);
    const auto end = begin + static_cast<std::ptrdiff_t>(parts);
    const bool goes =
        std::any_of(begin, end, [&](const DrawRef& ref) { return draws.count(ref) > 0; });
    std::vector<DrawRef>& to = goes ? left : stay;
    to.insert(to.end(), begin, end);
    if (!goes && !group.fits.empty()) {
      fits.push_back(group.fits[m / parts]);
    }
  }
  group.members = std::move(stay);
  group.fits = std::move(fits);
  return left;
}

class Editor {
 public:
  Editor(const Scene& scene, const Survey& survey, const Plan& plan, const RunControl& run)
      : scene_(scene),
        survey_(survey),
        sizes_(make_shape_sizes(scene, survey)),
        plan_(plan),
        run_(run) {}

  Result<void> apply(const Edit& edit) {
    switch (edit.kind) {
      case EditKind::keep:
        return keep(edit);
      case EditKind::release:
        return release(edit);
      case EditKind::move:
        return move(edit);
      case EditKind::merge:
      case EditKind::instance:
        return force(edit);
      case EditKind::pin:
      case EditKind::unpin:
      case EditKind::pivot:
      case EditKind::rename:
      case EditKind::join:
      case EditKind::collide:
        break;
    }
    return change_group(edit);
  }

  Result<Plan> finish(const Outlook& outlook) {
    tidy();
    if (auto sound = check_groups(scene_, survey_, plan_, run_); !sound) {
      return Failure(sound.error());
    }
    Outlook looked = outlook;
    looked.profile = with_passes(outlook.profile);
    const auto today = measure_today(scene_, survey_, sizes_, looked, run_);
    if (!today) {
      return Failure(today.error());
    }
    const auto planned = measure_plan(scene_, survey_, sizes_, looked, plan_, run_);
    if (!planned) {
      return Failure(planned.error());
    }
    plan_.forecast = make_forecast(*today, *planned, looked);
    describe_values(scene_, plan_.settings.instance_values, plan_.groups);
    return std::move(plan_);
  }

 private:
  Result<std::set<DrawRef>> find_wished(const std::string& wish) const {
    const auto found = find_draws(scene_, survey_, wish, WishOver::node_paths, run_);
    if (!found) {
      return Failure(found.error());
    }
    std::set<DrawRef> out;
    for (const DrawId id : *found) {
      out.insert({survey_[id].node, survey_[id].primitive});
    }
    if (out.empty()) {
      return refuse(
          fmt::format("nothing that is drawn matches \"{}\"; node paths look like "
                      "\"/wing_a/bench_03/leg\", * stands for any characters; terms like "
                      "\"triangles>500 and static=yes\"",
                      wish));
    }
    return out;
  }

  Result<std::size_t> find_group(const std::string& name) const {
    const auto hit =
        std::find_if(plan_.groups.begin(), plan_.groups.end(),
                     [&](const Group& group) { return group.name == name || group.id == name; });
    if (hit == plan_.groups.end()) {
      return refuse(fmt::format("the plan has no group \"{}\"", name));
    }
    return static_cast<std::size_t>(hit - plan_.groups.begin());
  }

  void keep_draw(const DrawRef& ref, KeepReason reason) {
    plan_.kept.push_back({ref, reason, survey_[find_draw(survey_, ref)].stay});
  }

  /// Takes draws out of their groups; those that have to leave with them are kept for now.
  void free_draws(const std::set<DrawRef>& draws) {
    for (Group& group : plan_.groups) {
      for (const DrawRef& ref : take_out(group, draws)) {
        if (draws.count(ref) == 0) {
          keep_draw(ref, KeepReason::cheaper_alone);
        }
      }
    }
    std::erase_if(plan_.kept, [&](const KeptDraw& kept) { return draws.count(kept.draw) > 0; });
  }

  Result<void> keep(const Edit& edit) {
    const auto draws = find_wished(edit.nodes);
    if (!draws) {
      return Failure(draws.error());
    }
    free_draws(*draws);
    for (const DrawRef& ref : *draws) {
      const Draw& draw = survey_[find_draw(survey_, ref)];
      const bool free = may_be_planned(draw, plan_.settings);
      keep_draw(ref, free                          ? KeepReason::by_hand
                     : draw.stay != StayRule::none ? KeepReason::must_stay
                                                   : KeepReason::blended);
    }
    return {};
  }

  Result<void> release(const Edit& edit) {
    const auto draws = find_wished(edit.nodes);
    if (!draws) {
      return Failure(draws.error());
    }
    for (KeptDraw& kept : plan_.kept) {
      if (kept.reason == KeepReason::by_hand && draws->count(kept.draw) > 0) {
        kept.reason = KeepReason::cheaper_alone;
      }
    }
    return {};
  }

  Result<void> move(const Edit& edit) {
    const auto draws = find_wished(edit.nodes);
    if (!draws) {
      return Failure(draws.error());
    }
    const auto to = find_group(edit.group);
    if (!to) {
      return Failure(to.error());
    }
    for (const DrawRef& ref : *draws) {
      const Draw& draw = survey_[find_draw(survey_, ref)];
      if (!may_be_planned(draw, plan_.settings)) {
        return refuse(
            fmt::format("{} can't be moved: {}", make_node_path(scene_, ref.node),
                        draw.stay == StayRule::none ? "it is blended" : to_string(draw.stay)));
      }
    }
    const PlanKeys keys = make_plan_keys(scene_, survey_, plan_.settings);
    const Draw& first = survey_[find_draw(survey_, plan_.groups[*to].members.front())];
    for (const DrawRef& ref : *draws) {
      const Draw& draw = survey_[find_draw(survey_, ref)];
      if (keys.share[to_index(draw.key)] != keys.share[to_index(first.key)]) {
        return refuse(fmt::format("{} primitive {} ({}) can't be drawn with {} primitive {} ({})",
                                  make_node_path(scene_, draw.node), draw.primitive,
                                  to_string(scene_, survey_[draw.key]),
                                  make_node_path(scene_, first.node), first.primitive,
                                  to_string(scene_, survey_[first.key])));
      }
    }
    free_draws(*draws);
    Group& group = plan_.groups[*to];
    if (group.kind == GroupKind::cluster) {
      group.members.insert(group.members.end(), draws->begin(), draws->end());
      std::sort(group.members.begin(), group.members.end());
    } else if (auto joined = add_instances(*draws, group); !joined) {
      return joined;
    }
    mark(group);
    return {};
  }

  Result<void> add_instances(const std::set<DrawRef>& draws, Group& group) const {
    if (group.prototype.size() > 1) {
      return refuse(
          fmt::format("the instances of \"{}\" have {} draws each; they can't be given "
                      "single ones",
                      group.name, group.prototype.size()));
    }
    const Primitive& prototype = primitive_of(scene_, group.prototype.front());
    for (const DrawRef& ref : draws) {
      const auto fit =
          find_fit(scene_, prototype, primitive_of(scene_, ref), plan_.settings.families);
      if (!fit) {
        return refuse(fmt::format("{} does not have the shape that \"{}\" repeats",
                                  make_node_path(scene_, ref.node), group.name));
      }
      if (group.fits.empty() && fit->matrix != identity_matrix) {
        group.fits.assign(group.members.size(), identity_matrix);
      }
      group.members.push_back(ref);
      if (!group.fits.empty()) {
        group.fits.push_back(fit->matrix);
      }
      group.residual = std::max(group.residual, fit->residual);
    }
    return {};
  }

  /// Plans the draws of one group alone, with no choice left.
  Result<void> force(const Edit& edit) {
    const auto at = find_group(edit.group);
    if (!at) {
      return Failure(at.error());
    }
    const std::vector<DrawRef> members = plan_.groups[*at].members;
    ProposeSettings settings = plan_.settings;
    settings.repeats = edit.kind == EditKind::merge ? Repeats::merge : Repeats::instance;
    settings.min_instances = 2;
    settings.triangle_growth = 0;
    settings.memory_growth = 0;
    settings.cell_size_m = 0;
    Outlook anywhere;
    anywhere.eyes = plan_.sight.eyes;
    anywhere.profile.sorts_blended = plan_.sight.sorting;
    Plan known;
    std::copy_if(plan_.taken_back.begin(), plan_.taken_back.end(),
                 std::back_inserter(known.taken_back), [&](const TakenBack& taken) {
                   return std::find(members.begin(), members.end(), taken.draw) != members.end();
                 });
    auto part = propose_around(known, scene_, survey_, {settings, anywhere, &members}, run_);
    if (!part) {
      return Failure(part.error());
    }
    const GroupKind wanted =
        edit.kind == EditKind::merge ? GroupKind::cluster : GroupKind::instance_set;
    if (std::none_of(part->groups.begin(), part->groups.end(),
                     [&](const Group& group) { return group.kind == wanted; })) {
      return refuse(fmt::format("nothing in \"{}\" can be {}", edit.group,
                                edit.kind == EditKind::merge ? "merged" : "drawn as instances"));
    }
    const std::string name = plan_.groups[*at].name;
    plan_.groups.erase(plan_.groups.begin() + static_cast<std::ptrdiff_t>(*at));
    NameGiver names(scene_);
    for (const Group& group : plan_.groups) {
      names.reserve(group.name);
    }
    for (std::size_t g = 0; g < part->groups.size(); ++g) {
      Group& group = part->groups[g];
      group.pinned = true;
      group.name = g == 0 ? name : names.make_unique(name);
      plan_.groups.push_back(std::move(group));
    }
    plan_.kept.insert(plan_.kept.end(), part->kept.begin(), part->kept.end());
    for (TakenBack& taken : part->taken_back) {
      add_taken_back(plan_.taken_back, std::move(taken));
    }
    return {};
  }

  Result<void> change_group(const Edit& edit) {
    const auto at = find_group(edit.group);
    if (!at) {
      return Failure(at.error());
    }
    Group& group = plan_.groups[*at];
    group.pinned = edit.kind != EditKind::unpin;
    if (edit.kind == EditKind::rename) {
      const bool taken = std::any_of(
          plan_.groups.begin(), plan_.groups.end(),
          [&](const Group& other) { return &other != &group && other.name == edit.value; });
      if (edit.value.empty() || taken) {
        return refuse(
            fmt::format("the name \"{}\" is {}", edit.value, taken ? "another group's" : "empty"));
      }
      group.name = edit.value;
    } else if (edit.kind == EditKind::join) {
      group.object = edit.value;
    } else if (edit.kind == EditKind::collide) {
      group.collider = edit.collider;
    } else if (edit.kind == EditKind::pivot) {
      if (edit.pivot_at == PivotAt::node && to_index(edit.pivot_node) >= scene_.nodes.size()) {
        return refuse("the node of the pivot does not exist");
      }
      set_pivot(edit, group);
      // The primitives of one object have one origin.
      for (Group& other : plan_.groups) {
        if (!group.object.empty() && other.object == group.object) {
          set_pivot(edit, other);
        }
      }
    }
    return {};
  }

  void set_pivot(const Edit& edit, Group& group) const {
    group.pivot_at = edit.pivot_at;
    group.pivot_node = edit.pivot_at == PivotAt::node ? edit.pivot_node : no_node;
    group.pivot = edit.point;
    group.pivot = find_pivot(scene_, survey_, group);
  }

  static void mark(Group& group) {
    group.pinned = true;
    if (group.reason.find("changed by hand") == std::string::npos) {
      group.reason += "; changed by hand since";
    }
  }

  /// Groups that are left with one thing are none; counts follow the members.
  void tidy() {
    for (Group& group : plan_.groups) {
      const std::size_t things =
          group.kind == GroupKind::cluster ? group.members.size() : group.instance_count();
      if (things < 2 && !(group.kind == GroupKind::cluster && group.pinned && things == 1)) {
        for (const DrawRef& ref : group.members) {
          keep_draw(ref, KeepReason::cheaper_alone);
        }
        group.members.clear();
      }
    }
    std::erase_if(plan_.groups, [](const Group& group) { return group.members.empty(); });
    for (Group& group : plan_.groups) {
      if (group.kind == GroupKind::instance_set && group.order == BlendOrder::every_eye) {
        const std::vector<Mat4d> world = make_world_matrices(scene_);
        order_instances(BlendOrders(scene_, survey_, world, plan_.sight), survey_, group);
      }
      recount(group);
    }
    std::sort(plan_.kept.begin(), plan_.kept.end(),
              [](const KeptDraw& a, const KeptDraw& b) { return a.draw < b.draw; });
  }

  void recount(Group& group) const {
    group.id = make_group_id(group);
    group.triangles = 0;
    const bool cluster = group.kind == GroupKind::cluster;
    const auto sides = [&](const Draw& draw) {
      return cluster ? count_sides(scene_, draw, plan_.settings) : 1U;
    };
    for (const DrawRef& ref : group.members) {
      const Draw& draw = survey_[find_draw(survey_, ref)];
      group.triangles += sides(draw) * draw.triangles;
    }
    double bytes = cluster ? 0 : static_cast<double>(instance_bytes * group.instance_count());
    group.vertices = 0;
    for (const DrawRef& ref : cluster ? group.members : group.prototype) {
      const Draw& draw = survey_[find_draw(survey_, ref)];
      const ShapeSize& size = sizes_[to_index(draw.shape)];
      group.vertices += sides(draw) * (cluster ? size.vertices : draw.vertices);
      bytes += sides(draw) * size.bytes;
    }
    group.bytes = static_cast<std::uint64_t>(bytes);
    group.pivot = find_pivot(scene_, survey_, group);
  }

  const Scene& scene_;
  const Survey& survey_;
  std::vector<ShapeSize> sizes_;  ///< by shape
  Plan plan_;
  const RunControl& run_;
};

/// The plan is for this scene, and could be built.
Result<void> check_sound(const Scene& scene,
                         const Survey& survey,
                         const Plan& plan,
                         const RunControl& run) {
  if (auto same = check_hash(plan.scene_hash, make_content_hash(scene, run), "the plan"); !same) {
    return same;
  }
  const auto covered = check_groups(scene, survey, plan, run);
  return covered ? Result<void>{} : Failure(covered.error());
}

/// What is left of a plan where draws went or changed: references by the scene of today, groups
/// without what is gone.
class Rebaser {
 public:
  Rebaser(const Scene& scene, const Survey& survey, const Plan& plan)
      : scene_(scene), survey_(survey), plan_(plan) {}

  Result<Plan> move(const RunControl& run) {
    const std::vector<DrawMark> now = make_marks(scene_, survey_, run);
    for (const NodeMove& move : match_marks(plan_.marks, now)) {
      const DrawRef& then = plan_.marks[move.then].draw;
      if (move.now == no_index) {
        gone_.insert(then);
      } else {
        now_[then] = now[move.now].draw;
      }
    }
    for (Group& group : plan_.groups) {
      take_out(group, gone_);
      const bool whole = std::all_of(group.prototype.begin(), group.prototype.end(),
                                     [&](const DrawRef& ref) { return gone_.count(ref) == 0; });
      if (!whole || (group.pivot_at == PivotAt::node && !move_node(group.pivot_node))) {
        group.members.clear();
      }
      renumber(group.members);
      renumber(group.prototype);
    }
    std::erase_if(plan_.groups, [](const Group& group) {
      return group.members.size() < 2 * std::max<std::size_t>(1, group.prototype.size());
    });
    std::erase_if(plan_.kept, [&](const KeptDraw& kept) { return gone_.count(kept.draw) > 0; });
    for (KeptDraw& kept : plan_.kept) {
      kept.draw = now_.at(kept.draw);
    }
    for (TakenBack& taken : std::exchange(plan_.taken_back, {})) {
      if (gone_.count(taken.draw) == 0) {
        taken.draw = now_.at(taken.draw);
        add_taken_back(plan_.taken_back, std::move(taken));
      }
    }
    if (auto dropped = drop_what_does_not_fit(run); !dropped) {
      return Failure(dropped.error());
    }
    return std::move(plan_);
  }

 private:
  bool move_node(NodeId& node) const {
    const auto hit = std::find_if(now_.begin(), now_.end(),
                                  [&](const auto& entry) { return entry.first.node == node; });
    if (hit != now_.end()) {
      node = hit->second.node;
    }
    return hit != now_.end();
  }

  void renumber(std::vector<DrawRef>& list) const {
    for (DrawRef& ref : list) {
      const auto hit = now_.find(ref);
      ref = hit == now_.end() ? ref : hit->second;
    }
  }

  /// Violations of a group end it; its draws are planned again.
  Result<void> drop_what_does_not_fit(const RunControl& run) {
    const auto violations = list_violations(scene_, survey_, plan_, run);
    if (!violations) {
      return Failure(violations.error());
    }
    std::set<std::size_t> broken;
    for (const Violation& violation : *violations) {
      constexpr std::string_view groups = "/groups/";
      if (violation.place.starts_with(groups)) {
        broken.insert(std::stoul(violation.place.substr(groups.size())));
      }
    }
    for (auto g = broken.rbegin(); g != broken.rend(); ++g) {
      plan_.groups.erase(plan_.groups.begin() + static_cast<std::ptrdiff_t>(*g));
    }
    return {};
  }

  const Scene& scene_;
  const Survey& survey_;
  Plan plan_;
  std::set<DrawRef> gone_;
  std::map<DrawRef, DrawRef> now_;
};

}  // namespace

std::string_view to_string(EditKind kind) {
  constexpr std::string_view names[edit_kind_count] = {"keep",   "release", "pin",      "unpin",
                                                       "move",   "merge",   "instance", "pivot",
                                                       "rename", "join",    "collide"};
  return names[static_cast<std::size_t>(kind)];
}

Result<Plan> edit_plan(const Scene& scene,
                       const Survey& survey,
                       const Plan& plan,
                       std::span<const Edit> edits,
                       const Outlook& outlook,
                       const RunControl& run) {
  if (auto sound = check_sound(scene, survey, plan, run); !sound) {
    return Failure(sound.error());
  }
  Editor editor(scene, survey, plan, run);
  for (const Edit& edit : edits) {
    if (auto done = editor.apply(edit); !done) {
      return Failure(done.error());
    }
  }
  return editor.finish(outlook);
}

Result<Plan> revise(const Scene& scene,
                    const Survey& survey,
                    const Plan& plan,
                    const ProposeSettings& settings,
                    const Outlook& outlook,
                    const RunControl& run) {
  if (auto sound = check_sound(scene, survey, plan, run); !sound) {
    return Failure(sound.error());
  }
  auto made = propose_around(plan, scene, survey, {settings, outlook}, run);
  if (made) {
    made->scene_path = plan.scene_path;
    static_cast<SourceSteps&>(*made) = plan;
  }
  return made;
}

Result<Plan> rebase(const Scene& scene,
                    const Survey& survey,
                    const Plan& plan,
                    const Outlook& outlook,
                    const RunControl& run) {
  auto left = Rebaser(scene, survey, plan).move(run);
  if (!left) {
    return Failure(left.error());
  }
  Plan moved = std::move(*left);
  // All that still holds is decided for this once.
  std::set<std::string> pinned;
  for (Group& group : moved.groups) {
    if (group.pinned) {
      pinned.insert(group.name);
    }
    group.pinned = true;
  }
  auto made = propose_around(moved, scene, survey, {plan.settings, outlook}, run);
  if (!made) {
    return Failure(made.error());
  }
  for (Group& group : made->groups) {
    group.pinned = pinned.count(group.name) > 0;
  }
  made->scene_path = plan.scene_path;
  static_cast<SourceSteps&>(*made) = plan;
  return made;
}

}  // namespace wakuzume
