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
#include <tuple>

#include "cost/shadows.h"
#include "plan/arrange.h"
#include "plan/check.h"
#include "plan/forecast.h"
#include "plan/groups.h"
#include "plan/items.h"
#include "plan/keys.h"
#include "plan/names.h"
#include "plan/proposer.h"
#include "plan/set_judge.h"
#include "scene/matrix.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr int growth_rounds = 6;

/// The limit is on the median view, what is held is a mean: looks for the mean growth at which the
/// median just holds.
class GrowthSearch {
 public:
  explicit GrowthSearch(double limit) : allowed_(limit - 1), mean_(allowed_) {}

  /// Times the triangles of today.
  [[nodiscard]] double mean() const { return 1 + mean_; }
  /// \param over  growth of the median at this mean, in parts of what is allowed
  /// \return whether another mean is worth a try
  bool go_on(double over) {
    const Tried last = exceeded_;
    (over <= 1 ? held_ : exceeded_) = {mean_, over};
    const double width = exceeded_.mean - held_.mean;
    if (over <= 1 && (exceeded_.over == 0 || over > near_enough || width < 0.05 * allowed_)) {
      return false;
    }
    // On a line through two means: one on each side if there are, else the last that exceeded it,
    // and then further than to where it crosses the limit.
    const bool known = held_.mean > 0 || last.over <= exceeded_.over;
    const Tried& other = known ? held_ : last;
    const double across = (exceeded_.mean - other.mean) / (exceeded_.over - other.over);
    const double aim = held_.mean > 0 ? 0.97 : 0.85;
    mean_ = std::clamp(exceeded_.mean + across * (aim - exceeded_.over), held_.mean + 0.1 * width,
                       exceeded_.mean - 0.1 * width);
    return exceeded_.mean > 0;
  }

 private:
  struct Tried {
    double mean = 0;
    double over = 0;
  };
  static constexpr double near_enough = 0.9;
  double allowed_;
  double mean_;
  Tried held_;
  Tried exceeded_;
};

class Proposer {
 public:
  Proposer(const Scene& scene, const Survey& survey, const ProposeTask& task, const RunControl& run)
      : scene_(scene),
        survey_(survey),
        settings_(task.settings),
        sizes_(make_shape_sizes(scene, survey)),
        outlook_{task.outlook.views, with_passes(task.outlook.profile)},
        run_(run),
        frames_(scene, survey),
        keys_(make_plan_keys(scene, survey, settings_)),
        done_(survey.draws.size(), task.only != nullptr),
        itself_(survey.draws.size(), false) {
    if (task.only != nullptr) {
      for (const DrawRef& ref : *task.only) {
        done_[to_index(find_draw(survey, ref))] = false;
      }
    }
  }

  /// Groups and draws that are decided already.
  void take_over(const Plan& previous) {
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
    if (run_.observer != nullptr && !run_.observer->advance("proposing", 0)) {
      return Failure(make_cancelled());
    }
    auto families = find_families(scene_, survey_, settings_.families, run_);
    if (!families) {
      return Failure(families.error());
    }
    const std::vector<DrawId> draws = list_free();
    decided_ = plan_;
    if (!outlook_.views.empty()) {
      frusta_ = list_frusta(scene_, outlook_.views, outlook_.profile);
    }
    auto before = measure_today(scene_, survey_, sizes_, outlook_, run_);
    if (!before) {
      return Failure(before.error());
    }
    today_ = *before;
    while (true) {
      auto plan = arrange(*families, draws);
      if (!plan) {
        return plan;
      }
      // Each round takes more draws out of the repeats, and without any there is no misfit.
      if (take_misfits_back(*plan)) {
        complete(*families, *plan);
        return plan;
      }
    }
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

  Result<Plan> arrange(const Families& families, const std::vector<DrawId>& draws) {
    items_ = make_items({scene_, survey_, keys_, families, frames_.world(), sizes_, draws, itself_,
                         settings_, outlook_.profile},
                        run_);
    auto trees = make_trees(items_, frusta_, make_plan_prices(), settings_, run_);
    if (!trees) {
      return Failure(trees.error());
    }
    trees_ = std::move(*trees);
    return settle();
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
  bool take_misfits_back(const Plan& plan) {
    const SetJudge judge(scene_, survey_, settings_.families, frames_);
    const std::size_t first = decided_.groups.size();
    std::vector<std::vector<Misfit>> misfits(plan.groups.size() - first);
    for_each_index(misfits.size(), {run_.threads, nullptr}, "", [&](std::size_t g) {
      if (plan.groups[first + g].kind == GroupKind::instance_set) {
        misfits[g] = judge.find_misfits(plan.groups[first + g]);
      }
    });
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

  /// The plan of the cheapest arrangement whose median view holds the limit on triangles, by what
  /// frames take.
  Result<Plan> settle() {
    groups_.emplace(scene_, survey_, keys_, items_, trees_, settings_);
    best_held_ = false;
    Arranger arranger(items_, trees_, settings_, run_);
    GrowthSearch growth(settings_.triangle_growth);
    std::optional<Plan> best;
    for (int round = 0; round < growth_rounds; ++round) {
      double least = std::numeric_limits<double>::infinity();
      for (const Arrangement& arrangement : arranger.find(growth.mean())) {
        if (auto made = make_plan(arrangement); !made) {
          return Failure(made.error());
        }
        const double over = find_growth(arrangement);
        least = std::min(least, over);
        if (!best || is_better(plan_, over <= 1, *best)) {
          best = plan_;
          best_held_ = over <= 1;
        }
      }
      if (!growth.go_on(least)) {
        break;
      }
    }
    return *best;
  }

  /// A plan within the limit is better than one that is not, else the one with shorter frames.
  [[nodiscard]] bool is_better(const Plan& plan, bool held, const Plan& best) const {
    return held == best_held_ ? plan.forecast.after.mean_ms < best.forecast.after.mean_ms : held;
  }

  Result<void> make_plan(const Arrangement& arrangement) {
    plan_ = decided_;
    groups_->make(arrangement, run_, plan_);
    return make_forecast(scene_, survey_, sizes_, outlook_, today_, plan_, run_);
  }

  /// Triangles of the median view on top of today's, in parts of what the limit allows; none where
  /// they do not matter.
  [[nodiscard]] double find_growth(const Arrangement& arrangement) const {
    if (settings_.triangle_growth <= 0 || settings_.cell_size_m > 0 ||
        arrangement.totals.gpu_us <= settings_.few_triangles_ms * 1000) {
      return 0;
    }
    const double today = today_.view_triangles.median;
    const double over = plan_.forecast.after.view_triangles.median - today;
    return over / std::max((settings_.triangle_growth - 1) * today, 1e-3 * today);
  }

  /// What all candidates would share, for the one that was chosen.
  void complete(const Families& families, Plan& plan) {
    plan.scene_hash = make_content_hash(scene_, run_);
    plan.survey_settings = survey_.settings;
    plan.settings = settings_;
    plan.profile = outlook_.profile.name;
    plan.view_count = static_cast<std::uint32_t>(outlook_.views.size());
    plan.marks = make_marks(scene_, survey_, run_);
    const std::size_t first = decided_.groups.size();
    for_each_index(plan.groups.size() - first, {run_.threads, nullptr}, "", [&](std::size_t g) {
      plan.groups[first + g].id = make_group_id(plan.groups[first + g]);
    });
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
  }

  /// Clusters of one place become primitives of one object: under one moving root, or in one cell
  /// of the grid, where their levels and lightmap pages agree.
  void join_places(std::size_t first, NameGiver& names, Plan& plan) const {
    using Place = std::tuple<NodeId, std::vector<LevelId>, std::string, std::array<double, 3>>;
    std::map<Place, std::vector<std::size_t>> places;
    std::vector<Place> order;
    for (std::size_t g = first; g < plan.groups.size(); ++g) {
      const Group& group = plan.groups[g];
      const Draw& draw = survey_[find_draw(survey_, group.members.front())];
      const MergeKey& key = survey_[draw.key];
      if (group.kind != GroupKind::cluster ||
          (key.moving_root == no_node && settings_.cell_size_m <= 0)) {
        continue;
      }
      std::array<double, 3> cell{};
      for (std::size_t c = 0; c < 3 && settings_.cell_size_m > 0; ++c) {
        cell[c] = std::floor(draw.box.centre()[c] / settings_.cell_size_m);
      }
      std::vector<std::size_t>& here = places[{key.moving_root, key.levels, key.lightmap, cell}];
      here.push_back(g);
      if (here.size() == 1) {
        order.emplace_back(key.moving_root, key.levels, key.lightmap, cell);
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
  const RunControl& run_;
  FrameMaker frames_;
  PlanKeys keys_;
  std::vector<bool> done_;    ///< by draw
  std::vector<bool> itself_;  ///< by draw: shown by its own geometry and no other's
  Items items_;
  std::vector<WeighedFrustum> frusta_;
  Trees trees_;
  std::optional<GroupMaker> groups_;
  Plan plan_;
  Plan decided_;  ///< what is in the plan before anything is arranged
  Outcome today_;
  bool best_held_ = false;
};

Failure bad_setting(const char* name, const char* range) {
  return Failure(Error{ErrorCode::bad_setting, fmt::format("{} must be {}", name, range), {}});
}

bool within(double value, double least, double most) { return value >= least && value <= most; }

}  // namespace

std::string_view to_string(GroupKind kind) {
  return kind == GroupKind::cluster ? "cluster" : "instance_set";
}

std::string_view to_string(ColliderShape shape) {
  constexpr std::string_view names[collider_shape_count] = {"none", "triangles", "box", "hull"};
  return names[static_cast<std::size_t>(shape)];
}

std::string_view to_string(KeepReason reason) {
  constexpr std::string_view names[keep_reason_count] = {
      "must_stay",     "blended", "only_one_of_its_key", "alone_in_its_cell", "above_vertex_limit",
      "cheaper_alone", "by_hand", "taken_back"};
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
  Proposer proposer(scene, survey, task, run);
  proposer.take_over(decided);
  return proposer.run();
}

}  // namespace wakuzume
