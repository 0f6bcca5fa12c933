// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "rework/tangents.h"
#include "scene/elements.h"
#include "scene/matrix.h"
#include "scene/semantics.h"
#include "survey/draws.h"
#include "verify/audit_parts.h"

// Whether paired vertices hold the same.
namespace wakuzume {
namespace {

bool near(double a, double b, double tolerance) {
  return std::abs(a - b) <= tolerance || (std::isnan(a) && std::isnan(b));
}

bool is_direction(std::string_view semantic) {
  return semantic == "NORMAL" || semantic == "TANGENT";
}

void apply_place(const LightmapPlace& place, double* uv) {
  const Vec2d moved = place.apply({uv[0], uv[1]});
  std::copy(moved.begin(), moved.end(), uv);
}

/// By how much a direction can differ that one and the other matrix turn, whichever it is: the
/// difference of two vectors by the shorter one's length, twice for making them units.
double find_largest_turn(const Eigen::Matrix3d& from, const Eigen::Matrix3d& to) {
  const Eigen::Matrix3d a = from / from.norm();
  const Eigen::Matrix3d b = to / to.norm();
  return 2 * (a - b).norm() * a.inverse().norm();
}

}  // namespace

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
  const std::uint64_t corners = std::min(pairing.before_corners.size(), pairing.backs_from);
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
    // Flat ones follow the corners' order, which is turned already.
    if (i >= pairing.backs_from && (other != no_stream || !made.empty())) {
      wanted = -wanted;
      source.w() = -source.w();
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
  const bool lightmap = attribute.semantic == lightmap_uvs_ && before;
  const double extra = allowance_.find(attribute.semantic);
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
    if (lightmap) {
      apply_place(pairing.before_place, wanted);
      apply_place(pairing.after_place, got);
    }
    for (std::uint32_t c = 0; c < after.width(); ++c) {
      if (!near(got[c], wanted[c],
                pairing.attribute_tolerance * std::max(1.0, std::abs(wanted[c])) + extra)) {
        return fmt::format("{} of corner {} is {:.6g}, was {:.6g}", attribute.semantic, pair.corner,
                           got[c], wanted[c]);
      }
    }
  }
  return {};
}

bool Auditor::is_ignored(const Pairing& pairing, const Attribute& attribute) {
  return std::find(pairing.ignored.begin(), pairing.ignored.end(), attribute.semantic) !=
         pairing.ignored.end();
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

void Auditor::compare_all(const Pairing& pairing, double allowed, DrawAudit& out) const {
  compare_elements(pairing, allowed, out);
  if (out.mismatch.empty()) {
    out.mismatch = compare_attributes(pairing, [](const Attribute&) { return true; });
  }
  if (out.mismatch.empty()) {
    out.mismatch = find_lost(pairing);
  }
}

/// As compare_all, with what does not depend on where the row's instance stands compared once, and
/// the rest by its matrices where both sides hold the same numbers.
void Auditor::compare_shared(Shared& shared, double allowed, DrawAudit& out) const {
  const Pairing& pairing = shared.pairing;
  const auto same_numbers = [&](std::string_view semantic) {
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
    shared.same_lightmap_uvs = same_numbers(lightmap_uvs_);
    // Directions and lightmaps are by the instance.
    shared.other_mismatch = compare_attributes(pairing, [&](const Attribute& attribute) {
      return !is_direction(attribute.semantic) && attribute.semantic != lightmap_uvs_;
    });
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
      const bool lit = attribute.semantic == lightmap_uvs_ &&
                       !(shared.same_lightmap_uvs && pairing.before_place == pairing.after_place);
      return lit || (is_direction(attribute.semantic) && !same);
    });
  }
  if (out.mismatch.empty()) {
    out.mismatch = find_lost(pairing);
  }
}

}  // namespace wakuzume
