// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "family/fit.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <tuple>

#include "family/judge.h"

namespace wakuzume {
namespace {

/// A search stops after so many pairs of vertices: more are only tried on parts that are nearly
/// symmetric, and then the time is better spent elsewhere.
constexpr std::size_t max_trials = 20'000;
/// While the map is still rough, as a share of the diagonal.
constexpr double rough_tolerance = 4e-3;
/// Once it has been refined, in tolerances.
constexpr double near_factor = 8;

using Map = std::vector<std::uint32_t>;  ///< vertex of the one, by vertex of the other

struct Affine {
  Eigen::Matrix3d linear = Eigen::Matrix3d::Identity();
  Eigen::Vector3d offset{0, 0, 0};

  [[nodiscard]] Eigen::Vector3d operator()(const Eigen::Vector3d& p) const {
    return linear * p + offset;
  }
};

/// What a map does to normals and tangents.
struct Turning {
  explicit Turning(const Affine& map)
      : linear(map.linear),
        normals(make_normal_matrix(map.linear)),
        hand(map.linear.determinant() < 0 ? -1.0F : 1.0F) {}

  Eigen::Matrix3d linear;
  Eigen::Matrix3d normals;
  float hand;  ///< -1 where it mirrors
};

Mat4d to_matrix(const Affine& map) {
  Eigen::Matrix4d out = Eigen::Matrix4d::Identity();
  out.topLeftCorner<3, 3>() = map.linear;
  out.topRightCorner<3, 1>() = map.offset;
  return from_eigen(out);
}

/// Elements as sorted lists of vertices, each turned so that its smallest vertex comes first.
std::vector<std::array<std::uint32_t, 3>> list_elements(const Points& points) {
  const std::size_t each = count_corners(points.topology);
  std::vector<std::array<std::uint32_t, 3>> out(points.corners.size() / each);
  for (std::size_t e = 0; e < out.size(); ++e) {
    std::array<std::uint32_t, 3>& element = out[e];
    for (std::size_t c = 0; c < each; ++c) {
      element[c] = points.corners[e * each + c];
    }
    if (each == 3) {
      std::rotate(element.begin(), std::min_element(element.begin(), element.end()), element.end());
    } else if (each == 2 && element[0] > element[1]) {
      std::swap(element[0], element[1]);
    }
  }
  std::sort(out.begin(), out.end());
  return out;
}

void turn_over(std::vector<std::array<std::uint32_t, 3>>& triangles) {
  for (auto& triangle : triangles) {
    std::swap(triangle[1], triangle[2]);
  }
  std::sort(triangles.begin(), triangles.end());
}

class Fitter {
 public:
  Fitter(const Points& from, const Points& to, const FamilySettings& settings)
      : from_(from),
        to_(to),
        settings_(settings),
        judge_(to, identity_matrix),
        limits_(make_repeat_limits(settings, judge_.size_m())),
        strict_(limits_.position_m) {}

  std::optional<Fit> find() {
    if (from_.positions.size() != to_.positions.size() ||
        from_.corners.size() != to_.corners.size() || from_.width != to_.width ||
        !(to_.diagonal > 0) || !std::isfinite(to_.diagonal) || !std::isfinite(from_.diagonal) ||
        !same_fixed_values()) {
      return std::nullopt;
    }
    if (auto fit = try_in_place()) {
      return fit;
    }
    white_from_ = make_whitening(from_);
    white_to_ = make_whitening(to_);
    if (auto fit = try_same_order()) {
      return fit;
    }
    return white_from_.rank >= 2 && white_from_.rank == white_to_.rank ? search() : std::nullopt;
  }

  /// A map as it is, and how far it leaves the farthest corner.
  std::optional<Fit> check(const Mat4d& matrix) const {
    const auto judged = judge_.judge(from_, matrix, limits_);
    return judged ? std::optional(Fit{matrix, judged->error_m / std::max(to_.diagonal, 1e-300)})
                  : std::nullopt;
  }

 private:
  // ---- candidates ----------------------------------------------------------------------------

  std::optional<Fit> try_in_place() {
    const Affine map;
    const Turning turning(map);
    // Looking at a few vertices first keeps this cheap where it fails.
    for (std::size_t v = 0; v < from_.positions.size(); v += 1 + from_.positions.size() / 4) {
      if (find_partner(map, turning, v, strict_) == no_index) {
        return std::nullopt;
      }
    }
    return check(identity_matrix);
  }

  std::optional<Fit> try_same_order() {
    Map pairs(from_.positions.size());
    std::iota(pairs.begin(), pairs.end(), 0U);
    auto here = list_elements(from_);
    const auto there = list_elements(to_);
    if (here != there) {
      if (from_.topology != Topology::triangles) {
        return std::nullopt;
      }
      turn_over(here);
      if (here != there) {
        return std::nullopt;
      }
    }
    return settle(pairs);
  }

  /// Whitened, the two differ by a rotation: two vertices and their images give it away.
  std::optional<Fit> search() {
    const std::vector<Eigen::Vector3d> here = whiten(from_, white_from_);
    const std::vector<Eigen::Vector3d> there = whiten(to_, white_to_);
    const double noise =
        1e-9 + 8 * settings_.tolerance *
                   std::max(from_.diagonal / white_from_.deviations[white_from_.rank - 1],
                            to_.diagonal / white_to_.deviations[white_to_.rank - 1]);
    sort_by_radius(there);
    const auto anchors = choose_anchors(here, noise);
    if (!anchors) {
      return std::nullopt;
    }
    const auto [first, second] = *anchors;
    const double wanted = here[first].dot(here[second]);
    const std::vector<std::uint32_t> firsts = list_like(first, here, noise);
    const std::vector<std::uint32_t> seconds = list_like(second, here, noise);
    std::size_t trials = 0;
    for (const std::uint32_t b1 : firsts) {
      for (const std::uint32_t b2 : seconds) {
        if (std::abs(there[b1].dot(there[b2]) - wanted) >
            2 * noise * (here[first].norm() + here[second].norm())) {
          continue;
        }
        for (const double side : {1.0, -1.0}) {
          if (++trials > max_trials) {
            return std::nullopt;
          }
          if (auto fit = try_rotation(here[first], here[second], there[b1], there[b2], side)) {
            return fit;
          }
        }
      }
    }
    return std::nullopt;
  }

  std::optional<Fit> try_rotation(const Eigen::Vector3d& a1,
                                  const Eigen::Vector3d& a2,
                                  const Eigen::Vector3d& b1,
                                  const Eigen::Vector3d& b2,
                                  double side) {
    const Eigen::Matrix3d rotation = make_frame(b1, b2, side) * make_frame(a1, a2, 1).transpose();
    Affine map;
    map.linear = unwhiten(white_to_) * rotation * white_from_.matrix;
    if (white_from_.rank == 2) {
      complete(map.linear, side);
    }
    map.offset = to_.centre - map.linear * from_.centre;
    const double rough = rough_tolerance * to_.diagonal;
    const Turning turning(map);
    for (std::size_t v = 0; v < from_.positions.size(); v += 1 + from_.positions.size() / 6) {
      if (find_partner(map, turning, v, rough) == no_index) {
        return std::nullopt;
      }
    }
    auto pairs = match(map, rough);
    if (!pairs) {
      return std::nullopt;
    }
    // Once more with a better map: where vertices are close, the rough one may have mixed them up.
    const Affine better = solve(*pairs, side);
    if (auto again = match(better, near_factor * strict_)) {
      pairs = std::move(again);
    }
    return settle(*pairs);
  }

  /// The plainest map that holds for these pairs.
  std::optional<Fit> settle(const Map& pairs) {
    if (white_from_.rank < 2) {
      Affine shift;
      shift.offset = to_.centre - from_.centre;
      return accept({shift}, pairs);
    }
    if (white_from_.rank == 3) {
      return accept(list_plainer(solve(pairs, 1)), pairs);
    }
    // Flat parts: which side is up shows in winding and normals alone.
    for (const double side : {1.0, -1.0}) {
      if (auto fit = accept(list_plainer(solve(pairs, side)), pairs)) {
        return fit;
      }
    }
    return std::nullopt;
  }

  [[nodiscard]] std::vector<Affine> list_plainer(const Affine& map) const {
    std::vector<Affine> list;
    for (const Eigen::Matrix3d& linear :
         {make_similarity(map.linear), make_scaled_rotation(map.linear)}) {
      list.push_back({linear, to_.centre - linear * from_.centre});
    }
    list.push_back(map);
    return list;
  }

  /// The first of the maps, plainest first, that is nearly as good as the last and holds.
  std::optional<Fit> accept(const std::vector<Affine>& maps, const Map& pairs) {
    const double best = measure(maps.back(), pairs);
    if (!(best <= strict_)) {
      return std::nullopt;
    }
    for (const Affine& map : maps) {
      const double residual = measure(map, pairs);
      if (residual <= strict_ && residual <= best + strict_ / 10) {
        if (auto fit = check(to_matrix(map))) {
          return fit;
        }
      }
    }
    return std::nullopt;
  }

  /// Least squares over all pairs, around the centres.
  [[nodiscard]] Affine solve(const Map& pairs, double side) const {
    Eigen::Matrix3d across = Eigen::Matrix3d::Zero();
    Eigen::Vector3d mean_from{0, 0, 0};
    Eigen::Vector3d mean_to{0, 0, 0};
    for (std::size_t v = 0; v < pairs.size(); ++v) {
      mean_from += from_.positions[v];
      mean_to += to_.positions[pairs[v]];
    }
    mean_from /= static_cast<double>(pairs.size());
    mean_to /= static_cast<double>(pairs.size());
    Eigen::Matrix3d own = Eigen::Matrix3d::Zero();
    for (std::size_t v = 0; v < pairs.size(); ++v) {
      const Eigen::Vector3d d = from_.positions[v] - mean_from;
      across += (to_.positions[pairs[v]] - mean_to) * d.transpose();
      own += d * d.transpose();
    }
    Affine map;
    if (white_from_.rank == 3) {
      map.linear = own.ldlt().solve(across.transpose()).transpose();
    } else {
      // Only within the plane of the part is anything known.
      const Eigen::Matrix<double, 3, 2> plane = white_from_.axes.leftCols<2>();
      const Eigen::Matrix2d flat = plane.transpose() * own * plane;
      map.linear = (across * plane) * flat.inverse() * plane.transpose();
      complete(map.linear, side);
    }
    map.offset = mean_to - map.linear * mean_from;
    return map;
  }

  /// Gives the direction across a flat part an image: across the image, scaled as the rest is.
  void complete(Eigen::Matrix3d& linear, double side) const {
    const Eigen::Vector3d x = linear * white_from_.axes.col(0);
    const Eigen::Vector3d y = linear * white_from_.axes.col(1);
    const Eigen::Vector3d across = x.cross(y);
    const double area = across.norm();
    const Eigen::Vector3d own = white_from_.axes.col(0).cross(white_from_.axes.col(1));
    linear -= (linear * own) * own.transpose();
    if (area > 0) {
      linear += side * across / area * std::sqrt(area) * own.transpose();
    }
  }

  // ---- anchors -------------------------------------------------------------------------------

  static std::vector<Eigen::Vector3d> whiten(const Points& points, const Whitening& whitening) {
    std::vector<Eigen::Vector3d> out(points.positions.size());
    std::transform(points.positions.begin(), points.positions.end(), out.begin(),
                   [&](const Eigen::Vector3d& p) -> Eigen::Vector3d {
                     return whitening.matrix * (p - points.centre);
                   });
    return out;
  }

  static Eigen::Matrix3d unwhiten(const Whitening& whitening) {
    return whitening.axes * whitening.deviations.asDiagonal() * whitening.axes.transpose();
  }

  void sort_by_radius(const std::vector<Eigen::Vector3d>& there) {
    by_radius_.resize(there.size());
    for (std::size_t v = 0; v < there.size(); ++v) {
      by_radius_[v] = {there[v].norm(), static_cast<std::uint32_t>(v)};
    }
    std::sort(by_radius_.begin(), by_radius_.end());
  }

  /// Vertices of `to` that could be the image of one of `from`, by radius and plain attributes.
  [[nodiscard]] std::vector<std::uint32_t> list_like(std::size_t vertex,
                                                     const std::vector<Eigen::Vector3d>& here,
                                                     double noise) const {
    const double radius = here[vertex].norm();
    const double slack = noise * (1 + radius);
    auto at = std::lower_bound(by_radius_.begin(), by_radius_.end(),
                               std::pair(radius - slack, std::uint32_t{0}));
    std::vector<std::uint32_t> out;
    for (; at != by_radius_.end() && at->first <= radius + slack; ++at) {
      if (same_values(vertex, at->second)) {
        out.push_back(at->second);
      }
    }
    return out;
  }

  /// Two vertices well apart in direction that have as few possible images as can be.
  [[nodiscard]] std::optional<std::pair<std::size_t, std::size_t>> choose_anchors(
      const std::vector<Eigen::Vector3d>& here, double noise) const {
    constexpr std::size_t samples = 96;
    const double largest = std::sqrt(std::transform_reduce(
        here.begin(), here.end(), 0.0, [](double a, double b) { return std::max(a, b); },
        [](const Eigen::Vector3d& p) { return p.squaredNorm(); }));
    std::vector<std::tuple<std::size_t, double, std::size_t>> rare;
    for (std::size_t v = 0; v < here.size(); v += 1 + here.size() / samples) {
      if (here[v].norm() >= 0.3 * largest) {
        const std::size_t images = list_like(v, here, noise).size();
        if (images == 0) {
          return std::nullopt;
        }
        rare.emplace_back(images, -here[v].norm(), v);
      }
    }
    std::sort(rare.begin(), rare.end());
    if (rare.empty()) {
      return std::nullopt;
    }
    const std::size_t first = std::get<2>(rare.front());
    for (const auto& [images, radius, v] : rare) {
      if (here[first].cross(here[v]).norm() > 0.2 * here[first].norm() * here[v].norm()) {
        return std::pair(first, v);
      }
    }
    return std::nullopt;
  }

  static Eigen::Matrix3d make_frame(const Eigen::Vector3d& a,
                                    const Eigen::Vector3d& b,
                                    double side) {
    Eigen::Matrix3d frame;
    frame.col(0) = a.normalized();
    frame.col(2) = a.cross(b).normalized();
    frame.col(1) = frame.col(2).cross(frame.col(0));
    frame.col(2) *= side;
    return frame;
  }

  // ---- checks --------------------------------------------------------------------------------

  /// What no transform changes is alike on the whole, before it is held vertex against vertex.
  [[nodiscard]] bool same_fixed_values() const {
    const std::vector<double> here = list_fixed_values(from_);
    const std::vector<double> there = list_fixed_values(to_);
    return std::equal(
        here.begin(), here.end(), there.begin(), there.end(),
        [&](double a, double b) { return std::abs(a - b) <= find_values_tolerance(settings_); });
  }

  [[nodiscard]] bool same_values(std::size_t from, std::size_t to) const {
    return std::all_of(from_.lanes.begin(), from_.lanes.end(), [&](const Lane& lane) {
      if (lane.role != LaneRole::value) {
        return true;
      }
      const float* a = from_.record(from) + lane.offset;
      const float* b = to_.record(to) + lane.offset;
      return std::equal(a, a + lane.width, b, [&](float x, float y) {
        return std::abs(static_cast<double>(x) - static_cast<double>(y)) <=
               settings_.attribute_tolerance;
      });
    });
  }

  static Eigen::Vector3d read_direction(const float* from) {
    return {static_cast<double>(from[0]), static_cast<double>(from[1]),
            static_cast<double>(from[2])};
  }

  [[nodiscard]] bool same_directions(const Turning& turning,
                                     std::size_t from,
                                     std::size_t to,
                                     double tolerance) const {
    return std::all_of(from_.lanes.begin(), from_.lanes.end(), [&](const Lane& lane) {
      if (lane.role == LaneRole::value) {
        return true;
      }
      const float* a = from_.record(from) + lane.offset;
      const float* b = to_.record(to) + lane.offset;
      const bool tangent = lane.role == LaneRole::tangent;
      const Eigen::Vector3d moved =
          (tangent ? turning.linear : turning.normals) * read_direction(a);
      const Eigen::Vector3d wanted = read_direction(b);
      const double length = moved.norm();
      const double wanted_length = wanted.norm();
      if (!(length > 0) || !(wanted_length > 0)) {
        return length == wanted_length;
      }
      const bool near =
          (moved / length - wanted / wanted_length).cwiseAbs().maxCoeff() <= tolerance;
      return near && (!tangent || lane.width < 4 || a[3] * turning.hand * b[3] > 0);
    });
  }

  /// The vertex of `to` that one of `from` lands on: nearest of those whose attributes agree.
  [[nodiscard]] std::uint32_t find_partner(const Affine& map,
                                           const Turning& turning,
                                           std::size_t vertex,
                                           double reach) {
    judge_.tree().find(map(from_.positions[vertex]), reach, near_);
    const double tolerance = reach > near_factor * strict_
                                 ? std::max(0.2, settings_.direction_tolerance)
                                 : settings_.direction_tolerance;
    for (const auto& [candidate, distance] : near_) {
      if (same_values(vertex, candidate) &&
          same_directions(turning, vertex, candidate, tolerance)) {
        return candidate;
      }
    }
    return no_index;
  }

  std::optional<Map> match(const Affine& map, double reach) {
    const Turning turning(map);
    Map pairs(from_.positions.size());
    for (std::size_t v = 0; v < pairs.size(); ++v) {
      pairs[v] = find_partner(map, turning, v, reach);
      if (pairs[v] == no_index) {
        return std::nullopt;
      }
    }
    return pairs;
  }

  [[nodiscard]] double measure(const Affine& map, const Map& pairs) const {
    double worst = 0;
    for (std::size_t v = 0; v < pairs.size(); ++v) {
      worst = std::max(worst, (map(from_.positions[v]) - to_.positions[pairs[v]]).squaredNorm());
    }
    return std::sqrt(worst);
  }

  const Points& from_;
  const Points& to_;
  const FamilySettings& settings_;
  RepeatJudge judge_;
  RepeatLimits limits_;
  double strict_;  ///< metres in the space of `to`
  Whitening white_from_;
  Whitening white_to_;
  std::vector<std::pair<double, std::uint32_t>> by_radius_;
  std::vector<std::pair<std::uint32_t, double>> near_;
};

}  // namespace

std::optional<Fit> find_fit(const Points& from, const Points& to, const FamilySettings& settings) {
  return Fitter(from, to, settings).find();
}

std::optional<Fit> check_fit(const Points& from,
                             const Points& to,
                             const Mat4d& matrix,
                             const FamilySettings& settings) {
  return Fitter(from, to, settings).check(matrix);
}

}  // namespace wakuzume
