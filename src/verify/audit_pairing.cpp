// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numeric>

#include "rework/draw_order.h"
#include "scene/elements.h"
#include "scene/matrix.h"
#include "survey/draws.h"
#include "survey/lightmaps.h"
#include "verify/audit_parts.h"
#include "verify/rounding.h"
#include "wakuzume/shading_order.h"

// Which vertices of a result should be those of a draw, and by how much floats may be off there.
namespace wakuzume {
namespace {

/// What is left of double precision after a chain of transforms.
constexpr double double_slack = 1e-13;

}  // namespace

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

/// Where both sides look their lightmap up.
void Auditor::find_places(const LedgerRow& row, Pairing& pairing) const {
  const std::string& key = ledger_.lightmap_transform_key;
  pairing.before_place =
      find_lightmap_place(before_, before_[row.source.node], *pairing.before, key);
  const Node& node = after_[row.node];
  const StreamId own = node.instancing && row.fate == Fate::instanced
                           ? find_stream(node.instancing->attributes, lightmap_semantic)
                           : no_stream;
  if (own != no_stream) {
    std::array<double, 4> numbers{};
    ElementReader(after_, own).load(row.instance, numbers.data());
    pairing.after_place = {{numbers[0], numbers[1]}, {numbers[2], numbers[3]}};
  } else {
    // No result has the key that stands for a missing one.
    pairing.after_place = key == own_transform_key
                              ? LightmapPlace{}
                              : find_lightmap_place(after_, node, *pairing.after, key);
  }
}

Auditor::Pairing Auditor::make_pairing(const LedgerRow& row, bool turned) const {
  Pairing pairing;
  pairing.before = find_primitive(before_, row.source.node, row.source.primitive);
  pairing.after = find_primitive(after_, row.node, row.primitive);
  pairing.topology = find_topology(pairing.before->mode);
  pairing.direction_tolerance = settings_.direction_tolerance + allowance_.direction;
  pairing.before_corners = make_list_indices(before_, *pairing.before);
  pairing.before_places.resize(pairing.before_corners.size());
  std::iota(pairing.before_places.begin(), pairing.before_places.end(), 0U);
  if (in_shading_order(row) && pairing.topology == Topology::triangles) {
    const std::vector<std::uint32_t> order = find_draw_order(before_, *pairing.before);
    pairing.before_corners = reorder_triangles(pairing.before_corners, order);
    pairing.before_places = reorder_triangles(pairing.before_places, order);
  }
  if (has_backs(row)) {
    pairing.backs_from = pairing.before_corners.size();
    for (std::vector<std::uint32_t>* list : {&pairing.before_corners, &pairing.before_places}) {
      const std::vector<std::uint32_t> fronts = *list;
      list->insert(list->end(), fronts.begin(), fronts.end());
    }
  }
  for (std::size_t i = 0; i + 2 < pairing.before_corners.size(); i += 3) {
    if (pairing.topology == Topology::triangles && turned != (i >= pairing.backs_from)) {
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
  take_corners(row, pairing);
  return pairing;
}

/// Only this row's range: decoding the whole cluster for each member would be quadratic.
void Auditor::take_corners(const LedgerRow& row, Pairing& pairing) const {
  const StreamId indices = pairing.after->indices;
  if (indices == no_stream || row.first_index > after_[indices].count ||
      row.index_count > after_[indices].count - row.first_index) {
    return;
  }
  if (const ResultOrder* const order = find_order(row);
      order != nullptr && !order->place_of.empty()) {
    const std::vector<std::uint32_t>& place_of = order->place_of;
    const ElementReader reader(after_, indices);
    for (std::uint64_t i = row.first_index; i < row.first_index + row.index_count; ++i) {
      const std::uint64_t place = i / 3 < place_of.size() ? place_of[i / 3] : no_index;
      if (3 * place + i % 3 < after_[indices].count) {
        pairing.after_corners.push_back(
            reader.index(static_cast<std::uint32_t>(3 * place + i % 3)));
      }
    }
    return;
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

/// Packed triangles may begin at another of their corners: the one by which all are nearest to
/// their places.
void Auditor::turn_triangles(Pairing& pairing) const {
  const ElementReader before(before_, pairing.before->find("POSITION"));
  const ElementReader after(after_, pairing.after->find("POSITION"));
  const auto load = [](const ElementReader& reader, const Mat4d& world, std::uint32_t vertex) {
    Eigen::Vector4d p(0, 0, 0, 1);
    reader.load(vertex, p.data());
    return Eigen::Vector3d((as_eigen(world) * p).head<3>());
  };
  for (std::size_t i = 0; i + 2 < pairing.after_corners.size(); i += 3) {
    std::array<Eigen::Vector3d, 3> wanted;
    std::array<Eigen::Vector3d, 3> got;
    for (std::size_t c = 0; c < 3; ++c) {
      wanted[c] = load(before, pairing.before_world, pairing.before_corners[i + c]);
      got[c] = load(after, pairing.after_world, pairing.after_corners[i + c]);
    }
    std::ptrdiff_t best = 0;
    double nearest = std::numeric_limits<double>::infinity();
    for (std::size_t turn = 0; turn < 3; ++turn) {
      double off = 0;
      for (std::size_t c = 0; c < 3; ++c) {
        off += (wanted[c] - got[(c + turn) % 3]).squaredNorm();
      }
      if (off < nearest) {
        nearest = off;
        best = static_cast<std::ptrdiff_t>(turn);
      }
    }
    const auto first = pairing.after_corners.begin() + static_cast<std::ptrdiff_t>(i);
    std::rotate(first, first + best, first + 3);
  }
}

/// \param world  of the result: where its row shows it
Auditor::Shared Auditor::make_shared(const LedgerRow& row, bool turned, const Mat4d& world) const {
  Shared out;
  out.pairing = make_pairing(row, turned);
  Pairing& pairing = out.pairing;
  pairing.before_world = before_world_[to_index(row.source.node)];
  pairing.after_world = world;
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
  if (ledger_.geometry.form == GeometryForm::packed && pairing.topology == Topology::triangles) {
    turn_triangles(pairing);
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

}  // namespace wakuzume
