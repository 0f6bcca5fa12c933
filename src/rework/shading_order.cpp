// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/shading_order.h"

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <numeric>

#include "rework/draw_order.h"
#include "wakuzume/ids.h"

namespace wakuzume {
namespace {

/// Which triangles each vertex is a corner of.
class CornerLists {
 public:
  CornerLists(std::span<const std::uint32_t> indices, std::uint32_t vertices)
      : begins_(std::size_t{vertices} + 1), triangles_(indices.size()) {
    for (const std::uint32_t vertex : indices) {
      ++begins_[vertex + 1];
    }
    std::partial_sum(begins_.begin(), begins_.end(), begins_.begin());
    std::vector<std::uint32_t> next(begins_.begin(), begins_.end() - 1);
    for (std::size_t i = 0; i < indices.size(); ++i) {
      triangles_[next[indices[i]]++] = static_cast<std::uint32_t>(i / 3);
    }
  }
  [[nodiscard]] std::span<const std::uint32_t> of(std::uint32_t vertex) const {
    return std::span(triangles_).subspan(begins_[vertex], begins_[vertex + 1] - begins_[vertex]);
  }

 private:
  std::vector<std::uint32_t> begins_;
  std::vector<std::uint32_t> triangles_;
};

class FanOrder {
 public:
  FanOrder(std::span<const std::uint32_t> indices, std::uint32_t vertices, std::uint32_t remembered)
      : indices_(indices),
        remembered_(remembered),
        corners_(indices, vertices),
        left_(vertices),
        shaded_at_(vertices),
        now_(remembered + 1),
        drawn_(indices.size() / 3) {
    for (const std::uint32_t vertex : indices) {
      ++left_[vertex];
    }
  }

  /// Triangles in their new order.
  std::vector<std::uint32_t> find() {
    out_.reserve(drawn_.size());
    fresh_.reserve(drawn_.size());
    for (std::uint32_t fan = find_next(); fan != no_index;) {
      around_.clear();
      for (const std::uint32_t triangle : corners_.of(fan)) {
        if (drawn_[triangle] == 0) {
          draw(triangle);
        }
      }
      fan = choose();
    }
    return std::move(out_);
  }
  /// Once they are found: vertices that are shaded, and by place in the order whether all three of
  /// a triangle are.
  [[nodiscard]] std::uint64_t shaded() const { return now_ - remembered_ - 1; }
  [[nodiscard]] std::vector<bool> take_fresh() { return std::move(fresh_); }

 private:
  void draw(std::uint32_t triangle) {
    drawn_[triangle] = 1;
    out_.push_back(triangle);
    const std::uint32_t before = now_;
    for (std::size_t c = 0; c < 3; ++c) {
      const std::uint32_t vertex = indices_[3 * std::size_t{triangle} + c];
      around_.push_back(vertex);
      met_.push_back(vertex);
      --left_[vertex];
      if (now_ - shaded_at_[vertex] > remembered_) {
        shaded_at_[vertex] = now_++;
      }
    }
    fresh_.push_back(now_ - before == 3);
  }

  /// Around which vertex to go on: of those that were just drawn the one that would be forgotten
  /// first, but is still remembered when all that is left around it is drawn.
  std::uint32_t choose() {
    std::uint32_t best = no_index;
    std::int64_t best_age = -1;
    for (const std::uint32_t vertex : around_) {
      if (left_[vertex] == 0) {
        continue;
      }
      const std::uint32_t age = now_ - shaded_at_[vertex];
      const bool stays = age + 2 * std::uint64_t{left_[vertex]} <= remembered_;
      const std::int64_t wanted = stays ? static_cast<std::int64_t>(age) : 0;
      if (wanted > best_age) {
        best = vertex;
        best_age = wanted;
      }
    }
    return best == no_index ? find_next() : best;
  }

  /// Where nothing goes on: the vertex that was met last, else the first of the list.
  std::uint32_t find_next() {
    while (!met_.empty()) {
      const std::uint32_t vertex = met_.back();
      met_.pop_back();
      if (left_[vertex] > 0) {
        return vertex;
      }
    }
    for (; begun_ < left_.size(); ++begun_) {
      if (left_[begun_] > 0) {
        return static_cast<std::uint32_t>(begun_);
      }
    }
    return no_index;
  }

  std::span<const std::uint32_t> indices_;
  std::uint32_t remembered_;
  CornerLists corners_;
  std::vector<std::uint32_t> left_;       ///< by vertex: corners that are not drawn yet
  std::vector<std::uint32_t> shaded_at_;  ///< by vertex
  std::uint32_t now_;                     ///< vertices that were shaded
  std::vector<std::uint8_t> drawn_;
  std::vector<std::uint32_t> around_;  ///< corners of the fan
  std::vector<std::uint32_t> met_;     ///< corners of all that was drawn; the last one last
  std::size_t begun_ = 0;
  std::vector<std::uint32_t> out_;
  std::vector<bool> fresh_;
};

/// What a GPU remembers of vertices, from one triangle to the next.
class VertexMemory {
 public:
  VertexMemory(std::uint32_t vertices, std::uint32_t remembered)
      : remembered_(remembered), shaded_at_(vertices), now_(remembered + 1) {}

  /// \return how many of the three are shaded
  std::uint32_t draw(std::span<const std::uint32_t> corners) {
    const std::uint64_t before = now_;
    for (const std::uint32_t vertex : corners) {
      if (now_ - shaded_at_[vertex] > remembered_) {
        shaded_at_[vertex] = now_++;
      }
    }
    return static_cast<std::uint32_t>(now_ - before);
  }
  void forget() { now_ += remembered_ + 1; }

 private:
  std::uint32_t remembered_;
  std::vector<std::uint64_t> shaded_at_;  ///< by vertex
  std::uint64_t now_;
};

/// Triangles of which nothing is remembered.
std::vector<bool> find_fresh(std::span<const std::uint32_t> indices,
                             std::uint32_t vertices,
                             const ShadingSettings& settings) {
  VertexMemory memory(vertices, settings.remembered);
  std::vector<bool> fresh;
  for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
    fresh.push_back(memory.draw(indices.subspan(i, 3)) == 3);
  }
  return fresh;
}

/// Runs of a list that may be drawn in any order for little more shading.
class OutwardOrder {
 public:
  /// \param indices  of a list that is in a good order \param positions  3 a vertex
  OutwardOrder(std::span<const std::uint32_t> indices, std::span<const float> positions)
      : indices_(indices), positions_(positions) {}

  struct Runs {
    std::vector<std::size_t> begins;
    std::uint64_t most_shaded = 0;  ///< in whatever order they are drawn
  };

  /// A run ends where nothing of it is remembered anyway, and as soon as it shades no more a
  /// triangle, begun with nothing remembered, than the whole list with the allowance.
  /// \param fresh  triangles of which nothing is remembered \param shaded_in_all  by the whole list
  [[nodiscard]] Runs find_runs(std::uint32_t vertices,
                               const std::vector<bool>& fresh,
                               std::uint64_t shaded_in_all,
                               const ShadingSettings& settings) const {
    const std::size_t triangles = indices_.size() / 3;
    const double allowed = (1 + settings.outward) * static_cast<double>(shaded_in_all) /
                           static_cast<double>(triangles);
    VertexMemory memory(vertices, settings.remembered);
    Runs out;
    std::size_t begun = 0;
    std::uint64_t shaded = 0;
    for (std::size_t t = 0; t < triangles; ++t) {
      const bool cheap =
          t > begun && static_cast<double>(shaded) <= allowed * static_cast<double>(t - begun);
      if (t == 0 || fresh[t] || cheap) {
        out.begins.push_back(t);
        begun = t;
        shaded = 0;
        memory.forget();
      }
      const std::uint32_t more = memory.draw(indices_.subspan(3 * t, 3));
      shaded += more;
      out.most_shaded += more;
    }
    return out;
  }

  /// Triangles of the runs that face outwards most, and so on.
  [[nodiscard]] std::vector<std::uint32_t> sort(const std::vector<std::size_t>& begins) const {
    const std::size_t triangles = indices_.size() / 3;
    Facing all;
    std::vector<Facing> runs;
    for (std::size_t r = 0; r < begins.size(); ++r) {
      const std::size_t end = r + 1 < begins.size() ? begins[r + 1] : triangles;
      Facing& run = runs.emplace_back();
      for (std::size_t t = begins[r]; t < end; ++t) {
        add(t, run);
      }
      all.places += run.places;
      all.area += run.area;
    }
    std::vector<double> outward;
    std::transform(runs.begin(), runs.end(), std::back_inserter(outward),
                   [&](const Facing& run) { return find_outward(run, all); });
    std::vector<std::uint32_t> ranks(runs.size());
    std::iota(ranks.begin(), ranks.end(), 0U);
    std::stable_sort(ranks.begin(), ranks.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return outward[a] > outward[b]; });
    std::vector<std::uint32_t> order;
    order.reserve(triangles);
    for (const std::uint32_t r : ranks) {
      const std::size_t end = r + 1U < begins.size() ? begins[r + 1U] : triangles;
      for (std::size_t t = begins[r]; t < end; ++t) {
        order.push_back(static_cast<std::uint32_t>(t));
      }
    }
    return order;
  }

 private:
  struct Facing {
    Eigen::Vector3d across{0, 0, 0};  ///< sum of normals, each as long as twice its area
    Eigen::Vector3d places{0, 0, 0};  ///< sum of three times the middles, times that
    double area = 0;
  };

  [[nodiscard]] Eigen::Vector3d place(std::size_t corner) const {
    return Eigen::Map<const Eigen::Vector3f>(&positions_[3 * std::size_t{indices_[corner]}])
        .cast<double>();
  }

  void add(std::size_t triangle, Facing& to) const {
    const Eigen::Vector3d a = place(3 * triangle);
    const Eigen::Vector3d b = place(3 * triangle + 1);
    const Eigen::Vector3d c = place(3 * triangle + 2);
    const Eigen::Vector3d across = (b - a).cross(c - a);
    const double area = across.norm();
    if (std::isfinite(area)) {
      to.across += across;
      to.places += area * (a + b + c);
      to.area += area;
    }
  }

  /// How far along its own normal a run lies beyond the middle of all; 0 for what has no area.
  static double find_outward(const Facing& run, const Facing& all) {
    const double turned = run.across.norm();
    if (!(run.area > 0) || !(turned > 0)) {
      return 0;
    }
    const double beyond = (run.places / run.area - all.places / all.area).dot(run.across) / turned;
    return std::isfinite(beyond) ? beyond : 0;
  }

  std::span<const std::uint32_t> indices_;
  std::span<const float> positions_;
};

}  // namespace

std::uint64_t count_shaded(std::span<const std::uint32_t> indices,
                           std::uint32_t vertices,
                           const ShadingSettings& settings) {
  // A vertex is remembered until so many others were shaded after it.
  VertexMemory memory(vertices, settings.remembered);
  std::uint64_t shaded = 0;
  for (std::size_t i = 0; i < indices.size(); i += 3) {
    shaded += memory.draw(indices.subspan(i, std::min<std::size_t>(3, indices.size() - i)));
  }
  return shaded;
}

std::vector<std::uint32_t> order_for_shading(std::span<const std::uint32_t> indices,
                                             std::uint32_t vertices,
                                             std::span<const float> positions,
                                             const ShadingSettings& settings) {
  const std::uint64_t given = count_shaded(indices, vertices, settings);
  FanOrder fans(indices, vertices, settings.remembered);
  std::vector<std::uint32_t> order = fans.find();
  std::uint64_t shaded = fans.shaded();
  std::vector<bool> fresh = fans.take_fresh();
  if (shaded >= given) {
    std::iota(order.begin(), order.end(), 0U);
    fresh = find_fresh(indices, vertices, settings);
    shaded = given;
  }
  if (positions.empty() || indices.empty()) {
    return order;
  }
  const std::vector<std::uint32_t> list = reorder_triangles(indices, order);
  const OutwardOrder outward(list, positions);
  const OutwardOrder::Runs runs = outward.find_runs(vertices, fresh, shaded, settings);
  std::vector<std::uint32_t> sorted = outward.sort(runs.begins);
  if (runs.most_shaded > given &&
      count_shaded(reorder_triangles(list, sorted), vertices, settings) > given) {
    return order;
  }
  std::transform(sorted.begin(), sorted.end(), sorted.begin(),
                 [&](std::uint32_t t) { return order[t]; });
  return sorted;
}

std::vector<std::uint32_t> find_draw_order(const Scene& scene, const Primitive& primitive) {
  const StreamId places = primitive.find("POSITION");
  return order_for_shading(make_list_indices(scene, primitive),
                           static_cast<std::uint32_t>(count_vertices(scene, primitive)),
                           places == no_stream ? std::vector<float>() : make_floats(scene, places));
}

std::vector<std::uint32_t> reorder_triangles(std::span<const std::uint32_t> indices,
                                             std::span<const std::uint32_t> order) {
  std::vector<std::uint32_t> out;
  out.reserve(indices.size());
  for (const std::uint32_t triangle : order) {
    const auto corner = indices.begin() + std::ptrdiff_t{3} * triangle;
    out.insert(out.end(), corner, corner + 3);
  }
  return out;
}

std::vector<std::uint32_t> number_by_use(std::span<const std::uint32_t> indices,
                                         std::uint32_t vertices) {
  std::vector<std::uint32_t> numbers(vertices, no_index);
  std::uint32_t next = 0;
  for (const std::uint32_t vertex : indices) {
    if (numbers[vertex] == no_index) {
      numbers[vertex] = next++;
    }
  }
  for (std::uint32_t& number : numbers) {
    number = number == no_index ? next++ : number;
  }
  return numbers;
}

}  // namespace wakuzume
