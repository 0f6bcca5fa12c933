// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/deviation.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "reduce/triangle_tree.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

constexpr std::size_t triangles_at_once = 1024;

/// Irrational steps that fill a square evenly (M. Roberts, "The Unreasonable Effectiveness of
/// Quasirandom Sequences", 2018).
constexpr double step_u = 0.7548776662466927;
constexpr double step_v = 0.5698402909980532;

/// What some places of a surface add up to.
struct Sum {
  double area = 0;
  double distance = 0;
  double max2 = 0;
  std::vector<double> traits;
  std::vector<double> traits_max;
  std::uint32_t near = no_index;  ///< the triangle that was found last: the next is beside it
};

class Measure {
 public:
  Measure(const Surface& from, const Surface& to, const DeviationSettings& settings)
      : from_(from), to_(to), tree_(to.positions, to.indices) {
    const std::size_t triangles = from.indices.size() / 3;
    areas_.resize(triangles);
    double all = 0;
    for (std::size_t t = 0; t < triangles; ++t) {
      areas_[t] = find_area(from.positions, from.indices, t);
      all += areas_[t];
    }
    per_area_ = all > 0 ? settings.samples / all : 0;
    first_corner_.resize(from.positions.size() / 3, from.indices.size());
    for (std::size_t c = from.indices.size(); c-- > 0;) {
      first_corner_[from.indices[c]] = c;
    }
    // Where the triangles before left off: so each gets what its area is due.
    begins_.resize(triangles + 1, 0.0);
    for (std::size_t t = 0; t < triangles; ++t) {
      begins_[t + 1] = begins_[t] + areas_[t] * per_area_;
    }
  }

  bool measure(const RunControl& run, Distances& out) const {
    const std::size_t triangles = areas_.size();
    std::vector<Sum> sums((triangles + triangles_at_once - 1) / triangles_at_once);
    if (!for_each_range(triangles, triangles_at_once, run, "measuring",
                        [&](std::size_t begin, std::size_t end) {
                          Sum& sum = sums[begin / triangles_at_once];
                          sum.traits.resize(from_.traits.size());
                          sum.traits_max.resize(from_.traits.size());
                          for (std::size_t t = begin; t < end; ++t) {
                            look_at_triangle(t, sum);
                          }
                        })) {
      return false;
    }
    add_up(sums, out);
    return true;
  }

 private:
  [[nodiscard]] Vec3d corner(std::size_t t, std::size_t c) const {
    return load_point(from_.positions, from_.indices[3 * t + c]);
  }

  void add_up(const std::vector<Sum>& sums, Distances& out) const {
    Sum all;
    all.traits.resize(from_.traits.size());
    out.traits_max.resize(from_.traits.size());
    for (const Sum& sum : sums) {
      all.area += sum.area;
      all.distance += sum.distance;
      all.max2 = std::max(all.max2, sum.max2);
      for (std::size_t i = 0; i < all.traits.size(); ++i) {
        all.traits[i] += sum.traits[i];
        out.traits_max[i] = std::max(out.traits_max[i], sum.traits_max[i]);
      }
    }
    out.max_m = std::sqrt(all.max2);
    out.mean_m = all.area > 0 ? all.distance / all.area : 0;
    for (const double sum : all.traits) {
      out.traits.push_back(all.area > 0 ? sum / all.area : 0);
    }
  }

  [[nodiscard]] TriangleTree::Hit find_nearest(const Vec3d& at, Sum& sum) const {
    const TriangleTree::Hit hit = tree_.find_nearest(at, sum.near);
    sum.near = hit.triangle;
    return hit;
  }

  void look_at_triangle(std::size_t t, Sum& sum) const {
    // Vertices count for the largest distance only.
    for (std::size_t c = 0; c < 3; ++c) {
      if (first_corner_[from_.indices[3 * t + c]] == 3 * t + c) {
        const TriangleTree::Hit hit = find_nearest(corner(t, c), sum);
        sum.max2 = hit.triangle == no_index ? sum.max2 : std::max(sum.max2, hit.distance2);
      }
    }
    const auto first = static_cast<std::uint64_t>(begins_[t]);
    const auto last = static_cast<std::uint64_t>(begins_[t + 1]);
    for (std::uint64_t s = first; s < last; ++s) {
      double u = std::fmod(static_cast<double>(s + 1) * step_u, 1.0);
      double v = std::fmod(static_cast<double>(s + 1) * step_v, 1.0);
      if (u + v > 1) {
        u = 1 - u;
        v = 1 - v;
      }
      look_at_place(t, {1 - u - v, u, v}, 1, sum);
    }
  }

  void look_at_place(std::size_t t, const Vec3d& shares, double area, Sum& sum) const {
    const Vec3d at = shares[0] * corner(t, 0) + shares[1] * corner(t, 1) + shares[2] * corner(t, 2);
    const TriangleTree::Hit hit = find_nearest(at, sum);
    if (hit.triangle == no_index) {
      return;  // nothing there has any area
    }
    sum.area += area;
    sum.distance += area * std::sqrt(hit.distance2);
    sum.max2 = std::max(sum.max2, hit.distance2);
    if (from_.traits.empty()) {
      return;
    }
    // On the other side of a seam things may lie as near and be quite another: of what is about as
    // near the likest counts.
    std::vector<double> least(from_.traits.size(), std::numeric_limits<double>::infinity());
    const auto compare = [&](const TriangleTree::Hit& near) {
      for (std::size_t i = 0; i < least.size(); ++i) {
        least[i] = std::min(least[i], differ(i, t, shares, near));
      }
    };
    compare(hit);
    tree_.for_each_within(at, 2 * hit.distance2 + 1e-12 * dot(at, at), compare);
    for (std::size_t i = 0; i < least.size(); ++i) {
      sum.traits[i] += area * least[i];
      sum.traits_max[i] = std::max(sum.traits_max[i], least[i]);
    }
  }

  static std::array<double, 16> mix(const Surface& surface,
                                    std::size_t i,
                                    std::size_t t,
                                    const Vec3d& shares) {
    const SurfaceTrait& trait = surface.traits[i];
    std::array<double, 16> out{};
    for (std::size_t c = 0; c < 3; ++c) {
      const float* values =
          &trait.values[trait.components * std::size_t{surface.indices[3 * t + c]}];
      for (std::size_t k = 0; k < trait.components; ++k) {
        out[k] += shares[c] * values[k];
      }
    }
    return out;
  }

  [[nodiscard]] double differ(std::size_t i,
                              std::size_t t,
                              const Vec3d& shares,
                              const TriangleTree::Hit& near) const {
    const std::array<double, 16> a = mix(from_, i, t, shares);
    const std::array<double, 16> b = mix(to_, i, near.triangle, near.shares);
    if (from_.traits[i].kind == TraitKind::direction) {
      const Vec3d first{a[0], a[1], a[2]};
      const Vec3d second{b[0], b[1], b[2]};
      const Vec3d across = cross(first, second);
      return std::atan2(std::sqrt(dot(across, across)), dot(first, second)) * 180 /
             std::numbers::pi;
    }
    double sum = 0;
    for (std::size_t k = 0; k < from_.traits[i].components; ++k) {
      sum += (a[k] - b[k]) * (a[k] - b[k]);
    }
    return std::sqrt(sum);
  }

  const Surface& from_;
  const Surface& to_;
  TriangleTree tree_;
  std::vector<double> areas_;
  std::vector<double> begins_;
  double per_area_ = 0;
  std::vector<std::size_t> first_corner_;  ///< by vertex of `from`, the first that shows it
};

}  // namespace

Result<Deviation> measure_deviation(const Surface& first,
                                    const Surface& second,
                                    const DeviationSettings& settings,
                                    const RunControl& run) {
  Deviation out;
  if (first.indices.size() < 3 || second.indices.size() < 3) {
    return out;  // nothing can lie off
  }
  if (!Measure(first, second, settings).measure(run, out.there) ||
      !Measure(second, first, settings).measure(run, out.back)) {
    return Failure(make_cancelled());
  }
  return out;
}

}  // namespace wakuzume
