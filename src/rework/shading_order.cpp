// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/shading_order.h"

#include <algorithm>
#include <cstddef>
#include <numeric>

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

  std::vector<std::uint32_t> find() {
    out_.reserve(drawn_.size());
    for (std::uint32_t fan = find_next(); fan != no_index;) {
      around_.clear();
      for (const std::uint32_t triangle : corners_.of(fan)) {
        if (!drawn_[triangle]) {
          draw(triangle);
        }
      }
      fan = choose();
    }
    return std::move(out_);
  }

 private:
  void draw(std::uint32_t triangle) {
    drawn_[triangle] = true;
    out_.push_back(triangle);
    for (std::size_t c = 0; c < 3; ++c) {
      const std::uint32_t vertex = indices_[3 * std::size_t{triangle} + c];
      around_.push_back(vertex);
      met_.push_back(vertex);
      --left_[vertex];
      if (now_ - shaded_at_[vertex] > remembered_) {
        shaded_at_[vertex] = now_++;
      }
    }
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
      const std::uint64_t age = now_ - shaded_at_[vertex];
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
  std::vector<std::uint64_t> shaded_at_;  ///< by vertex
  std::uint64_t now_;                     ///< vertices that were shaded
  std::vector<bool> drawn_;
  std::vector<std::uint32_t> around_;  ///< corners of the fan
  std::vector<std::uint32_t> met_;     ///< corners of all that was drawn; the last one last
  std::size_t begun_ = 0;
  std::vector<std::uint32_t> out_;
};

}  // namespace

std::uint64_t count_shaded(std::span<const std::uint32_t> indices,
                           std::uint32_t vertices,
                           const ShadingSettings& settings) {
  // A vertex is remembered until so many others were shaded after it.
  std::vector<std::uint64_t> shaded_at(vertices);
  std::uint64_t now = settings.remembered + 1;
  for (const std::uint32_t vertex : indices) {
    if (now - shaded_at[vertex] > settings.remembered) {
      shaded_at[vertex] = now++;
    }
  }
  return now - settings.remembered - 1;
}

std::vector<std::uint32_t> order_for_shading(std::span<const std::uint32_t> indices,
                                             std::uint32_t vertices,
                                             const ShadingSettings& settings) {
  std::vector<std::uint32_t> order = FanOrder(indices, vertices, settings.remembered).find();
  std::vector<std::uint32_t> reordered;
  reordered.reserve(indices.size());
  for (const std::uint32_t triangle : order) {
    const auto first = indices.begin() + 3 * static_cast<std::ptrdiff_t>(triangle);
    reordered.insert(reordered.end(), first, first + 3);
  }
  if (count_shaded(reordered, vertices, settings) >= count_shaded(indices, vertices, settings)) {
    std::iota(order.begin(), order.end(), 0U);
  }
  return order;
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
