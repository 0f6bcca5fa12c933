// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "findings/scan.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

#include "scene/elements.h"
#include "scene/places.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

/// The triangles of a primitive, without the vertices that it does not use where those are many:
/// primitives may share one long stream.
class TriangleSource {
 public:
  TriangleSource(const Scene& scene, const Primitive& primitive)
      : scene_(scene), primitive_(primitive), indices_(make_list_indices(scene, primitive)) {
    if (count_vertices(scene, primitive) > indices_.size()) {
      taken_ = indices_;
      std::iota(indices_.begin(), indices_.end(), 0U);
    }
  }

  [[nodiscard]] const std::vector<std::uint32_t>& indices() const { return indices_; }
  [[nodiscard]] std::vector<float> make_values(const std::string& semantic) const {
    const StreamId stream = primitive_.find(semantic);
    if (taken_.empty()) {
      return make_floats(scene_, stream);
    }
    const ElementReader reader(scene_, stream);
    std::vector<float> values;
    values.reserve(taken_.size() * reader.width());
    std::array<double, 16> value{};
    for (const std::uint32_t index : taken_) {
      reader.load(index, value.data());
      for (std::size_t c = 0; c < reader.width(); ++c) {
        values.push_back(static_cast<float>(value[c]));
      }
    }
    return values;
  }

 private:
  const Scene& scene_;
  const Primitive& primitive_;
  std::vector<std::uint32_t> indices_;
  std::vector<std::uint32_t> taken_;  ///< empty: all
};

using Point = std::array<float, 3>;
using Corners = std::array<std::uint32_t, 3>;

/// Distinct triangles by the places of their corners, whatever their first corner and winding.
std::vector<Corners> make_sorted_triangles(const std::vector<std::uint32_t>& indices,
                                           const std::vector<std::uint32_t>& places) {
  std::vector<Corners> triangles;
  triangles.reserve(indices.size() / 3);
  for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
    Corners corners{places[indices[i]], places[indices[i + 1]], places[indices[i + 2]]};
    std::sort(corners.begin(), corners.end());
    triangles.push_back(corners);
  }
  std::sort(triangles.begin(), triangles.end());
  return triangles;
}

bool is_degenerate(const Corners& corners) {
  return corners[0] == corners[1] || corners[1] == corners[2];
}

std::uint64_t count_parts(const std::vector<Corners>& triangles, std::size_t places) {
  DisjointSets sets(places);
  std::vector<bool> used(places, false);
  for (const Corners& corners : triangles) {
    sets.join(corners[0], corners[1]);
    sets.join(corners[0], corners[2]);
    used[corners[0]] = used[corners[1]] = used[corners[2]] = true;
  }
  std::uint64_t parts = 0;
  for (std::uint32_t p = 0; p < places; ++p) {
    parts += used[p] && sets.find(p) == p ? 1U : 0U;
  }
  return parts;
}

/// Length of the cross product of two edges, halved.
template <std::size_t width>
double sum_areas(const std::vector<float>& values, const std::vector<std::uint32_t>& indices) {
  double sum = 0;
  for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
    std::array<double, 3> a{};
    std::array<double, 3> b{};
    for (std::size_t c = 0; c < width; ++c) {
      const double corner = static_cast<double>(values[width * indices[i] + c]);
      a[c] = static_cast<double>(values[width * indices[i + 1] + c]) - corner;
      b[c] = static_cast<double>(values[width * indices[i + 2] + c]) - corner;
    }
    const double x = a[1] * b[2] - a[2] * b[1];
    const double y = a[2] * b[0] - a[0] * b[2];
    const double z = a[0] * b[1] - a[1] * b[0];
    sum += std::sqrt(x * x + y * y + z * z) / 2;
  }
  return sum;
}

}  // namespace

ShapeScan scan_shape(const Scene& scene, const Shape& shape, CountParts parts) {
  ShapeScan scan;
  if (shape.topology != Topology::triangles) {
    return scan;
  }
  const Primitive& primitive = primitive_of(scene, shape);
  const TriangleSource source(scene, primitive);
  const std::vector<std::uint32_t>& indices = source.indices();
  const std::vector<float> positions = source.make_values("POSITION");
  const std::vector<std::uint32_t> places = weld_places(positions);
  std::vector<Corners> triangles = make_sorted_triangles(indices, places);
  const std::size_t count = triangles.size();
  std::erase_if(triangles, is_degenerate);
  scan.degenerate_triangles = count - triangles.size();
  scan.repeated_triangles = triangles.size();
  triangles.erase(std::unique(triangles.begin(), triangles.end()), triangles.end());
  scan.repeated_triangles -= triangles.size();
  if (parts == CountParts::yes) {
    scan.separate_parts = count_parts(triangles, places.size());
  }
  scan.area_m2 = sum_areas<3>(positions, indices);
  for (const UvRange& uv : shape.uvs) {
    scan.uv_areas.push_back(
        sum_areas<2>(source.make_values(fmt::format("TEXCOORD_{}", uv.set)), indices));
  }
  return scan;
}

std::uint64_t count_shared_triangles(const Scene& scene, const Mesh& mesh) {
  using Triangle = std::array<Point, 3>;
  std::vector<Triangle> all;
  for (const Primitive& primitive : mesh.primitives) {
    if (primitive.find("POSITION") == no_stream ||
        find_topology(primitive.mode) != Topology::triangles) {
      continue;
    }
    const TriangleSource source(scene, primitive);
    const std::vector<float> positions = source.make_values("POSITION");
    const std::vector<std::uint32_t>& indices = source.indices();
    std::vector<Triangle> own;
    for (std::size_t i = 0; i + 2 < indices.size(); i += 3) {
      Triangle triangle{};
      for (std::size_t c = 0; c < 3; ++c) {
        for (std::size_t x = 0; x < 3; ++x) {
          triangle[c][x] = positions[3 * std::size_t{indices[i + c]} + x] + 0.0F;
        }
      }
      const bool finite = std::all_of(triangle.begin(), triangle.end(), [](const Point& p) {
        return std::isfinite(p[0]) && std::isfinite(p[1]) && std::isfinite(p[2]);
      });
      if (!finite) {
        continue;
      }
      std::sort(triangle.begin(), triangle.end());
      if (triangle[0] != triangle[1] && triangle[1] != triangle[2]) {
        own.push_back(triangle);
      }
    }
    std::sort(own.begin(), own.end());
    own.erase(std::unique(own.begin(), own.end()), own.end());
    all.insert(all.end(), own.begin(), own.end());
  }
  std::sort(all.begin(), all.end());
  const std::size_t count = all.size();
  all.erase(std::unique(all.begin(), all.end()), all.end());
  return count - all.size();
}

}  // namespace wakuzume
