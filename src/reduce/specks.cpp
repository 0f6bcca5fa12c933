// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/specks.h"

#include <algorithm>
#include <cmath>

#include "reduce/points.h"
#include "scene/places.h"

namespace wakuzume {
namespace {

struct Part {
  Box3d box;
  std::uint64_t triangles = 0;
  bool held = false;
  bool goes = false;
  [[nodiscard]] double diagonal() const {
    return std::sqrt(
        length2(Vec3d{box.max[0] - box.min[0], box.max[1] - box.min[1], box.max[2] - box.min[2]}));
  }
};

/// What hangs together by the places of its corners.
class PartList {
 public:
  PartList(const Surface& surface, const ReducedSurface& reduced)
      : place_of_(weld_places(reduced.positions)), sets_(place_of_.size()) {
    const std::vector<std::uint32_t>& indices = reduced.indices;
    for (std::size_t i = 0; i < indices.size(); i += 3) {
      sets_.join(place_of_[indices[i]], place_of_[indices[i + 1]]);
      sets_.join(place_of_[indices[i]], place_of_[indices[i + 2]]);
    }
    parts_.resize(place_of_.size());
    for (std::size_t t = 0; t < indices.size() / 3; ++t) {
      Part& part = of_triangle(reduced, t);
      ++part.triangles;
      for (std::size_t c = 0; c < 3; ++c) {
        const std::uint32_t v = indices[3 * t + c];
        part.box.include(load_point(reduced.positions, v));
        const std::uint32_t from = reduced.vertex_from[v];
        part.held =
            part.held || (!surface.held.empty() && from != no_index && surface.held[from] >= 1);
      }
    }
  }
  Part& of_triangle(const ReducedSurface& reduced, std::size_t triangle) {
    return parts_[sets_.find(place_of_[reduced.indices[3 * triangle]])];
  }
  std::vector<Part>& all() { return parts_; }

 private:
  std::vector<std::uint32_t> place_of_;
  DisjointSets sets_;
  std::vector<Part> parts_;  // by place; those without triangles are none
};

/// Vertices that no triangle shows any more go too.
void close_up(ReducedSurface& reduced) {
  std::vector<std::uint32_t> number(reduced.vertex_from.size(), no_index);
  for (const std::uint32_t v : reduced.indices) {
    number[v] = 0;
  }
  std::uint32_t count = 0;
  const auto move = [](auto& values, std::size_t width, std::size_t from, std::size_t to) {
    std::copy_n(values.begin() + static_cast<std::ptrdiff_t>(width * from), width,
                values.begin() + static_cast<std::ptrdiff_t>(width * to));
  };
  std::vector<std::size_t> widths;
  for (const auto& trait : reduced.traits) {
    widths.push_back(trait.size() / number.size());
  }
  for (std::size_t v = 0; v < number.size(); ++v) {
    if (number[v] == no_index) {
      continue;
    }
    number[v] = count;
    move(reduced.positions, 3, v, count);
    for (std::size_t k = 0; k < widths.size(); ++k) {
      move(reduced.traits[k], widths[k], v, count);
    }
    reduced.vertex_from[count++] = reduced.vertex_from[v];
  }
  reduced.positions.resize(std::size_t{3} * count);
  for (std::size_t k = 0; k < widths.size(); ++k) {
    reduced.traits[k].resize(widths[k] * count);
  }
  reduced.vertex_from.resize(count);
  for (std::uint32_t& v : reduced.indices) {
    v = number[v];
  }
}

}  // namespace

void drop_specks(const Surface& surface, const SurfaceTarget& target, ReducedSurface& reduced) {
  std::uint64_t left = reduced.triangle_from.size();
  if (left <= target.triangles || !(target.speck_m > 0)) {
    return;
  }
  PartList parts(surface, reduced);
  std::vector<Part*> order;
  for (Part& part : parts.all()) {
    if (part.triangles > 0 && !part.held && part.diagonal() <= target.speck_m) {
      order.push_back(&part);
    }
  }
  std::stable_sort(order.begin(), order.end(),
                   [](const Part* a, const Part* b) { return a->diagonal() < b->diagonal(); });
  for (Part* part : order) {
    if (left <= target.triangles) {
      break;
    }
    part->goes = true;
    left -= part->triangles;
    ++reduced.specks;
  }
  std::size_t kept = 0;
  for (std::size_t t = 0; t < reduced.triangle_from.size(); ++t) {
    if (!parts.of_triangle(reduced, t).goes) {
      std::copy_n(reduced.indices.begin() + static_cast<std::ptrdiff_t>(3 * t), 3,
                  reduced.indices.begin() + static_cast<std::ptrdiff_t>(3 * kept));
      reduced.triangle_from[kept++] = reduced.triangle_from[t];
    }
  }
  reduced.indices.resize(3 * kept);
  reduced.triangle_from.resize(kept);
  close_up(reduced);
  if (left <= target.triangles) {
    reduced.why = ReducedTo::count;
  }
}

}  // namespace wakuzume
