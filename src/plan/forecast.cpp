// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/forecast.h"

#include <algorithm>
#include <map>
#include <numeric>
#include <set>

#include "plan/check.h"
#include "plan/items.h"

namespace wakuzume {
namespace {

/// Of a frame's passes, those that draw what the view sees in colour.
template <class Figure>
Spread find_main_spread(const Frames& frames, const Figure& figure) {
  std::vector<double> values;
  for (const FrameCost& frame : frames.views) {
    double sum = 0;
    for (std::size_t p = 0; p < frame.passes.size(); ++p) {
      sum += frames.profile.passes[p].kind == PassKind::main ? figure(frame.passes[p]) : 0;
    }
    values.push_back(sum);
  }
  return make_spread(values);
}

/// The survey that the result of a plan would have, as far as frames are concerned: draws with
/// their boxes, counts and states.
class PlannedSurvey {
 public:
  PlannedSurvey(const Survey& survey, const Plan& plan) : survey_(survey), plan_(plan) {
    out_.pipelines = survey.pipelines;
    out_.bounds = survey.bounds;
  }

  Survey make() {
    for (const Group& group : plan_.groups) {
      add_group(group);
    }
    for (const KeptDraw& kept : plan_.kept) {
      add_kept(survey_[find_draw(survey_, kept.draw)]);
    }
    return std::move(out_);
  }

 private:
  void add_group(const Group& group) {
    const Draw& first = survey_[find_draw(survey_, group.members.front())];
    Shape shape;
    shape.mesh = first.mesh;
    shape.primitive = first.primitive;
    shape.material = group.material;
    shape.pipeline = survey_[first.shape].pipeline;
    shape.topology = survey_[first.shape].topology;
    Draw draw = first;
    draw.material = group.material;
    draw.shape = make_id<ShapeId>(out_.shapes.size());
    draw.triangles = group.triangles;
    draw.instances = group.kind == GroupKind::cluster ? 1 : group.instance_count();
    draw.vertices = group.vertices;
    draw.box = Box3d{};
    for (const DrawRef& member : group.members) {
      draw.box.include(survey_[find_draw(survey_, member)].box);
    }
    out_.shapes.push_back(std::move(shape));
    out_.draws.push_back(draw);
  }

  void add_kept(Draw draw) {
    const auto [slot, added] =
        shapes_.try_emplace(draw.shape, make_id<ShapeId>(out_.shapes.size()));
    if (added) {
      out_.shapes.push_back(survey_[draw.shape]);
    }
    draw.shape = slot->second;
    out_.draws.push_back(draw);
  }

  const Survey& survey_;
  const Plan& plan_;
  Survey out_;
  std::map<ShapeId, ShapeId> shapes_;
};

/// Draws, triangles, and the frames over the views.
/// \param outlook  with at least one pass
Result<Outcome> measure_outcome(const Scene& scene,
                                const Survey& survey,
                                const Outlook& outlook,
                                const RunControl& run) {
  Outcome out;
  out.draws = survey.draws.size();
  for (const Draw& draw : survey.draws) {
    out.triangles += draw.triangles;
  }
  if (outlook.views.empty()) {
    return out;
  }
  const auto visibility = make_visibility(survey, outlook.views, run);
  if (!visibility) {
    return Failure(visibility.error());
  }
  const auto frames =
      measure_frames(scene, survey, outlook.views, *visibility, {}, outlook.profile, run);
  if (!frames) {
    return Failure(frames.error());
  }
  out.view_draws = find_main_spread(
      *frames, [](const PassCost& pass) { return static_cast<double>(pass.draws); });
  out.view_triangles = find_main_spread(
      *frames, [](const PassCost& pass) { return static_cast<double>(pass.triangles); });
  out.frame_draws = frames->find_spread(
      [](const FrameCost& frame) { return static_cast<double>(frame.total.draws); });
  out.frame_ms = frames->find_spread([](const FrameCost& frame) { return frame.total.ms(); });
  out.mean_ms =
      std::transform_reduce(frames->views.begin(), frames->views.end(), 0.0, std::plus<>{},
                            [](const FrameCost& frame) { return frame.total.ms(); }) /
      static_cast<double>(frames->views.size());
  return out;
}

/// Stored geometry, shared data once.
void add_stored(const Survey& survey, const std::vector<ShapeSize>& sizes, Outcome& before) {
  for (std::size_t s = 0; s < sizes.size(); ++s) {
    before.vertices += survey.shapes[s].vertices;
    before.bytes += static_cast<std::uint64_t>(sizes[s].bytes);
  }
}

void add_stored_after(const Survey& survey,
                      const std::vector<ShapeSize>& sizes,
                      const Plan& plan,
                      Outcome& after) {
  std::vector<bool> seen(survey.shapes.size(), false);
  const auto add_shape = [&](const DrawRef& ref) {
    const std::size_t shape = to_index(survey[find_draw(survey, ref)].shape);
    if (!seen[shape]) {
      seen[shape] = true;
      after.vertices += survey.shapes[shape].vertices;
      after.bytes += static_cast<std::uint64_t>(sizes[shape].bytes);
    }
  };
  // Sets of one prototype share its mesh, whether it is the source's own or made for them.
  std::set<std::vector<DrawRef>> made;
  for (const KeptDraw& kept : plan.kept) {
    add_shape(kept.draw);
  }
  for (const Group& group : plan.groups) {
    if (group.kind == GroupKind::cluster) {
      after.vertices += group.vertices;
      after.bytes += group.bytes;
    } else {
      after.bytes += instance_bytes * group.instance_count();
      if (group.prototype.size() == 1 && group.axes == identity_matrix) {
        add_shape(group.prototype.front());
      } else if (made.insert(group.prototype).second) {
        after.vertices += group.vertices;
        after.bytes += group.bytes - instance_bytes * group.instance_count();
      }
    }
  }
}

}  // namespace

Result<Outcome> measure_today(const Scene& scene,
                              const Survey& survey,
                              const std::vector<ShapeSize>& sizes,
                              const Outlook& outlook,
                              const RunControl& run) {
  auto today = measure_outcome(scene, survey, outlook, run);
  if (today) {
    add_stored(survey, sizes, *today);
  }
  return today;
}

Result<void> make_forecast(const Scene& scene,
                           const Survey& survey,
                           const std::vector<ShapeSize>& sizes,
                           const Outlook& outlook,
                           const Outcome& today,
                           Plan& plan,
                           const RunControl& run) {
  auto after = measure_outcome(scene, PlannedSurvey(survey, plan).make(), outlook, run);
  if (!after) {
    return Failure(after.error());
  }
  add_stored_after(survey, sizes, plan, *after);
  plan.forecast = {today, *after};
  return {};
}

}  // namespace wakuzume
