// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/uv_source.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <algorithm>
#include <cmath>

#include "scene/places.h"
#include "survey/draws.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

/// So far below a whole tile a coordinate still counts as beginning there.
constexpr double tile_slack = 1e-4;

double find_period(std::uint32_t wrap) {
  return wrap == wrap_repeat ? 1 : wrap == wrap_mirrored ? 2 : 0;
}

/// Both periods at once: the longer, as one is a multiple of the other; none where one has none.
double join_periods(double a, double b) { return a == 0 || b == 0 ? 0 : std::max(a, b); }

bool same_place(const UvTransform& a, const UvTransform& b) {
  return a.offset == b.offset && a.rotation == b.rotation && a.scale == b.scale;
}

/// Shifts what hangs together by shared vertices to where it begins in the first tile.
void shift_pieces(const std::vector<std::uint32_t>& list,
                  const Vec2d& periods,
                  std::vector<Vec2d>& uvs) {
  if (periods[0] == 0 && periods[1] == 0) {
    return;
  }
  DisjointSets pieces(uvs.size());
  for (std::size_t i = 0; i + 3 <= list.size(); i += 3) {
    pieces.join(list[i], list[i + 1]);
    pieces.join(list[i], list[i + 2]);
  }
  std::vector<Vec2d> lowest(uvs.size(), Vec2d{1e300, 1e300});
  for (std::uint32_t v = 0; v < uvs.size(); ++v) {
    Vec2d& low = lowest[pieces.find(v)];
    low = {std::min(low[0], uvs[v][0]), std::min(low[1], uvs[v][1])};
  }
  for (std::uint32_t v = 0; v < uvs.size(); ++v) {
    const Vec2d& low = lowest[pieces.find(v)];
    for (std::size_t c = 0; c < 2; ++c) {
      if (periods[c] > 0) {
        uvs[v][c] -= periods[c] * std::floor((low[c] + tile_slack) / periods[c]);
      }
    }
  }
}

}  // namespace

const Sampler& find_sampler(const Scene& scene, TextureId texture) {
  static const Sampler plain;
  const SamplerId id = scene.textures[to_index(texture)].sampler;
  return id == no_sampler ? plain : scene.samplers[to_index(id)];
}

UvSource find_slot_source(const TextureSlot& slot) {
  const UvTransform transform = slot.transform ? *slot.transform : UvTransform{};
  return {slot.texture != no_texture, find_uv_set(slot), transform, {0, 0}, {}};
}

Result<Pixels> decode_slot(const Scene& scene, const TextureSlot& slot, const PictureCodec& codec) {
  const ImageId image = find_image(scene, slot.texture);
  auto pixels =
      image == no_image
          ? Result<Pixels>(Failure(Error{ErrorCode::bad_image, "a texture without a picture", {}}))
          : codec.decode(find_encoded(scene, image));
  if (!pixels) {
    Error error = pixels.error();
    error.place.pointer = fmt::format("/images/{}", to_index(image));
    return Failure(error);
  }
  return pixels;
}

UvSource find_uv_source(const Scene& scene, const Material& material) {
  UvSource source;
  for (const TextureSlot* slot : list_slots(material)) {
    if (slot->texture == no_texture) {
      continue;
    }
    const UvSource own = find_slot_source(*slot);
    const Sampler& sampler = find_sampler(scene, slot->texture);
    const Vec2d periods{find_period(sampler.wrap_s), find_period(sampler.wrap_t)};
    if (!source.textured) {
      source = {true, own.set, own.transform, periods, {}};
      continue;
    }
    source.periods = {join_periods(source.periods[0], periods[0]),
                      join_periods(source.periods[1], periods[1])};
    if (own.set != source.set) {
      source.problem = fmt::format("its textures use the UV sets {} and {}", source.set, own.set);
    } else if (!same_place(own.transform, source.transform)) {
      source.problem = "its textures have different transforms";
    }
  }
  return source;
}

std::vector<Vec2d> make_texture_coordinates(const Scene& scene,
                                            const Primitive& primitive,
                                            const UvSource& source) {
  const StreamId stream = primitive.find(fmt::format("TEXCOORD_{}", source.set));
  if (stream == no_stream) {
    return {};
  }
  const std::vector<double> values = make_doubles(scene, stream);
  const UvTransform& t = source.transform;
  const double cosine = std::cos(t.rotation);
  const double sine = std::sin(t.rotation);
  std::vector<Vec2d> uvs(values.size() / 2);
  for (std::size_t v = 0; v < uvs.size(); ++v) {
    const double u = t.scale[0] * values[2 * v];
    const double w = t.scale[1] * values[2 * v + 1];
    uvs[v] = {cosine * u + sine * w + t.offset[0], -sine * u + cosine * w + t.offset[1]};
  }
  if (find_topology(primitive.mode) == Topology::triangles) {
    shift_pieces(make_list_indices(scene, primitive), source.periods, uvs);
  }
  return uvs;
}

UvExtent find_uv_extent(const Scene& scene, const Primitive& primitive, const UvSource& source) {
  UvExtent extent;
  const std::vector<Vec2d> uvs =
      source.textured ? make_texture_coordinates(scene, primitive, source) : std::vector<Vec2d>();
  extent.missing = source.textured && uvs.empty();
  const std::vector<std::uint32_t> list = make_list_indices(scene, primitive);
  const std::vector<float> positions = make_floats(scene, primitive.find("POSITION"));
  const auto at = [&](std::uint32_t v) -> Eigen::Vector3d {
    return Eigen::Map<const Eigen::Vector3f>(&positions[3 * std::size_t{v}]).cast<double>();
  };
  bool first = true;
  for (const std::uint32_t v : list) {
    for (std::size_t c = 0; c < 2 && !uvs.empty(); ++c) {
      extent.finite = extent.finite && std::isfinite(uvs[v][c]);
      extent.min[c] = first ? uvs[v][c] : std::min(extent.min[c], uvs[v][c]);
      extent.max[c] = first ? uvs[v][c] : std::max(extent.max[c], uvs[v][c]);
    }
    first = false;
  }
  if (find_topology(primitive.mode) != Topology::triangles) {
    return extent;
  }
  for (std::size_t i = 0; i + 3 <= list.size(); i += 3) {
    const Eigen::Vector3d a = at(list[i]);
    const Eigen::Vector3d along = at(list[i + 1]) - a;
    const Eigen::Vector3d across = at(list[i + 2]) - a;
    const double area = 0.5 * along.cross(across).norm();
    extent.area += area;
    if (!uvs.empty()) {
      const Vec2d& p = uvs[list[i]];
      const Vec2d q{uvs[list[i + 1]][0] - p[0], uvs[list[i + 1]][1] - p[1]};
      const Vec2d r{uvs[list[i + 2]][0] - p[0], uvs[list[i + 2]][1] - p[1]};
      const double turn = q[0] * r[1] - r[0] * q[1];
      extent.uv_area += 0.5 * std::abs(turn);
      if (turn != 0) {
        extent.lengths[0] += area * ((along * r[1] - across * q[1]) / turn).norm();
        extent.lengths[1] += area * ((across * q[0] - along * r[0]) / turn).norm();
      }
    }
  }
  return extent;
}

}  // namespace wakuzume
