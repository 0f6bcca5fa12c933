// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <optional>

#include "scene/elements.h"
#include "scene/matrix.h"
#include "survey/rigs.h"
#include "verify/audit_parts.h"
#include "verify/motion.h"

// Whether what a skin or morph targets deform is bound as it was: to the same joints by the same
// weights, in the same place of each, with the same moves. Then it is in the same place in any
// pose.
namespace wakuzume {
namespace {

/// Of the distance from a joint: inverse bind matrices are floats.
constexpr double place_tolerance = 2e-6;
constexpr double weight_tolerance = 1e-6;
constexpr double float_ulp_share = 2.5e-7;  // of a coordinate that went through two of them

/// A vertex as one joint carries it.
struct Hang {
  NodeId joint = no_node;  ///< node of the source
  double weight = 0;
  Eigen::Matrix4d matrix;  ///< from the vertex's own space to the joint's
};

/// One side of a pairing: what carries its vertices.
class Carried {
 public:
  /// Deformed by the skin of a node. \param joint_of  node of the source, by joint
  Carried(const Scene& scene,
          const Primitive& primitive,
          const Skin& skin,
          const std::vector<NodeId>& joint_of)
      : joint_of_(joint_of), binds_(make_inverse_binds(scene, skin)) {
    for (const InfluenceSet& set : list_influences(primitive)) {
      sets_.emplace_back(ElementReader(scene, set.joints), ElementReader(scene, set.weights));
    }
  }
  /// Hung on one node.
  Carried(NodeId carrier, const Eigen::Matrix4d& matrix) : rigid_(Hang{carrier, 1, matrix}) {}

  /// Ascending by joint, each once, without those of no weight; nothing where a joint does not
  /// exist.
  [[nodiscard]] std::optional<std::vector<Hang>> find(std::uint32_t v) const {
    if (rigid_) {
      return std::vector<Hang>{*rigid_};
    }
    std::map<NodeId, Hang> found;
    for (const auto& [joints, weights] : sets_) {
      std::array<double, 4> j{};
      std::array<double, 4> w{};
      joints.load(v, j.data());
      weights.load(v, w.data());
      for (std::size_t i = 0; i < 4; ++i) {
        const auto joint = static_cast<std::size_t>(j[i]);
        if (w[i] != 0 && joint >= joint_of_.size()) {
          return std::nullopt;
        }
        if (w[i] != 0) {
          Hang& hang = found[joint_of_[joint]];
          hang.joint = joint_of_[joint];
          hang.weight += w[i];
          hang.matrix = as_eigen(binds_[joint]);
        }
      }
    }
    std::vector<Hang> out;
    std::transform(found.begin(), found.end(), std::back_inserter(out),
                   [](const auto& entry) { return entry.second; });
    return out;
  }

 private:
  std::optional<Hang> rigid_;
  std::vector<NodeId> joint_of_;
  std::vector<Mat4d> binds_;
  std::vector<std::pair<ElementReader, ElementReader>> sets_;
};

Eigen::Vector3d load_vector(const ElementReader& reader, std::uint32_t v) {
  Eigen::Vector4d out = Eigen::Vector4d::Zero();
  reader.load(v, out.data());
  return out.head<3>();
}

/// By how much the directions of two vectors differ; 0 where the first has none.
double find_turn(const Eigen::Vector3d& wanted, const Eigen::Vector3d& got) {
  const double length = wanted.norm();
  return length > 0 && std::isfinite(length)
             ? (got.normalized() - wanted / length).cwiseAbs().maxCoeff()
             : 0;
}

/// The same vectors of both sides, as the heaviest joint or the node turns them.
struct Turns {
  Eigen::Matrix3d before;
  Eigen::Matrix3d after;
  [[nodiscard]] Turns normals() const {
    return {make_normal_matrix(before), make_normal_matrix(after)};
  }
};

/// What carries a draw of the source: its skin, or the joint that it hangs on; nothing where it
/// hangs on none, or something moves it below one.
std::optional<Carried> find_carried(const Scene& scene,
                                    const DrawRef& draw,
                                    const std::vector<NodeId>& joints,
                                    const std::vector<Mat4d>& world,
                                    const Surroundings& surroundings) {
  const Node& node = scene[draw.node];
  if (node.skin != no_skin) {
    const Skin& skin = scene.skins[to_index(node.skin)];
    return Carried(scene, primitive_of(scene, draw), skin, skin.joints);
  }
  NodeId carrier = draw.node;
  while (carrier != no_node && std::find(joints.begin(), joints.end(), carrier) == joints.end()) {
    carrier = scene[carrier].parent;
  }
  if (carrier == no_node || surroundings.movers(carrier) != surroundings.movers(draw.node)) {
    return std::nullopt;
  }
  return Carried(
      carrier, as_eigen(world[to_index(carrier)]).inverse() * as_eigen(world[to_index(draw.node)]));
}

/// One vertex on both sides.
struct HangCheck {
  std::string mismatch;  ///< empty: the same joints carry it by the same weights, in its places
  double error_m = 0;
  std::optional<Turns> turns;  ///< of its heaviest joint; nothing: it has none
};

HangCheck compare_hangs(const std::optional<std::vector<Hang>>& was,
                        const std::optional<std::vector<Hang>>& is,
                        const Eigen::Vector3d& p,
                        const Eigen::Vector3d& q,
                        double allowed) {
  HangCheck out;
  if (!was || !is || was->size() != is->size()) {
    out.mismatch = "hangs on other joints";
    return out;
  }
  double heaviest = 0;
  for (std::size_t h = 0; h < was->size(); ++h) {
    const Hang& a = (*was)[h];
    const Hang& b = (*is)[h];
    if (a.joint != b.joint || std::abs(a.weight - b.weight) > weight_tolerance) {
      out.mismatch = "hangs on other joints, or by other weights";
      return out;
    }
    const Eigen::Vector3d wanted = (a.matrix * p.homogeneous()).head<3>();
    const Eigen::Vector3d got = (b.matrix * q.homogeneous()).head<3>();
    const double most = allowed + place_tolerance * wanted.norm() +
                        float_ulp_share * (b.matrix.topLeftCorner<3, 3>().norm() * q.norm() +
                                           b.matrix.topRightCorner<3, 1>().norm());
    const double error = (wanted - got).norm();
    if (!(error <= most) && wanted.allFinite()) {
      out.mismatch = fmt::format(
          "is bound {:.3g} m from its place on a joint; {:.3g} m are allowed", error, most);
      return out;
    }
    out.error_m = std::max(out.error_m, error);
    if (!out.turns || a.weight > heaviest) {
      heaviest = a.weight;
      out.turns = Turns{a.matrix.topLeftCorner<3, 3>(), b.matrix.topLeftCorner<3, 3>()};
    }
  }
  return out;
}

/// Normals or tangents that both sides have.
struct PairedDirections {
  std::string semantic;
  ElementReader was;
  ElementReader is;

  /// What differs; empty: nothing does.
  [[nodiscard]] std::string compare(std::uint32_t before,
                                    std::uint32_t after,
                                    const Turns& turns,
                                    double hand,
                                    double tolerance) const {
    const bool normal = semantic == "NORMAL";
    const Turns by = normal ? turns.normals() : turns;
    Eigen::Vector4d wanted = Eigen::Vector4d::Zero();
    Eigen::Vector4d got = Eigen::Vector4d::Zero();
    was.load(before, wanted.data());
    is.load(after, got.data());
    const double error = find_turn(by.before * wanted.head<3>(), by.after * got.head<3>());
    const bool wrong_hand = !normal && wanted.w() * got.w() * hand < 0;
    return error <= tolerance && !wrong_hand
               ? std::string()
               : fmt::format("has its {} off by {:.3g}", semantic, error);
  }
};

std::vector<PairedDirections> list_directions(const Scene& before,
                                              const Primitive& was,
                                              const Scene& after,
                                              const Primitive& is) {
  std::vector<PairedDirections> out;
  for (const char* semantic : {"NORMAL", "TANGENT"}) {
    if (was.find(semantic) != no_stream && is.find(semantic) != no_stream) {
      out.push_back({semantic, ElementReader(before, was.find(semantic)),
                     ElementReader(after, is.find(semantic))});
    }
  }
  return out;
}

}  // namespace

/// The joints are the same nodes, standing and moving as they did.
std::string Auditor::compare_joints(const LedgerRow& row, const LedgerResult& result) const {
  const Skin& skin = after_.skins[to_index(after_[row.node].skin)];
  if (skin.joints.size() != result.joints.size()) {
    return fmt::format("its skin has {} joints, the ledger says {}", skin.joints.size(),
                       result.joints.size());
  }
  for (std::size_t j = 0; j < skin.joints.size(); ++j) {
    const NodeId was = result.joints[j];
    const NodeId is = skin.joints[j];
    if (to_index(was) >= before_.nodes.size() || before_[was].name != after_[is].name ||
        before_world_[to_index(was)] != after_world_[to_index(is)] ||
        surroundings_before_.movers(was) != surroundings_after_.movers(is)) {
      return fmt::format("joint {} of its skin is another node", j);
    }
  }
  return {};
}

void Auditor::compare_deformed(const LedgerRow& row,
                               const Pairing& pairing,
                               double allowed,
                               DrawAudit& out) const {
  const auto found = deformed_.find({row.node, row.primitive});
  if (found == deformed_.end()) {
    out.mismatch = "it is deformed, and the ledger does not say by what";
    return;
  }
  const LedgerResult& result = *found->second;
  if (is_skinned_anew(row)) {
    out.mismatch = compare_joints(row, result);
    if (out.mismatch.empty()) {
      compare_bound(row, result, pairing, allowed, out);
    }
  } else if (before_[row.source.node].skin != no_skin) {
    out.mismatch = "its skin was lost";
  } else {
    compare_all(pairing, allowed, out);
  }
  if (out.mismatch.empty()) {
    out.mismatch = compare_targets(row, result, pairing);
  }
  for (const VertexPair& pair : pairing.vertices) {
    out.vertices.emplace_back(pair.before, pair.after);
  }
}

void Auditor::compare_bound(const LedgerRow& row,
                            const LedgerResult& result,
                            const Pairing& pairing,
                            double allowed,
                            DrawAudit& out) const {
  const std::optional<Carried> was =
      find_carried(before_, row.source, result.joints, before_world_, surroundings_before_);
  if (!was) {
    out.mismatch = "it hangs on none of the joints";
    return;
  }
  const Carried is(after_, *pairing.after, after_.skins[to_index(after_[row.node].skin)],
                   result.joints);
  const ElementReader before(before_, pairing.before->find("POSITION"));
  const ElementReader after(after_, pairing.after->find("POSITION"));
  const bool mirrored = linear_determinant(before_world_[to_index(row.source.node)]) *
                            linear_determinant(after_world_[to_index(row.node)]) <
                        0;
  // A skin takes tangents along by its own matrices, whatever its node mirrors.
  const double hand = before_[row.source.node].skin == no_skin && mirrored ? -1 : 1;
  const std::vector<PairedDirections> directions =
      list_directions(before_, *pairing.before, after_, *pairing.after);
  for (const VertexPair& pair : pairing.vertices) {
    const HangCheck check =
        compare_hangs(was->find(pair.before), is.find(pair.after), load_vector(before, pair.before),
                      load_vector(after, pair.after), allowed);
    out.position_error_m = std::max(out.position_error_m, check.error_m);
    out.mismatch = check.mismatch;
    for (const PairedDirections& of : directions) {
      if (out.mismatch.empty() && check.turns) {
        out.mismatch =
            of.compare(pair.before, pair.after, *check.turns, hand, pairing.direction_tolerance);
      }
    }
    if (!out.mismatch.empty()) {
      out.mismatch = fmt::format("corner {} {}", pair.corner, out.mismatch);
      return;
    }
  }
  count_elements(pairing, out);
  out.mismatch = compare_attributes(pairing, [&](const Attribute& attribute) {
    const bool direction = attribute.semantic == "NORMAL" || attribute.semantic == "TANGENT";
    return !is_influence(attribute.semantic) &&
           !(direction && pairing.before->find(attribute.semantic) != no_stream);
  });
  if (out.mismatch.empty()) {
    out.mismatch = find_lost(pairing);
  }
}

/// Every target moves what it moved, and the others nothing.
std::string Auditor::compare_targets(const LedgerRow& row,
                                     const LedgerResult& result,
                                     const Pairing& pairing) const {
  const auto carried =
      std::find_if(result.targets.begin(), result.targets.end(),
                   [&](const CarriedTargets& entry) { return entry.draw == row.source; });
  const std::vector<std::uint32_t> none;
  const std::vector<std::uint32_t>& number =
      carried == result.targets.end() ? none : carried->number;
  const auto& old_targets = pairing.before->morph_targets;
  const auto& new_targets = pairing.after->morph_targets;
  if (number.size() != old_targets.size()) {
    return fmt::format("{} morph targets, of which the ledger carries {}", old_targets.size(),
                       number.size());
  }
  std::vector<std::uint32_t> own_of(new_targets.size(), no_index);
  for (std::uint32_t own = 0; own < number.size(); ++own) {
    if (number[own] >= new_targets.size() || own_of[number[own]] != no_index) {
      return fmt::format("morph target {} became none of the result's", own);
    }
    own_of[number[own]] = own;
  }
  // Moves differ in size by what their spaces do; directions of their sums are the audit of
  // motion's.
  const bool bound = before_[row.source.node].skin != no_skin || is_skinned_anew(row);
  const Eigen::Matrix3d from = as_eigen(pairing.before_world).topLeftCorner<3, 3>();
  const Eigen::Matrix3d to = as_eigen(pairing.after_world).topLeftCorner<3, 3>();
  for (std::size_t t = 0; t < new_targets.size(); ++t) {
    for (const Attribute& attribute : new_targets[t]) {
      const StreamId had = own_of[t] == no_index
                               ? no_stream
                               : find_stream(old_targets[own_of[t]], attribute.semantic);
      const ElementReader is(after_, attribute.stream);
      std::optional<ElementReader> was;
      if (had != no_stream) {
        was.emplace(before_, had);
      }
      for (const VertexPair& pair : pairing.vertices) {
        const Eigen::Vector3d got = load_vector(is, pair.after);
        const Eigen::Vector3d wanted =
            was ? load_vector(*was, pair.before) : Eigen::Vector3d(Eigen::Vector3d::Zero());
        const bool moves = wanted.norm() > 0;
        if (moves != (got.norm() > 0)) {
          return fmt::format("morph target {} {} corner {}", t, moves ? "moves no more" : "moves",
                             pair.corner);
        }
        if (!moves || bound || attribute.semantic != "POSITION") {
          continue;
        }
        const double error = (from * wanted - to * got).norm();
        if (!(error <= place_tolerance * (from * wanted).norm())) {
          return fmt::format("morph target {} moves corner {} otherwise", t, pair.corner);
        }
      }
    }
  }
  return {};
}

}  // namespace wakuzume
