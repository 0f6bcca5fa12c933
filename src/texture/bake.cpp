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
#include "texture/material_rules.h"
#include "texture/texel_writer.h"
#include "texture/uv_source.h"

namespace wakuzume {
namespace {

using Eigen::Vector2d;
using Eigen::Vector3d;

constexpr std::uint32_t longest_px = 16384;
/// Look-ups along each side of a texel, at most.
constexpr int most_taps = 16;

bool shows_normals(const Material& material) {
  return material.normal_texture.texture != no_texture;
}

/// Places of a tile's charts on its page, two numbers a corner, in pixels.
Result<std::vector<double>> make_page_places(const Scene& scene,
                                             const Primitive& primitive,
                                             const Tile& tile) {
  const ChartSet set = make_charts(make_corner_positions(scene, primitive));
  const auto layout = place_charts(set, tile.texels_per_unit, longest_px);
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

std::vector<float> make_page_uvs(const std::vector<double>& places, const RectSize& page) {
  std::vector<float> uvs;
  for (std::size_t i = 0; i + 1 < places.size(); i += 2) {
    uvs.push_back(static_cast<float>(places[i] / page.width_px));
    uvs.push_back(static_cast<float>(places[i + 1] / page.height_px));
  }
  return uvs;
}

std::vector<float> make_tangents_along(const Scene& scene,
                                       const Primitive& primitive,
                                       std::vector<float> uvs) {
  CornerData corners = make_corner_data(scene, primitive);
  corners.uvs = std::move(uvs);
  return make_corner_tangents(corners);
}

// ---- which triangle a texel shows
// ----------------------------------------------------------------

/// The place of a triangle that is nearest to a texel.
struct Hit {
  std::uint32_t triangle = no_index;
  std::array<float, 3> weights{};
  float distance = 1e30F;  ///< pixels; nought within the triangle
};

using Corners = std::array<Vector2d, 3>;

/// Weights of a place in a triangle, none below nought where it lies within; nothing: no area.
std::optional<Vector3d> find_weights(const Corners& t, const Vector2d& at) {
  const Vector2d u = t[1] - t[0];
  const Vector2d v = t[2] - t[0];
  const double area = u.x() * v.y() - u.y() * v.x();
  if (area == 0 || !std::isfinite(area)) {
    return std::nullopt;
  }
  const Vector2d p = at - t[0];
  const double b = (p.x() * v.y() - p.y() * v.x()) / area;
  const double c = (u.x() * p.y() - u.y() * p.x()) / area;
  return Vector3d(1 - b - c, b, c);
}

/// The place on a triangle's rim that is nearest.
std::pair<Vector3d, double> find_rim(const Corners& t, const Vector2d& at) {
  Vector3d best(1, 0, 0);
  double best_distance = 1e300;
  for (int k = 0; k < 3; ++k) {
    const int next = (k + 1) % 3;
    const Vector2d side = t[static_cast<std::size_t>(next)] - t[static_cast<std::size_t>(k)];
    const double length = side.squaredNorm();
    const Vector2d from = at - t[static_cast<std::size_t>(k)];
    const double along = length > 0 ? std::clamp(from.dot(side) / length, 0.0, 1.0) : 0;
    const double distance = (from - along * side).norm();
    if (distance < best_distance) {
      best_distance = distance;
      best = Vector3d::Zero();
      best[k] = 1 - along;
      best[next] = along;
    }
  }
  return {best, best_distance};
}

class Coverage {
 public:
  /// \param places  two numbers a corner, in pixels of the picture
  Coverage(const std::vector<double>& places, const PixelRect& rect, double margin)
      : rect_(rect),
        width_(rect.right - rect.left),
        hits_(std::size_t{width_} * (rect.bottom - rect.top)) {
    for (std::uint32_t t = 0; 6 * std::size_t{t} + 5 < places.size(); ++t) {
      Corners corners;
      for (std::size_t k = 0; k < 3; ++k) {
        corners[k] = {places[6 * std::size_t{t} + 2 * k], places[6 * std::size_t{t} + 2 * k + 1]};
      }
      add(t, corners, margin);
    }
  }

  [[nodiscard]] const std::vector<Hit>& hits() const { return hits_; }

  /// For each texel the number of one that shows something: itself, or the nearest by steps.
  [[nodiscard]] std::vector<std::uint32_t> find_nearest() const {
    std::vector<std::uint32_t> from(hits_.size(), no_index);
    std::vector<std::uint32_t> queue;
    for (std::uint32_t i = 0; i < hits_.size(); ++i) {
      if (hits_[i].triangle != no_index) {
        from[i] = i;
        queue.push_back(i);
      }
    }
    for (std::size_t next = 0; next < queue.size(); ++next) {
      const std::uint32_t i = queue[next];
      const auto spread = [&](bool inside, std::uint32_t to) {
        if (inside && from[to] == no_index) {
          from[to] = from[i];
          queue.push_back(to);
        }
      };
      spread(i % width_ > 0, i - 1);
      spread(i % width_ + 1 < width_, i + 1);
      spread(i >= width_, i - width_);
      spread(i + width_ < hits_.size(), i + width_);
    }
    return from;
  }

 private:
  void add(std::uint32_t t, const Corners& corners, double margin) {
    const auto [begin_x, end_x] = find_span(corners, 0, margin, rect_.left, rect_.right);
    const auto [begin_y, end_y] = find_span(corners, 1, margin, rect_.top, rect_.bottom);
    for (std::uint32_t y = begin_y; y < end_y; ++y) {
      for (std::uint32_t x = begin_x; x < end_x; ++x) {
        const Vector2d at(x + 0.5, y + 0.5);
        std::optional<Vector3d> weights = find_weights(corners, at);
        double distance = 0;
        if (!weights || weights->minCoeff() < 0) {
          std::tie(weights, distance) = find_rim(corners, at);
        }
        Hit& hit = hits_[std::size_t{y - rect_.top} * width_ + (x - rect_.left)];
        if (distance <= margin && static_cast<float>(distance) < hit.distance) {
          hit.triangle = t;
          hit.distance = static_cast<float>(distance);
          for (int k = 0; k < 3; ++k) {
            hit.weights[static_cast<std::size_t>(k)] = static_cast<float>((*weights)[k]);
          }
        }
      }
    }
  }

  static std::pair<std::uint32_t, std::uint32_t> find_span(
      const Corners& corners, int axis, double margin, std::uint32_t first, std::uint32_t end) {
    const double low = std::min({corners[0][axis], corners[1][axis], corners[2][axis]}) - margin;
    const double high = std::max({corners[0][axis], corners[1][axis], corners[2][axis]}) + margin;
    const auto limit = [&](double at) {
      return static_cast<std::uint32_t>(
          std::clamp(at, static_cast<double>(first), static_cast<double>(end)));
    };
    return {limit(std::floor(low)), limit(std::ceil(high))};
  }

  PixelRect rect_;
  std::uint32_t width_;
  std::vector<Hit> hits_;
};

// ---- what a texture shows there
// ------------------------------------------------------------------

/// Between texels, as a GPU looks up; colours come out multiplied by alpha.
class TextureReader {
 public:
  TextureReader(const Pixels& pixels, const Sampler& sampler, Averaging averaging)
      : pixels_(pixels), sampler_(sampler), averaging_(averaging) {}

  void add(const Vector2d& uv, float share, std::array<float, 4>& sum) const {
    const double x = uv.x() * pixels_.width_px - 0.5;
    const double y = uv.y() * pixels_.height_px - 0.5;
    const double fx = x - std::floor(x);
    const double fy = y - std::floor(y);
    for (int corner = 0; corner < 4; ++corner) {
      const int right = corner & 1;
      const int below = corner >> 1;
      const double part = (right != 0 ? fx : 1 - fx) * (below != 0 ? fy : 1 - fy);
      const std::uint32_t column = wrap_texel(static_cast<std::int64_t>(std::floor(x)) + right,
                                              pixels_.width_px, sampler_.wrap_s);
      const std::uint32_t row = wrap_texel(static_cast<std::int64_t>(std::floor(y)) + below,
                                           pixels_.height_px, sampler_.wrap_t);
      add_texel(&pixels_.rgba[4 * (std::size_t{row} * pixels_.width_px + column)],
                share * static_cast<float>(part), sum);
    }
  }

 private:
  void add_texel(const std::uint8_t* texel, float share, std::array<float, 4>& sum) const {
    constexpr float least_alpha = 1.0F / 65536;
    const bool directions = averaging_ == Averaging::normal;
    const bool colors = averaging_ == Averaging::srgb;
    const float weight =
        colors ? share * std::max(least_alpha, static_cast<float>(texel[3]) / 255.0F) : share;
    for (std::size_t c = 0; c < 3; ++c) {
      sum[c] += weight * (colors       ? srgb_to_linear()[texel[c]]
                          : directions ? static_cast<float>(texel[c]) / 127.5F - 1.0F
                                       : static_cast<float>(texel[c]) / 255.0F);
    }
    sum[3] += weight;
  }

  const Pixels& pixels_;
  const Sampler& sampler_;
  Averaging averaging_;
};

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
    auto places = make_page_places(scene_, primitive_, tile_);
    if (!places) {
      return Failure(places.error());
    }
    page_places_ = std::move(*places);
    places_ = page_places_;
    for (double& at : places_) {
      at /= pixel_;
    }
    const Coverage coverage(places_, rect_, chart_margin_px / pixel_ + 1);
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
    const StreamId own =
        primitive_.find("NORMAL") == no_stream ? no_stream : primitive_.find("TANGENT");
    if (own != no_stream) {
      const std::vector<float> tangents = make_floats(scene_, own);
      for (const std::uint32_t v : list_) {
        before_.insert(before_.end(), &tangents[4 * std::size_t{v}],
                       &tangents[4 * std::size_t{v}] + 4);
      }
    } else {
      const std::vector<Vec2d> uvs = find_places(material_.normal_texture);
      std::vector<float> flat;
      for (const Vec2d& uv : uvs) {
        flat.push_back(static_cast<float>(uv[0]));
        flat.push_back(static_cast<float>(uv[1]));
      }
      before_ = make_tangents_along(scene_, primitive_, std::move(flat));
    }
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

  void paint(const Coverage& coverage, const TextureSlot& slot, const Pixels& pixels) {
    const std::vector<TriangleMap> maps = make_maps(slot, pixels);
    const TextureReader reader(pixels, find_sampler(scene_, slot.texture), writer_.averaging());
    const std::uint32_t width = rect_.right - rect_.left;
    tbb::parallel_for(rect_.top, rect_.bottom, [&](std::uint32_t y) {
      std::size_t i = std::size_t{y - rect_.top} * width;
      for (std::uint32_t x = rect_.left; x < rect_.right; ++x, ++i) {
        const Hit& hit = coverage.hits()[i];
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
    Corners page;
    Corners source;
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
  [[nodiscard]] std::array<float, 4> find_mean(const Hit& hit,
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

  static int count_taps(const Corners& corners, const Corners& from, const Pixels& pixels) {
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
  void bend(const Hit& hit, std::array<float, 4>& value) const {
    writer_.scale_normal(value.data());
    const Eigen::Matrix3d before = find_frame(before_, hit);
    const Eigen::Matrix3d after = find_frame(after_, hit);
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

  /// Tangent, bitangent and normal as an engine mixes them between corners.
  [[nodiscard]] Eigen::Matrix3d find_frame(const std::vector<float>& tangents,
                                           const Hit& hit) const {
    Vector3d normal = Vector3d::Zero();
    Vector3d tangent = Vector3d::Zero();
    double sign = 0;
    for (std::size_t k = 0; k < 3; ++k) {
      const std::size_t corner = 3 * std::size_t{hit.triangle} + k;
      const auto weight = static_cast<double>(hit.weights[k]);
      normal += weight * Eigen::Map<const Eigen::Vector3f>(&normals_[3 * corner]).cast<double>();
      tangent += weight * Eigen::Map<const Eigen::Vector3f>(&tangents[4 * corner]).cast<double>();
      sign += weight * static_cast<double>(tangents[4 * corner + 3]);
    }
    normal.normalize();
    tangent.normalize();
    Eigen::Matrix3d frame;
    frame << tangent, normal.cross(tangent) * (sign < 0 ? -1 : 1), normal;
    return frame;
  }

  void spread(const Coverage& coverage) {
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
                                        const RectSize& page) {
  const auto places = make_page_places(scene, primitive, tile);
  if (!places) {
    return Failure(places.error());
  }
  BakedCorners out;
  out.uvs = make_page_uvs(*places, page);
  if (shows_normals(scene[tile.material]) && primitive.find("NORMAL") != no_stream) {
    out.tangents = make_tangents_along(scene, primitive, out.uvs);
  }
  return out;
}

}  // namespace

Result<BakedPrimitive> make_baked_primitive(const Scene& scene,
                                            const Primitive& primitive,
                                            const Tile& tile,
                                            const RectSize& page) {
  const auto corners = make_baked_corners(scene, primitive, tile, page);
  if (!corners) {
    return Failure(corners.error());
  }
  const std::vector<std::uint32_t> list = make_list_indices(scene, primitive);
  const std::vector<float>& tangents = corners->tangents;
  const auto bits_of = [&](std::uint32_t c) {
    std::array<std::uint32_t, 6> bits{};
    std::memcpy(bits.data(), &corners->uvs[2 * std::size_t{c}], 2 * sizeof(float));
    if (!tangents.empty()) {
      std::memcpy(&bits[2], &tangents[4 * std::size_t{c}], 4 * sizeof(float));
    }
    return bits;
  };
  std::vector<std::uint32_t> order(list.size());
  std::iota(order.begin(), order.end(), 0U);
  std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
    return std::tuple(list[a], bits_of(a), a) < std::tuple(list[b], bits_of(b), b);
  });
  BakedPrimitive out;
  out.indices.resize(list.size());
  for (std::size_t i = 0; i < order.size(); ++i) {
    const std::uint32_t c = order[i];
    if (i == 0 || list[c] != list[order[i - 1]] || bits_of(c) != bits_of(order[i - 1])) {
      out.vertices.push_back(list[c]);
      out.uvs.insert(out.uvs.end(), &corners->uvs[2 * std::size_t{c}],
                     &corners->uvs[2 * std::size_t{c}] + 2);
      if (!tangents.empty()) {
        out.tangents.insert(out.tangents.end(), &tangents[4 * std::size_t{c}],
                            &tangents[4 * std::size_t{c}] + 4);
      }
    }
    out.indices[c] = static_cast<std::uint32_t>(out.vertices.size() - 1);
  }
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
