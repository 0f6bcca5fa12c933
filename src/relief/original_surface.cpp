// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "relief/original_surface.h"

#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <utility>

#include "reduce/points.h"
#include "rework/tangents.h"
#include "texture/resample.h"
#include "texture/texture_reader.h"
#include "texture/uv_source.h"

namespace wakuzume {

using Eigen::Vector2d;
using Eigen::Vector3d;

NormalLevels::NormalLevels(Pixels pixels, const Sampler& sampler, double scale)
    : sampler_(sampler), scale_(scale) {
  levels_.push_back(std::move(pixels));
  while (std::max(levels_.back().width_px, levels_.back().height_px) > 1) {
    levels_.push_back(make_halved(levels_.back(), TexelKind::normals));
  }
}

double NormalLevels::texels() const {
  return static_cast<double>(levels_.front().width_px) * levels_.front().height_px;
}

Vector3d NormalLevels::look_up(const Vector2d& uv, double level) const {
  const double deepest = static_cast<double>(levels_.size() - 1);
  const auto nearest = static_cast<std::size_t>(std::clamp(std::round(level), 0.0, deepest));
  std::array<float, 4> sum{};
  TextureReader(levels_[nearest], sampler_, Averaging::normal).add(uv, 1, sum);
  return {scale_ * static_cast<double>(sum[0]), scale_ * static_cast<double>(sum[1]),
          static_cast<double>(sum[2])};
}

OriginalSurface::OriginalSurface(const Scene& scene,
                                 const Mesh& mesh,
                                 std::span<const MaterialId> materials,
                                 const NormalLevels* detail)
    : scene_(scene), detail_(detail) {
  // A mesh's diagonal, over this: what lies behind a thin wall is nearer than another room.
  constexpr double reach_share = 0.02;
  for (const Primitive& primitive : mesh.primitives) {
    if (find_topology(primitive.mode) == Topology::triangles &&
        primitive.find("POSITION") != no_stream) {
      add(primitive, detail != nullptr && std::find(materials.begin(), materials.end(),
                                                    primitive.material) != materials.end());
    }
  }
  Box3d box;
  for (std::size_t c = 0; 3 * c + 2 < positions_.size(); ++c) {
    box.include(load_point(positions_, c));
  }
  reach_ = box.empty() ? 0 : reach_share * std::sqrt(length2(box.max - box.min));
  tree_ = std::make_unique<TriangleTree>(positions_, indices_);
}

void OriginalSurface::add(const Primitive& primitive, bool detailed) {
  const CornerData corners = make_corner_data(scene_, primitive);
  const std::size_t count = corners.positions.size() / 3;
  const auto first = static_cast<std::uint32_t>(positions_.size() / 3);
  for (std::uint32_t c = 0; c < count; ++c) {
    indices_.push_back(first + c);
  }
  positions_.insert(positions_.end(), corners.positions.begin(), corners.positions.end());
  normals_.insert(normals_.end(), corners.normals.begin(), corners.normals.end());
  detailed_.insert(detailed_.end(), count / 3, detailed);
  if (!detailed) {
    tangents_.resize(tangents_.size() + 4 * count);
    uvs_.resize(uvs_.size() + 2 * count);
    return;
  }
  const std::vector<Vec2d> uvs = make_texture_coordinates(
      scene_, primitive, find_slot_source(scene_[primitive.material].normal_texture));
  std::vector<float> flat;
  for (const std::uint32_t v : make_list_indices(scene_, primitive)) {
    const Vec2d uv = v < uvs.size() ? uvs[v] : Vec2d{0, 0};
    uvs_.insert(uvs_.end(), uv.begin(), uv.end());
    flat.push_back(static_cast<float>(uv[0]));
    flat.push_back(static_cast<float>(uv[1]));
  }
  const std::vector<float> tangents = find_corner_tangents(scene_, primitive, std::move(flat));
  tangents_.insert(tangents_.end(), tangents.begin(), tangents.end());
}

Vector3d OriginalSurface::mix_normals(const TriangleTree::Hit& hit) const {
  Vector3d out = Vector3d::Zero();
  for (std::size_t k = 0; k < 3; ++k) {
    const float* const normal = &normals_[3 * (3 * std::size_t{hit.triangle} + k)];
    out += hit.shares[k] * Eigen::Map<const Eigen::Vector3f>(normal).cast<double>();
  }
  return out;
}

Vector3d OriginalSurface::find_normal(const Vector3d& place,
                                      const Vector3d& normal,
                                      double texels_per_metre,
                                      std::uint32_t& guess) const {
  /// Past a crease is another side, and behind a wall its back.
  constexpr double alike_cosine = 0.3;
  /// What leans no more than that is shown as it is.
  constexpr double same_cosine = 0.94;
  if (indices_.empty() || !place.allFinite()) {
    return normal;
  }
  const Vec3d at{place.x(), place.y(), place.z()};
  std::optional<TriangleTree::Hit> best = tree_->find_nearest(at, guess);
  guess = best->triangle;
  if (guess == no_index) {
    return normal;
  }
  const auto find_cosine = [&](const TriangleTree::Hit& hit) {
    const Vector3d own = mix_normals(hit);
    const double length = own.norm();
    return length > 0 ? own.dot(normal) / length : -1;
  };
  const double nearest = std::sqrt(best->distance2);
  double cosine = find_cosine(*best);
  if (cosine < same_cosine && texels_per_metre > 0) {
    // Both sides of an edge are below one texel: what is shown is the side that it is on.
    const double reach = nearest + std::min(reach_, 0.5 / texels_per_metre);
    tree_->for_each_within(at, reach * reach, [&](const TriangleTree::Hit& hit) {
      const double other = find_cosine(hit);
      if (other > cosine || (other == cosine && hit.triangle < best->triangle)) {
        best = hit;
        cosine = other;
      }
    });
  }
  if (cosine <= alike_cosine) {
    const double reach = std::max(reach_, 2 * nearest);
    best.reset();
    tree_->for_each_within(at, reach * reach, [&](const TriangleTree::Hit& hit) {
      const bool nearer = !best || hit.distance2 < best->distance2 ||
                          (hit.distance2 == best->distance2 && hit.triangle < best->triangle);
      if (nearer && find_cosine(hit) > alike_cosine) {
        best = hit;
      }
    });
  }
  if (!best) {
    return normal;
  }
  const Vector3d shaded = shade(*best, texels_per_metre);
  return shaded.allFinite() && shaded.norm() > 0 ? shaded.normalized() : normal;
}

Vector3d OriginalSurface::shade(const TriangleTree::Hit& hit, double texels_per_metre) const {
  const Vector3d plain = mix_normals(hit);
  if (!detailed_[hit.triangle]) {
    return plain;
  }
  FlatCorners map;
  std::array<Vector3d, 3> corners;
  for (std::size_t k = 0; k < 3; ++k) {
    const std::size_t c = 3 * std::size_t{hit.triangle} + k;
    map[k] = {uvs_[2 * c], uvs_[2 * c + 1]};
    corners[k] = Eigen::Map<const Eigen::Vector3f>(&positions_[3 * c]).cast<double>();
  }
  const Vector2d u = map[1] - map[0];
  const Vector2d v = map[2] - map[0];
  const double texels = std::abs(u.x() * v.y() - u.y() * v.x()) * detail_->texels();
  const double area = (corners[1] - corners[0]).cross(corners[2] - corners[0]).norm();
  // Texels of the old picture below one of the new, along a side.
  const double below =
      area > 0 && texels_per_metre > 0 ? std::sqrt(texels / area) / texels_per_metre : 1;
  const Vector2d uv = hit.shares[0] * map[0] + hit.shares[1] * map[1] + hit.shares[2] * map[2];
  const Vector3d bent = detail_->look_up(uv, std::log2(std::max(below, 1.0)));
  TexelHit at;
  at.triangle = hit.triangle;
  for (std::size_t k = 0; k < 3; ++k) {
    at.weights[k] = static_cast<float>(hit.shares[k]);
  }
  const Eigen::Matrix3d frame = find_frame(normals_, tangents_, at);
  return frame.allFinite() ? Vector3d(frame * bent) : plain;
}

}  // namespace wakuzume
