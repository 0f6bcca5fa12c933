// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/charts.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>
#include <queue>
#include <unordered_map>

namespace wakuzume {
namespace {

using Eigen::Vector2d;
using Eigen::Vector3d;

constexpr std::uint32_t unplaced = no_index;
/// So far triangles may overlap, relative to their size: what rounding makes of a shared edge.
constexpr double overlap_slack = 1e-6;

using Flat = std::array<Vector2d, 3>;

/// The widest gap between two triangles along any of their sides is below nought: they overlap.
bool overlap(const Flat& a, const Flat& b) {
  const auto separates = [](const Flat& from, const Flat& other) {
    for (std::size_t k = 0; k < 3; ++k) {
      const Vector2d side = from[(k + 1) % 3] - from[k];
      const Vector2d out(side.y(), -side.x());  // outwards: the corners run counter-clockwise
      const double length = out.norm();
      if (length == 0) {
        return true;  // no area, no overlap
      }
      double nearest = 1e300;
      for (const Vector2d& p : other) {
        nearest = std::min(nearest, out.dot(p - from[k]) / length);
      }
      if (nearest > -overlap_slack * length) {
        return true;
      }
    }
    return false;
  };
  return !separates(a, b) && !separates(b, a);
}

/// The triangles of one chart by the cells of a grid.
class OverlapGrid {
 public:
  explicit OverlapGrid(double cell) : cell_(cell) {}

  /// \return false, and nothing is added, where one that is there is overlapped
  bool add(const Flat& flat) {
    const auto low = [&](int axis) {
      return find_cell(std::min({flat[0][axis], flat[1][axis], flat[2][axis]}));
    };
    const auto high = [&](int axis) {
      return find_cell(std::max({flat[0][axis], flat[1][axis], flat[2][axis]}));
    };
    const std::int64_t box[4] = {low(0), low(1), high(0), high(1)};
    for (const bool adding : {false, true}) {
      for (std::int64_t y = box[1]; y <= box[3]; ++y) {
        for (std::int64_t x = box[0]; x <= box[2]; ++x) {
          std::vector<std::size_t>& cell = cells_[(y << 32) ^ (x & 0xFFFF'FFFF)];
          if (adding) {
            cell.push_back(flats_.size());
          } else if (std::any_of(cell.begin(), cell.end(),
                                 [&](std::size_t f) { return overlap(flats_[f], flat); })) {
            return false;
          }
        }
      }
    }
    flats_.push_back(flat);
    return true;
  }

 private:
  [[nodiscard]] std::int64_t find_cell(double at) const {
    return static_cast<std::int64_t>(std::floor(at / cell_));
  }

  double cell_;
  std::vector<Flat> flats_;
  std::unordered_map<std::int64_t, std::vector<std::size_t>> cells_;  // never walked
};

/// Across and up of the plane that looks along an axis.
std::array<Vector3d, 2> make_plane(const Vector3d& axis) {
  const Vector3d helper = std::abs(axis.y()) < 0.9 ? Vector3d::UnitY() : Vector3d::UnitX();
  const Vector3d across = helper.cross(axis).normalized();
  return {across, axis.cross(across)};
}

class ChartMaker {
 public:
  explicit ChartMaker(const std::vector<float>& positions)
      : positions_(positions), count_(positions.size() / 9) {
    out_.chart_of.assign(count_, unplaced);
    out_.corners.resize(3 * count_);
    measure();
    find_neighbours();
  }

  ChartSet make() {
    std::vector<std::uint32_t> order(count_);
    std::iota(order.begin(), order.end(), 0U);
    std::stable_sort(order.begin(), order.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return areas_[a] > areas_[b]; });
    for (const std::uint32_t seed : order) {
      while (out_.chart_of[seed] == unplaced) {
        // The mean direction of what the seed reaches is a better plane than its own.
        const std::vector<std::uint32_t> reached = grow(seed, normals_[seed]);
        Vector3d mean = Vector3d::Zero();
        for (const std::uint32_t t : reached) {
          mean += areas_[t] * normals_[t];
        }
        const Vector3d axis = mean.norm() > 0 ? Vector3d(mean.normalized()) : normals_[seed];
        const bool fits = lean_fits(seed, axis);
        lay_flat(grow(seed, fits ? axis : normals_[seed]), fits ? axis : normals_[seed]);
      }
    }
    return std::move(out_);
  }

 private:
  [[nodiscard]] Vector3d corner(std::size_t c) const {
    return Eigen::Map<const Eigen::Vector3f>(&positions_[3 * c]).cast<double>();
  }

  void measure() {
    for (std::size_t t = 0; t < count_; ++t) {
      const Vector3d a = corner(3 * t);
      const Vector3d cross = (corner(3 * t + 1) - a).cross(corner(3 * t + 2) - a);
      const double length = cross.norm();
      const bool good = std::isfinite(length) && length > 0;
      areas_.push_back(good ? length / 2 : 0);
      normals_.push_back(good ? Vector3d(cross / length) : Vector3d(Vector3d::UnitZ()));
    }
  }

  /// Triangles are beside one another where they share both ends of an edge, by their places.
  void find_neighbours() {
    std::map<std::array<float, 3>, std::uint32_t> places;
    std::vector<std::uint32_t> place(3 * count_);
    for (std::size_t c = 0; c < place.size(); ++c) {
      // Adding nought makes one of both noughts.
      const std::array<float, 3> at{positions_[3 * c] + 0.0F, positions_[3 * c + 1] + 0.0F,
                                    positions_[3 * c + 2] + 0.0F};
      place[c] = places.try_emplace(at, static_cast<std::uint32_t>(places.size())).first->second;
    }
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::vector<std::uint32_t>> edges;
    for (std::uint32_t t = 0; t < count_; ++t) {
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t a = place[3 * t + k];
        const std::uint32_t b = place[3 * t + (k + 1) % 3];
        edges[std::minmax(a, b)].push_back(t);
      }
    }
    beside_.resize(count_);
    for (const auto& [edge, triangles] : edges) {
      for (std::size_t i = 0; i + 1 < triangles.size(); ++i) {
        beside_[triangles[i]].push_back(triangles[i + 1]);
        beside_[triangles[i + 1]].push_back(triangles[i]);
      }
    }
  }

  [[nodiscard]] bool lean_fits(std::uint32_t t, const Vector3d& axis) const {
    static const double least = std::cos(most_chart_lean);
    return areas_[t] == 0 || normals_[t].dot(axis) >= least;
  }

  /// What hangs together with a triangle, is free and leans little, from the inside out.
  [[nodiscard]] std::vector<std::uint32_t> grow(std::uint32_t seed, const Vector3d& axis) {
    ++round_;
    visited_.resize(count_, 0);
    std::vector<std::uint32_t> reached{seed};
    visited_[seed] = round_;
    for (std::size_t next = 0; next < reached.size(); ++next) {
      for (const std::uint32_t t : beside_[reached[next]]) {
        if (visited_[t] != round_ && out_.chart_of[t] == unplaced && lean_fits(t, axis)) {
          visited_[t] = round_;
          reached.push_back(t);
        }
      }
    }
    return reached;
  }

  void lay_flat(const std::vector<std::uint32_t>& triangles, const Vector3d& axis) {
    const std::array<Vector3d, 2> plane = make_plane(axis);
    const auto flatten = [&](std::uint32_t t) {
      Flat flat;
      for (std::size_t k = 0; k < 3; ++k) {
        const Vector3d at = corner(3 * std::size_t{t} + k);
        flat[k] = {plane[0].dot(at), plane[1].dot(at)};
      }
      return flat;
    };
    double longest = 0;
    for (const std::uint32_t t : triangles) {
      const Flat flat = flatten(t);
      longest += ((flat[1] - flat[0]).norm() + (flat[2] - flat[0]).norm()) / 2;
    }
    OverlapGrid grid(std::max(1e-30, longest / static_cast<double>(triangles.size())));
    const auto number = static_cast<std::uint32_t>(out_.charts.size());
    Chart& chart = out_.charts.emplace_back();
    std::vector<Vector2d> points;
    for (const std::uint32_t t : triangles) {
      const Flat flat = flatten(t);
      const bool finite = std::isfinite(flat[0].sum() + flat[1].sum() + flat[2].sum());
      // What would lie over a part of this chart begins one of its own.
      if (t != triangles.front() && finite && !grid.add(flat)) {
        continue;
      }
      if (t == triangles.front() && finite) {
        grid.add(flat);
      }
      out_.chart_of[t] = number;
      chart.triangles.push_back(t);
      for (std::size_t k = 0; k < 3; ++k) {
        points.push_back(finite ? flat[k] : Vector2d(Vector2d::Zero()));
      }
    }
    turn(points);
    Vector2d low(1e300, 1e300);
    Vector2d high(-1e300, -1e300);
    for (const Vector2d& p : points) {
      low = low.cwiseMin(p);
      high = high.cwiseMax(p);
    }
    for (std::size_t i = 0; i < chart.triangles.size(); ++i) {
      for (std::size_t k = 0; k < 3; ++k) {
        const Vector2d& p = points[3 * i + k];
        // Textures count their rows downwards.
        out_.corners[3 * std::size_t{chart.triangles[i]} + k] = {p.x() - low.x(), high.y() - p.y()};
      }
    }
    chart.size = {high.x() - low.x(), high.y() - low.y()};
    std::sort(chart.triangles.begin(), chart.triangles.end());
  }

  /// Turns points so that the box around them is as small as a side of their hull makes it.
  static void turn(std::vector<Vector2d>& points) {
    std::vector<Vector2d> sorted = points;
    const auto before = [](const Vector2d& a, const Vector2d& b) {
      return std::pair(a.x(), a.y()) < std::pair(b.x(), b.y());
    };
    std::sort(sorted.begin(), sorted.end(), before);
    std::vector<Vector2d> hull;
    for (const bool upper : {false, true}) {
      const std::size_t begin = hull.size();
      for (std::size_t i = 0; i < sorted.size(); ++i) {
        const Vector2d& p = upper ? sorted[sorted.size() - 1 - i] : sorted[i];
        while (hull.size() >= begin + 2) {
          const Vector2d a = hull.back() - hull[hull.size() - 2];
          const Vector2d b = p - hull.back();
          if (a.x() * b.y() - a.y() * b.x() > 0) {
            break;
          }
          hull.pop_back();
        }
        hull.push_back(p);
      }
      hull.pop_back();
    }
    double best_area = 1e300;
    Vector2d best(1, 0);
    for (std::size_t i = 0; i < hull.size(); ++i) {
      const Vector2d side = hull[(i + 1) % hull.size()] - hull[i];
      if (side.norm() == 0) {
        continue;
      }
      const Vector2d along = side.normalized();
      const Vector2d up(-along.y(), along.x());
      double box[4] = {1e300, 1e300, -1e300, -1e300};
      for (const Vector2d& p : hull) {
        box[0] = std::min(box[0], along.dot(p));
        box[1] = std::min(box[1], up.dot(p));
        box[2] = std::max(box[2], along.dot(p));
        box[3] = std::max(box[3], up.dot(p));
      }
      const double area = (box[2] - box[0]) * (box[3] - box[1]);
      if (area < best_area * (1 - 1e-9)) {
        best_area = area;
        best = along;
      }
    }
    for (Vector2d& p : points) {
      p = {best.dot(p), -best.y() * p.x() + best.x() * p.y()};
    }
  }

  const std::vector<float>& positions_;
  std::size_t count_;
  std::vector<double> areas_;
  std::vector<Vector3d> normals_;
  std::vector<std::vector<std::uint32_t>> beside_;
  std::vector<std::uint32_t> visited_;
  std::uint32_t round_ = 0;
  ChartSet out_;
};

}  // namespace

ChartSet make_charts(const std::vector<float>& positions) { return ChartMaker(positions).make(); }

std::vector<float> make_corner_positions(const Scene& scene, const Primitive& primitive) {
  const std::vector<float> positions = make_floats(scene, primitive.find("POSITION"));
  std::vector<float> out;
  for (const std::uint32_t v : make_list_indices(scene, primitive)) {
    out.insert(out.end(), &positions[3 * std::size_t{v}], &positions[3 * std::size_t{v}] + 3);
  }
  return out;
}

Result<ChartLayout> place_charts(const ChartSet& set,
                                 double texels_per_unit,
                                 std::uint32_t most_px) {
  const auto side = [&](double length) {
    const double px = std::ceil(length * texels_per_unit);
    return px < 1e6 ? static_cast<std::uint32_t>(std::max(1.0, px)) + 2 * chart_margin_px
                    : 1'000'000U;
  };
  std::vector<RectSize> sizes;
  for (const Chart& chart : set.charts) {
    sizes.push_back({side(chart.size[0]), side(chart.size[1])});
  }
  PackSettings settings;
  settings.max_page_px = std::max(4U, most_px / 4 * 4);
  auto packed = pack(sizes, settings);
  if (!packed) {
    return Failure(packed.error());
  }
  if (packed->pages.size() != 1) {
    return Failure(
        Error{ErrorCode::too_large,
              fmt::format("{} charts at {:g} texels a unit do not fit into {} x {} pixels",
                          set.charts.size(), texels_per_unit, most_px, most_px),
              {}});
  }
  ChartLayout out;
  out.size = packed->pages.front();
  out.corners.resize(set.corners.size());
  for (std::size_t c = 0; c < out.corners.size(); ++c) {
    const std::uint32_t chart = set.chart_of[c / 3];
    const PlacedRect& rect = packed->rects[chart];
    const double x = chart_margin_px + set.corners[c][0] * texels_per_unit;
    const double y = chart_margin_px + set.corners[c][1] * texels_per_unit;
    out.corners[c] = rect.turned ? Vec2d{rect.x_px + sizes[chart].height_px - y, rect.y_px + x}
                                 : Vec2d{rect.x_px + x, rect.y_px + y};
  }
  return out;
}

}  // namespace wakuzume
