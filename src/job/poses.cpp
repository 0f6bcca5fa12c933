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
    for (const CarriedTargets& carried : result->targets) {
      std::vector<double>& weights = out.before.nodes[to_index(carried.draw.node)].weights.ensure();
      weights.assign(carried.number.size(), 0);
      for (std::size_t own = 0; own < weights.size(); ++own) {
        weights[own] = carried.number[own] == target ? 1 : 0;
      }
    }
    Node& node = out.after.nodes[to_index(result->node)];
    const std::size_t all = out.after[node.mesh].primitives[result->primitive].morph_targets.size();
    node.weights = std::vector<double>(all, 0);
    node.weights.ensure()[target] = 1;
    return out;
  }

 private:
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
    for (std::uint32_t a = 0; a < scenes_.before.animations.size(); ++a) {
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

  static std::uint32_t count_targets(const LedgerResult& result) {
    std::uint32_t count = 0;
    for (const CarriedTargets& carried : result.targets) {
      for (const std::uint32_t number : carried.number) {
        count = std::max(count, number + 1);
      }
    }
    return count;
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
