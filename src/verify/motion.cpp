// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/motion.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <optional>

#include "scene/elements.h"
#include "scene/matrix.h"
#include "scene/running.h"
#include "survey/poses.h"
#include "survey/rigs.h"
#include "verify/allowance.h"
#include "verify/audit_parts.h"

namespace wakuzume {
namespace {

/// One draw of one scene, read once: its own vertices, what its targets add, what carries it.
class MovingDraw {
 public:
  MovingDraw(const Scene& scene, NodeId node, std::uint32_t primitive)
      : node_(node), positions_(read(scene, find_primitive(scene, node, primitive))) {
    const Primitive& shown = *find_primitive(scene, node, primitive);
    for (const std::vector<Attribute>& target : shown.morph_targets) {
      const StreamId moves = find_stream(target, "POSITION");
      targets_.push_back(moves == no_stream ? std::vector<float>() : make_floats(scene, moves));
    }
    const SkinId skin = scene[node].skin;
    if (skin == no_skin) {
      return;
    }
    skin_ = &scene.skins[to_index(skin)];
    binds_ = make_inverse_binds(scene, *skin_);
    take_influences(scene, shown);
  }

  [[nodiscard]] std::size_t count() const { return positions_.size() / 3; }

  /// What a pose makes of it: of a skin, a matrix a joint; and targets with a weight.
  struct Posed {
    std::vector<Eigen::Matrix<double, 3, 4>> matrices;  ///< of a node, one
    std::vector<std::pair<const float*, double>> targets;
  };
  [[nodiscard]] Posed pose(const Pose& pose) const {
    Posed out;
    if (skin_ == nullptr) {
      out.matrices.emplace_back(as_eigen(pose.world[to_index(node_)]).topRows<3>());
    }
    for (std::size_t j = 0; skin_ != nullptr && j < skin_->joints.size(); ++j) {
      const Eigen::Matrix4d matrix =
          as_eigen(pose.world[to_index(skin_->joints[j])]) * as_eigen(binds_[j]);
      out.matrices.emplace_back(matrix.topRows<3>());
    }
    const std::vector<double>& weights = pose.weights[to_index(node_)];
    for (std::size_t t = 0; t < std::min(targets_.size(), weights.size()); ++t) {
      if (weights[t] != 0 && targets_[t].size() == positions_.size()) {
        out.targets.emplace_back(targets_[t].data(), weights[t]);
      }
    }
    return out;
  }

  [[nodiscard]] Eigen::Vector3d find(std::uint32_t v, const Posed& posed) const {
    Eigen::Vector4d at(positions_[3 * v], positions_[3 * v + 1], positions_[3 * v + 2], 1);
    for (const auto& [moves, weight] : posed.targets) {
      at.head<3>() +=
          weight * Eigen::Map<const Eigen::Vector3f>(moves + 3 * std::size_t{v}).cast<double>();
    }
    if (skin_ == nullptr) {
      return posed.matrices.front() * at;
    }
    Eigen::Vector3d out = Eigen::Vector3d::Zero();
    for (std::size_t i = first_[v]; i < first_[v + 1]; ++i) {
      out += influences_[i].second * (posed.matrices[influences_[i].first] * at);
    }
    return out;
  }

 private:
  /// Vertex by vertex, those that have a weight and a joint.
  void take_influences(const Scene& scene, const Primitive& shown) {
    std::vector<std::array<std::vector<double>, 2>> sets;
    for (const InfluenceSet& set : list_influences(shown)) {
      sets.push_back({make_doubles(scene, set.joints), make_doubles(scene, set.weights)});
    }
    first_.push_back(0);
    for (std::size_t v = 0; v < count(); ++v) {
      for (const auto& [joints, weights] : sets) {
        for (std::size_t i = 4 * v; i < 4 * (v + 1); ++i) {
          if (weights[i] != 0 && joints[i] < static_cast<double>(binds_.size())) {
            influences_.emplace_back(static_cast<std::uint32_t>(joints[i]), weights[i]);
          }
        }
      }
      first_.push_back(influences_.size());
    }
  }

  static std::vector<double> read(const Scene& scene, const Primitive* primitive) {
    const StreamId stream = primitive == nullptr ? no_stream : primitive->find("POSITION");
    return stream == no_stream ? std::vector<double>() : make_doubles(scene, stream);
  }

  NodeId node_;
  std::vector<double> positions_;
  std::vector<std::vector<float>> targets_;
  const Skin* skin_ = nullptr;
  std::vector<Mat4d> binds_;
  std::vector<std::pair<std::uint32_t, double>> influences_;  ///< joint and weight
  std::vector<std::size_t> first_;                            ///< of each vertex, and behind all
};

/// A pose of both scenes.
struct PosePair {
  Pose before;
  Pose after;
  std::string what;             ///< "at 1.25 s of "walk""
  NodeId node_after = no_node;  ///< of the result that alone is another one; no_node: all are
};

class MotionAuditor {
 public:
  MotionAuditor(const Scene& before,
                const Scene& after,
                const Ledger& ledger,
                const VerifySettings& settings)
      : before_(before), after_(after), ledger_(ledger), settings_(settings) {}

  Result<MotionAudit> run(
      const std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>>& vertices,
      const RunControl& run) {
    MotionAudit out;
    out.findings.resize(ledger_.rows.size());
    for (std::size_t r = 0; r < vertices.size(); ++r) {
      if (!vertices[r].empty()) {
        rows_.push_back(r);
      }
    }
    if (rows_.empty()) {
      return out;
    }
    // Rows of one result share what is read of it.
    std::map<DrawRef, std::size_t> number;
    std::vector<DrawRef> results;
    for (const std::size_t r : rows_) {
      const DrawRef result{ledger_.rows[r].node, ledger_.rows[r].primitive};
      if (number.try_emplace(result, results.size()).second) {
        results.push_back(result);
      }
    }
    std::vector<std::optional<MovingDraw>> was(rows_.size());
    std::vector<std::optional<MovingDraw>> is(results.size());
    bool goes_on = for_each_index(rows_.size(), run, "auditing motion",
                                  [&](std::size_t i) {
                                    const DrawRef& draw = ledger_.rows[rows_[i]].source;
                                    was[i].emplace(before_, draw.node, draw.primitive);
                                  }) &&
                   for_each_index(results.size(), run, "auditing motion", [&](std::size_t i) {
                     is[i].emplace(after_, results[i].node, results[i].primitive);
                   });
    std::vector<double> errors(rows_.size(), 0);
    std::vector<std::uint64_t> places(rows_.size(), 0);
    for_each_pose([&](const PosePair& pose) {
      ++out.poses;
      std::vector<MovingDraw::Posed> posed;
      std::transform(is.begin(), is.end(), std::back_inserter(posed),
                     [&](const auto& draw) { return draw->pose(pose.after); });
      goes_on = goes_on && for_each_index(rows_.size(), run, "auditing motion", [&](std::size_t i) {
                  const LedgerRow& row = ledger_.rows[rows_[i]];
                  if (pose.node_after != no_node && pose.node_after != row.node) {
                    return;
                  }
                  places[i] += vertices[rows_[i]].size();
                  const std::size_t n = number.at({row.node, row.primitive});
                  errors[i] =
                      std::max(errors[i], compare({row.source, pose.what, *was[i],
                                                   was[i]->pose(pose.before), *is[n], posed[n]},
                                                  vertices[rows_[i]], out.findings[rows_[i]]));
                });
      return goes_on;
    });
    if (!goes_on) {
      return Failure(make_cancelled());
    }
    for (std::size_t i = 0; i < rows_.size(); ++i) {
      out.places += places[i];
      out.largest_error_m = std::max(out.largest_error_m, errors[i]);
    }
    return out;
  }

 private:
  /// One after the other: of a large scene all poses would take much memory.
  /// \param visit  false: stop
  template <class Visit>
  void for_each_pose(const Visit& visit) const {
    PosePair pair{make_rest_pose(before_), make_rest_pose(after_), "at rest", no_node};
    if (!visit(pair) || !for_each_target(pair, visit)) {
      return;
    }
    std::uint32_t poses = 0;
    for (std::size_t a = 0; a < std::min(before_.animations.size(), after_.animations.size());
         ++a) {
      const AnimationPlayer was(before_, before_.animations[a]);
      const AnimationPlayer is(after_, after_.animations[a]);
      for (std::uint32_t m = 1; was.plays() && m <= settings_.moments; ++m) {
        const double time = was.begin() + (was.end() - was.begin()) * m / settings_.moments;
        if (++poses > settings_.poses ||
            !visit({was.find(time), is.find(time),
                    fmt::format("at {:.3g} s of \"{}\"", time, before_.animations[a].name),
                    no_node})) {
          return;
        }
      }
    }
  }

  /// Each target of each result by itself, and all that became it.
  /// \param rest  is as it was afterwards
  template <class Visit>
  bool for_each_target(PosePair& rest, const Visit& visit) const {
    PosePair pair = rest;
    for (const LedgerResult& result : ledger_.results) {
      // A ledger comes from a file.
      const bool sound =
          to_index(result.node) < after_.nodes.size() &&
          std::all_of(result.targets.begin(), result.targets.end(), [&](const CarriedTargets& c) {
            return to_index(c.draw.node) < before_.nodes.size();
          });
      if (!sound) {
        continue;
      }
      std::vector<double>& after = pair.after.weights[to_index(result.node)];
      for (std::uint32_t t = 0; t < after.size() && !result.targets.empty(); ++t) {
        for (const CarriedTargets& carried : result.targets) {
          std::vector<double>& weights = pair.before.weights[to_index(carried.draw.node)];
          for (std::size_t own = 0; own < std::min(weights.size(), carried.number.size()); ++own) {
            weights[own] = carried.number[own] == t ? 1 : 0;
          }
        }
        for (std::size_t w = 0; w < after.size(); ++w) {
          after[w] = w == t ? 1 : 0;
        }
        pair.node_after = result.node;
        pair.what = fmt::format("with target {} of {}", t, after_[result.node].name);
        if (!visit(pair)) {
          return false;
        }
      }
      for (const CarriedTargets& carried : result.targets) {
        pair.before.weights[to_index(carried.draw.node)] =
            rest.before.weights[to_index(carried.draw.node)];
      }
      after = rest.after.weights[to_index(result.node)];
    }
    return true;
  }

  /// One draw in one pose of both scenes.
  struct PosedRow {
    const DrawRef& draw;
    const std::string& pose;
    const MovingDraw& was;
    MovingDraw::Posed old_pose;
    const MovingDraw& is;
    const MovingDraw::Posed& new_pose;
  };

  double compare(const PosedRow& row,
                 const std::vector<std::pair<std::uint32_t, std::uint32_t>>& vertices,
                 MotionFinding& finding) const {
    const auto& [draw, pose, was, old_pose, is, new_pose] = row;
    Box3d box;
    double error = 0;
    for (const auto& [from, to] : vertices) {
      if (from >= was.count() || to >= is.count()) {
        continue;  // the audit told of it
      }
      const Eigen::Vector3d wanted = was.find(from, old_pose);
      const Eigen::Vector3d got = is.find(to, new_pose);
      box.include(Vec3d{wanted.x(), wanted.y(), wanted.z()});
      const double off = (wanted - got).norm();
      error = std::isnan(off) ? error : std::max(error, off);
    }
    const double allowed = settings_.motion_tolerance * find_reach_of(box) +
                           find_allowance(ledger_.geometry).position_m;
    if (error > allowed && finding.what.empty()) {
      finding = {draw, fmt::format("{} a corner is {:.3g} m from its place; {:.3g} m are allowed",
                                   pose, error, allowed)};
    }
    return error;
  }

  /// The extent, and what floats lose far away from the origin.
  static double find_reach_of(const Box3d& box) {
    double farthest = 0;
    for (std::size_t c = 0; c < 3; ++c) {
      farthest = std::max({farthest, std::abs(box.min[c]), std::abs(box.max[c])});
    }
    constexpr double float_share = 0.05;
    return std::max(box.largest_extent(), float_share * farthest);
  }

  const Scene& before_;
  const Scene& after_;
  const Ledger& ledger_;
  const VerifySettings& settings_;
  std::vector<std::size_t> rows_;  ///< that are looked at
};

}  // namespace

bool is_in_motion(const Scene& before, const Scene& after, const LedgerRow& row) {
  if (row.fate != Fate::merged) {
    return false;
  }
  const Primitive* was = find_primitive(before, row.source.node, row.source.primitive);
  const Primitive* is = find_primitive(after, row.node, row.primitive);
  return was != nullptr && is != nullptr &&
         (before[row.source.node].skin != no_skin || after[row.node].skin != no_skin ||
          !was->morph_targets.empty() || !is->morph_targets.empty());
}

Result<MotionAudit> audit_motion(
    const Scene& before,
    const Scene& after,
    const Ledger& ledger,
    const std::vector<std::vector<std::pair<std::uint32_t, std::uint32_t>>>& vertices,
    const VerifySettings& settings,
    const RunControl& run) {
  return MotionAuditor(before, after, ledger, settings).run(vertices, run);
}

}  // namespace wakuzume
