// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "rework/tangents.h"

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstring>
#include <limits>
#include <numeric>
#include <tuple>

#include "scene/elements.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t none = no_index;

/// By the method's own bound.
bool is_zero(double value) {
  return std::abs(value) <= static_cast<double>(std::numeric_limits<float>::min());
}

Eigen::Vector3d make_unit(const Eigen::Vector3d& v) {
  const double length = v.norm();
  return is_zero(length) ? v : Eigen::Vector3d(v / length);
}

Eigen::Vector3d project(const Eigen::Vector3d& v, const Eigen::Vector3d& normal) {
  return make_unit(v - normal * normal.dot(v));
}

/// One triangle on its way: how its texture lies on it, what it touches, and which group each of
/// its corners is in.
struct Face {
  std::uint32_t first = 0;                                ///< corner; two more follow
  std::array<std::uint32_t, 3> beside{none, none, none};  ///< face behind each edge
  std::array<std::uint32_t, 3> group{none, none, none};
  Eigen::Vector3d along_u{0, 0, 0};
  Eigen::Vector3d along_v{0, 0, 0};
  bool upright = false;   ///< its texture is not mirrored
  bool shapeless = true;  ///< without area in the texture: goes with any neighbour
};

struct FanGroup {
  std::uint32_t vertex = 0;  ///< welded
  bool upright = false;
  std::vector<std::uint32_t> faces;
};

class TangentMaker {
 public:
  explicit TangentMaker(const CornerData& corners)
      : in_(corners), count_(corners.positions.size() / 3) {}

  std::vector<float> make() {
    weld();
    make_faces();
    find_neighbours();
    make_groups();
    out_.resize(count_ * 4);
    for (std::size_t c = 0; c < count_; ++c) {
      set(c, {1, 0, 0}, 1);
    }
    for (const FanGroup& group : groups_) {
      write_group(group);
    }
    write_degenerate();
    return std::move(out_);
  }

 private:
  [[nodiscard]] Eigen::Vector3f point(std::size_t corner) const {
    return Eigen::Map<const Eigen::Vector3f>(&in_.positions[3 * corner]);
  }
  [[nodiscard]] Eigen::Vector3d position(std::size_t corner) const {
    return point(corner).cast<double>();
  }
  [[nodiscard]] Eigen::Vector3d normal(std::size_t corner) const {
    return Eigen::Map<const Eigen::Vector3f>(&in_.normals[3 * corner]).cast<double>();
  }
  [[nodiscard]] Eigen::Vector2f uv(std::size_t corner) const {
    return Eigen::Map<const Eigen::Vector2f>(&in_.uvs[2 * corner]);
  }
  [[nodiscard]] std::uint32_t vertex(const Face& face, std::size_t corner) const {
    return welded_[face.first + corner];
  }

  /// Corners that agree in everything are one vertex, however they were stored.
  void weld() {
    using Key = std::array<float, 8>;
    std::vector<Key> keys(count_);
    for (std::size_t c = 0; c < count_; ++c) {
      for (std::size_t i = 0; i < 3; ++i) {
        keys[c][i] = in_.positions[3 * c + i] + 0.0F;  // one zero
        keys[c][3 + i] = in_.normals[3 * c + i] + 0.0F;
      }
      keys[c][6] = in_.uvs[2 * c] + 0.0F;
      keys[c][7] = in_.uvs[2 * c + 1] + 0.0F;
    }
    std::vector<std::uint32_t> order(count_);
    std::iota(order.begin(), order.end(), 0U);
    // NaN compares with nothing; by their bits everything has an order.
    const auto bits = [&](std::uint32_t c) {
      return std::bit_cast<std::array<std::uint32_t, 8>>(keys[c]);
    };
    std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
      const auto x = bits(a);
      const auto y = bits(b);
      return x != y ? x < y : a < b;
    });
    welded_.resize(count_);
    for (std::size_t i = 0; i < order.size(); ++i) {
      const bool same = i > 0 && bits(order[i]) == bits(order[i - 1]);
      welded_[order[i]] = same ? welded_[order[i - 1]] : order[i];
    }
  }

  /// In single precision like the method's own code: where a texture is next to nothing, rounding
  /// decides what it is, and engines round this way.
  void make_faces() {
    for (std::size_t first = 0; first + 2 < count_; first += 3) {
      const Eigen::Vector3f p = point(first);
      const Eigen::Vector3f p1 = point(first + 1);
      const Eigen::Vector3f p2 = point(first + 2);
      if (p == p1 || p == p2 || p1 == p2) {
        degenerate_.push_back(static_cast<std::uint32_t>(first));
        continue;
      }
      const Eigen::Vector2f t1 = uv(first + 1) - uv(first);
      const Eigen::Vector2f t2 = uv(first + 2) - uv(first);
      const float area = t1.x() * t2.y() - t1.y() * t2.x();
      const Eigen::Vector3f along_u = t2.y() * (p1 - p) - t1.y() * (p2 - p);
      const Eigen::Vector3f along_v = t1.x() * (p2 - p) - t2.x() * (p1 - p);
      Face face;
      face.first = static_cast<std::uint32_t>(first);
      face.upright = area > 0;
      if (!is_zero(area)) {
        face.along_u = make_unit(along_u.cast<double>()) * (face.upright ? 1 : -1);
        face.along_v = make_unit(along_v.cast<double>()) * (face.upright ? 1 : -1);
        face.shapeless =
            is_zero(along_u.norm() / std::abs(area)) || is_zero(along_v.norm() / std::abs(area));
      }
      faces_.push_back(face);
    }
  }

  /// Two faces are neighbours where their vertices run along one edge in opposite directions.
  void find_neighbours() {
    struct Edge {
      std::uint32_t low, high, face, side;
      bool rising;
      auto operator<=>(const Edge&) const = default;
    };
    std::vector<Edge> edges;
    for (std::uint32_t f = 0; f < faces_.size(); ++f) {
      for (std::uint32_t side = 0; side < 3; ++side) {
        const std::uint32_t a = vertex(faces_[f], side);
        const std::uint32_t b = vertex(faces_[f], (side + 1) % 3);
        edges.push_back({std::min(a, b), std::max(a, b), f, side, a < b});
      }
    }
    std::sort(edges.begin(), edges.end());
    for (std::size_t e = 0; e < edges.size(); ++e) {
      std::uint32_t& mine = faces_[edges[e].face].beside[edges[e].side];
      for (std::size_t o = e + 1; mine == none && o < edges.size() &&
                                  edges[o].low == edges[e].low && edges[o].high == edges[e].high;
           ++o) {
        std::uint32_t& theirs = faces_[edges[o].face].beside[edges[o].side];
        if (theirs == none && edges[o].rising != edges[e].rising) {
          mine = edges[o].face;
          theirs = edges[e].face;
        }
      }
    }
  }

  /// Around each vertex: faces that hang together by edges and are mapped the same way round.
  void make_groups() {
    for (std::uint32_t f = 0; f < faces_.size(); ++f) {
      for (std::size_t corner = 0; corner < 3; ++corner) {
        if (!faces_[f].shapeless && faces_[f].group[corner] == none) {
          FanGroup& group = groups_.emplace_back();
          group.vertex = vertex(faces_[f], corner);
          group.upright = faces_[f].upright;
          grow(f, static_cast<std::uint32_t>(groups_.size() - 1));
        }
      }
    }
  }

  void grow(std::uint32_t start, std::uint32_t number) {
    FanGroup& group = groups_[number];
    std::vector<std::uint32_t> next{start};
    while (!next.empty()) {
      const std::uint32_t f = next.back();
      next.pop_back();
      Face& face = faces_[f];
      std::size_t corner = 0;
      while (corner < 3 && vertex(face, corner) != group.vertex) {
        ++corner;
      }
      if (corner == 3 || face.group[corner] != none) {
        continue;
      }
      if (face.shapeless && std::all_of(face.group.begin(), face.group.end(),
                                        [](std::uint32_t g) { return g == none; })) {
        face.upright = group.upright;
      }
      if (face.upright != group.upright) {
        continue;
      }
      face.group[corner] = number;
      group.faces.push_back(f);
      for (const std::size_t side : {(corner + 2) % 3, corner}) {
        if (face.beside[side] != none) {
          next.push_back(face.beside[side]);
        }
      }
    }
  }

  [[nodiscard]] std::size_t find_corner(const Face& face, std::uint32_t number) const {
    return static_cast<std::size_t>(std::find(face.group.begin(), face.group.end(), number) -
                                    face.group.begin());
  }

  /// What one face of a group adds to the tangent at the vertex.
  struct Share {
    Eigen::Vector3f along_u;  ///< in the plane of the normal, of unit length
    Eigen::Vector3f along_v;
    Eigen::Vector3d weighed;  ///< along u, by the angle the face has at the vertex
    bool shapeless = false;
  };

  [[nodiscard]] Share make_share(const FanGroup& group,
                                 const Face& face,
                                 std::size_t corner) const {
    const Eigen::Vector3d n = normal(group.vertex);
    const Eigen::Vector3d here = position(face.first + corner);
    const Eigen::Vector3d back = project(position(face.first + (corner + 2) % 3) - here, n);
    const Eigen::Vector3d on = project(position(face.first + (corner + 1) % 3) - here, n);
    const Eigen::Vector3d along_u = project(face.along_u, n);
    return {along_u.cast<float>(), project(face.along_v, n).cast<float>(),
            std::acos(std::clamp(back.dot(on), -1.0, 1.0)) * along_u, face.shapeless};
  }

  /// Each face takes the directions of all faces of its group but those that point right against
  /// its own.
  void write_group(const FanGroup& group) {
    const auto number = static_cast<std::uint32_t>(&group - groups_.data());
    std::vector<Share> shares;
    for (const std::uint32_t f : group.faces) {
      shares.push_back(make_share(group, faces_[f], find_corner(faces_[f], number)));
    }
    for (std::size_t f = 0; f < shares.size(); ++f) {
      const Share& mine = shares[f];
      Eigen::Vector3d sum{0, 0, 0};
      for (std::size_t o = 0; o < shares.size(); ++o) {
        const Share& other = shares[o];
        const bool joins =
            f == o || mine.shapeless || other.shapeless ||
            (mine.along_u.dot(other.along_u) > -1 && mine.along_v.dot(other.along_v) > -1);
        if (joins && !other.shapeless) {
          sum += other.weighed;
        }
      }
      const Face& face = faces_[group.faces[f]];
      set(face.first + find_corner(face, number), make_unit(sum), group.upright ? -1.0F : 1.0F);
    }
  }

  /// Triangles without extent have no direction: their corners take that of an equal corner.
  void write_degenerate() {
    std::vector<std::uint32_t> good(count_, none);  // by welded vertex: the first corner
    for (const Face& face : faces_) {
      for (std::uint32_t c = 0; c < 3; ++c) {
        std::uint32_t& slot = good[vertex(face, c)];
        slot = slot == none ? face.first + c : slot;
      }
    }
    for (const std::uint32_t first : degenerate_) {
      for (std::size_t c = first; c < first + std::size_t{3}; ++c) {
        if (const std::uint32_t from = good[welded_[c]]; from != none) {
          std::copy_n(&out_[4 * std::size_t{from}], 4, &out_[4 * c]);
        }
      }
    }
  }

  void set(std::size_t corner, const Eigen::Vector3d& tangent, float sign) {
    const bool sound = tangent.allFinite() && !is_zero(tangent.norm());
    for (std::size_t i = 0; i < 3; ++i) {
      out_[4 * corner + i] = sound ? static_cast<float>(tangent[static_cast<Eigen::Index>(i)])
                                   : (i == 0 ? 1.0F : 0.0F);
    }
    out_[4 * corner + 3] = sign;
  }

  const CornerData& in_;
  std::size_t count_;
  std::vector<std::uint32_t> welded_;  ///< by corner: the first corner that is equal
  std::vector<Face> faces_;
  std::vector<std::uint32_t> degenerate_;  ///< first corners
  std::vector<FanGroup> groups_;
  std::vector<float> out_;
};

std::vector<float> gather(const std::vector<float>& values,
                          const std::vector<std::uint32_t>& corners,
                          std::size_t width) {
  std::vector<float> out;
  out.reserve(corners.size() * width);
  for (const std::uint32_t v : corners) {
    const auto from = values.begin() + static_cast<std::ptrdiff_t>(v * width);
    out.insert(out.end(), from, from + static_cast<std::ptrdiff_t>(width));
  }
  return out;
}

std::vector<float> make_flat_normals(const std::vector<float>& positions) {
  std::vector<float> out(positions.size());
  for (std::size_t t = 0; t + 8 < positions.size(); t += 9) {
    const Eigen::Map<const Eigen::Matrix3f> p(&positions[t]);
    const Eigen::Vector3d a = p.col(0).cast<double>();
    const Eigen::Vector3d across = (p.col(1).cast<double>() - a).cross(p.col(2).cast<double>() - a);
    const Eigen::Vector3f normal = make_unit(across).cast<float>();
    for (std::size_t i = 0; i < 9; ++i) {
      out[t + i] = normal[static_cast<Eigen::Index>(i % 3)];
    }
  }
  return out;
}

}  // namespace

std::vector<float> make_corner_tangents(const CornerData& corners) {
  return TangentMaker(corners).make();
}

CornerData make_corner_data(const Scene& scene, const Primitive& primitive) {
  const std::vector<std::uint32_t> list = make_list_indices(scene, primitive);
  CornerData out;
  out.positions = gather(make_floats(scene, primitive.find("POSITION")), list, 3);
  const StreamId normals = primitive.find("NORMAL");
  out.normals = normals == no_stream ? make_flat_normals(out.positions)
                                     : gather(make_floats(scene, normals), list, 3);
  const StreamId uvs = find_tangent_uvs(scene, primitive);
  out.uvs = uvs == no_stream ? std::vector<float>(list.size() * 2, 0.0F)
                             : gather(make_floats(scene, uvs), list, 2);
  return out;
}

std::vector<float> make_tangents_along(const Scene& scene,
                                       const Primitive& primitive,
                                       std::vector<float> uvs) {
  CornerData corners = make_corner_data(scene, primitive);
  corners.uvs = std::move(uvs);
  return make_corner_tangents(corners);
}

std::vector<float> find_corner_tangents(const Scene& scene,
                                        const Primitive& primitive,
                                        std::vector<float> uvs) {
  if (!has_tangents(primitive)) {
    return make_tangents_along(scene, primitive, std::move(uvs));
  }
  const std::vector<float> tangents = make_floats(scene, primitive.find("TANGENT"));
  std::vector<float> out;
  for (const std::uint32_t v : make_list_indices(scene, primitive)) {
    const auto from = tangents.begin() + std::ptrdiff_t{4} * v;
    out.insert(out.end(), from, from + 4);
  }
  return out;
}

TangentVertices make_tangent_vertices(const Scene& scene, const Primitive& primitive) {
  const std::vector<float> corners = make_corner_tangents(make_corner_data(scene, primitive));
  const std::vector<std::uint32_t> list = make_list_indices(scene, primitive);
  const bool flat = primitive.find("NORMAL") == no_stream;
  const auto tangent_of = [&](std::uint32_t c) {
    std::array<std::uint32_t, 4> bits;
    std::memcpy(bits.data(), &corners[4 * std::size_t{c}], sizeof(bits));
    return bits;
  };
  std::vector<std::uint32_t> order(list.size());
  std::iota(order.begin(), order.end(), 0U);
  TangentVertices out;
  out.indices.resize(list.size());
  // Flat normals are made of three corners in a row, so there every corner is a vertex.
  if (!flat) {
    std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
      return std::tuple(list[a], tangent_of(a), a) < std::tuple(list[b], tangent_of(b), b);
    });
  }
  for (std::size_t i = 0; i < order.size(); ++i) {
    const std::uint32_t c = order[i];
    const bool same = !flat && i > 0 && list[c] == list[order[i - 1]] &&
                      tangent_of(c) == tangent_of(order[i - 1]);
    if (!same) {
      out.vertices.push_back(list[c]);
      out.tangents.insert(out.tangents.end(), &corners[4 * std::size_t{c}],
                          &corners[4 * std::size_t{c}] + 4);
    }
    out.indices[c] = static_cast<std::uint32_t>(out.vertices.size() - 1);
  }
  return out;
}

}  // namespace wakuzume
