// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/propose.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <unordered_map>

#include "cost/shadows.h"
#include "plan/arrange.h"
#include "plan/check.h"
#include "plan/forecast.h"
#include "plan/items.h"
#include "plan/keys.h"
#include "plan/names.h"
#include "plan/proposer.h"
#include "plan/thinning.h"
#include "scene/matrix.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// Limits on the median view are held through the mean; it takes few rounds to bring both together.
constexpr int growth_rounds = 3;

class Proposer {
 public:
  Proposer(const Scene& scene, const Survey& survey, const ProposeTask& task, const RunControl& run)
      : scene_(scene),
        survey_(survey),
        settings_(task.settings),
        sizes_(make_shape_sizes(scene, survey)),
        outlook_{task.outlook.views, with_passes(task.outlook.profile)},
        run_(run),
        world_(make_world_matrices(scene)),
        keys_(make_plan_keys(scene, survey, settings_)),
        done_(survey.draws.size(), task.only != nullptr) {
    if (task.only != nullptr) {
      for (const DrawRef& ref : *task.only) {
        done_[to_index(find_draw(survey, ref))] = false;
      }
    }
    for (const Node& node : scene.nodes) {
      names_.reserve(node.name);
    }
  }

  /// Groups and draws that are decided already.
  void take_over(const Plan& previous) {
    for (const Group& group : previous.groups) {
      if (group.pinned) {
        for (const DrawRef& ref : group.members) {
          done_[to_index(find_draw(survey_, ref))] = true;
        }
        names_.reserve(group.name);
        plan_.groups.push_back(group);
      }
    }
    for (const KeptDraw& kept : previous.kept) {
      if (kept.reason == KeepReason::by_hand) {
        done_[to_index(find_draw(survey_, kept.draw))] = true;
        plan_.kept.push_back(kept);
      }
    }
  }

  Result<Plan> run() {
    if (run_.observer != nullptr && !run_.observer->advance("proposing", 0)) {
      return Failure(make_cancelled());
    }
    auto families = find_families(scene_, survey_, settings_.families, run_);
    if (!families) {
      return Failure(families.error());
    }
    const std::vector<DrawId> draws = list_free();
    items_ = make_items(
        {scene_, survey_, keys_, *families, world_, sizes_, draws, settings_, outlook_.profile});
    if (!outlook_.views.empty()) {
      frusta_ = list_frusta(scene_, outlook_.views, outlook_.profile);
    }
    auto arranged = arrange(items_, frusta_, make_plan_prices(), settings_, run_);
    if (!arranged) {
      return Failure(arranged.error());
    }
    auto plan = settle(std::move(*arranged));
    if (plan) {
      complete(*families, *plan);
    }
    return plan;
  }

 private:
  [[nodiscard]] DrawRef ref_of(DrawId id) const {
    return {survey_[id].node, survey_[id].primitive};
  }

  [[nodiscard]] Prices make_plan_prices() const {
    std::uint64_t triangles = 0;
    std::uint64_t vertices = 0;
    for (const Draw& draw : survey_.draws) {
      triangles += draw.triangles;
      vertices += draw.vertices * draw.instances;
    }
    return make_prices(outlook_.profile, outlook_.views.size(), triangles, vertices);
  }

  void keep(DrawId id, KeepReason reason) {
    plan_.kept.push_back({ref_of(id), reason, survey_[id].stay});
  }

  /// Draws that may be planned; the others are kept.
  std::vector<DrawId> list_free() {
    std::vector<DrawId> free;
    for (std::size_t d = 0; d < survey_.draws.size(); ++d) {
      const DrawId id = make_id<DrawId>(d);
      const Draw& draw = survey_[id];
      if (done_[d]) {
        continue;
      }
      const NodeId root = survey_[draw.key].moving_root;
      const bool has_place = root == no_node || is_invertible(world_[to_index(root)]);
      if (may_be_planned(draw, settings_) && has_place) {
        free.push_back(id);
      } else {
        const bool moves = draw.stay != StayRule::none;
        keep(id, moves ? KeepReason::must_stay : KeepReason::blended);
      }
    }
    return free;
  }

  /// The plan of an arrangement. It is found anew while the median view submits more triangles than
  /// the limit allows; then it is held against its alternatives by what their frames take.
  Result<Plan> settle(Arranged arranged) {
    decided_ = plan_;
    find_alone_costs(arranged);
    auto before = measure_today(scene_, survey_, sizes_, outlook_, run_);
    if (!before) {
      return Failure(before.error());
    }
    today_ = *before;
    double growth = settings_.triangle_growth;
    for (int round = 0;; ++round) {
      if (auto made = make_plan(arranged, arranged.arrangement); !made) {
        return Failure(made.error());
      }
      if (holds_growth(arranged.arrangement) || round == growth_rounds) {
        break;
      }
      const double today = today_.view_triangles.median;
      const double over = plan_.forecast.after.view_triangles.median - today;
      const double allowed = (settings_.triangle_growth - 1) * today;
      growth = 1 + (growth - 1) * std::max(0.0, allowed / over);
      arrange_again(items_, settings_, growth, arranged, run_);
    }
    Plan best = plan_;
    const bool held = holds_growth(arranged.arrangement);
    for (const Arrangement& other : arranged.alternatives) {
      if (auto made = make_plan(arranged, other); !made) {
        return Failure(made.error());
      }
      if (plan_.forecast.after.mean_ms < best.forecast.after.mean_ms &&
          (holds_growth(other) || !held)) {
        best = plan_;
      }
    }
    return best;
  }

  Result<void> make_plan(const Arranged& arranged, const Arrangement& arrangement) {
    plan_ = decided_;
    make_groups(arranged, arrangement);
    return make_forecast(scene_, survey_, sizes_, outlook_, today_, plan_, run_);
  }

  /// Does the plan hold the limit on triangles, or do they not matter?
  [[nodiscard]] bool holds_growth(const Arrangement& arrangement) const {
    return settings_.triangle_growth <= 0 || settings_.cell_size_m > 0 ||
           arrangement.gpu_us <= settings_.few_triangles_ms * 1000 ||
           plan_.forecast.after.view_triangles.median <=
               settings_.triangle_growth * today_.view_triangles.median;
  }

  // ---- groups --------------------------------------------------------------------------------

  void make_groups(const Arranged& arranged, const Arrangement& arrangement) {
    std::map<std::pair<Spot, std::uint32_t>, std::vector<std::uint32_t>> groups;
    std::vector<std::uint32_t> alone;
    for (std::size_t i = 0; i < items_.items.size(); ++i) {
      const auto item = static_cast<std::uint32_t>(i);
      if (arrangement.spots[i] == Spot::alone) {
        alone.push_back(item);
      } else {
        groups[{arrangement.spots[i], arrangement.nodes[i]}].push_back(item);
      }
    }
    std::vector<Group> made;
    for (const auto& [at, members] : groups) {
      if (at.first == Spot::cluster) {
        made.push_back(make_cluster(members, arranged.by_key.nodes[at.second], arranged.prices));
      } else {
        made.push_back(make_set(members, arranged.by_repeat.nodes[at.second], arranged.prices));
      }
    }
    const std::vector<std::uint32_t> of_key = count_keys();
    for (const std::uint32_t item : alone) {
      if (items_.items[item].part_count > 1) {
        made.push_back(make_cluster({item}, leaves_[item], arranged.prices));
      } else {
        keep(items_.parts_of(items_.items[item]).front(),
             explain_alone(items_.items[item], of_key));
      }
    }
    add_groups(std::move(made));
    std::sort(plan_.kept.begin(), plan_.kept.end(),
              [](const KeptDraw& a, const KeptDraw& b) { return a.draw < b.draw; });
  }

  /// By item: its leaf, and what its draws cost of a mean frame today.
  void find_alone_costs(const Arranged& arranged) {
    leaves_.assign(items_.items.size(), TreeNode{});
    alone_us_.assign(items_.items.size(), 0);
    for (const TreeNode& node : arranged.by_key.nodes) {
      if (node.leaf()) {
        const std::uint32_t i = arranged.by_key.order[node.first];
        leaves_[i] = node;
        alone_us_[i] = find_share(node, arranged.prices) *
                       (arranged.prices.draw * items_.items[i].part_count +
                        arranged.prices.triangle * static_cast<double>(items_.items[i].triangles));
      }
    }
  }

  static double find_share(const TreeNode& node, const Prices& prices) {
    return static_cast<double>(node.seen) / prices.frames;
  }

  [[nodiscard]] std::vector<std::uint32_t> count_keys() const {
    std::vector<std::uint32_t> of_key(keys_.merge_count, 0);
    for (const Item& item : items_.items) {
      ++of_key[item.merge];
    }
    return of_key;
  }

  [[nodiscard]] KeepReason explain_alone(const Item& item,
                                         const std::vector<std::uint32_t>& of_key) const {
    if (item.vertices > settings_.max_vertices) {
      return KeepReason::above_vertex_limit;
    }
    if (of_key[item.merge] == 1) {
      return KeepReason::only_one_of_its_key;
    }
    return settings_.cell_size_m > 0 ? KeepReason::alone_in_its_cell : KeepReason::cheaper_alone;
  }

  struct Sum {
    Box3d box;
    std::uint64_t triangles = 0;
    std::uint64_t vertices = 0;
    double bytes = 0;
    double alone_us = 0;
    std::size_t draws = 0;
  };
  [[nodiscard]] Sum add_up(const std::vector<std::uint32_t>& members) const {
    Sum sum;
    for (const std::uint32_t i : members) {
      const Item& item = items_.items[i];
      sum.box.include(item.box);
      sum.triangles += item.triangles;
      sum.vertices += item.vertices;
      sum.bytes += item.bytes_merged;
      sum.alone_us += alone_us_[i];
      sum.draws += item.part_count;
    }
    return sum;
  }

  [[nodiscard]] const Draw& first_of(std::uint32_t item) const {
    return survey_[items_.parts_of(items_.items[item]).front()];
  }

  [[nodiscard]] std::string name_material(MaterialId id) const {
    if (id == no_material) {
      return "default";
    }
    const std::string& name = scene_[id].name;
    return name.empty() ? fmt::format("material_{}", to_index(id)) : name;
  }

  Group make_cluster(const std::vector<std::uint32_t>& members,
                     const TreeNode& node,
                     const Prices& prices) {
    const Sum sum = add_up(members);
    const Draw& first = first_of(members.front());
    Group group;
    group.kind = GroupKind::cluster;
    group.material = keys_.material[to_index(first.key)];
    group.pivot = sum.box.empty() ? Vec3d{0, 0, 0} : sum.box.centre();
    group.triangles = sum.triangles;
    group.vertices = sum.vertices;
    group.bytes = static_cast<std::uint64_t>(sum.bytes);
    for (const std::uint32_t i : members) {
      for (const DrawId id : items_.parts_of(items_.items[i])) {
        group.members.push_back(ref_of(id));
      }
    }
    std::sort(group.members.begin(), group.members.end());
    const double us = find_share(node, prices) *
                      (prices.draw + prices.triangle * static_cast<double>(sum.triangles));
    group.saved_us = sum.alone_us - us;
    const char* where = settings_.cell_size_m > 0 ? " in one cell of the grid" : "";
    group.reason = fmt::format(
        "{} draws of one key ({}){} take {} us of a mean frame merged, {} us one by one", sum.draws,
        to_string(scene_, survey_[first.key]), where, to_short(us), to_short(sum.alone_us));
    group.name = "merged " + name_material(group.material);
    return group;
  }

  Group make_set(const std::vector<std::uint32_t>& members,
                 const TreeNode& node,
                 const Prices& prices) {
    const Sum sum = add_up(members);
    const Repeat& repeat = items_.repeats[items_.items[members.front()].repeat];
    Group group;
    group.kind = GroupKind::instance_set;
    group.axes = repeat.axes;
    group.pivot = sum.box.empty() ? Vec3d{0, 0, 0} : sum.box.centre();
    group.triangles = sum.triangles;
    std::transform(repeat.prototype.begin(), repeat.prototype.end(),
                   std::back_inserter(group.prototype), [&](DrawId id) { return ref_of(id); });
    for (const DrawId id : repeat.prototype) {
      group.vertices += survey_[id].vertices;
    }
    group.bytes = static_cast<std::uint64_t>(repeat.bytes +
                                             static_cast<double>(instance_bytes * members.size()));
    add_instances(members, group);
    choose_material(members, group);
    const double us = find_share(node, prices) *
                      (prices.draw + prices.instance * static_cast<double>(members.size()) +
                       prices.triangle * static_cast<double>(sum.triangles));
    group.saved_us = sum.alone_us - us;
    const Mesh& mesh = scene_[survey_[repeat.prototype.front()].mesh];
    std::string base = mesh.name.empty() ? scene_[group.prototype.front().node].name : mesh.name;
    std::string what = fmt::format("show the geometry of mesh '{}'", mesh.name);
    if (repeat.prototype.size() > 1) {
      const NodeId parent = scene_[group.prototype.front().node].parent;
      base = parent == no_node ? base : scene_[parent].name;
      what = fmt::format("repeat an assembly of {} parts", repeat.prototype.size());
    } else if (mesh.primitives.size() > 1) {
      base += fmt::format(".{}", group.prototype.front().primitive);
    }
    group.reason = fmt::format(
        "{} draws {}{}{}: as instances {} us of a mean frame and {} KB, one by one "
        "{} us, merged {} KB",
        sum.draws, what, repeat.mirrored ? ", mirrored" : "",
        group.tint.empty() ? "" : fmt::format(", {} as each has it", group.tint), to_short(us),
        to_short(static_cast<double>(group.bytes) / 1e3), to_short(sum.alone_us),
        to_short(sum.bytes / 1e3));
    group.name = "set " + base + (repeat.mirrored ? " mirrored" : "");
    return group;
  }

  void add_instances(const std::vector<std::uint32_t>& members, Group& group) const {
    std::vector<Vec3d> places;
    bool fits = false;
    for (const std::uint32_t i : members) {
      const Item& item = items_.items[i];
      places.push_back(item.box.empty() ? Vec3d{0, 0, 0} : item.box.centre());
      fits = fits || item.fit != no_index;
    }
    for (const std::uint32_t at : make_thinning(places)) {
      const Item& item = items_.items[members[at]];
      for (const DrawId id : items_.parts_of(item)) {
        group.members.push_back(ref_of(id));
      }
      if (fits) {
        const Fit fit = item.fit == no_index ? Fit{} : items_.fits[item.fit];
        group.fits.push_back(fit.matrix);
        group.residual = std::max(group.residual, fit.residual);
      }
    }
  }

  /// The common material, or the one that each instance tints.
  void choose_material(const std::vector<std::uint32_t>& members, Group& group) const {
    const KeyId first = first_of(members.front()).key;
    const bool equal = std::all_of(members.begin(), members.end(), [&](std::uint32_t i) {
      return keys_.merge[to_index(first_of(i).key)] == keys_.merge[to_index(first)];
    });
    if (equal) {
      group.material = keys_.material[to_index(first)];
    } else {
      const std::uint32_t share = keys_.share[to_index(first)];
      group.tint = keys_.tint[share];
      group.material = keys_.shared_material[share];
    }
  }

  /// In the order of their first draws, whatever tree they came from.
  void add_groups(std::vector<Group> made) {
    const auto first = [](const Group& group) {
      return *std::min_element(group.members.begin(), group.members.end());
    };
    std::sort(made.begin(), made.end(),
              [&](const Group& a, const Group& b) { return first(a) < first(b); });
    std::move(made.begin(), made.end(), std::back_inserter(plan_.groups));
  }

  /// What all candidates would share, for the one that was chosen.
  void complete(const Families& families, Plan& plan) {
    plan.scene_hash = make_content_hash(scene_, run_);
    plan.survey_settings = survey_.settings;
    plan.settings = settings_;
    plan.profile = outlook_.profile.name;
    plan.view_count = static_cast<std::uint32_t>(outlook_.views.size());
    plan.marks = make_marks(scene_, survey_, run_);
    for (std::size_t g = decided_.groups.size(); g < plan.groups.size(); ++g) {
      plan.groups[g].id = make_group_id(plan.groups[g]);
      plan.groups[g].name = names_.make_unique(make_plain_name(plan.groups[g].name));
    }
    record_families(families, plan);
  }

  // ---- families ------------------------------------------------------------------------------

  void record_families(const Families& families, Plan& plan) const {
    std::vector<PlannedFamily> all(families.prototypes.size());
    for (std::size_t s = 0; s < families.members.size(); ++s) {
      const FamilyMember& member = families.members[s];
      PlannedFamily& family = all[member.family];
      if (member.likeness == Likeness::prototype) {
        family.prototype = ref_of(sizes_[s].first);
        family.draws = sizes_[s].uses;
      } else {
        family.members.push_back(
            {ref_of(sizes_[s].first), member.likeness, member.fit, sizes_[s].uses});
      }
    }
    std::copy_if(std::make_move_iterator(all.begin()), std::make_move_iterator(all.end()),
                 std::back_inserter(plan.families), [](const PlannedFamily& family) {
                   return family.draws > 1 || !family.members.empty();
                 });
  }

  const Scene& scene_;
  const Survey& survey_;
  const ProposeSettings& settings_;
  std::vector<ShapeSize> sizes_;  ///< by shape
  Outlook outlook_;
  const RunControl& run_;
  std::vector<Mat4d> world_;
  PlanKeys keys_;
  std::vector<bool> done_;  ///< by draw
  Items items_;
  std::vector<WeighedFrustum> frusta_;
  std::vector<TreeNode> leaves_;
  std::vector<double> alone_us_;
  Plan plan_;
  NameGiver names_;
  Plan decided_;  ///< what is in the plan before anything is arranged
  Outcome today_;
};

Failure bad_setting(const char* name, const char* range) {
  return Failure(Error{ErrorCode::bad_setting, fmt::format("{} must be {}", name, range), {}});
}

bool within(double value, double least, double most) { return value >= least && value <= most; }

}  // namespace

std::string_view to_string(GroupKind kind) {
  return kind == GroupKind::cluster ? "cluster" : "instance_set";
}

std::string_view to_string(KeepReason reason) {
  constexpr std::string_view names[keep_reason_count] = {
      "must_stay",     "blended", "only_one_of_its_key", "alone_in_its_cell", "above_vertex_limit",
      "cheaper_alone", "by_hand"};
  return names[static_cast<std::size_t>(reason)];
}

std::string_view to_string(PivotAt at) {
  constexpr std::string_view names[pivot_at_count] = {"bounds_centre", "bounds_base",
                                                      "world_origin", "node", "point"};
  return names[static_cast<std::size_t>(at)];
}

Result<void> validate(const ProposeSettings& settings) {
  if (auto valid = validate(settings.families); !valid) {
    return valid;
  }
  if (settings.min_instances < 2 || settings.min_instances > 1'000'000'000) {
    return bad_setting("propose.min_instances", "from 2 to 1000000000");
  }
  if (settings.max_vertices < 3 || settings.max_vertices == no_index) {
    return bad_setting("propose.max_vertices", "from 3 to 4294967294");
  }
  if (!within(settings.max_extent_m, 0, 1e9)) {
    return bad_setting("propose.max_extent_m", "from 0 to 1e9");
  }
  if (!within(settings.cell_size_m, 0, 1e9)) {
    return bad_setting("propose.cell_size_m", "from 0 to 1e9");
  }
  if (settings.triangle_growth != 0 && !within(settings.triangle_growth, 1, 1e6)) {
    return bad_setting("propose.triangle_growth", "0, or from 1 to 1e6");
  }
  if (!within(settings.few_triangles_ms, 0, 1e6)) {
    return bad_setting("propose.few_triangles_ms", "from 0 to 1e6");
  }
  if (settings.memory_growth != 0 && !within(settings.memory_growth, 1, 1e6)) {
    return bad_setting("propose.memory_growth", "0, or from 1 to 1e6");
  }
  if (!within(settings.few_megabytes, 0, 1e6)) {
    return bad_setting("propose.few_megabytes", "from 0 to 1e6");
  }
  if (!std::all_of(settings.tints.begin(), settings.tints.end(), is_tint)) {
    return bad_setting("propose.tints",
                       "of \"base_color\", \"metallic\", \"roughness\" and "
                       "\"emissive\"");
  }
  const auto is_value = [](const std::string& name) { return name == "id" || name == "random"; };
  if (!std::all_of(settings.instance_values.begin(), settings.instance_values.end(), is_value)) {
    return bad_setting("propose.instance_values", "of \"id\" and \"random\"");
  }
  return {};
}

Result<Plan> propose(const Scene& scene,
                     const Survey& survey,
                     const ProposeSettings& settings,
                     const Outlook& outlook,
                     const RunControl& run) {
  return propose_around({}, scene, survey, {settings, outlook}, run);
}

Result<Plan> propose_around(const Plan& decided,
                            const Scene& scene,
                            const Survey& survey,
                            const ProposeTask& task,
                            const RunControl& run) {
  if (auto valid = validate(task.settings); !valid) {
    return Failure(valid.error());
  }
  Proposer proposer(scene, survey, task, run);
  proposer.take_over(decided);
  return proposer.run();
}

}  // namespace wakuzume
