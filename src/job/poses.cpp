// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cmath>
#include <memory>
#include <optional>

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
  const LedgerResult* result = nullptr;
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
    constexpr std::uint32_t of_each = 8;
    moments_ =
        results_.empty() ? std::vector<Moment>() : list_moments(scenes.before, of_each, half);
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
              make_posed(scenes_.before, moment), make_posed(scenes_.after, moment),
              results_[i % results_.size()]};
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

/// Towards the middle of a box that fills the picture, each time from another side.
Viewpoint look_at(const std::string& name, const Box3d& box, std::size_t turn) {
  constexpr double golden_turn = 2.399963229728653;
  constexpr double room = 2.2;  // of half the diagonal: an opening of 60 degrees holds it
  const Vec3d centre = box.centre();
  double reach = 0;
  for (std::size_t c = 0; c < 3; ++c) {
    reach += (box.max[c] - box.min[c]) * (box.max[c] - box.min[c]) / 4;
  }
  reach = std::max(std::sqrt(reach), 1e-3);
  const double angle = golden_turn * static_cast<double>(turn);
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

/// Around what became of the result, whatever it does.
Box3d find_box(const Compared& scenes, const LedgerResult& result, const Survey& survey) {
  Box3d box;
  for (const LedgerRow& row : scenes.ledger.rows) {
    if (row.node != result.node || row.primitive != result.primitive) {
      continue;
    }
    for (const Draw& draw : survey.draws) {
      if (draw.node == row.source.node && draw.primitive == row.source.primitive) {
        box.include(draw.box);
      }
    }
  }
  return box;
}

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
    const Box3d box = find_box(scenes, *pair.result, *before->survey);
    if (box.empty()) {
      continue;
    }
    Verdict here;
    here.passed = true;
    here.reductions = verdict.reductions;
    const Viewpoint view = look_at(pair.name, box, i);
    if (auto done = verify_views({pair.before, *before->survey, *before->shots},
                                 {pair.after, *after->survey, *after->shots}, scenes.ledger,
                                 {&view, 1}, settings, here, nullptr, run);
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
