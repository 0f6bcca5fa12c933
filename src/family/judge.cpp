// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "family/judge.h"

#include <algorithm>
#include <cmath>
#include <deque>
#include <numeric>

#include "scene/matrix.h"

namespace wakuzume {
namespace {

/// Possible partners for each vertex on average; more are no shape but a heap in one place.
constexpr std::size_t most_partners = 16;

Eigen::Vector3d read_vector(const float* from) {
  return {static_cast<double>(from[0]), static_cast<double>(from[1]), static_cast<double>(from[2])};
}

/// A lane that both sides have.
struct LanePair {
  LaneRole role = LaneRole::value;
  std::uint32_t width = 0;
  std::uint32_t part = 0;   ///< offset in the part's records
  std::uint32_t shown = 0;  ///< in those of what is shown
};

/// One side in the world.
struct Side {
  Side(const Points& points_in, const Eigen::Matrix4d& world)
      : points(points_in),
        linear(world.topLeftCorner<3, 3>()),
        normals(make_normal_matrix(linear)),
        hand(linear.determinant() < 0 ? -1.0F : 1.0F) {}

  [[nodiscard]] Eigen::Vector3d turn(LaneRole role, const Eigen::Vector3d& direction) const {
    return role == LaneRole::tangent ? linear * direction : normals * direction;
  }

  const Points& points;
  Eigen::Matrix3d linear;
  Eigen::Matrix3d normals;
  float hand;  ///< -1 where it is mirrored
};

std::vector<Eigen::Vector3d> make_places(const Points& points, const Eigen::Matrix4d& world) {
  std::vector<Eigen::Vector3d> places(points.positions.size());
  const Eigen::Matrix3d linear = world.topLeftCorner<3, 3>();
  const Eigen::Vector3d offset = world.topRightCorner<3, 1>();
  std::transform(points.positions.begin(), points.positions.end(), places.begin(),
                 [&](const Eigen::Vector3d& p) -> Eigen::Vector3d { return linear * p + offset; });
  return places;
}

/// Which vertices of a part could stand for one that is shown, nearest first.
struct Partners {
  std::vector<std::uint32_t> firsts{0};
  std::vector<std::pair<std::uint32_t, double>> all;  ///< vertex, distance

  [[nodiscard]] std::span<const std::pair<std::uint32_t, double>> of(std::size_t vertex) const {
    return std::span(all).subspan(firsts[vertex], firsts[vertex + 1] - firsts[vertex]);
  }
};

/// One judgement: a part against what is shown for it.
class Comparison {
 public:
  Comparison(const Points& part,
             const std::vector<Eigen::Vector3d>& places,
             const Eigen::Matrix4d& world,
             const Points& shown,
             const Mat4d& placed,
             const RepeatLimits& limits)
      : part_(part, world),
        shown_(shown, as_eigen(placed)),
        places_(places),
        shown_places_(make_places(shown, as_eigen(placed))),
        limits_(limits),
        each_(count_corners(part.topology)),
        turned_(part.topology == Topology::triangles && part_.hand != shown_.hand) {
    for (const Lane& lane : part.lanes) {
      const auto hit = std::find_if(shown.lanes.begin(), shown.lanes.end(), [&](const Lane& other) {
        return other.semantic == lane.semantic;
      });
      if (hit != shown.lanes.end()) {
        lanes_.push_back({lane.role, std::min(lane.width, hit->width), lane.offset, hit->offset});
      }
    }
  }

  /// Corner by corner as both are stored.
  [[nodiscard]] std::optional<Judgement> compare_in_order() const {
    Judgement out;
    out.corners.resize(shown_.points.corners.size());
    for (std::size_t i = 0; i < out.corners.size(); ++i) {
      const std::size_t at = turned_ ? turn_over(i) : i;
      const auto distance = find_distance(part_.points.corners[at], shown_.points.corners[i]);
      if (!distance) {
        return std::nullopt;
      }
      out.corners[i] = static_cast<std::uint32_t>(at);
      out.error_m = std::max(out.error_m, *distance);
    }
    return out;
  }

  /// Whatever the order: elements by where their corners are.
  [[nodiscard]] std::optional<Judgement> compare_anyhow(const PointTree& tree) {
    if (!find_partners(tree)) {
      return std::nullopt;
    }
    list_corners();
    const std::size_t elements = shown_.points.corners.size() / each_;
    std::vector<std::vector<Choice>> choices(elements);
    for (std::size_t e = 0; e < elements; ++e) {
      choices[e] = list_choices(e);
      if (choices[e].empty()) {
        return std::nullopt;
      }
    }
    return assign(choices);
  }

 private:
  /// An element of the part that could stand for one that is shown, begun at corner `turn`.
  struct Choice {
    std::uint32_t element = 0;
    std::uint32_t turn = 0;
    double error_m = 0;
  };

  /// The same triangle the other way round, beginning with the same corner.
  static std::size_t turn_over(std::size_t corner) {
    return corner % 3 == 0 ? corner : corner % 3 == 1 ? corner + 1 : corner - 1;
  }

  /// How far apart two vertices are; nothing where they can't stand for each other.
  [[nodiscard]] std::optional<double> find_distance(std::size_t part, std::size_t shown) const {
    const double distance = (places_[part] - shown_places_[shown]).norm();
    if (!(distance <= limits_.position_m) || !same_lanes(part, shown)) {
      return std::nullopt;
    }
    return distance;
  }

  [[nodiscard]] bool same_lanes(std::size_t part, std::size_t shown) const {
    return std::all_of(lanes_.begin(), lanes_.end(), [&](const LanePair& lane) {
      const float* a = part_.points.record(part) + lane.part;
      const float* b = shown_.points.record(shown) + lane.shown;
      if (lane.role != LaneRole::value) {
        return same_direction(lane, a, b);
      }
      return std::equal(a, a + lane.width, b, [&](float x, float y) {
        return std::abs(static_cast<double>(x) - static_cast<double>(y)) <= limits_.attribute;
      });
    });
  }

  [[nodiscard]] bool same_direction(const LanePair& lane, const float* a, const float* b) const {
    const Eigen::Vector3d x = part_.turn(lane.role, read_vector(a));
    const Eigen::Vector3d y = shown_.turn(lane.role, read_vector(b));
    const double x_length = x.norm();
    const double y_length = y.norm();
    if (!(x_length > 0) || !(y_length > 0)) {
      return x_length == y_length;
    }
    const bool near = (x / x_length - y / y_length).cwiseAbs().maxCoeff() <= limits_.direction;
    return near && (lane.role != LaneRole::tangent || lane.width < 4 ||
                    a[3] * part_.hand * b[3] * shown_.hand > 0);
  }

  bool find_partners(const PointTree& tree) {
    std::vector<std::pair<std::uint32_t, double>> near;
    const std::size_t most = most_partners * (shown_places_.size() + most_partners);
    for (std::size_t v = 0; v < shown_places_.size(); ++v) {
      tree.find(shown_places_[v], limits_.position_m, near);
      for (const auto& [vertex, square] : near) {
        if (const auto distance = find_distance(vertex, v)) {
          partners_.all.emplace_back(vertex, *distance);
        }
      }
      partners_.firsts.push_back(static_cast<std::uint32_t>(partners_.all.size()));
      if (partners_.all.size() > most) {
        return false;
      }
    }
    return true;
  }

  /// The corners that show each vertex of the part.
  void list_corners() {
    const std::vector<std::uint32_t>& corners = part_.points.corners;
    first_corner_.assign(places_.size() + 1, 0);
    for (const std::uint32_t vertex : corners) {
      ++first_corner_[vertex + 1];
    }
    std::partial_sum(first_corner_.begin(), first_corner_.end(), first_corner_.begin());
    corners_.resize(corners.size());
    std::vector<std::uint32_t> next(first_corner_.begin(), first_corner_.end() - 1);
    for (std::size_t c = 0; c < corners.size(); ++c) {
      corners_[next[corners[c]]++] = static_cast<std::uint32_t>(c);
    }
  }

  /// Corner `c` of an element that is shown, in the order in which the part's are wound.
  [[nodiscard]] std::size_t shown_corner(std::size_t element, std::size_t c) const {
    const std::size_t corner = element * each_ + c;
    return turned_ ? turn_over(corner) : corner;
  }

  [[nodiscard]] std::vector<Choice> list_choices(std::size_t element) const {
    std::vector<Choice> out;
    const auto vertex = [&](std::size_t c) {
      return shown_.points.corners[shown_corner(element, c)];
    };
    for (const auto& [first, distance] : partners_.of(vertex(0))) {
      for (std::uint32_t k = first_corner_[first]; k < first_corner_[first + 1]; ++k) {
        const auto turn = static_cast<std::uint32_t>(corners_[k] % each_);
        const auto base = static_cast<std::uint32_t>(corners_[k] - turn);
        double error_m = distance;
        bool fits = true;
        for (std::size_t c = 1; c < each_ && fits; ++c) {
          const std::uint32_t wanted = part_.points.corners[base + (turn + c) % each_];
          const auto near = partners_.of(vertex(c));
          const auto hit = std::find_if(near.begin(), near.end(),
                                        [&](const auto& n) { return n.first == wanted; });
          fits = hit != near.end();
          error_m = fits ? std::max(error_m, hit->second) : error_m;
        }
        if (fits) {
          out.push_back({static_cast<std::uint32_t>(base / each_), turn, error_m});
        }
      }
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const Choice& a, const Choice& b) { return a.error_m < b.error_m; });
    return out;
  }

  /// Each element gets one of its choices and none is taken twice. The nearest as long as they are
  /// free; what then has none makes room by moving others on.
  /// \source augmenting paths (H. W. Kuhn, 1955), breadth first
  [[nodiscard]] std::optional<Judgement> assign(const std::vector<std::vector<Choice>>& choices) {
    owner_.assign(choices.size(), no_index);
    chosen_.assign(choices.size(), no_index);
    std::vector<std::uint32_t> left;
    for (std::uint32_t e = 0; e < choices.size(); ++e) {
      for (std::uint32_t c = 0; c < choices[e].size() && chosen_[e] == no_index; ++c) {
        if (owner_[choices[e][c].element] == no_index) {
          owner_[choices[e][c].element] = e;
          chosen_[e] = c;
        }
      }
      if (chosen_[e] == no_index) {
        left.push_back(e);
      }
    }
    for (const std::uint32_t e : left) {
      if (!augment(choices, e)) {
        return std::nullopt;
      }
    }
    return make_judgement(choices);
  }

  bool augment(const std::vector<std::vector<Choice>>& choices, std::uint32_t start) {
    std::vector<std::pair<std::uint32_t, std::uint32_t>> from(  // element shown, its choice
        choices.size(), {no_index, no_index});                  // by element of the part
    std::deque<std::uint32_t> open{start};
    while (!open.empty()) {
      const std::uint32_t e = open.front();
      open.pop_front();
      for (std::uint32_t c = 0; c < choices[e].size(); ++c) {
        std::uint32_t element = choices[e][c].element;
        if (from[element].first != no_index) {
          continue;
        }
        from[element] = {e, c};
        if (owner_[element] != no_index) {
          open.push_back(owner_[element]);
          continue;
        }
        while (true) {
          const auto [mover, choice] = from[element];
          const std::uint32_t before = chosen_[mover];
          owner_[element] = mover;
          chosen_[mover] = choice;
          if (mover == start) {
            return true;
          }
          element = choices[mover][before].element;
        }
      }
    }
    return false;
  }

  [[nodiscard]] Judgement make_judgement(const std::vector<std::vector<Choice>>& choices) const {
    Judgement out;
    out.corners.resize(shown_.points.corners.size());
    for (std::size_t e = 0; e < choices.size(); ++e) {
      const Choice& choice = choices[e][chosen_[e]];
      out.error_m = std::max(out.error_m, choice.error_m);
      for (std::size_t c = 0; c < each_; ++c) {
        out.corners[shown_corner(e, c)] =
            static_cast<std::uint32_t>(choice.element * each_ + (choice.turn + c) % each_);
      }
    }
    return out;
  }

  Side part_;
  Side shown_;
  const std::vector<Eigen::Vector3d>& places_;
  std::vector<Eigen::Vector3d> shown_places_;
  const RepeatLimits& limits_;
  std::size_t each_;
  bool turned_;  ///< as one mirrors and the other does not, triangles go round the other way
  std::vector<LanePair> lanes_;
  Partners partners_;
  std::vector<std::uint32_t> first_corner_;  ///< by vertex of the part
  std::vector<std::uint32_t> corners_;
  std::vector<std::uint32_t> owner_;   ///< element shown, by element of the part
  std::vector<std::uint32_t> chosen_;  ///< of its choices, by element shown
};

}  // namespace

RepeatLimits make_repeat_limits(const FamilySettings& settings, double size_m, double rounding_m) {
  return {settings.tolerance * size_m + rounding_m, settings.attribute_tolerance,
          settings.direction_tolerance};
}

RepeatJudge::RepeatJudge(const Points& part, const Mat4d& world)
    : part_(part), world_(as_eigen(world)), places_(make_places(part, world_)) {
  Eigen::AlignedBox3d box;
  for (const Eigen::Vector3d& place : places_) {
    box.extend(place);
  }
  size_m_ = box.isEmpty() ? 0 : box.diagonal().norm();
}

const PointTree& RepeatJudge::tree() const {
  if (!tree_) {
    tree_ = std::make_unique<PointTree>(places_);
  }
  return *tree_;
}

std::optional<Judgement> RepeatJudge::judge(const Points& shown,
                                            const Mat4d& placed,
                                            const RepeatLimits& limits) const {
  if (part_.topology != shown.topology || part_.corners.size() != shown.corners.size() ||
      !std::isfinite(size_m_) || !as_eigen(placed).allFinite()) {
    return std::nullopt;
  }
  Comparison comparison(part_, places_, world_, shown, placed, limits);
  if (auto in_order = comparison.compare_in_order()) {
    return in_order;
  }
  return comparison.compare_anyhow(tree());
}

}  // namespace wakuzume
