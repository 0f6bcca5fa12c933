// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "relief/original_surface.h"
#include "rework/tangents.h"
#include "scene/running.h"
#include "texture/charts.h"
#include "texture/coverage.h"
#include "texture/texel_writer.h"
#include "texture/uv_source.h"
#include "wakuzume/relief.h"

namespace wakuzume {
namespace {

using Eigen::Vector3d;

/// One picture, part by part.
class ReliefPainter {
 public:
  ReliefPainter(const Scene& before, const Scene& reduced, const ReliefPage& page)
      : before_(before),
        reduced_(reduced),
        page_(page),
        writer_(reduced[page.material], Channel::normal),
        distance_(std::size_t{page.size.width_px} * page.size.height_px,
                  std::numeric_limits<float>::infinity()) {
    out_.width_px = page.size.width_px;
    out_.height_px = page.size.height_px;
    const float along[4] = {0, 0, 1, 1};
    out_.rgba.resize(4 * distance_.size());
    for (std::size_t i = 0; i < distance_.size(); ++i) {
      writer_.write(along, nullptr, &out_.rgba[4 * i]);
    }
  }

  Result<Pixels> paint(const PictureCodec& codec, const RunControl& run) {
    std::optional<NormalLevels> detail;
    const TextureSlot& slot = before_[page_.like.front()].normal_texture;
    if (slot.texture != no_texture) {
      auto pixels = decode_slot(before_, slot, codec);
      if (!pixels) {
        return Failure(pixels.error());
      }
      detail.emplace(std::move(*pixels), find_sampler(before_, slot.texture), slot.factor);
    }
    for (std::size_t p = 0; p < page_.parts.size(); ++p) {
      if (!goes_on(run, "painting normals",
                   static_cast<double>(p) / static_cast<double>(page_.parts.size()))) {
        return Failure(make_cancelled());
      }
      paint_part(page_.parts[p], detail ? &*detail : nullptr);
    }
    spread();
    return std::move(out_);
  }

 private:
  /// What an engine mixes between the corners of a part.
  struct Frames {
    std::vector<float> positions;  ///< three a corner
    std::vector<float> normals;    ///< three a corner
    std::vector<float> tangents;   ///< four a corner
    std::vector<double> density;   ///< pixels a metre, by triangle
  };

  [[nodiscard]] Frames make_frames(const ReliefPart& part) const {
    const Primitive& primitive = reduced_[part.mesh].primitives[part.primitive];
    CornerData corners = make_corner_data(reduced_, primitive);
    Frames out;
    out.positions = std::move(corners.positions);
    out.normals = std::move(corners.normals);
    out.tangents =
        find_corner_tangents(reduced_, primitive, make_page_uvs(part.places, page_.size));
    for (std::size_t t = 0; 9 * t + 8 < out.positions.size(); ++t) {
      out.density.push_back(find_density(out.positions, part.places, t));
    }
    return out;
  }

  static double find_density(const std::vector<float>& positions,
                             const std::vector<double>& places,
                             std::size_t t) {
    std::array<Vector3d, 3> at;
    for (std::size_t k = 0; k < 3; ++k) {
      at[k] = Eigen::Map<const Eigen::Vector3f>(&positions[9 * t + 3 * k]).cast<double>();
    }
    const double area = (at[1] - at[0]).cross(at[2] - at[0]).norm();
    const double* const p = &places[6 * t];
    const double pixels = std::abs((p[2] - p[0]) * (p[5] - p[1]) - (p[3] - p[1]) * (p[4] - p[0]));
    return area > 0 ? std::sqrt(pixels / area) : 0;
  }

  [[nodiscard]] PixelRect find_rect(const ReliefPart& part) const {
    constexpr double margin = chart_margin_px + 1;
    double low[2] = {1e9, 1e9};
    double high[2] = {-1e9, -1e9};
    for (std::size_t i = 0; i < part.places.size(); ++i) {
      low[i % 2] = std::min(low[i % 2], part.places[i]);
      high[i % 2] = std::max(high[i % 2], part.places[i]);
    }
    const auto limit = [](double at, std::uint32_t most) {
      return static_cast<std::uint32_t>(std::clamp(at, 0.0, static_cast<double>(most)));
    };
    return {limit(std::floor(low[0] - margin), page_.size.width_px),
            limit(std::floor(low[1] - margin), page_.size.height_px),
            limit(std::ceil(high[0] + margin), page_.size.width_px),
            limit(std::ceil(high[1] + margin), page_.size.height_px)};
  }

  void paint_part(const ReliefPart& part, const NormalLevels* detail) {
    const PixelRect rect = find_rect(part);
    if (rect.left >= rect.right || rect.top >= rect.bottom) {
      return;
    }
    const Frames frames = make_frames(part);
    const OriginalSurface original(before_, before_[part.before], page_.like, detail);
    const TexelCoverage coverage(part.places, rect, chart_margin_px + 1);
    const std::uint32_t width = rect.right - rect.left;
    tbb::parallel_for(rect.top, rect.bottom, [&](std::uint32_t y) {
      std::size_t i = std::size_t{y - rect.top} * width;
      std::uint32_t guess = no_index;
      for (std::uint32_t x = rect.left; x < rect.right; ++x, ++i) {
        const TexelHit& hit = coverage.hits()[i];
        float& nearest = distance_[std::size_t{y} * page_.size.width_px + x];
        if (hit.triangle != no_index && hit.distance < nearest) {
          nearest = hit.distance;
          paint_texel(frames, original, hit, guess,
                      &out_.rgba[4 * (std::size_t{y} * page_.size.width_px + x)]);
        }
      }
    });
  }

  void paint_texel(const Frames& frames,
                   const OriginalSurface& original,
                   const TexelHit& hit,
                   std::uint32_t& guess,
                   std::uint8_t* to) const {
    /// Normals that lean back can't be stored; these lean as far as can be told from flat.
    constexpr double least_up = 0.02;
    const Eigen::Matrix3d frame = find_frame(frames.normals, frames.tangents, hit);
    if (!frame.allFinite() || std::abs(frame.determinant()) < 1e-6) {
      return;
    }
    Vector3d place = Vector3d::Zero();
    for (std::size_t k = 0; k < 3; ++k) {
      const float* const corner = &frames.positions[9 * std::size_t{hit.triangle} + 3 * k];
      place += static_cast<double>(hit.weights[k]) *
               Eigen::Map<const Eigen::Vector3f>(corner).cast<double>();
    }
    const Vector3d wanted =
        original.find_normal(place, frame.col(2), frames.density[hit.triangle], guess);
    Vector3d n = frame.inverse() * wanted;
    n.z() = std::max(n.z(), least_up);
    const float value[4] = {static_cast<float>(n.x()), static_cast<float>(n.y()),
                            static_cast<float>(n.z()), 1};
    writer_.write(value, nullptr, to);
  }

  /// What no part is near takes on what is nearest, so that smaller levels mix nothing else in.
  void spread() {
    std::vector<std::uint32_t> from(distance_.size(), no_index);
    for (std::uint32_t i = 0; i < distance_.size(); ++i) {
      from[i] = std::isfinite(distance_[i]) ? i : no_index;
    }
    spread_texels(from, page_.size.width_px);
    for (std::size_t i = 0; i < from.size(); ++i) {
      if (from[i] != no_index && from[i] != i) {
        std::copy_n(&out_.rgba[4 * std::size_t{from[i]}], 4, &out_.rgba[4 * i]);
      }
    }
  }

  const Scene& before_;
  const Scene& reduced_;
  const ReliefPage& page_;
  TexelWriter writer_;
  std::vector<float> distance_;  ///< by texel, pixels to the part that it shows
  Pixels out_;
};

}  // namespace

Result<Pixels> paint_relief_page(const Scene& before,
                                 const Scene& reduced,
                                 const Relief& relief,
                                 std::size_t page,
                                 const PictureCodec& codec,
                                 const RunControl& run) {
  return ReliefPainter(before, reduced, relief.pages[page]).paint(codec, run);
}

Result<std::vector<Bytes>> paint_relief(const Scene& before,
                                        const Scene& reduced,
                                        const Relief& relief,
                                        const PictureCodec& codec,
                                        const RunControl& run) {
  std::vector<Bytes> out;
  for (std::size_t p = 0; p < relief.pages.size(); ++p) {
    const auto pixels = paint_relief_page(before, reduced, relief, p, codec, run);
    if (!pixels) {
      return Failure(pixels.error());
    }
    auto encoded = codec.encode(*pixels, PictureType::png, 0);
    if (!encoded) {
      return Failure(encoded.error());
    }
    out.push_back(codec.keep(std::move(*encoded)));
  }
  return out;
}

}  // namespace wakuzume
