// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "plan/forecast.h"

#include <algorithm>
#include <functional>
#include <iterator>
#include <map>
#include <numeric>

#include "cost/stamps.h"
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

/// What a scene stores: pieces of geometry that several draws may read, and what a draw has alone.
struct Stored {
  struct Piece {
    std::uint64_t vertices = 0;
    std::uint64_t bytes = 0;
  };
  std::vector<Piece> pieces;
  std::vector<std::uint32_t> piece_of;   ///< by draw
  std::vector<std::uint64_t> own_bytes;  ///< by draw: of its instances

  void add_draw(std::uint32_t piece, std::uint64_t own) {
    piece_of.push_back(piece);
    own_bytes.push_back(own);
  }
  std::uint32_t add_piece(std::uint64_t vertices, std::uint64_t bytes) {
    pieces.push_back({vertices, bytes});
    return static_cast<std::uint32_t>(pieces.size() - 1);
  }
};

Stored list_stored(const Survey& survey, const std::vector<ShapeSize>& sizes) {
  Stored out;
  for (std::size_t s = 0; s < sizes.size(); ++s) {
    out.add_piece(survey.shapes[s].vertices, static_cast<std::uint64_t>(sizes[s].bytes));
  }
  for (const Draw& draw : survey.draws) {
    out.add_draw(static_cast<std::uint32_t>(to_index(draw.shape)), 0);
  }
  return out;
}

/// The survey that the result of a plan would have, as far as frames are concerned: draws with
/// their boxes, counts and states; and what it would store.
class PlannedSurvey {
 public:
  PlannedSurvey(const Survey& survey, const std::vector<ShapeSize>& sizes, const Plan& plan)
      : survey_(survey), sizes_(sizes), piece_of_shape_(survey.shapes.size(), no_index) {
    survey_out_.pipelines = survey.pipelines;
    survey_out_.bounds = survey.bounds;
    for (const Group& group : plan.groups) {
      add_group(group);
    }
    for (const KeptDraw& kept : plan.kept) {
      add_kept(survey_[find_draw(survey_, kept.draw)]);
    }
  }

  [[nodiscard]] const Survey& survey() const { return survey_out_; }
  [[nodiscard]] const Stored& stored() const { return stored_; }

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
    draw.shape = make_id<ShapeId>(survey_out_.shapes.size());
    draw.triangles = group.triangles;
    draw.instances = group.kind == GroupKind::cluster ? 1 : group.instance_count();
    draw.vertices = group.vertices;
    draw.box = Box3d{};
    for (const DrawRef& member : group.members) {
      draw.box.include(survey_[find_draw(survey_, member)].box);
    }
    survey_out_.shapes.push_back(std::move(shape));
    survey_out_.draws.push_back(draw);
    if (group.kind == GroupKind::cluster) {
      stored_.add_draw(stored_.add_piece(group.vertices, group.bytes), 0);
    } else {
      stored_.add_draw(find_prototype(group), instance_bytes * group.instance_count());
    }
  }

  /// Sets of one prototype share its mesh, whether it is the source's own or made for them.
  std::uint32_t find_prototype(const Group& group) {
    if (group.prototype.size() == 1 && group.axes == identity_matrix) {
      return find_piece(survey_[find_draw(survey_, group.prototype.front())].shape);
    }
    const auto [slot, added] = piece_of_prototype_.try_emplace(group.prototype, no_index);
    if (added) {
      slot->second =
          stored_.add_piece(group.vertices, group.bytes - instance_bytes * group.instance_count());
    }
    return slot->second;
  }

  std::uint32_t find_piece(ShapeId shape) {
    std::uint32_t& piece = piece_of_shape_[to_index(shape)];
    if (piece == no_index) {
      piece = stored_.add_piece(survey_[shape].vertices,
                                static_cast<std::uint64_t>(sizes_[to_index(shape)].bytes));
    }
    return piece;
  }

  void add_kept(Draw draw) {
    stored_.add_draw(find_piece(draw.shape), 0);
    const auto [slot, added] =
        shapes_.try_emplace(draw.shape, make_id<ShapeId>(survey_out_.shapes.size()));
    if (added) {
      survey_out_.shapes.push_back(survey_[draw.shape]);
    }
    draw.shape = slot->second;
    survey_out_.draws.push_back(draw);
  }

  const Survey& survey_;
  const std::vector<ShapeSize>& sizes_;
  Survey survey_out_;
  Stored stored_;
  std::map<ShapeId, ShapeId> shapes_;
  std::vector<std::uint32_t> piece_of_shape_;
  std::map<std::vector<DrawRef>, std::uint32_t> piece_of_prototype_;
};

/// Bytes of what each view reads.
Spread find_bytes_read(const Visibility& visibility, const Stored& stored) {
  std::vector<double> bytes(visibility.view_count());
  Stamps pieces;
  for (std::size_t v = 0; v < bytes.size(); ++v) {
    pieces.start(stored.pieces.size());
    for_each_seen(visibility.of_view(v), [&](std::size_t place) {
      const std::uint32_t draw = visibility.boxes().index_at(place);
      bytes[v] += static_cast<double>(stored.own_bytes[draw]);
      pieces.add(stored.piece_of[draw]);
    });
    for (const std::uint32_t piece : pieces.list()) {
      bytes[v] += static_cast<double>(stored.pieces[piece].bytes);
    }
  }
  return make_spread(bytes);
}

template <class Figure>
double find_mean(const Frames& frames, const Figure& figure) {
  return std::transform_reduce(frames.views.begin(), frames.views.end(), 0.0, std::plus<>{},
                               figure) /
         static_cast<double>(frames.views.size());
}

/// Draws, triangles, what is stored, and the frames over the views.
/// \param outlook  with at least one pass
Result<Measured> measure_outcome(const Scene& scene,
                                 const Survey& survey,
                                 const Stored& stored,
                                 const Outlook& outlook,
                                 const RunControl& run) {
  Measured measured;
  Outcome& out = measured.outcome;
  out.draws = survey.draws.size();
  for (const Draw& draw : survey.draws) {
    out.triangles += draw.triangles;
  }
  for (const Stored::Piece& piece : stored.pieces) {
    out.vertices += piece.vertices;
    out.bytes += piece.bytes;
  }
  out.bytes += std::reduce(stored.own_bytes.begin(), stored.own_bytes.end());
  if (outlook.views.empty()) {
    return measured;
  }
  const auto visibility = make_visibility(survey, outlook.views, run);
  if (!visibility) {
    return Failure(visibility.error());
  }
  const auto frames = measure_frames(scene, survey, outlook.views, *visibility, outlook.images,
                                     outlook.profile, run);
  if (!frames) {
    return Failure(frames.error());
  }
  out.view_draws = find_main_spread(
      *frames, [](const PassCost& pass) { return static_cast<double>(pass.draws); });
  out.view_triangles = find_main_spread(
      *frames, [](const PassCost& pass) { return static_cast<double>(pass.triangles); });
  out.view_bytes = find_bytes_read(*visibility, stored);
  out.frame_draws = frames->find_spread(
      [](const FrameCost& frame) { return static_cast<double>(frame.total.draws); });
  out.frame_ms = frames->find_spread([](const FrameCost& frame) { return frame.total.ms(); });
  out.mean_ms = find_mean(*frames, [](const FrameCost& frame) { return frame.total.ms(); });
  const CostProfile& profile = outlook.profile;
  out.price_ms =
      find_mean(*frames,
                [&](const FrameCost& frame) {
                  return frame.total.ms() +
                         profile.faster_share * std::min(frame.total.cpu_ms, frame.total.gpu_ms);
                }) +
      static_cast<double>(out.bytes) / 1e6 * profile.geometry_megabyte_us / 1e3;
  std::transform(frames->views.begin(), frames->views.end(), std::back_inserter(measured.gpu_ms),
                 [](const FrameCost& frame) { return frame.total.gpu_ms; });
  return measured;
}

}  // namespace

Result<Measured> measure_today(const Scene& scene,
                               const Survey& survey,
                               const std::vector<ShapeSize>& sizes,
                               const Outlook& outlook,
                               const RunControl& run) {
  return measure_outcome(scene, survey, list_stored(survey, sizes), outlook, run);
}

Result<Measured> measure_plan(const Scene& scene,
                              const Survey& survey,
                              const std::vector<ShapeSize>& sizes,
                              const Outlook& outlook,
                              const Plan& plan,
                              const RunControl& run) {
  const PlannedSurvey planned(survey, sizes, plan);
  return measure_outcome(scene, planned.survey(), planned.stored(), outlook, run);
}

Result<Outcome> measure_outcome(const Scene& scene,
                                const Survey& survey,
                                const Outlook& outlook,
                                const RunControl& run) {
  Outlook looked = outlook;
  looked.profile = with_passes(outlook.profile);
  auto today = measure_today(scene, survey, make_shape_sizes(scene, survey), looked, run);
  return today ? Result<Outcome>(today->outcome) : Failure(today.error());
}

Forecast make_forecast(const Measured& today, const Measured& planned, const Outlook& outlook) {
  Forecast forecast{outlook.before.value_or(today.outcome), planned.outcome, 1};
  for (std::size_t v = 0; v < today.gpu_ms.size(); ++v) {
    if (today.gpu_ms[v] > 0 && planned.gpu_ms[v] > outlook.profile.few_gpu_ms) {
      forecast.gpu_growth = std::max(forecast.gpu_growth, planned.gpu_ms[v] / today.gpu_ms[v]);
    }
  }
  return forecast;
}

}  // namespace wakuzume
