// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "family/points.h"

#include <fmt/format.h>

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>

#include "scene/elements.h"
#include "scene/hasher.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

/// Thinner than this share of its size, a part counts as flat: whitening would only raise noise.
constexpr double flat_share = 1e-3;

std::vector<Attribute> list_lanes(const Primitive& primitive, const FamilySettings& settings) {
  std::vector<Attribute> list;
  std::copy_if(primitive.attributes.begin(), primitive.attributes.end(), std::back_inserter(list),
               [&](const Attribute& attribute) {
                 const auto& ignored = settings.ignored_attributes;
                 return attribute.semantic == "POSITION" ||
                        std::find(ignored.begin(), ignored.end(), attribute.semantic) ==
                            ignored.end();
               });
  std::sort(list.begin(), list.end(),
            [](const Attribute& a, const Attribute& b) { return a.semantic < b.semantic; });
  return list;
}

LaneRole find_role(const std::string& semantic) {
  return semantic == "NORMAL"    ? LaneRole::normal
         : semantic == "TANGENT" ? LaneRole::tangent
                                 : LaneRole::value;
}

/// A stream's floats, in place where they can be.
class LikenessColumn {
 public:
  LikenessColumn(const Scene& scene, StreamId stream) : packed_(find_packed_floats(scene, stream)) {
    if (packed_.empty()) {
      decoded_ = make_floats(scene, stream);
    }
  }
  [[nodiscard]] std::span<const float> values() const {
    return packed_.empty() ? std::span<const float>(decoded_) : packed_;
  }

 private:
  std::span<const float> packed_;
  std::vector<float> decoded_;
};

/// The vertices that corners use, ascending, and where each is in that list.
class UsedVertices {
 public:
  UsedVertices(const std::vector<std::uint32_t>& corners, std::size_t vertices) {
    // A few corners in a large shared buffer must not cost a walk over it.
    if (corners.size() < vertices / 8) {
      list_ = corners;
      std::sort(list_.begin(), list_.end());
      list_.erase(std::unique(list_.begin(), list_.end()), list_.end());
      return;
    }
    rank_.assign(vertices, no_index);
    for (const std::uint32_t corner : corners) {
      rank_[corner] = 0;
    }
    for (std::uint32_t v = 0; v < vertices; ++v) {
      if (rank_[v] == 0) {
        rank_[v] = static_cast<std::uint32_t>(list_.size());
        list_.push_back(v);
      }
    }
  }

  [[nodiscard]] const std::vector<std::uint32_t>& list() const { return list_; }
  [[nodiscard]] std::size_t find_rank(std::uint32_t vertex) const {
    return !rank_.empty()
               ? rank_[vertex]
               : static_cast<std::size_t>(std::lower_bound(list_.begin(), list_.end(), vertex) -
                                          list_.begin());
  }

 private:
  std::vector<std::uint32_t> list_;
  std::vector<std::uint32_t> rank_;  ///< by vertex; empty where few are used
};

/// Numbers equal vertices alike, by their bits, in the order of the file.
class VertexLexicon {
 public:
  VertexLexicon(std::size_t room, std::size_t width)
      : width_(width), slots_(std::bit_ceil(room * 2 + 1), no_index) {}

  /// \return the number, and whether it is new; `records` holds what was added so far
  std::pair<std::uint32_t, bool> add(const float* record, const std::vector<float>& records) {
    const std::size_t bytes = width_ * sizeof(float);
    std::size_t slot = XXH3_64bits(record, bytes) & (slots_.size() - 1);
    while (slots_[slot] != no_index) {
      if (std::memcmp(records.data() + slots_[slot] * width_, record, bytes) == 0) {
        return {slots_[slot], false};
      }
      slot = (slot + 1) & (slots_.size() - 1);
    }
    slots_[slot] = count_;
    return {count_++, true};
  }

 private:
  std::size_t width_;
  std::vector<std::uint32_t> slots_;
  std::uint32_t count_ = 0;
};

}  // namespace

std::string make_signature(const Scene& scene,
                           const Primitive& primitive,
                           const FamilySettings& settings) {
  std::string text = fmt::format("{} {}", static_cast<int>(find_topology(primitive.mode)),
                                 count_list_indices(scene, primitive));
  for (const Attribute& attribute : list_lanes(primitive, settings)) {
    const Stream& stream = scene[attribute.stream];
    text += fmt::format(" {}:{}", attribute.semantic, to_string(stream.element));
    if (!is_fillable(attribute.semantic)) {
      text +=
          fmt::format("/{}{}", static_cast<int>(stream.component), stream.normalized ? "n" : "");
    }
  }
  return text;
}

namespace {

/// The streams of a primitive's lanes. Which is the position's is left in `positions`.
std::vector<LikenessColumn> make_columns(const Scene& scene,
                                 const Primitive& primitive,
                                 const FamilySettings& settings,
                                 std::size_t& positions,
                                 Points& out) {
  std::vector<LikenessColumn> columns;
  for (const Attribute& attribute : list_lanes(primitive, settings)) {
    if (attribute.semantic == "POSITION") {
      positions = columns.size();
    } else {
      const std::uint32_t width = component_count(scene[attribute.stream].element);
      out.lanes.push_back({attribute.semantic, find_role(attribute.semantic), width, out.width});
      out.width += width;
    }
    columns.emplace_back(scene, attribute.stream);
  }
  return columns;
}

/// Records with their positions before them, in the order of the file. Equal vertices get one
/// number, which the corners take.
std::vector<float> make_distinct_records(const std::vector<LikenessColumn>& columns,
                                         std::size_t positions,
                                         Points& out) {
  const UsedVertices used(out.corners, columns[positions].values().size() / 3);
  const std::size_t width = out.width + 3;
  std::vector<float> records;
  std::vector<float> record(width);
  std::vector<std::uint32_t> number;
  VertexLexicon lexicon(used.list().size(), width);
  for (const std::uint32_t v : used.list()) {
    std::size_t lane = 0;
    for (std::size_t c = 0; c < columns.size(); ++c) {
      const std::size_t size = c == positions ? 3 : out.lanes[lane].width;
      float* to = record.data() + (c == positions ? 0 : 3 + out.lanes[lane++].offset);
      const float* from = columns[c].values().data() + v * size;
      for (std::size_t i = 0; i < size; ++i) {
        to[i] = from[i] + 0.0F;  // one zero, not two
      }
    }
    const auto [id, added] = lexicon.add(record.data(), records);
    number.push_back(id);
    if (added) {
      records.insert(records.end(), record.begin(), record.end());
    }
  }
  for (std::uint32_t& corner : out.corners) {
    corner = number[used.find_rank(corner)];
  }
  return records;
}

/// Over the corners: centre, and the mean of each float of a record.
void find_means(Points& out) {
  for (const std::uint32_t corner : out.corners) {
    out.centre += out.positions[corner];
  }
  const auto corner_count = static_cast<double>(std::max<std::size_t>(1, out.corners.size()));
  out.centre /= corner_count;
  out.means.assign(out.width, 0);
  for (const std::uint32_t corner : out.corners) {
    for (std::uint32_t i = 0; i < out.width; ++i) {
      out.means[i] += static_cast<double>(out.record(corner)[i]) / corner_count;
    }
  }
}

}  // namespace

Points make_points(const Scene& scene, const Primitive& primitive, const FamilySettings& settings) {
  return make_points(scene, primitive, make_list_indices(scene, primitive), settings);
}

Points make_points(const Scene& scene,
                   const Primitive& primitive,
                   std::vector<std::uint32_t> corners,
                   const FamilySettings& settings) {
  Points out;
  out.topology = find_topology(primitive.mode);
  out.corners = std::move(corners);
  std::size_t positions = 0;
  const std::vector<LikenessColumn> columns = make_columns(scene, primitive, settings, positions, out);
  const std::vector<float> records = make_distinct_records(columns, positions, out);
  const std::size_t width = out.width + 3;
  const std::size_t distinct = records.size() / width;
  Box3d box;
  out.records.reserve(distinct * out.width);
  for (std::size_t v = 0; v < distinct; ++v) {
    const float* from = records.data() + v * width;
    out.positions.emplace_back(static_cast<double>(from[0]), static_cast<double>(from[1]),
                               static_cast<double>(from[2]));
    box.include(Vec3d{out.positions[v].x(), out.positions[v].y(), out.positions[v].z()});
    out.records.insert(out.records.end(), from + 3, from + width);
  }
  find_means(out);
  out.diagonal = find_diagonal(box);
  return out;
}

Whitening make_whitening(const Points& points) {
  Eigen::Matrix3d covariance = Eigen::Matrix3d::Zero();
  for (const std::uint32_t corner : points.corners) {
    const Eigen::Vector3d d = points.positions[corner] - points.centre;
    covariance += d * d.transpose();
  }
  covariance /= static_cast<double>(std::max<std::size_t>(1, points.corners.size()));
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(covariance);
  Whitening out;
  for (int i = 0; i < 3; ++i) {
    const int from = 2 - i;
    out.axes.col(i) = solver.eigenvectors().col(from);
    const double deviation = std::sqrt(std::max(0.0, solver.eigenvalues()[from]));
    if (deviation > 0 && deviation > flat_share * out.deviations[0]) {
      out.deviations[i] = deviation;
      out.matrix += out.axes.col(i) * out.axes.col(i).transpose() / deviation;
      ++out.rank;
    }
  }
  return out;
}

bool may_fit(const Descriptor& a, const Descriptor& b) {
  for (std::size_t k = 0; k < a.radii.size(); ++k) {
    const auto one = static_cast<double>(a.radii[k]);
    const auto other = static_cast<double>(b.radii[k]);
    const double allowed = (a.noise + b.noise) * (1.5 + 2 * std::max({1.0, one, other})) + 1e-5;
    if (std::abs(one - other) > allowed) {
      return false;
    }
  }
  return true;
}

Descriptor make_descriptor(const Points& points, const FamilySettings& settings) {
  const Whitening whitening = make_whitening(points);
  if (whitening.rank == 0) {
    return {};
  }
  Descriptor out;
  // Where the part is thin, whitening raises its noise.
  out.noise = 2 * settings.tolerance * points.diagonal / whitening.deviations[whitening.rank - 1];
  std::vector<float> radius_of(points.positions.size());
  std::transform(points.positions.begin(), points.positions.end(), radius_of.begin(),
                 [&](const Eigen::Vector3d& at) {
                   return static_cast<float>((whitening.matrix * (at - points.centre)).norm());
                 });
  std::vector<float> radii;
  radii.reserve(points.corners.size());
  for (const std::uint32_t corner : points.corners) {
    radii.push_back(radius_of[corner]);
  }
  std::sort(radii.begin(), radii.end());
  for (std::size_t k = 0; k < out.radii.size(); ++k) {
    out.radii[k] = radii[k * (radii.size() - 1) / (out.radii.size() - 1)];
  }
  return out;
}

std::vector<double> list_fixed_values(const Points& points) {
  std::vector<double> out;
  const auto count = static_cast<double>(std::max<std::size_t>(1, points.corners.size()));
  for (const Lane& lane : points.lanes) {
    for (std::uint32_t i = lane.offset;
         lane.role == LaneRole::value && i < lane.offset + lane.width; ++i) {
      double squares = 0;
      for (const std::uint32_t corner : points.corners) {
        const double away = static_cast<double>(points.record(corner)[i]) - points.means[i];
        squares += away * away;
      }
      out.push_back(points.means[i]);
      out.push_back(std::sqrt(squares / count));
    }
  }
  return out;
}

double find_values_tolerance(const FamilySettings& settings) {
  return 1.01 * settings.attribute_tolerance;
}

}  // namespace wakuzume
