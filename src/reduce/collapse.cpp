// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/collapse.h"

#include <algorithm>
#include <initializer_list>
#include <memory>

#include "reduce/collapser.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// Points of a piece: what belongs to them should stay in a processor's cache. Every second time
/// pieces begin half a piece later, so that what lay at their edges lies within.
constexpr std::uint32_t piece_points = 16'384;
/// Pieces leave so many times what may stay to the whole.
constexpr double left_for_the_whole = 1.5;
/// From round to round pieces go up to so many times the cost.
constexpr float cost_step = 2;
constexpr int most_rounds = 40;
constexpr std::uint32_t most_times = 4;

constexpr std::size_t edges_at_once = 8192;

/// What edges cost, in their order; -1 where nothing can be done.
/// \return false when the observer asked to stop
bool list_costs(CollapseField& field,
                std::span<const std::uint32_t> edges,
                const RunControl& run,
                std::vector<float>& costs) {
  costs.resize(edges.size());
  return for_each_range(
      edges.size(), edges_at_once, run, "reducing", [&](std::size_t begin, std::size_t end) {
        WedgePairs pairs;
        for (std::size_t i = begin; i < end; ++i) {
          const std::uint32_t e = edges[i];
          const auto [a, b] = field.net.ends[e];
          field.tried[e] = 0;
          field.judged_at[e] = field.versions[a] + field.versions[b];
          const Move move = field.judge(e, pairs);
          costs[i] = move.from == no_index ? -1.0F : static_cast<float>(move.cost);
        }
      });
}

float find_middle(std::vector<float>& values) {
  if (values.empty()) {
    return 0;
  }
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

/// Neighbouring points that are worked at together.
class Pieces {
 public:
  Pieces(CollapseField& field,
         std::span<std::uint32_t> below,
         std::uint32_t skipped,
         const RunControl& run)
      : field_(field), skipped_(skipped) {
    const auto points = static_cast<std::uint32_t>(field.net.first_corner.size());
    const std::uint32_t count = (points + skipped + piece_points - 1) / piece_points;
    find_deep(run);
    triangles_.resize(count);
    for (std::uint32_t c = 0; c < field_.net.wedge_of.size(); c += 3) {
      if (field_.net.lives(c)) {
        const std::uint32_t piece = find_piece(
            {field_.net.point_at(c), field_.net.point_at(c + 1), field_.net.point_at(c + 2)});
        triangles_[piece == no_index ? 0 : piece] += piece == no_index ? 0 : 1;
      }
    }
    std::vector<std::vector<std::uint32_t>> edges(count);
    for (std::uint32_t e = 0; e < field.net.ends.size(); ++e) {
      const auto [a, b] = field.net.ends[e];
      if (const std::uint32_t piece = a == no_index ? no_index : find_piece({a, b});
          piece != no_index) {
        edges[piece].push_back(e);
      }
    }
    for (std::uint32_t p = 0; p < count; ++p) {
      pieces_.push_back(std::make_unique<Collapser>(
          field, below, Collapser::Piece{std::move(edges[p]), deep_in_, p}));
    }
  }

  /// \param triangles  that are there
  /// \return false when the observer asked to stop
  bool collapse(const SurfaceTarget& target, std::uint64_t triangles, const RunControl& run) {
    std::vector<float> middles(pieces_.size());
    if (!for_each_index(pieces_.size(), run, "reducing", [&](std::size_t p) {
          std::vector<float> costs;
          list_costs(field_, pieces_[p]->edges(), {.threads = 1}, costs);
          pieces_[p]->queue(costs);
          middles[p] = find_middle(costs);
        })) {
      return false;
    }
    // What lies deep in a piece keeps its share even where it all costs the same.
    const auto wanted = left_for_the_whole * static_cast<double>(target.triangles);
    const double share = std::min(1.0, wanted / static_cast<double>(triangles));
    float cost = std::max(find_middle(middles), 1e-30F);
    for (int round = 0; round < most_rounds; ++round, cost *= cost_step) {
      const auto left = static_cast<double>(triangles - dropped());
      if (left <= wanted) {
        break;
      }
      if (!for_each_index(pieces_.size(), run, "reducing", [&](std::size_t p) {
            const auto most =
                static_cast<std::uint64_t>(static_cast<double>(triangles_[p]) * (1 - share));
            pieces_[p]->collapse({most, cost, target.error_m}, {});
          })) {
        return false;
      }
      steps_.push_back({triangles - dropped(), cost});
    }
    return true;
  }

  [[nodiscard]] std::span<const SurfaceStep> steps() const { return steps_; }
  [[nodiscard]] std::uint64_t dropped() const {
    std::uint64_t sum = 0;
    for (const auto& piece : pieces_) {
      sum += piece->dropped();
    }
    return sum;
  }
  [[nodiscard]] double error_m() const {
    double most = 0;
    for (const auto& piece : pieces_) {
      most = std::max(most, piece->error_m());
    }
    return most;
  }

 private:
  [[nodiscard]] std::uint32_t piece_of(std::uint32_t point) const {
    return (point + skipped_) / piece_points;
  }

  /// The piece that all of some points are deep in, or no_index.
  [[nodiscard]] std::uint32_t find_piece(std::initializer_list<std::uint32_t> points) const {
    const std::uint32_t piece = deep_in_[*points.begin()];
    return std::all_of(points.begin(), points.end(),
                       [&](std::uint32_t point) { return deep_in_[point] == piece; })
               ? piece
               : no_index;
  }

  /// Points all of whose neighbours fulfil something, by point: their piece, or no_index.
  template <class Fits>
  std::vector<std::uint32_t> list_inner(const RunControl& run, const Fits& fits) const {
    const SurfaceNet& net = field_.net;
    std::vector<std::uint32_t> out(net.first_corner.size(), no_index);
    for_each_range(
        out.size(), piece_points, run, "reducing", [&](std::size_t begin, std::size_t end) {
          for (std::size_t p = begin; p < end; ++p) {
            const std::uint32_t piece = piece_of(static_cast<std::uint32_t>(p));
            bool inner = true;
            for (std::uint32_t c = net.first_corner[p]; c != no_index && inner;
                 c = net.next_at_point[c]) {
              inner = !net.lives(c) || (fits(net.point_at(SurfaceNet::next(c)), piece) &&
                                        fits(net.point_at(SurfaceNet::previous(c)), piece));
            }
            out[p] = inner ? piece : no_index;
          }
        });
    return out;
  }

  void find_deep(const RunControl& run) {
    const std::vector<std::uint32_t> own = list_inner(
        run, [&](std::uint32_t beside, std::uint32_t piece) { return piece_of(beside) == piece; });
    deep_in_ = list_inner(
        run, [&](std::uint32_t beside, std::uint32_t piece) { return own[beside] == piece; });
  }

  CollapseField& field_;
  std::uint32_t skipped_ = 0;
  std::vector<std::uint32_t> deep_in_;
  std::vector<std::uint64_t> triangles_;  // by piece: those deep in it
  std::vector<std::unique_ptr<Collapser>> pieces_;
  std::vector<SurfaceStep> steps_;
};

}  // namespace

bool collapse(CollapseField& field,
              const SurfaceTarget& target,
              const RunControl& run,
              Collapse& out) {
  std::uint64_t triangles = field.net.wedge_of.size() / 3;
  std::vector<std::uint32_t> below(field.net.ends.size());
  for (std::uint32_t time = 0;
       time < most_times && field.net.first_corner.size() > 2 * piece_points &&
       static_cast<double>(triangles) > left_for_the_whole * static_cast<double>(target.triangles);
       ++time) {
    Pieces pieces(field, below, time % 2 * (piece_points / 2), run);
    if (!pieces.collapse(target, triangles, run)) {
      return false;
    }
    triangles -= pieces.dropped();
    out.steps.insert(out.steps.end(), pieces.steps().begin(), pieces.steps().end());
    out.error_m = std::max(out.error_m, pieces.error_m());
  }
  if (triangles <= target.triangles) {
    return true;
  }
  std::vector<std::uint32_t> edges;
  for (std::uint32_t e = 0; e < field.net.ends.size(); ++e) {
    if (field.net.ends[e][0] != no_index) {
      edges.push_back(e);
    }
  }
  std::vector<float> costs;
  if (!list_costs(field, edges, run, costs)) {
    return false;
  }
  Collapser whole(field, below, {std::move(edges), {}, 0});
  whole.queue(costs);
  const std::uint64_t wanted = triangles - target.triangles;
  if (!whole.collapse({wanted, std::numeric_limits<float>::infinity(), target.error_m}, run)) {
    return false;
  }
  for (const SurfaceStep& step : whole.steps()) {
    out.steps.push_back({triangles - step.triangles, step.cost});
  }
  out.error_m = std::max(out.error_m, whole.error_m());
  out.why = whole.dropped() >= wanted ? ReducedTo::count
            : whole.too_far()         ? ReducedTo::error
                                      : ReducedTo::shape;
  return true;
}

}  // namespace wakuzume
