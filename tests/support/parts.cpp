// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "support/parts.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <random>

namespace wakuzume::test {
namespace {

using std::numbers::pi;

Vec3d normalized(const Vec3d& v) {
  const double length = std::sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]);
  return length > 0 ? Vec3d{v[0] / length, v[1] / length, v[2] / length} : Vec3d{0, 0, 1};
}

void append(Floats& to, const Vec3d& v) {
  for (const double value : v) {
    to.push_back(static_cast<float>(value));
  }
}

Vec3d read(const Floats& from, std::size_t vertex) {
  return {static_cast<double>(from[3 * vertex]), static_cast<double>(from[3 * vertex + 1]),
          static_cast<double>(from[3 * vertex + 2])};
}

double draw(std::mt19937& random, double low, double high) {
  return low + (high - low) * static_cast<double>(random() % 100'000) / 100'000;
}

}  // namespace

MeshData make_part(std::uint32_t seed) {
  std::mt19937 random(seed * 7919 + 1);
  const std::size_t rings = 4 + random() % 6;
  const std::size_t around = 8 + random() % 6;
  MeshData part;
  for (std::size_t r = 0; r <= rings; ++r) {
    for (std::size_t a = 0; a <= around; ++a) {
      const double polar = pi * static_cast<double>(r) / static_cast<double>(rings);
      const double turn = 2 * pi * static_cast<double>(a % around) / static_cast<double>(around);
      // The seam and the poles repeat positions under other UVs, as real models do.
      std::mt19937 lump(static_cast<std::uint32_t>(seed * 131 + r * 17 +
                                                   (r == 0 || r == rings ? 0 : a % around)));
      const double radius = draw(lump, 0.7, 1.3);
      const Vec3d out{std::sin(polar) * std::cos(turn), std::cos(polar),
                      std::sin(polar) * std::sin(turn)};
      append(part.positions, {out[0] * radius, out[1] * radius * 1.5, out[2] * radius * 0.6});
      append(part.normals, normalized({out[0], out[1] / 1.5, out[2] / 0.6}));
      part.uvs.push_back(static_cast<float>(a) / static_cast<float>(around));
      part.uvs.push_back(static_cast<float>(r) / static_cast<float>(rings));
    }
  }
  const auto at = [&](std::size_t r, std::size_t a) {
    return static_cast<std::uint32_t>(r * (around + 1) + a);
  };
  for (std::size_t r = 0; r < rings; ++r) {
    for (std::size_t a = 0; a < around; ++a) {
      for (const std::uint32_t corner :
           {at(r, a), at(r, a + 1), at(r + 1, a + 1), at(r, a), at(r + 1, a + 1), at(r + 1, a)}) {
        part.indices.push_back(corner);
      }
    }
  }
  return part;
}

MeshData make_prism(std::size_t sides) {
  MeshData part;
  for (std::size_t s = 0; s < sides; ++s) {
    const double a = 2 * pi * static_cast<double>(s) / static_cast<double>(sides);
    const double b = 2 * pi * static_cast<double>(s + 1) / static_cast<double>(sides);
    const auto first = static_cast<std::uint32_t>(part.positions.size() / 3);
    const Vec3d out = normalized({std::cos((a + b) / 2), 0, std::sin((a + b) / 2)});
    for (const auto& [angle, height] :
         {std::pair{a, -1.0}, std::pair{b, -1.0}, std::pair{b, 1.0}, std::pair{a, 1.0}}) {
      append(part.positions, {std::cos(angle), height, std::sin(angle)});
      append(part.normals, out);
    }
    for (const std::uint32_t i : {0U, 2U, 1U, 0U, 3U, 2U}) {
      part.indices.push_back(first + i);
    }
  }
  return part;
}

MeshData make_fan(std::size_t triangles) {
  MeshData part;
  append(part.positions, {0, 0, 0});
  for (std::size_t t = 0; t <= triangles; ++t) {
    const double angle = 1.5 * pi * static_cast<double>(t) / static_cast<double>(triangles);
    const double radius = 1 + 0.1 * static_cast<double>(t * t % 7);
    append(part.positions, {radius * std::cos(angle), radius * std::sin(angle), 0});
    if (t < triangles) {
      for (const std::size_t i : {std::size_t{0}, t + 1, t + 2}) {
        part.indices.push_back(static_cast<std::uint32_t>(i));
      }
    }
  }
  for (std::size_t v = 0; v < part.positions.size() / 3; ++v) {
    append(part.normals, {0, 0, 1});
  }
  return part;
}

Trs make_random_trs(std::uint32_t seed, Scaling scaling) {
  std::mt19937 random(seed + 77);
  Trs trs;
  for (double& t : trs.translation) {
    t = draw(random, -20, 20);
  }
  double length = 0;
  for (double& q : trs.rotation) {
    q = draw(random, -1, 1);
    length += q * q;
  }
  for (double& q : trs.rotation) {
    q /= std::sqrt(length);
  }
  const double size = scaling == Scaling::none ? 1 : draw(random, 0.5, 2);
  for (double& s : trs.scale) {
    s = scaling == Scaling::each_axis ? draw(random, 0.5, 2) : size;
  }
  return trs;
}

MeshData transform_part(const MeshData& part, const Trs& trs) {
  const Mat4d matrix = make_matrix(trs);
  Trs turning = trs;
  turning.translation = {0, 0, 0};
  for (double& s : turning.scale) {
    s = 1 / s;
  }
  const Mat4d normal_matrix = make_matrix(turning);
  const auto apply = [](const Mat4d& m, const Vec3d& v, double w) {
    Vec3d out{};
    for (std::size_t c = 0; c < 3; ++c) {
      out[c] = m[c] * v[0] + m[4 + c] * v[1] + m[8 + c] * v[2] + m[12 + c] * w;
    }
    return out;
  };
  MeshData out = part;
  out.positions.clear();
  out.normals.clear();
  for (std::size_t v = 0; v < part.positions.size() / 3; ++v) {
    append(out.positions, apply(matrix, read(part.positions, v), 1));
    if (!part.normals.empty()) {
      append(out.normals, normalized(apply(normal_matrix, read(part.normals, v), 0)));
    }
  }
  if (linear_determinant(matrix) < 0) {
    for (std::size_t i = 0; i + 2 < out.indices.size(); i += 3) {
      std::swap(out.indices[i + 1], out.indices[i + 2]);
    }
  }
  return out;
}

MeshData shuffle_part(const MeshData& part, std::uint32_t seed) {
  std::mt19937 random(seed);
  std::vector<std::size_t> order(part.positions.size() / 3);
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::shuffle(order.begin(), order.end(), random);
  std::vector<std::uint32_t> number(order.size());
  MeshData out = part;
  for (std::size_t v = 0; v < order.size(); ++v) {
    number[order[v]] = static_cast<std::uint32_t>(v);
    for (std::size_t c = 0; c < 3; ++c) {
      out.positions[3 * v + c] = part.positions[3 * order[v] + c];
      if (!part.normals.empty()) {
        out.normals[3 * v + c] = part.normals[3 * order[v] + c];
      }
      if (!part.uvs.empty() && c < 2) {
        out.uvs[2 * v + c] = part.uvs[2 * order[v] + c];
      }
    }
  }
  std::vector<std::size_t> triangles(part.indices.size() / 3);
  std::iota(triangles.begin(), triangles.end(), std::size_t{0});
  std::shuffle(triangles.begin(), triangles.end(), random);
  for (std::size_t t = 0; t < triangles.size(); ++t) {
    const std::size_t turn = random() % 3;
    for (std::size_t c = 0; c < 3; ++c) {
      out.indices[3 * t + c] = number[part.indices[3 * triangles[t] + (c + turn) % 3]];
    }
  }
  return out;
}

double find_diagonal(const MeshData& part) {
  Box3d box;
  for (std::size_t v = 0; v < part.positions.size() / 3; ++v) {
    box.include(read(part.positions, v));
  }
  double square = 0;
  for (std::size_t c = 0; c < 3; ++c) {
    square += std::pow(box.max[c] - box.min[c], 2);
  }
  return std::sqrt(square);
}

}  // namespace wakuzume::test
