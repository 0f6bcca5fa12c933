// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/motion.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "scene/elements.h"
#include "scene/matrix.h"
#include "scene/running.h"
#include "survey/poses.h"
#include "survey/rigs.h"
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
      targets_.push_back(moves == no_stream ? std::vector<double>() : make_doubles(scene, moves));
    }
    const SkinId skin = scene[node].skin;
    if (skin == no_skin) {
      return;
    }
    skin_ = &scene.skins[to_index(skin)];
    binds_ = make_inverse_binds(scene, *skin_);
    for (const InfluenceSet& set : list_influences(shown)) {
      sets_.push_back({make_doubles(scene, set.joints), make_doubles(scene, set.weights)});
    }
  }

  [[nodiscard]] std::size_t count() const { return positions_.size() / 3; }

  /// What a pose makes of it: of a skin, a matrix a joint.
  struct Posed {
    std::vector<Eigen::Matrix4d> joints;
    Eigen::Matrix4d world;
    std::vector<double> weights;
  };
  [[nodiscard]] Posed pose(const Pose& pose) const {
    Posed out;
    out.world = as_eigen(pose.world[to_index(node_)]);
    out.weights = pose.weights[to_index(node_)];
    for (std::size_t j = 0; skin_ != nullptr && j < skin_->joints.size(); ++j) {
      out.joints.emplace_back(as_eigen(pose.world[to_index(skin_->joints[j])]) *
                              as_eigen(binds_[j]));
    }
    return out;
  }

  [[nodiscard]] Eigen::Vector3d find(std::uint32_t v, const Posed& posed) const {
    Eigen::Vector4d at(positions_[3 * v], positions_[3 * v + 1], positions_[3 * v + 2], 1);
    for (std::size_t t = 0; t < std::min(targets_.size(), posed.weights.size()); ++t) {
      if (posed.weights[t] != 0 && 3 * std::size_t{v} + 2 < targets_[t].size()) {
        for (std::size_t c = 0; c < 3; ++c) {
          at[static_cast<Eigen::Index>(c)] += posed.weights[t] * targets_[t][3 * v + c];
        }
      }
    }
    if (skin_ == nullptr) {
      return (posed.world * at).head<3>();
    }
    Eigen::Vector3d out = Eigen::Vector3d::Zero();
    for (const Influences& set : sets_) {
      for (std::size_t i = 4 * std::size_t{v}; i < 4 * (std::size_t{v} + 1); ++i) {
        const auto joint = static_cast<std::size_t>(set.joints[i]);
        if (set.weights[i] != 0 && joint < posed.joints.size()) {
          out += set.weights[i] * (posed.joints[joint] * at).head<3>();
        }
      }
    }
    return out;
  }

 private:
  struct Influences {
    std::vector<double> joints;
    std::vector<double> weights;
  };

  static std::vector<double> read(const Scene& scene, const Primitive* primitive) {
    const StreamId stream = primitive == nullptr ? no_stream : primitive->find("POSITION");
    return stream == no_stream ? std::vector<double>() : make_doubles(scene, stream);
  }

  NodeId node_;
  std::vector<double> positions_;
  std::vector<std::vector<double>> targets_;
  const Skin* skin_ = nullptr;
  std::vector<Mat4d> binds_;
  std::vector<Influences> sets_;
};

/// A pose of both scenes.
struct PosePair {
  Pose before;
  Pose after;
  std::string what;  ///< "at 1.25 s of "walk""
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
    std::vector<std::optional<MovingDraw>> was(rows_.size());
    std::vector<std::optional<MovingDraw>> is(rows_.size());
    bool goes_on = for_each_index(rows_.size(), run, "auditing motion", [&](std::size_t i) {
      const LedgerRow& row = ledger_.rows[rows_[i]];
      was[i].emplace(before_, row.source.node, row.source.primitive);
      is[i].emplace(after_, row.node, row.primitive);
    });
    std::vector<double> errors(rows_.size(), 0);
    for_each_pose([&](const PosePair& pose) {
      ++out.poses;
      goes_on = goes_on && for_each_index(rows_.size(), run, "auditing motion", [&](std::size_t i) {
                  const std::size_t r = rows_[i];
                  errors[i] = std::max(errors[i], compare(ledger_.rows[r].source, *was[i], *is[i],
                                                          vertices[r], pose, out.findings[r]));
                });
      return goes_on;
    });
    if (!goes_on) {
      return Failure(make_cancelled());
    }
    for (std::size_t i = 0; i < rows_.size(); ++i) {
      out.places += vertices[rows_[i]].size() * out.poses;
      out.largest_error_m = std::max(out.largest_error_m, errors[i]);
    }
    return out;
  }

 private:
  /// One after the other: of a large scene all poses would take much memory.
  /// \param visit  false: stop
  template <class Visit>
  void for_each_pose(const Visit& visit) const {
    PosePair pair{make_rest_pose(before_), make_rest_pose(after_), "at rest"};
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
                    fmt::format("at {:.3g} s of \"{}\"", time, before_.animations[a].name)})) {
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
      std::uint32_t count = 0;
      for (const CarriedTargets& carried : result.targets) {
        for (const std::uint32_t number : carried.number) {
          count = std::max(count, number + 1);
        }
      }
      std::vector<double>& after = pair.after.weights[to_index(result.node)];
      for (std::uint32_t t = 0; t < count; ++t) {
        for (const CarriedTargets& carried : result.targets) {
          std::vector<double>& weights = pair.before.weights[to_index(carried.draw.node)];
          for (std::size_t own = 0; own < std::min(weights.size(), carried.number.size()); ++own) {
            weights[own] = carried.number[own] == t ? 1 : 0;
          }
        }
        for (std::size_t w = 0; w < after.size(); ++w) {
          after[w] = w == t ? 1 : 0;
        }
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

  double compare(const DrawRef& draw,
                 const MovingDraw& was,
                 const MovingDraw& is,
                 const std::vector<std::pair<std::uint32_t, std::uint32_t>>& vertices,
                 const PosePair& pair,
                 MotionFinding& finding) const {
    const MovingDraw::Posed old_pose = was.pose(pair.before);
    const MovingDraw::Posed new_pose = is.pose(pair.after);
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
    const double allowed = settings_.motion_tolerance * find_reach_of(box);
    if (error > allowed && finding.what.empty()) {
      finding = {draw, fmt::format("{} a corner is {:.3g} m from its place; {:.3g} m are allowed",
                                   pair.what, error, allowed)};
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
