// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "order/eye_order.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "scene/matrix.h"

namespace wakuzume {
namespace {

/// Cycles of more facets are not looked at.
constexpr std::size_t most_looked_at = 2'000;
/// What laps over something by less than this angle covers no pixel of it.
constexpr double least_lap = 1e-4;

using Eigen::Vector3d;
using Units = std::vector<std::uint32_t>;

/// A convex polygon, and what is left of it on one side.
class Polygon {
 public:
  explicit Polygon(const FacingTriangle& triangle) {
    for (const Vec3d& corner : triangle.corners) {
      points_[count_++] = as_eigen(corner);
    }
  }

  /// \param value  above zero for what stays
  /// \return whether anything stays
  template <class Value>
  bool keep(const Value& value) {
    std::array<Vector3d, most> out;
    std::size_t kept = 0;
    for (std::size_t i = 0; i < count_ && kept + 2 <= most; ++i) {
      const Vector3d& a = points_[i];
      const Vector3d& b = points_[(i + 1) % count_];
      const double at_a = value(a);
      const double at_b = value(b);
      if (at_a > 0) {
        out[kept++] = a;
      }
      if ((at_a > 0) != (at_b > 0)) {
        out[kept++] = a + at_a / (at_a - at_b) * (b - a);
      }
    }
    points_ = out;
    count_ = kept;
    return count_ > 2;
  }

 private:
  // Three corners, one more for each of four planes, and room for what rounding adds.
  static constexpr std::size_t most = 12;
  std::array<Vector3d, most> points_;
  std::size_t count_ = 0;
};

/// Whether a line beside one of two triangles parts them in sight of an eye: quickly, of most.
bool are_apart(const FacingTriangle& a, const FacingTriangle& b, const OrderEye& eye) {
  const auto is_beside = [&](const FacingTriangle& one, const FacingTriangle& other) {
    for (std::size_t side = 0; side < 3; ++side) {
      const Vector3d p = as_eigen(one.corners[side]);
      const Vector3d q = as_eigen(one.corners[(side + 1) % 3]);
      const Vector3d along = eye.perspective ? Vector3d(p - as_eigen(eye.at)) : as_eigen(eye.axis);
      const Vector3d across = along.cross(q - p);
      const double inside = across.dot(as_eigen(one.corners[(side + 2) % 3]) - p);
      if (std::all_of(other.corners.begin(), other.corners.end(), [&](const Vec3d& corner) {
            return across.dot(as_eigen(corner) - p) * inside <= 0;
          })) {
        return true;
      }
    }
    return false;
  };
  return is_beside(a, b) || is_beside(b, a);
}

/// A part of `a` lies behind `b`, which an eye sees from before.
bool covers(const FacingTriangle& b, const FacingTriangle& a, const OrderEye& eye, double near_m) {
  if (are_apart(a, b, eye)) {
    return false;
  }
  const std::array<Vector3d, 3> corners{as_eigen(b.corners[0]), as_eigen(b.corners[1]),
                                        as_eigen(b.corners[2])};
  const Vector3d from = as_eigen(eye.at);
  Polygon left(a);
  const Vector3d normal = (corners[1] - corners[0]).cross(corners[2] - corners[0]).normalized();
  if (!left.keep([&](const Vector3d& x) { return normal.dot(corners[0] - x) - near_m; })) {
    return false;
  }
  double lap_m = near_m;
  if (eye.perspective) {
    // As far off as the nearest of them: flat sides, so that no more than one corner is added.
    const auto distance = [&](const Vec3d& corner) { return (as_eigen(corner) - from).norm(); };
    lap_m = least_lap *
            std::min({distance(a.corners[0]), distance(a.corners[1]), distance(a.corners[2])});
  }
  for (std::size_t side = 0; side < 3; ++side) {
    const Vector3d& p = corners[side];
    const Vector3d& q = corners[(side + 1) % 3];
    const Vector3d along = eye.perspective ? Vector3d(p - from) : as_eigen(eye.axis);
    Vector3d inwards = along.cross(q - p).normalized();
    inwards *= inwards.dot(corners[(side + 2) % 3] - p) < 0 ? -1 : 1;
    if (!left.keep([&](const Vector3d& x) { return inwards.dot(x - p) - lap_m; })) {
      return false;
    }
  }
  return true;
}

/// Pairs of places in a list, as what follows each and what comes before it.
class Graph {
 public:
  explicit Graph(std::size_t count) : after_(count), before_(count) {}

  void add(std::uint32_t first, std::uint32_t then) {
    after_[first].push_back(then);
    before_[then].push_back(first);
  }

  /// Cycles and single places, what follows after what it follows; free ones as they stand.
  /// \source S. R. Kosaraju's search for strongly connected components
  [[nodiscard]] std::vector<Units> list_components() const {
    Units left;
    std::vector<bool> met(after_.size(), false);
    for (auto p = static_cast<std::uint32_t>(after_.size()); p-- > 0;) {
      search(p, after_, met, left);
    }
    std::vector<Units> out;
    met.assign(after_.size(), false);
    for (std::size_t i = left.size(); i-- > 0;) {
      Units here;
      search(left[i], before_, met, here);
      if (!here.empty()) {
        std::sort(here.begin(), here.end());
        out.push_back(std::move(here));
      }
    }
    return out;
  }

 private:
  using Lists = std::vector<Units>;

  /// Depth first; adds what is met once all that follows from it was.
  static void search(std::uint32_t place, const Lists& next, std::vector<bool>& met, Units& left) {
    if (met[place]) {
      return;
    }
    std::vector<std::pair<std::uint32_t, std::size_t>> open{{place, 0}};
    met[place] = true;
    while (!open.empty()) {
      auto& [at, index] = open.back();
      if (index == next[at].size()) {
        left.push_back(at);
        open.pop_back();
        continue;
      }
      const std::uint32_t to = next[at][index++];
      if (!met[to]) {
        met[to] = true;
        open.emplace_back(to, 0);
      }
    }
  }

  Lists after_;
  Lists before_;
};

/// Units that form cycles, and who sees which of them over which. Places count along the list.
class Knot {
 public:
  /// All are borrowed. \param units  ascending
  Knot(const Units& units, const Facets& facets, const OrderSettings& settings)
      : units_(units),
        facets_(facets),
        settings_(settings),
        known_(units.size() * units.size(), Known::nothing) {}

  /// A unit comes after the one before it.
  void add_chains(const std::vector<bool>& chained) {
    for (std::size_t place = 1; place < units_.size(); ++place) {
      if (units_[place - 1] + 1 == units_[place] && chained[units_[place]]) {
        known_[(place - 1) * units_.size() + place] = Known::kept;
      }
    }
  }

  /// \param here  eyes at one place
  void look(std::span<const OrderEye> here) {
    const std::vector<Sight> sights = list_sights(here.front());
    for (std::size_t i = 0; i < sights.size(); ++i) {
      const Sight& one = sights[i];
      for (std::size_t j = i + 1; j < sights.size(); ++j) {
        const Sight& other = sights[j];
        if (other.middle[0] - other.radius > one.middle[0] + one.radius) {
          break;
        }
        const double reach = one.radius + other.radius;
        if ((as_eigen(one.middle) - as_eigen(other.middle)).squaredNorm() <= reach * reach) {
          look_at(one.place, other.place, here);
          look_at(other.place, one.place, here);
        }
      }
    }
  }

  /// Units that form cycles for the eyes too, and single ones, in their order.
  [[nodiscard]] std::vector<Units> untie() const {
    Units all(units_.size());
    std::iota(all.begin(), all.end(), 0U);
    std::vector<Units> out;
    for (const Units& part : cut(all, Known::wanted)) {
      // Where the exact order is not to be had, one that is as good as today's.
      for (const Units& places : cut(part, Known::kept)) {
        Units& named = out.emplace_back();
        std::transform(places.begin(), places.end(), std::back_inserter(named),
                       [&](std::uint32_t place) { return units_[place]; });
      }
    }
    return out;
  }

 private:
  /// Of one unit and one that may hide it.
  enum class Known : std::uint8_t {
    nothing,
    never,   ///< no eye can see it do so
    could,   ///< some eye could
    wanted,  ///< an eye does, where owners drawn one by one show them wrong
    kept     ///< and right
  };
  /// Where a unit is in sight of an eye: around a direction, or a place across the axis.
  struct Sight {
    std::uint32_t place = 0;
    Vec3d middle{};
    double radius = 0;
  };

  [[nodiscard]] const Facet& facet(std::uint32_t place) const { return facets_[units_[place]]; }

  /// Units that face an eye, along one axis.
  [[nodiscard]] std::vector<Sight> list_sights(const OrderEye& eye) const {
    std::vector<Sight> out;
    Box3d around;
    for (std::uint32_t place = 0; place < units_.size(); ++place) {
      const Vector3d to_plane = as_eigen(facet(place).point) - as_eigen(eye.at);
      if (as_eigen(facet(place).normal)
              .dot(eye.perspective ? to_plane : Vector3d(as_eigen(eye.axis))) < 0) {
        out.push_back(find_sight(place, eye));
        around.include(out.back().middle);
      }
    }
    std::size_t axis = 0;
    for (std::size_t c = 1; c < 3 && !out.empty(); ++c) {
      axis = around.max[c] - around.min[c] > around.max[axis] - around.min[axis] ? c : axis;
    }
    for (Sight& sight : out) {
      std::swap(sight.middle[0], sight.middle[axis]);
    }
    std::sort(out.begin(), out.end(), [](const Sight& a, const Sight& b) {
      return std::pair(a.middle[0] - a.radius, a.place) <
             std::pair(b.middle[0] - b.radius, b.place);
    });
    return out;
  }

  [[nodiscard]] Sight find_sight(std::uint32_t place, const OrderEye& eye) const {
    const Vec3d centre = facet(place).box.centre();
    const Vector3d to_it = as_eigen(centre) - as_eigen(eye.at);
    const double radius = find_diagonal(facet(place).box) / 2;
    if (!eye.perspective) {
      const Vector3d across = to_it - as_eigen(eye.axis) * as_eigen(eye.axis).dot(to_it);
      return {place, {across.x(), across.y(), across.z()}, radius};
    }
    const double distance = to_it.norm();
    if (distance <= radius) {
      return {place, {0, 0, 0}, 2};  // all around it
    }
    // A cone of an angle holds what is no farther off on the sphere than twice the sine of half.
    return {place,
            {to_it.x() / distance, to_it.y() / distance, to_it.z() / distance},
            2 * std::sin(std::asin(radius / distance) / 2)};
  }

  /// Whether `after` hides `first` from here.
  void look_at(std::uint32_t first, std::uint32_t after, std::span<const OrderEye> here) {
    Known& known = known_[first * units_.size() + after];
    if (known == Known::nothing) {
      known = facets_.comes_after(facet(after), facet(first)) ? Known::could : Known::never;
    }
    if (known == Known::never || known == Known::kept) {
      return;
    }
    const Known found = is_kept(facet(first), facet(after), here) ? Known::kept : Known::wanted;
    if (found > known && hides(facet(after), facet(first), here.front())) {
      known = found;
    }
  }

  [[nodiscard]] bool hides(const Facet& b, const Facet& a, const OrderEye& eye) const {
    if (facets_.cover_each_other(a, b)) {
      return true;
    }
    for (std::uint32_t s = b.first; s < b.first + b.count; ++s) {
      for (std::uint32_t t = a.first; t < a.first + a.count; ++t) {
        if (covers(facets_.triangle(s), facets_.triangle(t), eye, facets_.precision_m())) {
          return true;
        }
      }
    }
    return false;
  }

  /// Whether owners drawn one by one show `b` over `a`, in any of the directions.
  [[nodiscard]] bool is_kept(const Facet& a, const Facet& b, std::span<const OrderEye> here) const {
    if (a.owner == b.owner) {
      return a.rank <= b.rank;
    }
    return std::any_of(here.begin(), here.end(), [&](const OrderEye& eye) {
      const auto distance = [&](const Facet& facet) {
        return find_sorting_distance(settings_.sorting, settings_.points[facet.owner], eye.at,
                                     eye.axis);
      };
      return std::pair(distance(a), b.owner) > std::pair(distance(b), a.owner);
    });
  }

  /// Of these places those that form cycles by what is known so well, and single ones, in order.
  [[nodiscard]] std::vector<Units> cut(const Units& places, Known least) const {
    if (places.size() < 2) {
      return {places};
    }
    Graph graph(places.size());
    for (std::uint32_t a = 0; a < places.size(); ++a) {
      for (std::uint32_t b = 0; b < places.size(); ++b) {
        if (known_[places[a] * units_.size() + places[b]] >= least) {
          graph.add(a, b);
        }
      }
    }
    std::vector<Units> out = graph.list_components();
    for (Units& part : out) {
      std::transform(part.begin(), part.end(), part.begin(),
                     [&](std::uint32_t place) { return places[place]; });
    }
    return out;
  }

  const Units& units_;
  const Facets& facets_;
  const OrderSettings& settings_;
  std::vector<Known> known_;  ///< by the first and by what may hide it
};

bool are_at_one_place(const OrderEye& a, const OrderEye& b) {
  return a.at == b.at && a.perspective == b.perspective && (a.perspective || a.axis == b.axis);
}

std::vector<Units> untie(const Units& units,
                         const Facets& facets,
                         const std::vector<bool>& chained,
                         const OrderSettings& settings) {
  if (units.size() < 2 || units.size() > most_looked_at) {
    return {units};
  }
  Knot knot(units, facets, settings);
  knot.add_chains(chained);
  const std::span<const OrderEye> eyes = settings.eyes;
  for (std::size_t begin = 0; begin < eyes.size();) {
    std::size_t end = begin + 1;
    while (end < eyes.size() && are_at_one_place(eyes[begin], eyes[end])) {
      ++end;
    }
    knot.look(eyes.subspan(begin, end - begin));
    begin = end;
  }
  return knot.untie();
}

}  // namespace

bool decide_by_eyes(const Facets& facets,
                    const std::vector<bool>& chained,
                    const OrderSettings& settings,
                    Sequenced& sequenced) {
  Sequenced out;
  out.knot_of = sequenced.knot_of;
  const Units& units = sequenced.units;
  for (std::size_t begin = 0; begin < units.size();) {
    const auto first = units.begin() + static_cast<std::ptrdiff_t>(begin);
    const auto last = std::find_if(first, units.end(), [&](std::uint32_t unit) {
      return sequenced.knot_of[unit] != sequenced.knot_of[*first];
    });
    Units tied(first, last);
    begin += tied.size();
    std::sort(tied.begin(), tied.end());
    for (const Units& part : untie(tied, facets, chained, settings)) {
      for (const std::uint32_t unit : part) {
        out.units.push_back(unit);
        out.knot_of[unit] = out.knots;
      }
      ++out.knots;
    }
  }
  const bool changed = out.knots != sequenced.knots;
  sequenced = std::move(out);
  return changed;
}

}  // namespace wakuzume
