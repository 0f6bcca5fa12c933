// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cmath>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>

#include "job/telling.h"
#include "job/views.h"
#include "wakuzume/pose.h"

namespace wakuzume {
namespace {

/// A pose, and what of the result is looked at.
struct PosedPair {
  std::string name;
  Scene before;
  Scene after;
  const LedgerResult* result = nullptr;  ///< that is looked at; null: all that is deformed
};

/// Chosen evenly from what can be posed: moments of animations and morph targets in turn.
class PoseChooser {
 public:
  PoseChooser(const Compared& scenes, std::uint32_t count) : scenes_(scenes) {
    for (const LedgerResult& result : scenes.ledger.results) {
      if (!is_there(result)) {
        continue;
      }
      if (!result.joints.empty() || !result.targets.empty()) {
        results_.push_back(&result);
      }
      for (std::uint32_t t = 0; t < count_targets(result); ++t) {
        targets_.emplace_back(&result, t);
      }
    }
    const std::size_t half = targets_.empty() ? count : (count + 1) / 2;
    if (!results_.empty()) {
      moments_ = list_played(half);
    }
    const std::size_t room = std::min<std::size_t>(count - moments_.size(), targets_.size());
    for (std::size_t i = 0; i < room; ++i) {
      chosen_.push_back(targets_[i * targets_.size() / room]);
    }
  }

  [[nodiscard]] std::size_t count() const { return moments_.size() + chosen_.size(); }

  [[nodiscard]] PosedPair make(std::size_t i) const {
    if (i < moments_.size()) {
      const Moment& moment = moments_[i];
      return {fmt::format("{} at {:.2f} s", scenes_.before.animations[moment.animation].name,
                          moment.time_s),
              make_posed(scenes_.before, moment), make_posed(scenes_.after, moment), nullptr};
    }
    const auto& [result, target] = chosen_[i - moments_.size()];
    PosedPair out{fmt::format("target {} of {}", target, result->group), scenes_.before,
                  scenes_.after, result};
    const std::set<Target> moved = find_linked(*result, target);
    std::map<NodeId, std::vector<double>> weights_of;  // of the source
    for (const LedgerResult& other : scenes_.ledger.results) {
      if (!is_there(other)) {
        continue;
      }
      std::vector<double> weights(count_targets(other), 0);
      for (const CarriedTargets& carried : other.targets) {
        std::vector<double>& own = weights_of[carried.draw.node];
        own.resize(std::max(own.size(), carried.number.size()), 0);
        for (std::uint32_t t = 0; t < carried.number.size(); ++t) {
          own[t] = moved.contains({carried.draw.node, t}) ? 1 : 0;
          if (carried.number[t] < weights.size()) {
            weights[carried.number[t]] = std::max(weights[carried.number[t]], own[t]);
          }
        }
      }
      if (!weights.empty()) {
        out.after.nodes[to_index(other.node)].weights = std::move(weights);
      }
    }
    for (const LedgerRow& row : scenes_.ledger.rows) {
      const auto weights = weights_of.find(row.source.node);
      if (weights != weights_of.end() && to_index(row.source.node) < out.before.nodes.size()) {
        out.before.nodes[to_index(row.source.node)].weights = weights->second;
        if (row.fate == Fate::kept && to_index(row.node) < out.after.nodes.size()) {
          out.after.nodes[to_index(row.node)].weights = weights->second;
        }
      }
    }
    return out;
  }

 private:
  using Target = std::pair<NodeId, std::uint32_t>;  ///< node of the source, and which of its own

  /// All that has to move where one target of a result does: what became the same one, and what
  /// other results have of those nodes.
  [[nodiscard]] std::set<Target> find_linked(const LedgerResult& result,
                                             std::uint32_t target) const {
    std::set<Target> out;
    std::set<std::pair<const LedgerResult*, std::uint32_t>> done;
    std::vector<std::pair<const LedgerResult*, std::uint32_t>> open{{&result, target}};
    while (!open.empty()) {
      const auto [of, number] = open.back();
      open.pop_back();
      if (!done.emplace(of, number).second) {
        continue;
      }
      for (const CarriedTargets& carried : of->targets) {
        for (std::uint32_t own = 0; own < carried.number.size(); ++own) {
          if (carried.number[own] == number) {
            out.emplace(carried.draw.node, own);
          }
        }
      }
      for (const LedgerResult& other : scenes_.ledger.results) {
        for (const CarriedTargets& carried : other.targets) {
          for (std::uint32_t own = 0; own < carried.number.size(); ++own) {
            if (out.contains({carried.draw.node, own})) {
              open.emplace_back(&other, carried.number[own]);
            }
          }
        }
      }
    }
    return out;
  }

  /// Of the animation that has most tracks of what is deformed, in their order: they can be played.
  [[nodiscard]] std::vector<Moment> list_played(std::size_t count) const {
    std::set<NodeId> moved;
    for (const LedgerResult* result : results_) {
      moved.insert(result->joints.begin(), result->joints.end());
      for (const CarriedTargets& carried : result->targets) {
        moved.insert(carried.draw.node);
      }
    }
    std::size_t most = 0;
    std::uint32_t chosen = no_index;
    const std::size_t both =
        std::min(scenes_.before.animations.size(), scenes_.after.animations.size());
    for (std::uint32_t a = 0; a < both; ++a) {
      const auto& channels = scenes_.before.animations[a].channels;
      const auto tracks = static_cast<std::size_t>(std::count_if(
          channels.begin(), channels.end(),
          [&](const AnimationChannel& channel) { return moved.contains(channel.node); }));
      if (tracks > most) {
        most = tracks;
        chosen = a;
      }
    }
    std::vector<Moment> out;
    for (const Moment& moment :
         list_moments(scenes_.before, static_cast<std::uint32_t>(count), no_index)) {
      if (moment.animation == chosen) {
        out.push_back(moment);
      }
    }
    return out;
  }

  /// A ledger comes from a file: one whose results are not there has nothing to be posed.
  [[nodiscard]] bool is_there(const LedgerResult& result) const {
    const Scene& after = scenes_.after;
    return to_index(result.node) < after.nodes.size() && after[result.node].mesh != no_mesh &&
           result.primitive < after[after[result.node].mesh].primitives.size();
  }

  [[nodiscard]] std::uint32_t count_targets(const LedgerResult& result) const {
    return result.targets.empty() ? 0
                                  : static_cast<std::uint32_t>(
                                        primitive_of(scenes_.after, result).morph_targets.size());
  }

  const Compared& scenes_;
  std::vector<const LedgerResult*> results_;
  std::vector<std::pair<const LedgerResult*, std::uint32_t>> targets_;
  std::vector<std::pair<const LedgerResult*, std::uint32_t>> chosen_;
  std::vector<Moment> moments_;
};

/// Towards the middle of a box that fills the picture, from the front and a little to the side.
Viewpoint look_at(const std::string& name, const Box3d& box) {
  constexpr double angle = 0.5;
  constexpr double room =
      1.6;  // of half the diagonal: boxes around poses are larger than the figure
  const Vec3d centre = box.centre();
  double reach = 0;
  for (std::size_t c = 0; c < 3; ++c) {
    reach += (box.max[c] - box.min[c]) * (box.max[c] - box.min[c]) / 4;
  }
  reach = std::max(std::sqrt(reach), 1e-3);
  Viewpoint out =
      make_viewpoint(name,
                     {centre[0] + room * reach * std::sin(angle), centre[1] + 0.3 * reach,
                      centre[2] + room * reach * std::cos(angle)},
                     centre);
  out.znear_m = 0.05 * reach;
  return out;
}

struct Posed {
  std::unique_ptr<Survey> survey;
  std::unique_ptr<ShotMaker> shots;
};

Result<Posed> make_drawable(const Scene& scene,
                            const Job& job,
                            ShotMakers& makers,
                            const RunControl& run) {
  Posed out;
  auto found = survey(scene, job.settings.survey, run);
  if (!found) {
    return Failure(found.error());
  }
  out.survey = std::make_unique<Survey>(std::move(*found));
  auto made = makers.make(
      {scene, *out.survey, {}},
      {job.settings.verify.picture_width_px, job.settings.verify.picture_height_px}, run);
  if (!made) {
    return Failure(made.error());
  }
  out.shots = std::move(*made);
  return out;
}

/// Around what became of the result, whatever it does; or of all results, or of the largest where
/// they stand far apart. \param result  null: all
Box3d find_box(const Compared& scenes, const LedgerResult* result, const Survey& survey) {
  std::map<DrawRef, Box3d> boxes;
  for (const LedgerResult& of : scenes.ledger.results) {
    if (result == nullptr ? !of.joints.empty() || !of.targets.empty() : &of == result) {
      boxes[{of.node, of.primitive}] = {};
    }
  }
  std::map<DrawRef, DrawRef> result_of;
  for (const LedgerRow& row : scenes.ledger.rows) {
    result_of[row.source] = {row.node, row.primitive};
  }
  for (const Draw& draw : survey.draws) {
    const auto there = result_of.find({draw.node, draw.primitive});
    const auto box = there == result_of.end() ? boxes.end() : boxes.find(there->second);
    if (box != boxes.end()) {
      box->second.include(draw.box);
    }
  }
  Box3d all;
  Box3d largest;
  for (const auto& [place, box] : boxes) {
    all.include(box);
    if (largest.empty() || box.largest_extent() > largest.largest_extent()) {
      largest = box;
    }
  }
  constexpr double far_apart = 4;
  return largest.empty() || all.largest_extent() > far_apart * largest.largest_extent() ? largest
                                                                                        : all;
}

/// Hands one pose on to who is shown views.
class PoseAudience final : public ViewAudience {
 public:
  PoseAudience(ViewAudience& audience, std::size_t number, std::string name)
      : audience_(audience), number_(number), name_(std::move(name)) {}
  void begin(const DrawnScene&, const DrawnScene&) override {}
  void show(std::size_t,
            const Viewpoint&,
            const Shot& before,
            const Shot& after,
            const Pixels&) override {
    audience_.show_pose(number_, name_, before, after);
  }

 private:
  ViewAudience& audience_;
  std::size_t number_;
  std::string name_;
};

}  // namespace

Result<void> compare_poses(const Compared& scenes,
                           const Job& job,
                           const JobTools& tools,
                           const RunControl& run,
                           Verdict& verdict) {
  const PoseChooser poses(scenes, job.settings.verify.picture_poses);
  VerifySettings settings = job.settings.verify;
  settings.sorting = job.profile.sorts_blended;
  for (std::size_t i = 0; i < poses.count(); ++i) {
    const PosedPair pair = poses.make(i);
    const auto before = make_drawable(pair.before, job, *tools.shots, run);
    if (!before) {
      return Failure(before.error());
    }
    const auto after = make_drawable(pair.after, job, *tools.shots, run);
    if (!after) {
      return Failure(after.error());
    }
    const Box3d box = find_box(scenes, pair.result, *before->survey);
    if (box.empty()) {
      continue;
    }
    Verdict here;
    here.passed = true;
    here.reductions = verdict.reductions;
    const Viewpoint view = look_at(pair.name, box);
    std::optional<PoseAudience> audience;
    if (tools.audience != nullptr) {
      audience.emplace(*tools.audience, i, pair.name);
    }
    if (auto done = verify_views({pair.before, *before->survey, *before->shots},
                                 {pair.after, *after->survey, *after->shots}, scenes.ledger,
                                 {&view, 1}, settings, here, audience ? &*audience : nullptr, run);
        !done) {
      return done;
    }
    for (ViewCheck& check : here.views) {
      check.number = static_cast<std::uint32_t>(i);
      verdict.posed_views.push_back(std::move(check));
    }
    verdict.passed = verdict.passed && here.passed;
    std::move(here.rejected.begin(), here.rejected.end(), std::back_inserter(verdict.rejected));
    std::move(here.group_faults.begin(), here.group_faults.end(),
              std::back_inserter(verdict.group_faults));
  }
  if (!verdict.posed_views.empty()) {
    tell(run, "drew {} poses", verdict.posed_views.size());
  }
  std::stable_sort(verdict.posed_views.begin(), verdict.posed_views.end(),
                   [](const ViewCheck& a, const ViewCheck& b) {
                     return std::pair(a.passed, a.psnr_db) < std::pair(b.passed, b.psnr_db);
                   });
  return {};
}

}  // namespace wakuzume
