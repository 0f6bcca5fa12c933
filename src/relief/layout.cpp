// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "relief/layout.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <set>
#include <utility>

#include "reduce/points.h"
#include "relief/original_surface.h"
#include "rework/tangents.h"
#include "scene/hasher.h"
#include "scene/semantics.h"
#include "survey/draws.h"
#include "texture/charts.h"
#include "texture/coverage.h"
#include "wakuzume/apart.h"

namespace wakuzume {
namespace {

/// Sets of UVs are numbered below this.
constexpr std::uint32_t most_uv_sets = 16;
/// Of the texels that a layout covers, how many may be covered twice: where triangles touch,
/// rounding decides.
constexpr double doubled_share = 0.001;
constexpr std::uint32_t doubled_least = 8;
/// A layout that leaves more of the picture empty is no layout of the surface.
constexpr double least_covered = 0.005;
/// UVs are looked at on a picture no larger than that.
constexpr std::uint32_t most_looked_at_px = 1024;
/// Densities are tried from the one that would fill the picture, each that much less.
constexpr double density_step = 0.93;
constexpr int most_densities = 60;

bool may_show(const Scene& scene, const Primitive& primitive) {
  return primitive.material != no_material && !scene[primitive.material].unlit() &&
         find_topology(primitive.mode) == Topology::triangles &&
         primitive.find("NORMAL") != no_stream && count_list_indices(scene, primitive) > 0;
}

/// What the vertices of a primitive hold, and how they are joined.
ContentHash hash_content(const Scene& scene, const Primitive& primitive, MaterialId material) {
  ValueHasher hasher;
  hasher.add(to_index(material));
  for (const std::uint32_t index : make_list_indices(scene, primitive)) {
    hasher.add(index);
  }
  for (const Attribute& attribute : primitive.attributes) {
    hasher.add(attribute.semantic);
    for (const float value : make_floats(scene, attribute.stream)) {
      hasher.add(value);
    }
  }
  return hasher.finish();
}

/// By mesh, the largest scale of the nodes that show it.
std::vector<double> find_scales(const Scene& scene) {
  const std::vector<Mat4d> world = make_world_matrices(scene);
  std::vector<double> scales(scene.meshes.size(), 0.0);
  for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
    if (const MeshId mesh = scene.nodes[n].mesh; mesh != no_mesh) {
      scales[to_index(mesh)] = std::max(scales[to_index(mesh)], find_scale(world[n]));
    }
  }
  return scales;
}

/// By material, the first of those that are equal to it by value.
std::vector<MaterialId> list_first_equal(const Scene& scene) {
  std::vector<MaterialId> first;
  for (std::size_t m = 0; m < scene.materials.size(); ++m) {
    first.push_back(make_id<MaterialId>(m));
  }
  for (const std::vector<MaterialId>& set : find_equal_materials(scene, {})) {
    for (const MaterialId id : set) {
      first[to_index(id)] = set.front();
    }
  }
  return first;
}

const Primitive& shown_by(const Scene& scene, const ReliefWish& wish) {
  return scene[wish.mesh].primitives[wish.primitive];
}

/// Two a corner, in a UV set; empty where there is none.
std::vector<double> list_corner_uvs(const Scene& scene,
                                    const Primitive& primitive,
                                    std::uint32_t set) {
  const StreamId stream = primitive.find(fmt::format("TEXCOORD_{}", set));
  if (stream == no_stream) {
    return {};
  }
  const std::vector<float> uvs = make_floats(scene, stream);
  std::vector<double> out;
  for (const std::uint32_t v : make_list_indices(scene, primitive)) {
    out.push_back(uvs[2 * std::size_t{v}]);
    out.push_back(uvs[2 * std::size_t{v} + 1]);
  }
  return out;
}

/// Counts texels that triangles take for themselves, and those that several take.
class PlaceCount {
 public:
  explicit PlaceCount(std::uint32_t side_px)
      : side_(side_px), taken_(std::size_t{side_px} * side_px, false) {}

  /// \param places  two a corner, in pixels
  void add(std::span<const double> places) {
    for (std::size_t t = 0; 6 * t + 5 < places.size(); ++t) {
      FlatCorners corners;
      for (std::size_t k = 0; k < 3; ++k) {
        corners[k] = {places[6 * t + 2 * k], places[6 * t + 2 * k + 1]};
      }
      add(corners);
    }
  }
  [[nodiscard]] bool is_layout() const {
    return covered_ >= least_covered * static_cast<double>(taken_.size()) &&
           doubled_ <= doubled_share * covered_ + doubled_least;
  }

 private:
  void add(const FlatCorners& corners) {
    constexpr double inside = 1e-6;
    const auto begin = [&](int axis) {
      const double low = std::min({corners[0][axis], corners[1][axis], corners[2][axis]});
      return static_cast<std::uint32_t>(std::clamp(low, 0.0, static_cast<double>(side_)));
    };
    const auto end = [&](int axis) {
      const double high = std::max({corners[0][axis], corners[1][axis], corners[2][axis]});
      return static_cast<std::uint32_t>(std::clamp(high + 1, 0.0, static_cast<double>(side_)));
    };
    for (std::uint32_t y = begin(1); y < end(1); ++y) {
      for (std::uint32_t x = begin(0); x < end(0); ++x) {
        const auto weights = find_weights(corners, {x + 0.5, y + 0.5});
        if (!weights || weights->minCoeff() < inside) {
          continue;
        }
        const std::size_t texel = std::size_t{y} * side_ + x;
        doubled_ += taken_[texel] ? 1 : 0;
        covered_ += taken_[texel] ? 0 : 1;
        taken_[texel] = true;
      }
    }
  }

  std::uint32_t side_;
  std::vector<bool> taken_;
  double covered_ = 0;
  double doubled_ = 0;
};

class LayoutFinder {
 public:
  LayoutFinder(const Scene& scene, const std::vector<ReliefWish>& wishes, std::uint32_t side_px)
      : scene_(scene), wishes_(wishes), side_px_(side_px) {}

  ReliefLayout find() {
    if (!find_own_uvs()) {
      make_chart_layout();
    }
    return std::move(out_);
  }

 private:
  /// The UVs that the material's own pictures are looked up by.
  bool find_own_uvs() {
    const Material& material = scene_[wishes_.front().material];
    const TextureSlot& slot = material.normal_texture.texture != no_texture
                                  ? material.normal_texture
                                  : material.base_color_texture;
    if (slot.texture != no_texture && slot.transform) {
      return false;
    }
    const std::uint32_t set = slot.texture != no_texture ? find_uv_set(slot) : 0;
    const std::uint32_t looked_at = std::min(side_px_, most_looked_at_px);
    PlaceCount count(looked_at);
    std::vector<std::vector<double>> places;
    for (const ReliefWish& wish : wishes_) {
      std::vector<double> uvs = list_corner_uvs(scene_, shown_by(scene_, wish), set);
      constexpr double beyond = 1e-4;
      if (uvs.empty() || !std::all_of(uvs.begin(), uvs.end(), [](double uv) {
            return uv >= -beyond && uv <= 1 + beyond;
          })) {
        return false;
      }
      std::vector<double> seen = uvs;
      for (double& at : seen) {
        at *= looked_at;
      }
      count.add(seen);
      for (double& at : uvs) {
        at *= side_px_;
      }
      places.push_back(std::move(uvs));
    }
    if (!count.is_layout()) {
      return false;
    }
    out_.size = {side_px_, side_px_};
    out_.uv_set = set;
    out_.places = std::move(places);
    return true;
  }

  void make_chart_layout() {
    out_.own_charts = true;
    std::vector<ChartSet> charts;
    double area = 0;
    for (const ReliefWish& wish : wishes_) {
      const Primitive& primitive = shown_by(scene_, wish);
      for (const Attribute& attribute : primitive.attributes) {
        if (const auto number = find_uv_number(attribute.semantic)) {
          out_.uv_set = std::max(out_.uv_set, *number + 1);
        }
      }
      charts.push_back(make_charts(make_corner_positions(scene_, primitive)));
      for (const Chart& chart : charts.back().charts) {
        area += chart.size[0] * chart.size[1] * wish.scale * wish.scale;
      }
    }
    if (out_.uv_set >= most_uv_sets) {
      out_.problem = "it has no UV set left";
      return;
    }
    double density = side_px_ / std::sqrt(std::max(area, 1e-30));
    for (int i = 0; i < most_densities; ++i, density *= density_step) {
      if (place(charts, density)) {
        return;
      }
    }
    out_.problem = fmt::format("its charts don't fit into {} x {} pixels", side_px_, side_px_);
  }

  /// \param density  pixels a metre of the world \return whether all fit
  bool place(const std::vector<ChartSet>& charts, double density) {
    std::vector<ChartLayout> layouts;
    std::vector<RectSize> sizes;
    for (std::size_t w = 0; w < charts.size(); ++w) {
      auto layout = place_charts(charts[w], density * wishes_[w].scale, side_px_);
      if (!layout) {
        return false;
      }
      sizes.push_back(layout->size);
      layouts.push_back(std::move(*layout));
    }
    const auto packing = pack(sizes, {.max_page_px = std::max(side_px_, 16U),
                                      .sides = PageSides::multiples_of_four,
                                      .turning = Turning::never});
    if (!packing || packing->pages.size() != 1) {
      return false;
    }
    out_.size = packing->pages.front();
    for (std::size_t w = 0; w < charts.size(); ++w) {
      std::vector<double>& places = out_.places.emplace_back();
      for (const Vec2d& at : layouts[w].corners) {
        places.push_back(packing->rects[w].x_px + at[0]);
        places.push_back(packing->rects[w].y_px + at[1]);
      }
    }
    return true;
  }

  const Scene& scene_;
  const std::vector<ReliefWish>& wishes_;
  std::uint32_t side_px_;
  ReliefLayout out_;
};

}  // namespace

std::vector<ReliefWish> list_relief_wishes(const Scene& before,
                                           const ReducePlan& plan,
                                           const Reduced& reduced) {
  const std::vector<double> scales = find_scales(reduced.scene);
  std::map<MeshId, MeshId> like;
  for (const MeshTarget& target : plan.meshes) {
    like[target.mesh] = target.like == no_mesh ? target.mesh : target.like;
  }
  const std::vector<MaterialId> equal = list_first_equal(reduced.scene);
  std::vector<ReliefWish> wishes;
  std::map<std::pair<MeshId, std::uint32_t>, std::size_t> by_mesh;
  std::map<ContentHash, std::size_t, LessHash> by_content;
  // Copies come behind what they are like.
  std::vector<const ReducedMesh*> order;
  for (const bool copies : {false, true}) {
    for (const ReducedMesh& mesh : reduced.meshes) {
      if (mesh.gave() && (like.at(mesh.mesh) != mesh.mesh) == copies) {
        order.push_back(&mesh);
      }
    }
  }
  for (const ReducedMesh* const mesh : order) {
    const std::vector<Primitive>& now = reduced.scene[mesh->result].primitives;
    const std::vector<Primitive>& then = before[mesh->mesh].primitives;
    for (std::uint32_t p = 0; p < now.size(); ++p) {
      if (!may_show(reduced.scene, now[p]) ||
          count_list_indices(reduced.scene, now[p]) == count_list_indices(before, then[p])) {
        continue;
      }
      const MaterialId material = equal[to_index(now[p].material)];
      const std::size_t own = wishes.size();
      std::size_t first = by_mesh.try_emplace({like.at(mesh->mesh), p}, own).first->second;
      if (first == own) {
        first = by_content.try_emplace(hash_content(reduced.scene, now[p], material), own)
                    .first->second;
      }
      if (first != own) {
        first = wishes[first].material == material ? wishes[first].first : own;
      }
      wishes.push_back({mesh->mesh, mesh->result, p, material, first,
                        std::max(scales[to_index(mesh->result)], 1e-30)});
      wishes[first].scale = std::max(wishes[first].scale, wishes[own].scale);
    }
  }
  return wishes;
}

double find_turned(const Scene& before, const Scene& reduced, const ReliefWish& wish) {
  // The middle of a triangle, and places towards its corners.
  constexpr std::array<Vec3d, 4> places{
      {{1.0 / 3, 1.0 / 3, 1.0 / 3}, {0.7, 0.15, 0.15}, {0.15, 0.7, 0.15}, {0.15, 0.15, 0.7}}};
  const OriginalSurface original(before, before[wish.before], {}, nullptr);
  const CornerData corners = make_corner_data(reduced, shown_by(reduced, wish));
  const auto mix = [](const std::vector<float>& values, std::size_t t, const Vec3d& shares) {
    Eigen::Vector3d out = Eigen::Vector3d::Zero();
    for (std::size_t k = 0; k < 3; ++k) {
      out += shares[k] * Eigen::Map<const Eigen::Vector3f>(&values[9 * t + 3 * k]).cast<double>();
    }
    return out;
  };
  double sum = 0;
  double all = 0;
  std::uint32_t guess = no_index;
  for (std::size_t t = 0; 9 * t + 8 < corners.positions.size(); ++t) {
    const Eigen::Vector3d a = mix(corners.positions, t, {1, 0, 0});
    const double area = (mix(corners.positions, t, {0, 1, 0}) - a)
                            .cross(mix(corners.positions, t, {0, 0, 1}) - a)
                            .norm();
    for (const Vec3d& shares : places) {
      const Eigen::Vector3d normal = mix(corners.normals, t, shares).normalized();
      if (!std::isfinite(area) || !normal.allFinite()) {
        continue;
      }
      const Eigen::Vector3d was =
          original.find_normal(mix(corners.positions, t, shares), normal, 0, guess);
      const double turned = std::atan2(was.cross(normal).norm(), was.dot(normal));
      sum += area * turned * turned;
      all += area;
    }
  }
  return all > 0 ? std::sqrt(sum / all) * 180 / std::numbers::pi : 0;
}

std::uint32_t find_relief_side(const Scene& before,
                               const std::vector<ReliefWish>& wishes,
                               std::uint32_t most_px) {
  constexpr double texels_per_triangle = 24;
  constexpr std::uint32_t least_px = 64;
  if (before[wishes.front().material].normal_texture.texture != no_texture) {
    return most_px;
  }
  double texels = 0;
  for (const ReliefWish& wish : wishes) {
    const Primitive& primitive = before[wish.before].primitives[wish.primitive];
    texels += texels_per_triangle * static_cast<double>(count_list_indices(before, primitive)) / 3;
  }
  std::uint32_t side = least_px;
  while (side < most_px && static_cast<double>(side) * side < texels) {
    side *= 2;
  }
  return std::min(side, most_px);
}

ReliefLayout find_relief_layout(const Scene& reduced,
                                const std::vector<ReliefWish>& wishes,
                                std::uint32_t side_px) {
  return LayoutFinder(reduced, wishes, side_px).find();
}

}  // namespace wakuzume
