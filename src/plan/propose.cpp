// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/propose.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <optional>
#include <set>
#include <tuple>

#include "cost/shadows.h"
#include "plan/arrange.h"
#include "plan/blend_cells.h"
#include "plan/blend_views.h"
#include "plan/blends.h"
#include "plan/check.h"
#include "plan/forecast.h"
#include "plan/groups.h"
#include "plan/instance_values.h"
#include "plan/items.h"
#include "plan/keys.h"
#include "plan/limit_search.h"
#include "plan/names.h"
#include "plan/proposer.h"
#include "plan/set_judge.h"
#include "plan/view_limit.h"
#include "scene/matrix.h"
#include "scene/running.h"
#include "wakuzume/wishes.h"

namespace wakuzume {
namespace {

/// Of arrangements, each of which comes nearer to the limits.
constexpr int limit_rounds = 8;
constexpr int memory_rounds = 3;
constexpr double much_cheaper = 0.9;

class Proposer {
 public:
  Proposer(const Scene& scene, const Survey& survey, const ProposeTask& task, const RunControl& run)
      : scene_(scene),
        survey_(survey),
        settings_(task.settings),
        sizes_(make_shape_sizes(scene, survey)),
        outlook_{task.outlook.views,
                 with_passes(task.outlook.profile),
                 task.outlook.images,
                 {},
                 task.outlook.before},
        sight_(choose_sight(task)),
        run_(run),
        frames_(scene, survey),
        keys_(make_plan_keys(scene, survey, settings_, &outlook_.profile)),
        done_(survey.draws.size(), task.only != nullptr),
        itself_(survey.draws.size(), false) {
    for (std::size_t d = 0; d < itself_.size(); ++d) {
      itself_[d] = survey.draws[d].deformed;
    }
    if (task.only != nullptr) {
      for (const DrawRef& ref : *task.only) {
        done_[to_index(find_draw(survey, ref))] = false;
      }
    }
  }

  /// Groups and draws that are decided already.
  void take_over(const Plan& previous) {
    // A plan has one list of eyes, by which what is decided already has its order.
    if (std::any_of(previous.groups.begin(), previous.groups.end(),
                    [](const Group& group) { return group.pinned && needs_eyes(group); })) {
      sight_ = previous.sight;
    }
    for (const Group& group : previous.groups) {
      if (group.pinned) {
        for (const DrawRef& ref : group.members) {
          done_[to_index(find_draw(survey_, ref))] = true;
        }
        plan_.groups.push_back(group);
      }
    }
    for (const KeptDraw& kept : previous.kept) {
      if (kept.reason == KeepReason::by_hand) {
        done_[to_index(find_draw(survey_, kept.draw))] = true;
        plan_.kept.push_back(kept);
      }
    }
    for (const TakenBack& taken : previous.taken_back) {
      take_back(taken);
    }
  }

  Result<Plan> run() {
    if (!goes_on(run_, "proposing")) {
      return Failure(make_cancelled());
    }
    auto families = find_families(scene_, survey_, settings_.families, run_);
    if (!families) {
      return Failure(families.error());
    }
    const std::vector<DrawId> draws = list_free();
    decided_ = plan_;
    if (auto looked = look_at_blends(); !looked) {
      return Failure(looked.error());
    }
    if (!outlook_.views.empty()) {
      frusta_ = list_frusta(scene_, outlook_.views, outlook_.profile);
    }
    auto before = measure_today(scene_, survey_, sizes_, outlook_, run_);
    if (!before) {
      return Failure(before.error());
    }
    today_ = std::move(*before);
    while (true) {
      auto plan = arrange(*families, draws);
      if (!plan) {
        return plan;
      }
      // Each round takes more draws out of the repeats, and without any there is no misfit.
      const auto fits = take_misfits_back(*plan);
      if (!fits) {
        return Failure(fits.error());
      }
      if (*fits) {
        if (auto completed = complete(*families, *plan); !completed) {
          return Failure(completed.error());
        }
        return plan;
      }
    }
  }

 private:
  /// A plan and how far it is from the limits: up to 1 it holds them all.
  struct Candidate {
    Plan plan;
    Arrangement arrangement;
    double excess = 0;
    std::vector<double> over_us;  ///< by view: GPU time beyond the limit

    /// A plan within the limits is better than one that is not, else the cheaper or the nearer.
    [[nodiscard]] bool is_better(const Candidate& other) const {
      return excess <= 1 && other.excess <= 1
                 ? plan.forecast.after.price_ms < other.plan.forecast.after.price_ms
                 : excess < other.excess;
    }
  };

  static BlendSight choose_sight(const ProposeTask& task) {
    const bool looks = task.settings.blended == Blended::proved &&
                       task.settings.blended_from == BlendedFrom::views;
    return looks ? make_sight(task.outlook) : BlendSight{{}, task.outlook.profile.sorts_blended};
  }
  static bool needs_eyes(const Group& group) { return group.order == BlendOrder::given_eyes; }

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
    return make_prices(outlook_.profile, settings_, outlook_.views.size(), triangles, vertices);
  }

  Result<Plan> arrange(const Families& families, const std::vector<DrawId>& draws) {
    CostProfile profile = outlook_.profile;
    std::optional<Candidate> best;
    for (int round = 0; round < memory_rounds; ++round) {
      items_ = make_items({scene_, survey_, keys_, families, frames_.world(), sizes_, draws,
                           itself_, settings_, profile, sight_},
                          run_);
      auto trees = make_trees(items_, frusta_, make_plan_prices(), settings_, run_);
      if (!trees) {
        return Failure(trees.error());
      }
      trees_ = std::move(*trees);
      make_blend_views();
      auto made = settle_by_habit();
      if (!made) {
        return Failure(made.error());
      }
      if (!best || made->is_better(*best)) {
        best = std::move(*made);
      }
      if (best->excess <= 1 || settings_.memory_growth <= 0) {
        break;
      }
      // Assemblies stay together, and their merged parts take memory, whatever the limit.
      profile.geometry_megabyte_us = std::max(1.0, profile.geometry_megabyte_us) * 4096;
    }
    return std::move(best->plan);
  }

  void take_back(const TakenBack& taken) {
    const DrawId id = find_draw(survey_, taken.draw);
    add_taken_back(plan_.taken_back, taken);
    itself_[to_index(id)] = true;
    if (taken.from == TakenFrom::merges && !done_[to_index(id)]) {
      done_[to_index(id)] = true;
      keep(id, KeepReason::taken_back);
    }
  }

  /// Members of sets that their instances would not show. \return whether there are none
  Result<bool> take_misfits_back(const Plan& plan) {
    const SetJudge judge(scene_, survey_, settings_.families, frames_);
    const std::size_t first = decided_.groups.size();
    std::vector<std::vector<Misfit>> misfits(plan.groups.size() - first);
    const bool all = for_each_index(misfits.size(), run_, "judging repeats", [&](std::size_t g) {
      if (plan.groups[first + g].kind == GroupKind::instance_set) {
        misfits[g] = judge.find_misfits(plan.groups[first + g]);
      }
    });
    if (!all) {
      return Failure(make_cancelled());
    }
    bool none = true;
    for (std::size_t g = 0; g < misfits.size(); ++g) {
      const Group& group = plan.groups[first + g];
      for (const Misfit& misfit : misfits[g]) {
        none = false;
        add_taken_back(decided_.taken_back, {group.members[misfit.member], TakenFrom::repeats,
                                             fmt::format("as an instance it {}", misfit.what)});
        // Parts of one instance stay together.
        const std::size_t begin = misfit.member / group.prototype.size() * group.prototype.size();
        for (std::size_t m = begin; m < begin + group.prototype.size(); ++m) {
          itself_[to_index(find_draw(survey_, group.members[m]))] = true;
        }
      }
    }
    return none;
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
      const bool has_place = root == no_node || is_invertible(frames_.world()[to_index(root)]);
      if (may_be_planned(draw, settings_) && has_place) {
        free.push_back(id);
      } else {
        const bool moves = draw.stay != StayRule::none;
        keep(id, moves ? KeepReason::must_stay : KeepReason::blended);
      }
    }
    return free;
  }

  /// What an engine instances by itself may be left to it. Each object that stays one costs what no
  /// profile knows, so that has to be much cheaper than a plan that leaves nothing to it.
  Result<Candidate> settle_by_habit() {
    auto all = settle();
    if (!outlook_.profile.instances_repeats || !all) {
      return all;
    }
    trees_.prices.instances_repeats = true;
    auto left = settle();
    if (!left) {
      return left;
    }
    const double price = left->plan.forecast.after.price_ms;
    const bool much = price < much_cheaper * all->plan.forecast.after.price_ms;
    return left->excess <= std::max(1.0, all->excess) && much ? left : all;
  }

  Result<void> look_at_blends() {
    if (settings_.blended != Blended::proved || outlook_.views.empty()) {
      return {};
    }
    auto looks = wakuzume::look_at_blends(scene_, survey_, frames_.world(), outlook_.views, run_);
    if (!looks) {
      return Failure(looks.error());
    }
    looks_ = std::move(*looks);
    return {};
  }

  /// For the items and trees that there are.
  void make_blend_views() {
    blends_.reset();
    if (settings_.blended == Blended::proved) {
      const bool grows = settings_.cell_size_m <= 0 && settings_.repeats != Repeats::only;
      blends_.emplace(
          scene_, survey_, items_, trees_, outlook_, sight_, frames_.world(),
          CutLimits{settings_.max_vertices, settings_.max_extent_m, settings_.min_instances},
          grows ? MayJoin::anywhere : MayJoin::never, looks_, decided_.groups);
    }
  }

  /// The plan of the cheapest arrangement within the limits, by what its forecast says.
  Result<Candidate> settle() {
    groups_.emplace(scene_, survey_, keys_, items_, trees_, settings_);
    std::optional<ViewLimit> views;  // few profiles limit any
    Arranger arranger(items_, trees_, settings_, run_);
    LimitSearch search(settings_, today_.outcome, trees_.prices.triangle,
                       arranger.triangles_today());
    std::optional<Candidate> best;
    for (int round = 0; round < limit_rounds; ++round) {
      std::optional<Candidate> here;
      auto arrangements = arranger.find(search.limits());
      if (!arrangements) {
        return Failure(arrangements.error());
      }
      for (Arrangement& arrangement : *arrangements) {
        if (blends_) {
          blends_->settle(settings_.min_instances, run_, arrangement);
        }
        auto made = make_candidate(std::move(arrangement), search);
        if (!made) {
          return Failure(made.error());
        }
        if (!here || made->is_better(*here)) {
          here = std::move(*made);
        }
      }
      const bool bars = is_above_zero(here->over_us);
      if (bars) {
        if (!views) {
          views.emplace(scene_, items_, trees_, outlook_, run_);
        }
        arranger.bar(views->find_barred(here->arrangement, here->over_us, run_));
      }
      if (!best || here->is_better(*best)) {
        best = std::move(here);
      }
      if (!search.go_on() && !bars) {
        break;
      }
    }
    return std::move(*best);
  }

  static bool is_above_zero(const std::vector<double>& values) {
    return std::any_of(values.begin(), values.end(), [](double value) { return value > 0; });
  }

  Result<Candidate> make_candidate(Arrangement arrangement, LimitSearch& search) {
    Candidate out;
    out.plan = decided_;
    groups_->make(arrangement, run_, out.plan);
    const auto planned = measure_plan(scene_, survey_, sizes_, outlook_, out.plan, run_);
    if (!planned) {
      return Failure(planned.error());
    }
    out.plan.forecast = make_forecast(today_, *planned, outlook_);
    out.excess = search.judge(arrangement.totals, planned->outcome);
    const double growth = outlook_.profile.gpu_growth;
    // Cells are what was asked for, whatever they draw.
    if (growth > 0 && settings_.cell_size_m <= 0) {
      for (std::size_t v = 0; v < planned->gpu_ms.size(); ++v) {
        const double most = std::max(growth * today_.gpu_ms[v], outlook_.profile.few_gpu_ms);
        out.over_us.push_back(1000 * (planned->gpu_ms[v] - most));
        out.excess = std::max(out.excess, planned->gpu_ms[v] / std::max(most, 1e-9));
      }
    }
    out.arrangement = std::move(arrangement);
    return out;
  }

  /// What all candidates would share, for the one that was chosen.
  Result<void> complete(const Families& families, Plan& plan) {
    plan.scene_hash = make_content_hash(scene_, run_);
    plan.survey_settings = survey_.settings;
    plan.wishes = survey_.wishes;
    plan.settings = settings_;
    plan.profile = outlook_.profile.name;
    plan.view_count = static_cast<std::uint32_t>(outlook_.views.size());
    plan.marks = make_marks(scene_, survey_, run_);
    const BlendOrders orders(scene_, survey_, frames_.world(), sight_);
    std::set<Vec3d> eyes;
    std::transform(sight_.eyes.begin(), sight_.eyes.end(), std::inserter(eyes, eyes.end()),
                   [](const OrderEye& eye) { return eye.at; });
    const std::size_t places = eyes.size();
    const std::size_t first = decided_.groups.size();
    const std::vector<bool> cells = find_cells_of(plan);
    if (!for_each_index(plan.groups.size() - first, run_, "naming groups", [&](std::size_t g) {
          Group& group = plan.groups[first + g];
          if (group.kind == GroupKind::instance_set && group.order == BlendOrder::every_eye) {
            order_instances(orders, survey_, group);
          }
          if (group.order != BlendOrder::as_members) {
            group.reason += "; " + settle_order(orders, survey_, places, group) +
                            describe_among(cells[first + g]);
          }
          plan.groups[first + g].id = make_group_id(plan.groups[first + g]);
        })) {
      return Failure(make_cancelled());
    }
    if (std::any_of(plan.groups.begin(), plan.groups.end(), needs_eyes)) {
      plan.sight = sight_;
    }
    describe_values(scene_, settings_.instance_values, plan.groups);
    NameGiver names(scene_);
    for (const Group& group : decided_.groups) {
      names.reserve(group.name);
      names.reserve(group.object);
    }
    for (std::size_t g = first; g < plan.groups.size(); ++g) {
      plan.groups[g].name = names.make_numbered(plan.groups[g].name);
    }
    if (settings_.mesh_unit == MeshUnit::place) {
      join_places(first, names, plan);
    }
    record_families(families, plan);
    return {};
  }

  /// By group: all that is blended is sorted right around it, from everywhere.
  [[nodiscard]] std::vector<bool> find_cells_of(const Plan& plan) const {
    const BlendSorting& sorting = outlook_.profile.sorts_blended;
    const bool proved = settings_.blended == Blended::proved && sorting.by == SortBy::distance;
    return proved ? find_cells(scene_, survey_, frames_.world(), sorting.at, plan)
                  : std::vector<bool>(plan.groups.size(), false);
  }

  /// Why a group is sorted well among all else that is blended.
  [[nodiscard]] std::string describe_among(bool cell) const {
    return cell ? "; among others in cells: right by distance"
           : outlook_.views.empty()
               ? ""
               : fmt::format("; among others as good as one by one in {} views",
                             outlook_.views.size());
  }

  /// Clusters of one place become primitives of one object: under one moving root, or in one cell
  /// of the grid, where their levels, tags and lightmap pages agree.
  void join_places(std::size_t first, NameGiver& names, Plan& plan) const {
    using Place = std::tuple<NodeId, std::vector<LevelId>, std::vector<Tag>, std::string,
                             std::array<double, 3>>;
    std::map<Place, std::vector<std::size_t>> places;
    std::vector<Place> order;
    for (std::size_t g = first; g < plan.groups.size(); ++g) {
      const Group& group = plan.groups[g];
      const Draw& draw = survey_[find_draw(survey_, group.members.front())];
      const MergeKey& key = survey_[draw.key];
      if (group.kind != GroupKind::cluster ||
          (key.moving_root == no_node && settings_.cell_size_m <= 0) ||
          find_group_rig(survey_, group) != no_rig || draw.deformed) {
        continue;
      }
      std::array<double, 3> cell{};
      for (std::size_t c = 0; c < 3 && settings_.cell_size_m > 0; ++c) {
        cell[c] = std::floor(draw.box.centre()[c] / settings_.cell_size_m);
      }
      const Place place(key.moving_root, key.levels, key.tags, key.lightmap, cell);
      std::vector<std::size_t>& here = places[place];
      here.push_back(g);
      if (here.size() == 1) {
        order.push_back(place);
      }
    }
    for (const Place& place : order) {
      const std::vector<std::size_t>& here = places[place];
      if (here.size() < 2) {
        continue;
      }
      const NodeId root = std::get<0>(place);
      const PatternWord words[] = {{"root", root == no_node ? "world" : scene_[root].name}};
      const std::string name = names.make_numbered(fill_pattern(settings_.object_names, words));
      for (const std::size_t g : here) {
        plan.groups[g].object = name;
      }
    }
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
  BlendSight sight_;
  const RunControl& run_;
  FrameMaker frames_;
  PlanKeys keys_;
  std::vector<bool> done_;    ///< by draw
  std::vector<bool> itself_;  ///< by draw: shown by its own geometry and no other's
  Items items_;
  std::vector<WeighedFrustum> frusta_;
  BlendLooks looks_;  ///< of blended draws
  Trees trees_;
  std::optional<BlendViews> blends_;  ///< with Blended::proved
  std::optional<GroupMaker> groups_;
  Plan plan_;
  Plan decided_;  ///< what is in the plan before anything is arranged
  Measured today_;
};

Failure bad_setting(const char* name, const char* range) {
  return Failure(Error{ErrorCode::bad_setting, fmt::format("{} must be {}", name, range), {}});
}

bool within(double value, double least, double most) { return value >= least && value <= most; }

}  // namespace

BlendSight make_sight(const Outlook& outlook) {
  BlendSight out{outlook.eyes, outlook.profile.sorts_blended};
  const std::vector<OrderEye> views = make_eyes(outlook.views);
  out.eyes.insert(out.eyes.end(), views.begin(), views.end());
  return out;
}

std::string_view to_string(GroupKind kind) {
  return kind == GroupKind::cluster ? "cluster" : "instance_set";
}

std::string_view to_string(BlendOrder order) {
  constexpr std::string_view names[blend_order_count] = {"as_members", "every_eye", "any",
                                                         "given_eyes"};
  return names[static_cast<std::size_t>(order)];
}

std::string_view to_string(ColliderShape shape) {
  constexpr std::string_view names[collider_shape_count] = {"none", "triangles", "box", "hull"};
  return names[static_cast<std::size_t>(shape)];
}

std::string_view to_string(KeepReason reason) {
  constexpr std::string_view names[keep_reason_count] = {
      "must_stay",          "blended",      "only_one_of_its_key", "alone_in_its_cell",
      "above_vertex_limit", "not_repeated", "cheaper_alone",       "by_hand",
      "taken_back"};
  return names[static_cast<std::size_t>(reason)];
}

std::string_view to_string(TakenFrom from) {
  return from == TakenFrom::repeats ? "repeats" : "merges";
}

void add_taken_back(std::vector<TakenBack>& list, TakenBack taken) {
  const auto key = [](const TakenBack& t) { return std::pair(t.draw, t.from); };
  const auto at =
      std::lower_bound(list.begin(), list.end(), taken,
                       [&](const TakenBack& a, const TakenBack& b) { return key(a) < key(b); });
  if (at == list.end() || key(*at) != key(taken)) {
    list.insert(at, std::move(taken));
  }
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
  if (auto valid = validate(settings.geometry); !valid) {
    return valid;
  }
  if (auto valid = validate(settings.gpu_pictures); !valid) {
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
  constexpr std::string_view words[] = {"number", "material", "mesh", "root",
                                        "level",  "lightmap", "tag"};
  constexpr std::string_view object_words[] = {"number", "root"};
  constexpr std::string_view collider_words[] = {"name"};
  const std::tuple<const char*, const std::string&, std::span<const std::string_view>> patterns[] =
      {{"cluster_names", settings.cluster_names, words},
       {"set_names", settings.set_names, words},
       {"object_names", settings.object_names, object_words},
       {"collider_names", settings.collider_names, collider_words}};
  for (const auto& [name, pattern, known] : patterns) {
    if (!is_pattern(pattern, known)) {
      return bad_setting(
          fmt::format("propose.{}", name).c_str(),
          fmt::format("text with {{{}}} in braces", fmt::join(known, "}, {")).c_str());
    }
  }
  for (const std::string& wish : settings.assets) {
    if (const auto valid = validate_wish(wish); !valid) {
      return Failure(
          Error{ErrorCode::bad_setting, "propose.assets has " + valid.error().message, {}});
    }
  }
  if (const std::string fault = find_value_fault(settings.instance_values); !fault.empty()) {
    return Failure(Error{ErrorCode::bad_setting, "propose.instance_values has " + fault, {}});
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

Result<Plan> propose_without(std::span<const TakenBack> taken,
                             const Scene& scene,
                             const Survey& survey,
                             const ProposeSettings& settings,
                             const Outlook& outlook,
                             const RunControl& run) {
  Plan decided;
  decided.taken_back.assign(taken.begin(), taken.end());
  return propose_around(decided, scene, survey, {settings, outlook}, run);
}

Result<Plan> propose_around(const Plan& decided,
                            const Scene& scene,
                            const Survey& survey,
                            const ProposeTask& task,
                            const RunControl& run) {
  if (auto valid = validate(task.settings); !valid) {
    return Failure(valid.error());
  }
  // A node has no tint: what differs by one is a mesh of its own.
  ProposeSettings settings = task.settings;
  if (settings.instances == InstanceForm::nodes) {
    settings.tints.clear();
  }
  Proposer proposer(scene, survey, {settings, task.outlook, task.only}, run);
  proposer.take_over(decided);
  return proposer.run();
}

}  // namespace wakuzume
