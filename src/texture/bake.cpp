// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "texture/bake.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <numeric>
#include <optional>
#include <tuple>

#include "rework/tangents.h"
#include "scene/srgb.h"
#include "survey/textures.h"
#include "texture/charts.h"
#include "texture/corner_split.h"
#include "texture/coverage.h"
#include "texture/material_rules.h"
#include "texture/texel_writer.h"
#include "texture/texture_reader.h"
#include "texture/uv_source.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t longest_side_px = 16384;

}  // namespace

namespace {

/// What has no such UVs, or such that are no numbers, is at the corner.
std::vector<double> make_layout_places(const Scene& scene,
                                       const Primitive& primitive,
                                       const AtlasPage& page) {
  UvSource source;
  source.set = page.layout_set;
  const std::vector<Vec2d> uvs = make_texture_coordinates(scene, primitive, source);
  std::vector<double> places;
  for (const std::uint32_t v : make_list_indices(scene, primitive)) {
    const Vec2d uv = v < uvs.size() ? uvs[v] : Vec2d{0, 0};
    places.push_back(std::isfinite(uv[0]) ? uv[0] * page.size.width_px : 0);
    places.push_back(std::isfinite(uv[1]) ? uv[1] * page.size.height_px : 0);
  }
  return places;
}

}  // namespace

Result<std::vector<double>> make_page_places(const Scene& scene,
                                             const Primitive& primitive,
                                             const Tile& tile,
                                             const AtlasPage& page) {
  if (page.layout_set != no_index) {
    return make_layout_places(scene, primitive, page);
  }
  const ChartSet set = make_charts(make_corner_positions(scene, primitive));
  const auto layout = place_charts(set, tile.texels_per_unit, longest_side_px);
  if (!layout) {
    return Failure(layout.error());
  }
  if (layout->size != tile.size) {
    return Failure(Error{
        ErrorCode::too_large,
        fmt::format("charts take {} x {} pixels, their tile has {} x {}", layout->size.width_px,
                    layout->size.height_px, tile.size.width_px, tile.size.height_px),
        {}});
  }
  std::vector<double> places;
  for (const Vec2d& at : layout->corners) {
    places.push_back(tile.x + (tile.turned ? tile.size.height_px - at[1] : at[0]));
    places.push_back(tile.y + (tile.turned ? at[0] : at[1]));
  }
  return places;
}

namespace {

using Eigen::Vector2d;
using Eigen::Vector3d;

/// Look-ups along each side of a texel, at most.
constexpr int most_taps = 16;

bool shows_normals(const Material& material) {
  return material.normal_texture.texture != no_texture;
}

/// One channel of one tile.
class ChartPainter {
 public:
  ChartPainter(const Scene& scene,
               const AtlasPage& page,
               const Tile& tile,
               const TexelWriter& writer,
               Channel channel,
               std::uint32_t halvings,
               const PixelRect& rect,
               Pixels& out)
      : scene_(scene),
        primitive_(scene[tile.shapes.front().mesh].primitives[tile.shapes.front().primitive]),
        page_(page),
        tile_(tile),
        material_(writer.material()),
        writer_(writer),
        channel_(channel),
        pixel_(std::exp2(halvings)),
        rect_(rect),
        out_(out) {}

  Result<void> run(const PictureCodec& codec) {
    auto places = make_page_places(scene_, primitive_, tile_, page_);
    if (!places) {
      return Failure(places.error());
    }
    page_places_ = std::move(*places);
    places_ = page_places_;
    for (double& at : places_) {
      at /= pixel_;
    }
    const TexelCoverage coverage(places_, rect_, chart_margin_px / pixel_ + 1);
    list_ = make_list_indices(scene_, primitive_);
    if (channel_ == Channel::normal) {
      make_frames();
    }
    for (const TextureSlot* slot : list_slots_of(material_, channel_)) {
      auto pixels = decode_slot(scene_, *slot, codec);
      if (!pixels) {
        return Failure(pixels.error());
      }
      paint(coverage, *slot, *pixels);
    }
    spread(coverage);
    return {};
  }

 private:
  void make_frames() {
    normals_ = make_corner_data(scene_, primitive_).normals;
    std::vector<float> flat;
    for (const Vec2d& uv : find_places(material_.normal_texture)) {
      flat.push_back(static_cast<float>(uv[0]));
      flat.push_back(static_cast<float>(uv[1]));
    }
    before_ = find_corner_tangents(scene_, primitive_, std::move(flat));
    after_ = make_tangents_along(scene_, primitive_, make_page_uvs(page_places_, page_.size));
  }

  /// By corner, where a slot looks its texture up.
  [[nodiscard]] std::vector<Vec2d> find_places(const TextureSlot& slot) const {
    const std::vector<Vec2d> uvs =
        make_texture_coordinates(scene_, primitive_, find_slot_source(slot));
    std::vector<Vec2d> out;
    for (const std::uint32_t v : list_) {
      out.push_back(v < uvs.size() ? uvs[v] : Vec2d{0, 0});
    }
    return out;
  }

  void paint(const TexelCoverage& coverage, const TextureSlot& slot, const Pixels& pixels) {
    const std::vector<TriangleMap> maps = make_maps(slot, pixels);
    const TextureReader reader(pixels, find_sampler(scene_, slot.texture), writer_.averaging());
    const std::uint32_t width = rect_.right - rect_.left;
    tbb::parallel_for(rect_.top, rect_.bottom, [&](std::uint32_t y) {
      std::size_t i = std::size_t{y - rect_.top} * width;
      for (std::uint32_t x = rect_.left; x < rect_.right; ++x, ++i) {
        const TexelHit& hit = coverage.hits()[i];
        if (hit.triangle == no_index) {
          continue;
        }
        std::array<float, 4> value = find_mean(hit, {x, y}, maps[hit.triangle], reader);
        if (channel_ == Channel::normal) {
          bend(hit, value);
        }
        writer_.write(value.data(), &slot, &out_.rgba[4 * (y * std::size_t{out_.width_px} + x)]);
      }
    });
  }

  /// One triangle on the picture and on a texture.
  struct TriangleMap {
    FlatCorners page;
    FlatCorners source;
    int taps = 1;  ///< along each side of a texel: one for each texel of the source below it
  };

  [[nodiscard]] std::vector<TriangleMap> make_maps(const TextureSlot& slot,
                                                   const Pixels& pixels) const {
    const std::vector<Vec2d> uvs = find_places(slot);
    std::vector<TriangleMap> maps(uvs.size() / 3);
    for (std::size_t t = 0; t < maps.size(); ++t) {
      for (std::size_t k = 0; k < 3; ++k) {
        const std::size_t corner = 3 * t + k;
        maps[t].page[k] = {places_[2 * corner], places_[2 * corner + 1]};
        maps[t].source[k] = {uvs[corner][0], uvs[corner][1]};
      }
      maps[t].taps = count_taps(maps[t].page, maps[t].source, pixels);
    }
    return maps;
  }

  /// Over the part of the texel that its triangle covers; beyond it, the nearest place alone.
  [[nodiscard]] std::array<float, 4> find_mean(const TexelHit& hit,
                                               const std::array<std::uint32_t, 2>& texel,
                                               const TriangleMap& map,
                                               const TextureReader& reader) const {
    const auto mix = [&](const Vector3d& w) {
      return Vector2d(w[0] * map.source[0] + w[1] * map.source[1] + w[2] * map.source[2]);
    };
    std::array<float, 4> sum{};
    int taken = 0;
    const int taps = hit.distance > 0.75F ? 1 : map.taps;
    for (int tap = 0; tap < taps * taps && taps > 1; ++tap) {
      const Vector2d at(texel[0] + (tap % taps + 0.5) / taps, texel[1] + (tap / taps + 0.5) / taps);
      const std::optional<Vector3d> weights = find_weights(map.page, at);
      if (weights && weights->minCoeff() >= 0) {
        reader.add(mix(*weights), 1, sum);
        ++taken;
      }
    }
    if (taken == 0) {
      reader.add(mix({static_cast<double>(hit.weights[0]), static_cast<double>(hit.weights[1]),
                      static_cast<double>(hit.weights[2])}),
                 1, sum);
      taken = 1;
    }
    finish(sum, taken);
    return sum;
  }

  void finish(std::array<float, 4>& sum, int taken) const {
    const float alpha = sum[3];
    for (std::size_t c = 0; c < 3; ++c) {
      sum[c] /= writer_.averaging() == Averaging::srgb ? std::max(alpha, 1e-12F)
                                                       : static_cast<float>(taken);
    }
    sum[3] = alpha / static_cast<float>(taken);
  }

  static int count_taps(const FlatCorners& corners, const FlatCorners& from, const Pixels& pixels) {
    Eigen::Matrix2d page;
    page << corners[1] - corners[0], corners[2] - corners[0];
    Eigen::Matrix2d source;
    source << from[1] - from[0], from[2] - from[0];
    if (page.determinant() == 0) {
      return 1;
    }
    Eigen::Matrix2d texels = source * page.inverse();
    texels.row(0) *= pixels.width_px;
    texels.row(1) *= pixels.height_px;
    const double longest = std::max(texels.col(0).norm(), texels.col(1).norm());
    return std::isfinite(longest)
               ? static_cast<int>(std::clamp(std::ceil(longest - 0.01), 1.0, double{most_taps}))
               : 1;
  }

  /// From the frame of the old UVs into that of the new.
  void bend(const TexelHit& hit, std::array<float, 4>& value) const {
    writer_.scale_normal(value.data());
    const Eigen::Matrix3d before = find_frame(normals_, before_, hit);
    const Eigen::Matrix3d after = find_frame(normals_, after_, hit);
    if (std::abs(after.determinant()) < 1e-6) {
      return;
    }
    const Vector3d n = after.inverse() * (before * Vector3d(static_cast<double>(value[0]),
                                                            static_cast<double>(value[1]),
                                                            static_cast<double>(value[2])));
    for (int c = 0; c < 3; ++c) {
      value[static_cast<std::size_t>(c)] = static_cast<float>(n[c]);
    }
  }

  void spread(const TexelCoverage& coverage) {
    const std::vector<std::uint32_t> from = coverage.find_nearest();
    const std::uint32_t width = rect_.right - rect_.left;
    const auto at = [&](std::size_t i) {
      return &out_.rgba[4 * ((rect_.top + i / width) * std::size_t{out_.width_px} + rect_.left +
                             i % width)];
    };
    for (std::size_t i = 0; i < from.size(); ++i) {
      if (from[i] != no_index && from[i] != i) {
        std::copy_n(at(from[i]), 4, at(i));
      }
    }
  }

  const Scene& scene_;
  const Primitive& primitive_;
  const AtlasPage& page_;
  const Tile& tile_;
  const Material& material_;
  const TexelWriter& writer_;
  Channel channel_;
  double pixel_;
  PixelRect rect_;
  Pixels& out_;
  std::vector<double> page_places_;  ///< two numbers a corner, pixels of the page
  std::vector<double> places_;       ///< and of the picture
  std::vector<std::uint32_t> list_;
  std::vector<float> normals_;  ///< three a corner
  std::vector<float> before_;   ///< tangents, four a corner
  std::vector<float> after_;
};

/// What a primitive's corners get with its tile: three corners a triangle.
struct BakedCorners {
  std::vector<float> uvs;       ///< two a corner, on the page
  std::vector<float> tangents;  ///< four a corner, along them; empty: nothing needs them
};

Result<BakedCorners> make_baked_corners(const Scene& scene,
                                        const Primitive& primitive,
                                        const Tile& tile,
                                        const AtlasPage& page) {
  const auto places = make_page_places(scene, primitive, tile, page);
  if (!places) {
    return Failure(places.error());
  }
  BakedCorners out;
  out.uvs = make_page_uvs(*places, page.size);
  if (shows_normals(scene[tile.material]) && primitive.find("NORMAL") != no_stream) {
    out.tangents = make_tangents_along(scene, primitive, out.uvs);
  }
  return out;
}

}  // namespace

Result<BakedPrimitive> make_baked_primitive(const Scene& scene,
                                            const Primitive& primitive,
                                            const Tile& tile,
                                            const AtlasPage& page) {
  const auto corners = make_baked_corners(scene, primitive, tile, page);
  if (!corners) {
    return Failure(corners.error());
  }
  const std::array parts{CornerValues{corners->uvs, 2}, CornerValues{corners->tangents, 4}};
  CornerSplit split = split_corners(make_list_indices(scene, primitive), parts);
  BakedPrimitive out;
  out.vertices = std::move(split.vertices);
  out.indices = std::move(split.indices);
  out.uvs = gather_corners(parts[0], split.corners);
  out.tangents = gather_corners(parts[1], split.corners);
  return out;
}

Result<void> paint_charts(const Scene& scene,
                          const AtlasPage& page,
                          const Tile& tile,
                          const TexelWriter& writer,
                          Channel channel,
                          const PictureCodec& codec,
                          std::uint32_t halvings,
                          const PixelRect& rect,
                          Pixels& out) {
  return ChartPainter(scene, page, tile, writer, channel, halvings, rect, out).run(codec);
}

}  // namespace wakuzume
