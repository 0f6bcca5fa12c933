// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/audit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numeric>
#include <optional>

#include "build/tangents.h"
#include "family/judge.h"
#include "scene/elements.h"
#include "scene/matrix.h"
#include "scene/semantics.h"
#include "survey/draws.h"
#include "verify/look.h"

namespace wakuzume {
namespace {

/// Distance from 1.0f to the next float: half of it is the rounding error of a stored coordinate.
constexpr double float_ulp = 1.1920928955078125e-7;
/// What is left of double precision after a chain of transforms.
constexpr double double_slack = 1e-13;

const Primitive* find_primitive(const Scene& scene, NodeId node, std::uint32_t primitive) {
  if (to_index(node) >= scene.nodes.size() || scene[node].mesh == no_mesh) {
    return nullptr;
  }
  const Mesh& mesh = scene[scene[node].mesh];
  return primitive < mesh.primitives.size() ? &mesh.primitives[primitive] : nullptr;
}

StreamId find_stream(const std::vector<Attribute>& attributes, std::string_view semantic) {
  const auto hit = std::find_if(attributes.begin(), attributes.end(),
                                [&](const Attribute& a) { return a.semantic == semantic; });
  return hit == attributes.end() ? no_stream : hit->stream;
}

/// Two streams of either scene hold the same elements, bit for bit.
bool same_stream(const Scene& a, StreamId ia, const Scene& b, StreamId ib) {
  if (ia == no_stream || ib == no_stream) {
    return ia == ib;
  }
  const Stream& x = a[ia];
  const Stream& y = b[ib];
  return x.count == y.count && x.component == y.component && x.element == y.element &&
         x.normalized == y.normalized && make_packed(a, ia) == make_packed(b, ib);
}

bool same_attributes(const Scene& a,
                     const std::vector<Attribute>& x,
                     const Scene& b,
                     const std::vector<Attribute>& y) {
  return x.size() == y.size() && std::all_of(x.begin(), x.end(), [&](const Attribute& attribute) {
           const StreamId other = find_stream(y, attribute.semantic);
           return other != no_stream && same_stream(a, attribute.stream, b, other);
         });
}

bool near(double a, double b, double tolerance) {
  return std::abs(a - b) <= tolerance || (std::isnan(a) && std::isnan(b));
}

}  // namespace

/// One source draw and the range of the result that should be it: corner i of the first list is
/// corner i of the second.
struct Auditor::Pairing {
  const Primitive* before = nullptr;
  const Primitive* after = nullptr;
  Mat4d before_world{};
  Mat4d after_world{};
  std::vector<std::uint32_t> before_corners;  ///< in the order the result should have them
  std::vector<std::uint32_t> before_places;   ///< of those corners in the source's own list
  std::vector<std::uint32_t> after_corners;
  Topology topology = Topology::triangles;
  double direction_tolerance = 0;
  double attribute_tolerance = 1e-6;
  std::vector<std::string> ignored;
};

Auditor::Auditor(const Scene& before,
                 const Scene& after,
                 const Ledger& ledger,
                 const VerifySettings& settings)
    : before_(before),
      after_(after),
      ledger_(ledger),
      settings_(settings),
      before_world_(make_world_matrices(before)),
      after_world_(make_world_matrices(after)),
      surroundings_before_(before, ledger.lightmap_key),
      surroundings_after_(after, ledger.lightmap_key) {}

/// What must agree whatever the geometry: the material, and for kept draws all that moves them.
std::string Auditor::compare_identity(const LedgerRow& row) const {
  const Primitive* before = find_primitive(before_, row.source.node, row.source.primitive);
  const Primitive* after = find_primitive(after_, row.node, row.primitive);
  if (before == nullptr) {
    return "the source has no such draw";
  }
  if (after == nullptr) {
    return fmt::format("the result has no node {} with primitive {}", to_index(row.node),
                       row.primitive);
  }
  if (std::string different = compare_material(row); !different.empty()) {
    return different;
  }
  if (row.fate != Fate::kept) {
    return {};
  }
  const Node& old_node = before_[row.source.node];
  const Node& new_node = after_[row.node];
  if (old_node.name != new_node.name || !same_extra(old_node.extra, new_node.extra)) {
    return "the kept node's name, extras or extensions changed";
  }
  if (old_node.camera != new_node.camera || old_node.light != new_node.light ||
      old_node.skin != new_node.skin) {
    return "the kept node's camera, light or skin changed";
  }
  if (static_cast<bool>(old_node.instancing) != static_cast<bool>(new_node.instancing) ||
      (old_node.instancing && !same_attributes(before_, old_node.instancing->attributes, after_,
                                               new_node.instancing->attributes))) {
    return "the kept node's instances changed";
  }
  if (before->morph_targets.size() != after->morph_targets.size()) {
    return "morph targets were lost";
  }
  for (std::size_t t = 0; t < before->morph_targets.size(); ++t) {
    if (!same_attributes(before_, before->morph_targets[t], after_, after->morph_targets[t])) {
      return fmt::format("morph target {} changed", t);
    }
  }
  return {};
}

/// The same material, or one that is equal by value; of an instance, times what it carries.
std::string Auditor::compare_material(const LedgerRow& row) const {
  const MaterialId before =
      find_primitive(before_, row.source.node, row.source.primitive)->material;
  const MaterialId after = find_primitive(after_, row.node, row.primitive)->material;
  // Where materials went, those that stay have other numbers, which the ledger tells.
  const auto& from = ledger_.material_from;
  const MaterialId was = to_index(after) < from.size() ? from[to_index(after)] : after;
  if (row.fate == Fate::kept && before != was) {
    return fmt::format("material {} became material {}", to_index(before), to_index(after));
  }
  if (before == no_material || after == no_material) {
    return before == after ? "" : "a material came or went";
  }
  const Boxed<Instancing>& set = after_[row.node].instancing;
  const bool tinted = row.fate == Fate::instanced && set;
  const Material shown =
      tinted ? make_tinted(after_, after_[after], *set, row.instance, before_[before])
             : after_[after];
  return same_material(before_, before_[before], after_, shown)
             ? ""
             : fmt::format("material {} became material {}, which looks different",
                           to_index(before), to_index(after));
}

/// Where the result's primitive stands for this row: its node, and below that its instance.
std::optional<Mat4d> Auditor::find_result_matrix(const LedgerRow& row) const {
  const Mat4d& node_world = after_world_[to_index(row.node)];
  if (row.fate != Fate::instanced) {
    return node_world;
  }
  const Node& node = after_[row.node];
  if (row.instance >= count_instances(after_, node)) {
    return std::nullopt;
  }
  if (!node.instancing) {
    return node_world;  // a set of one
  }
  Trs trs;
  const auto load = [&](const char* semantic, double* to) {
    const StreamId stream = find_stream(node.instancing->attributes, semantic);
    if (stream != no_stream) {
      ElementReader(after_, stream).load(row.instance, to);
    }
  };
  load("TRANSLATION", trs.translation.data());
  load("ROTATION", trs.rotation.data());
  load("SCALE", trs.scale.data());
  return make_product(node_world, make_matrix(trs));
}

Auditor::Pairing Auditor::make_pairing(const LedgerRow& row, const Mat4d& result_world) const {
  Pairing pairing;
  pairing.before = find_primitive(before_, row.source.node, row.source.primitive);
  pairing.after = find_primitive(after_, row.node, row.primitive);
  pairing.before_world = before_world_[to_index(row.source.node)];
  pairing.after_world = result_world;
  pairing.topology = find_topology(pairing.before->mode);
  pairing.direction_tolerance = settings_.direction_tolerance;
  pairing.before_corners = make_list_indices(before_, *pairing.before);
  // A triangle faces the same way when its corners go round the same way in world space, which a
  // mirroring matrix reverses.
  const bool turned =
      (linear_determinant(pairing.before_world) < 0) != (linear_determinant(result_world) < 0);
  pairing.before_places.resize(pairing.before_corners.size());
  std::iota(pairing.before_places.begin(), pairing.before_places.end(), 0U);
  if (turned && pairing.topology == Topology::triangles) {
    for (std::size_t i = 0; i + 2 < pairing.before_corners.size(); i += 3) {
      std::swap(pairing.before_corners[i + 1], pairing.before_corners[i + 2]);
      std::swap(pairing.before_places[i + 1], pairing.before_places[i + 2]);
    }
  }
  const bool whole =
      row.fate == Fate::kept || (row.fate == Fate::instanced &&
                                 row.index_count == count_list_indices(after_, *pairing.after));
  if (whole) {
    pairing.after_corners = make_list_indices(after_, *pairing.after);
    return pairing;
  }
  // Only this row's range: decoding the whole cluster for each member would be quadratic.
  const StreamId indices = pairing.after->indices;
  if (indices == no_stream || row.first_index > after_[indices].count ||
      row.index_count > after_[indices].count - row.first_index) {
    return pairing;
  }
  const ElementReader reader(after_, indices);
  for (std::uint64_t i = 0; i < row.index_count; ++i) {
    pairing.after_corners.push_back(reader.index(static_cast<std::uint32_t>(row.first_index + i)));
  }
  return pairing;
}

/// What stored positions may have lost, by what they are and where they stand.
Auditor::Rounding Auditor::find_rounding(const Pairing& pairing, const LedgerRow& row) const {
  const ElementReader reader(after_, pairing.after->find("POSITION"));
  Box3d box;
  double farthest = 0;
  for (const std::uint32_t corner : pairing.after_corners) {
    Vec3d p;
    reader.load(corner, p.data());
    box.include(p);
    farthest = std::max({farthest, std::abs(p[0]), std::abs(p[1]), std::abs(p[2])});
  }
  // A merged primitive's own extent is what the tolerance is a share of.
  const Stream& positions = reader.stream();
  if (row.fate == Fate::merged && positions.bounds && positions.bounds->max.size() == 3) {
    Box3d whole = box;
    const auto& b = *positions.bounds;
    whole.include(Vec3d{b.min[0], b.min[1], b.min[2]});
    whole.include(Vec3d{b.max[0], b.max[1], b.max[2]});
    box = whole;
  }
  const Eigen::Matrix3d linear = as_eigen(pairing.after_world).topLeftCorner<3, 3>();
  const double scale = linear.colwise().norm().maxCoeff();
  double world_size = 0;
  for (std::size_t i = 12; i < 15; ++i) {
    world_size = std::max(world_size, std::abs(pairing.after_world[i]));
  }
  Rounding out;
  out.extent_m = box.largest_extent() * scale;
  out.rounding_m = farthest * scale * float_ulp + world_size * double_slack;
  if (row.fate == Fate::instanced && after_[row.node].instancing) {
    const StreamId stream = find_stream(after_[row.node].instancing->attributes, "TRANSLATION");
    Vec3d stored{0, 0, 0};
    if (stream != no_stream) {
      ElementReader(after_, stream).load(row.instance, stored.data());
    }
    // In the metres of what moves the set; and a turn is stored as floats as well.
    const double above = as_eigen(after_world_[to_index(row.node)])
                             .topLeftCorner<3, 3>()
                             .colwise()
                             .norm()
                             .maxCoeff();
    out.rounding_m +=
        float_ulp * (farthest * scale + above * std::max({std::abs(stored[0]), std::abs(stored[1]),
                                                          std::abs(stored[2])}));
  }
  return out;
}

void Auditor::compare_elements(const Pairing& pairing, double allowed, DrawAudit& out) const {
  const ElementReader before(before_, pairing.before->find("POSITION"));
  const ElementReader after(after_, pairing.after->find("POSITION"));
  const auto before_world = as_eigen(pairing.before_world);
  const auto after_world = as_eigen(pairing.after_world);
  for (std::size_t i = 0; i < pairing.before_corners.size(); ++i) {
    Eigen::Vector4d p(0, 0, 0, 1);
    Eigen::Vector4d q(0, 0, 0, 1);
    before.load(pairing.before_corners[i], p.data());
    after.load(pairing.after_corners[i], q.data());
    const Eigen::Vector4d wanted = before_world * p;
    const Eigen::Vector4d got = after_world * q;
    if (!wanted.allFinite() && !got.allFinite()) {
      continue;  // it is nowhere, before and after
    }
    const double error = (wanted - got).cwiseAbs().maxCoeff();
    if (!(error <= allowed)) {
      out.mismatch = fmt::format("corner {} stands {:.3g} m from its place; {:.3g} m are allowed",
                                 i, error, allowed);
      return;
    }
    out.position_error_m = std::max(out.position_error_m, error);
  }
  const std::uint64_t corners = pairing.before_corners.size();
  if (pairing.topology == Topology::triangles) {
    out.triangles = corners / 3;
  } else {
    out.elements = pairing.topology == Topology::lines ? corners / 2 : corners;
  }
}

std::string Auditor::compare_directions(const Pairing& pairing, const Attribute& attribute) const {
  const bool normals = attribute.semantic == "NORMAL";
  // Tangents that the build made are made again here.
  std::vector<float> made;
  if (!normals && !has_tangents(*pairing.before)) {
    if (!can_make_tangents(before_, *pairing.before)) {
      return "TANGENT came from nowhere";
    }
    made = make_corner_tangents(make_corner_data(before_, *pairing.before));
  }
  const StreamId other = made.empty() ? pairing.before->find(attribute.semantic) : no_stream;
  const ElementReader after(after_, attribute.stream);
  const Eigen::Matrix3d before_linear = as_eigen(pairing.before_world).topLeftCorner<3, 3>();
  const Eigen::Matrix3d after_linear = as_eigen(pairing.after_world).topLeftCorner<3, 3>();
  const Eigen::Matrix3d from = normals ? make_normal_matrix(before_linear) : before_linear;
  const Eigen::Matrix3d to = normals ? make_normal_matrix(after_linear) : after_linear;
  const double turn = before_linear.determinant() * after_linear.determinant() < 0 ? -1 : 1;
  const ElementReader positions(before_, pairing.before->find("POSITION"));
  const ElementReader directions(before_,
                                 other == no_stream ? pairing.before->find("POSITION") : other);
  for (std::size_t i = 0; i < pairing.after_corners.size(); ++i) {
    Eigen::Vector4d got(0, 0, 0, 0);
    Eigen::Vector4d source(0, 0, 0, 0);
    after.load(pairing.after_corners[i], got.data());
    Eigen::Vector3d wanted;
    if (!made.empty()) {
      std::copy_n(&made[4 * std::size_t{pairing.before_places[i]}], 4, source.data());
      wanted = from * source.head<3>();
    } else if (other != no_stream) {
      directions.load(pairing.before_corners[i], source.data());
      wanted = from * source.head<3>();
    } else {
      // Flat: across the corners in the order they have in world space.
      Eigen::Vector3d p[3];
      for (std::size_t c = 0; c < 3; ++c) {
        positions.load(pairing.before_corners[i / 3 * 3 + c], p[c].data());
        p[c] = before_linear * p[c];
      }
      wanted = (p[1] - p[0]).cross(p[2] - p[0]);
      // Three corners on a line, up to rounding: any normal is as good as another.
      if (wanted.norm() < 1e-10 * (p[1] - p[0]).norm() * (p[2] - p[0]).norm()) {
        continue;
      }
      if (after_linear.determinant() < 0) {
        wanted = -wanted;
      }
    }
    const double length = wanted.norm();
    if (!(length > 0) || !std::isfinite(length)) {
      continue;  // no direction to hold it against
    }
    const double error =
        ((to * got.head<3>()).normalized() - wanted / length).cwiseAbs().maxCoeff();
    // A tangent of no hand, which the standard doesn't know, has none to hold against.
    const bool hand = normals || !(std::abs(source.w()) > 0) || got.w() * turn * source.w() > 0;
    if (!(error <= pairing.direction_tolerance) || !hand) {
      return fmt::format("{} of corner {} is off by {:.3g}", attribute.semantic, i, error);
    }
  }
  return {};
}

std::string Auditor::compare_attribute(const Pairing& pairing, const Attribute& attribute) const {
  if (attribute.semantic == "NORMAL" || attribute.semantic == "TANGENT") {
    return compare_directions(pairing, attribute);
  }
  const StreamId other = pairing.before->find(attribute.semantic);
  const bool color = is_color(attribute.semantic);
  if (other == no_stream && !color && !find_uv_number(attribute.semantic)) {
    return fmt::format("{} came from nowhere", attribute.semantic);
  }
  const ElementReader after(after_, attribute.stream);
  const std::optional<ElementReader> before =
      other == no_stream ? std::nullopt
                         : std::optional<ElementReader>(std::in_place, before_, other);
  for (std::size_t i = 0; i < pairing.after_corners.size(); ++i) {
    // The standard's neutral values: white for colours, zero for UVs.
    double wanted[16];
    double got[16];
    std::fill(std::begin(wanted), std::end(wanted), color ? 1.0 : 0.0);
    std::copy(std::begin(wanted), std::end(wanted), std::begin(got));
    if (before) {
      before->load(pairing.before_corners[i], wanted);
    }
    after.load(pairing.after_corners[i], got);
    for (std::uint32_t c = 0; c < after.width(); ++c) {
      if (!near(got[c], wanted[c],
                pairing.attribute_tolerance * std::max(1.0, std::abs(wanted[c])))) {
        return fmt::format("{} of corner {} is {:.6g}, was {:.6g}", attribute.semantic, i, got[c],
                           wanted[c]);
      }
    }
  }
  return {};
}

DrawAudit Auditor::audit(const LedgerRow& row) const {
  DrawAudit out;
  out.mismatch = compare_identity(row);
  if (out.mismatch.empty()) {
    out.mismatch = compare_surroundings(
        surroundings_before_,
        {row.source.node, *find_primitive(before_, row.source.node, row.source.primitive)},
        surroundings_after_, {row.node, *find_primitive(after_, row.node, row.primitive)});
  }
  if (!out.mismatch.empty()) {
    return out;
  }
  const std::optional<Mat4d> world = find_result_matrix(row);
  if (!world) {
    out.mismatch = fmt::format("the result has no instance {}", row.instance);
    return out;
  }
  const Pairing pairing = make_pairing(row, *world);
  if (pairing.after->find("POSITION") == no_stream ||
      find_topology(pairing.after->mode) != pairing.topology) {
    out.mismatch = "the result's primitive has no positions or another mode";
    return out;
  }
  if (pairing.before_corners.size() != pairing.after_corners.size()) {
    out.mismatch = fmt::format("{} indices became {}", pairing.before_corners.size(),
                               pairing.after_corners.size());
    return out;
  }
  const std::uint64_t vertices = count_vertices(after_, *pairing.after);
  for (const std::uint32_t corner : pairing.after_corners) {
    if (corner >= vertices) {
      out.mismatch = fmt::format("vertex {} of {} is used", corner, vertices);
      return out;
    }
  }
  const Rounding rounding = find_rounding(pairing, row);
  const double allowed = settings_.position_tolerance * rounding.extent_m + rounding.rounding_m;
  compare_all(pairing, allowed, out);
  return out.mismatch.empty() || row.fate != Fate::instanced
             ? out
             : audit_repeat(pairing, rounding.rounding_m, std::move(out));
}

/// Another's geometry may stand for this draw, in another order.
/// \param otherwise  what is wrong where it does not
DrawAudit Auditor::audit_repeat(const Pairing& pairing,
                                double rounding_m,
                                DrawAudit otherwise) const {
  const FamilySettings& families = ledger_.families;
  const Points part = make_points(before_, *pairing.before, families);
  const Points shown = make_points(after_, *pairing.after, pairing.after_corners, families);
  const RepeatJudge judge(part, pairing.before_world);
  const RepeatLimits limits = make_repeat_limits(families, judge.size_m(), rounding_m);
  const auto judged = judge.judge(shown, pairing.after_world, limits);
  if (!judged) {
    return otherwise;
  }
  Pairing repeat = pairing;
  repeat.direction_tolerance = families.direction_tolerance;
  repeat.attribute_tolerance = families.attribute_tolerance;
  repeat.ignored = families.ignored_attributes;
  const std::vector<std::uint32_t> list = make_list_indices(before_, *pairing.before);
  for (std::size_t i = 0; i < repeat.before_corners.size(); ++i) {
    repeat.before_places[i] = judged->corners[i];
    repeat.before_corners[i] = list[judged->corners[i]];
  }
  DrawAudit again;
  compare_all(repeat, limits.position_m, again);
  again.fitted = true;
  return again;
}

void Auditor::compare_all(const Pairing& pairing, double allowed, DrawAudit& out) const {
  compare_elements(pairing, allowed, out);
  const auto is_ignored = [&](const Attribute& attribute) {
    return std::find(pairing.ignored.begin(), pairing.ignored.end(), attribute.semantic) !=
           pairing.ignored.end();
  };
  for (const Attribute& attribute : pairing.after->attributes) {
    if (out.mismatch.empty() && attribute.semantic != "POSITION" && !is_ignored(attribute)) {
      out.mismatch = compare_attribute(pairing, attribute);
    }
  }
  for (const Attribute& attribute : pairing.before->attributes) {
    const bool ignored = is_ignored(attribute) || (attribute.semantic == "TANGENT" &&
                                                   pairing.before->find("NORMAL") == no_stream);
    if (out.mismatch.empty() && !ignored && pairing.after->find(attribute.semantic) == no_stream) {
      out.mismatch = fmt::format("{} was lost", attribute.semantic);
    }
  }
}

}  // namespace wakuzume
