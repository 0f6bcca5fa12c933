// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/audit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numeric>
#include <optional>

#include "family/judge.h"
#include "rework/tangents.h"
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

/// A vertex of the source and one of the result that should be it.
struct Auditor::VertexPair {
  std::uint32_t before = 0;
  std::uint32_t after = 0;
  std::uint32_t corner = 0;  ///< the first that pairs them
};

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
  std::vector<VertexPair> vertices;  ///< all that the corners pair, each once
  Topology topology = Topology::triangles;
  double direction_tolerance = 0;
  double attribute_tolerance = 1e-6;
  std::vector<std::string> ignored;
};

/// A pairing with what of it no transform changes.
struct Auditor::Shared {
  Pairing pairing;
  std::string mismatch;  ///< of its size or mode
  Box3d box;             ///< around the result's positions, in its own space
  double farthest = 0;   ///< of their coordinates
  /// Compared once: only where several rows share it.
  bool compared = false;
  bool same_positions = false;
  std::vector<std::string_view> same_directions;  ///< by semantic
  std::string other_mismatch;  ///< of attributes that are no places or directions
};

Auditor::Memory::Memory() = default;
Auditor::Memory::~Memory() = default;

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

Auditor::Pairing Auditor::make_pairing(const LedgerRow& row, bool turned) const {
  Pairing pairing;
  pairing.before = find_primitive(before_, row.source.node, row.source.primitive);
  pairing.after = find_primitive(after_, row.node, row.primitive);
  pairing.topology = find_topology(pairing.before->mode);
  pairing.direction_tolerance = settings_.direction_tolerance;
  pairing.before_corners = make_list_indices(before_, *pairing.before);
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
  pairing.after_corners.reserve(row.index_count);
  const auto take = [&](const auto& numbers) {
    const auto range = numbers.subspan(row.first_index, row.index_count);
    pairing.after_corners.assign(range.begin(), range.end());
  };
  if (!visit_packed_integers(after_, indices, take)) {
    const ElementReader reader(after_, indices);
    for (std::uint64_t i = 0; i < row.index_count; ++i) {
      pairing.after_corners.push_back(
          reader.index(static_cast<std::uint32_t>(row.first_index + i)));
    }
  }
  return pairing;
}

/// \pre both lists of corners are of one size, and within their vertices
void Auditor::pair_vertices(Pairing& pairing) const {
  const std::size_t count = count_vertices(before_, *pairing.before);
  pairing.vertices.clear();
  // Where most vertices are not used, a table of all of them would be the larger work.
  std::vector<std::uint32_t> known(count <= 4 * pairing.before_corners.size() ? count : 0,
                                   no_index);
  for (std::uint32_t i = 0; i < pairing.before_corners.size(); ++i) {
    const VertexPair pair{pairing.before_corners[i], pairing.after_corners[i], i};
    if (known.empty() || known[pair.before] != pair.after) {
      pairing.vertices.push_back(pair);
    }
    if (!known.empty()) {
      known[pair.before] = pair.after;
    }
  }
}

Auditor::Shared Auditor::make_shared(const LedgerRow& row, bool turned) const {
  Shared out;
  out.pairing = make_pairing(row, turned);
  Pairing& pairing = out.pairing;
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
  pair_vertices(pairing);
  const ElementReader reader(after_, pairing.after->find("POSITION"));
  for (const VertexPair& pair : pairing.vertices) {
    Vec3d p;
    reader.load(pair.after, p.data());
    out.box.include(p);
    out.farthest = std::max({out.farthest, std::abs(p[0]), std::abs(p[1]), std::abs(p[2])});
  }
  return out;
}

/// What stored positions may have lost, by what they are and where they stand.
Auditor::Rounding Auditor::find_rounding(const Shared& shared, const LedgerRow& row) const {
  const Pairing& pairing = shared.pairing;
  Box3d box = shared.box;
  const double farthest = shared.farthest;
  // A merged primitive's own extent is what the tolerance is a share of.
  const Stream& positions = after_[pairing.after->find("POSITION")];
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
  for (const VertexPair& pair : pairing.vertices) {
    Eigen::Vector4d p(0, 0, 0, 1);
    Eigen::Vector4d q(0, 0, 0, 1);
    before.load(pair.before, p.data());
    after.load(pair.after, q.data());
    const Eigen::Vector4d wanted = before_world * p;
    const Eigen::Vector4d got = after_world * q;
    if (!wanted.allFinite() && !got.allFinite()) {
      continue;  // it is nowhere, before and after
    }
    const double error = (wanted - got).cwiseAbs().maxCoeff();
    if (!(error <= allowed)) {
      out.mismatch = fmt::format("corner {} stands {:.3g} m from its place; {:.3g} m are allowed",
                                 pair.corner, error, allowed);
      return;
    }
    out.position_error_m = std::max(out.position_error_m, error);
  }
  count_elements(pairing, out);
}

void Auditor::count_elements(const Pairing& pairing, DrawAudit& out) {
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
  // What the source holds is a matter of its vertices; what it lacks is made for each corner.
  const std::size_t count =
      other != no_stream ? pairing.vertices.size() : pairing.after_corners.size();
  for (std::size_t n = 0; n < count; ++n) {
    const std::size_t i = other != no_stream ? pairing.vertices[n].corner : n;
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
  for (const VertexPair& pair : pairing.vertices) {
    // The standard's neutral values: white for colours, zero for UVs.
    double wanted[16];
    double got[16];
    std::fill(std::begin(wanted), std::end(wanted), color ? 1.0 : 0.0);
    std::copy(std::begin(wanted), std::end(wanted), std::begin(got));
    if (before) {
      before->load(pair.before, wanted);
    }
    after.load(pair.after, got);
    for (std::uint32_t c = 0; c < after.width(); ++c) {
      if (!near(got[c], wanted[c],
                pairing.attribute_tolerance * std::max(1.0, std::abs(wanted[c])))) {
        return fmt::format("{} of corner {} is {:.6g}, was {:.6g}", attribute.semantic, pair.corner,
                           got[c], wanted[c]);
      }
    }
  }
  return {};
}

DrawAudit Auditor::audit(const LedgerRow& row, Memory& memory) const {
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
  // A triangle faces the same way when its corners go round the same way in world space, which a
  // mirroring matrix reverses.
  const Mat4d& before_world = before_world_[to_index(row.source.node)];
  const bool turned = (linear_determinant(before_world) < 0) != (linear_determinant(*world) < 0);
  const Memory::Key key{find_primitive(before_, row.source.node, row.source.primitive),
                        find_primitive(after_, row.node, row.primitive), row.first_index,
                        row.index_count, turned};
  const bool again = row.fate == Fate::instanced && memory.shared_ && memory.key_ == key;
  if (!again) {
    memory.shared_ = std::make_unique<Shared>(make_shared(row, turned));
    memory.key_ = key;
  }
  Shared& shared = *memory.shared_;
  if (!shared.mismatch.empty()) {
    out.mismatch = shared.mismatch;
    return out;
  }
  shared.pairing.before_world = before_world;
  shared.pairing.after_world = *world;
  const Rounding rounding = find_rounding(shared, row);
  const double allowed = settings_.position_tolerance * rounding.extent_m + rounding.rounding_m;
  if (row.fate == Fate::instanced) {
    compare_shared(shared, allowed, out);
  } else {
    compare_all(shared.pairing, allowed, out);
  }
  return out.mismatch.empty() || row.fate != Fate::instanced
             ? out
             : audit_repeat(shared.pairing, rounding.rounding_m, std::move(out));
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
  pair_vertices(repeat);
  DrawAudit again;
  compare_all(repeat, limits.position_m, again);
  again.fitted = true;
  return again;
}

namespace {

bool is_direction(std::string_view semantic) {
  return semantic == "NORMAL" || semantic == "TANGENT";
}

/// By how much a direction can differ that one and the other matrix turn, whichever it is: the
/// difference of two vectors by the shorter one's length, twice for making them units.
double find_largest_turn(const Eigen::Matrix3d& from, const Eigen::Matrix3d& to) {
  const Eigen::Matrix3d a = from / from.norm();
  const Eigen::Matrix3d b = to / to.norm();
  return 2 * (a - b).norm() * a.inverse().norm();
}

}  // namespace

/// As compare_all, with what does not depend on where the row's instance stands compared once, and
/// the rest by its matrices where both sides hold the same numbers.
void Auditor::compare_shared(Shared& shared, double allowed, DrawAudit& out) const {
  const Pairing& pairing = shared.pairing;
  const auto same_numbers = [&](const char* semantic) {
    const StreamId was = pairing.before->find(semantic);
    const StreamId is = pairing.after->find(semantic);
    if (was == no_stream || is == no_stream) {
      return false;
    }
    const ElementReader before(before_, was);
    const ElementReader after(after_, is);
    return before.width() == after.width() &&
           std::all_of(pairing.vertices.begin(), pairing.vertices.end(),
                       [&](const VertexPair& pair) {
                         std::array<double, 4> a{};
                         std::array<double, 4> b{};
                         before.load(pair.before, a.data());
                         after.load(pair.after, b.data());
                         return a == b;
                       });
  };
  if (!shared.compared) {
    shared.compared = true;
    shared.same_positions = same_numbers("POSITION");
    for (const char* semantic : {"NORMAL", "TANGENT"}) {
      if (same_numbers(semantic)) {
        shared.same_directions.emplace_back(semantic);
      }
    }
    shared.other_mismatch = compare_attributes(
        pairing, [](const Attribute& attribute) { return !is_direction(attribute.semantic); });
  }
  const Eigen::Matrix4d moved = as_eigen(pairing.before_world) - as_eigen(pairing.after_world);
  double error = shared.same_positions ? 0 : allowed + 1;
  for (int corner = 0; shared.same_positions && corner < 8; ++corner) {
    // A difference of two transforms is largest at a corner of the box.
    const Eigen::Vector4d p((corner & 1) != 0 ? shared.box.max[0] : shared.box.min[0],
                            (corner & 2) != 0 ? shared.box.max[1] : shared.box.min[1],
                            (corner & 4) != 0 ? shared.box.max[2] : shared.box.min[2], 1);
    error = std::max(error, (moved * p).cwiseAbs().maxCoeff());
  }
  if (error <= allowed) {
    out.position_error_m = error;
    count_elements(pairing, out);
  } else {
    compare_elements(pairing, allowed, out);
  }
  const Eigen::Matrix3d from = as_eigen(pairing.before_world).topLeftCorner<3, 3>();
  const Eigen::Matrix3d to = as_eigen(pairing.after_world).topLeftCorner<3, 3>();
  const bool alike = find_largest_turn(from, to) <= pairing.direction_tolerance &&
                     find_largest_turn(make_normal_matrix(from), make_normal_matrix(to)) <=
                         pairing.direction_tolerance &&
                     from.determinant() * to.determinant() > 0;
  if (out.mismatch.empty()) {
    out.mismatch = shared.other_mismatch;
  }
  if (out.mismatch.empty()) {
    out.mismatch = compare_attributes(pairing, [&](const Attribute& attribute) {
      const bool same =
          alike && std::find(shared.same_directions.begin(), shared.same_directions.end(),
                             attribute.semantic) != shared.same_directions.end();
      return is_direction(attribute.semantic) && !same;
    });
  }
  if (out.mismatch.empty()) {
    out.mismatch = find_lost(pairing);
  }
}

void Auditor::compare_all(const Pairing& pairing, double allowed, DrawAudit& out) const {
  compare_elements(pairing, allowed, out);
  if (out.mismatch.empty()) {
    out.mismatch = compare_attributes(pairing, [](const Attribute&) { return true; });
  }
  if (out.mismatch.empty()) {
    out.mismatch = find_lost(pairing);
  }
}

/// The first of the result's attributes that is not what it was, of those that are asked for.
template <class Asked>
std::string Auditor::compare_attributes(const Pairing& pairing, const Asked& asked) const {
  std::string out;
  for (const Attribute& attribute : pairing.after->attributes) {
    if (out.empty() && attribute.semantic != "POSITION" && !is_ignored(pairing, attribute) &&
        asked(attribute)) {
      out = compare_attribute(pairing, attribute);
    }
  }
  return out;
}

std::string Auditor::find_lost(const Pairing& pairing) const {
  for (const Attribute& attribute : pairing.before->attributes) {
    const bool made_anew =
        attribute.semantic == "TANGENT" && pairing.before->find("NORMAL") == no_stream;
    if (!is_ignored(pairing, attribute) && !made_anew &&
        pairing.after->find(attribute.semantic) == no_stream) {
      return fmt::format("{} was lost", attribute.semantic);
    }
  }
  return {};
}

bool Auditor::is_ignored(const Pairing& pairing, const Attribute& attribute) {
  return std::find(pairing.ignored.begin(), pairing.ignored.end(), attribute.semantic) !=
         pairing.ignored.end();
}

}  // namespace wakuzume
