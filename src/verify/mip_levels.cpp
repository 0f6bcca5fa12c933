// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/mip_levels.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "scene/running.h"
#include "scene/srgb.h"
#include "survey/textures.h"
#include "texture/resample.h"

namespace wakuzume {
namespace {

/// Roundings to 8 bits leave some 50 dB; averaging in the wrong light, or by alpha, less than that.
constexpr double least_plain_db = 42;
/// Blocks are compressed level by level.
constexpr double least_blocks_db = 22;

using Texel = std::array<double, 4>;

class LevelJudge {
 public:
  explicit LevelJudge(TexelKind kind) : kind_(kind) {}

  /// \return signal-to-noise ratio of a level against the one before, over all layers
  [[nodiscard]] double judge(const TextureArray& fine, const TextureArray& coarse) const {
    double squares = 0;
    double values = 0;
    for (std::size_t l = 0; l < fine.layers.size(); ++l) {
      const Pixels& picture = coarse.layers[l];
      for (std::uint32_t y = 0; y < picture.height_px; ++y) {
        for (std::uint32_t x = 0; x < picture.width_px; ++x) {
          const Texel wanted = find_mean(fine.layers[l], picture, x, y);
          const std::uint8_t* const got =
              &picture.rgba[4 * (std::size_t{y} * picture.width_px + x)];
          for (std::size_t c = 0; c < 4; ++c) {
            const double off = wanted[c] - got[c] / 255.0;
            squares += off * off;
          }
          values += 4;
        }
      }
    }
    return squares > 0 ? -10 * std::log10(squares / values) : 100;
  }

 private:
  /// Of the area that a texel covers, as it is encoded.
  [[nodiscard]] Texel find_mean(const Pixels& fine,
                                const Pixels& coarse,
                                std::uint32_t x,
                                std::uint32_t y) const {
    Texel sum{};
    double area = 0;
    for_each_share(y, coarse.height_px, fine.height_px, [&](std::uint32_t row, double high) {
      for_each_share(x, coarse.width_px, fine.width_px, [&](std::uint32_t column, double wide) {
        const std::uint8_t* const at = &fine.rgba[4 * (std::size_t{row} * fine.width_px + column)];
        for (std::size_t c = 0; c < 4; ++c) {
          const bool light = kind_ == TexelKind::colors && c < 3;
          sum[c] += high * wide * (light ? static_cast<double>(light_[at[c]]) : at[c] / 255.0);
        }
        area += high * wide;
      });
    });
    double length = 0;
    for (std::size_t c = 0; c < 4; ++c) {
      sum[c] /= area;
      length += c < 3 ? (2 * sum[c] - 1) * (2 * sum[c] - 1) : 0;
      if (kind_ == TexelKind::colors && c < 3) {
        sum[c] = linear_to_srgb(static_cast<float>(sum[c])) / 255.0;
      }
    }
    for (std::size_t c = 0; c < 3 && kind_ == TexelKind::normals && length > 0; ++c) {
      sum[c] = ((2 * sum[c] - 1) / std::sqrt(length) + 1) / 2;
    }
    return sum;
  }

  /// Calls `visit(texel, share)` for what texel `at` of `few` covers of `many` along an axis.
  template <class Visit>
  static void for_each_share(std::uint32_t at,
                             std::uint32_t few,
                             std::uint32_t many,
                             const Visit& visit) {
    const double step = static_cast<double>(many) / few;
    const double low = at * step;
    const double high = std::min<double>(many, low + step);
    for (auto t = static_cast<std::uint32_t>(low); t < high; ++t) {
      visit(t, std::min<double>(high, t + 1.0) - std::max<double>(low, t));
    }
  }

  TexelKind kind_;
  const std::array<float, 256>& light_ = srgb_to_linear();
};

/// Arrays with what their texels mean to the materials that show them.
std::map<ImageId, TexelKind> list_arrays(const Scene& scene) {
  std::map<ImageId, TexelKind> out;
  for (const Material& material : scene.materials) {
    for (const TextureSlot* slot : list_slots(material)) {
      if (slot->texture == no_texture || !scene.textures[to_index(slot->texture)].layers) {
        continue;
      }
      const ImageId image = scene.textures[to_index(slot->texture)].layers->image;
      out.emplace(image,
                  slot == &material.normal_texture ? TexelKind::normals
                  : slot == &material.base_color_texture || slot == &material.emissive_texture
                      ? TexelKind::colors
                      : TexelKind::values);
    }
  }
  return out;
}

std::string check_array(const Scene& scene, ImageId id, TexelKind kind, const PictureCodec& codec) {
  const Bytes encoded = find_encoded(scene, id);
  auto fine = codec.decode_array(encoded, 0);
  if (!fine) {
    return {};  // looks tell of it
  }
  const LevelJudge judge(kind);
  const double least = fine->format == TexelFormat::rgba8 ? least_plain_db : least_blocks_db;
  for (std::uint32_t level = 1; level < fine->mip_levels; ++level) {
    auto coarse = codec.decode_array(encoded, level);
    const std::string& name = scene.images[to_index(id)].name;
    if (!coarse) {
      return fmt::format("mip level {} of {} can't be read: {}", level, name,
                         coarse.error().message);
    }
    if (const double psnr_db = judge.judge(*fine, *coarse); psnr_db < least) {
      return fmt::format(
          "mip level {} of {} is not the average of the level before: {:.1f} dB, "
          "{:g} are wanted",
          level, name, psnr_db, least);
    }
    fine = std::move(coarse);
  }
  return {};
}

}  // namespace

Result<std::vector<std::string>> check_mip_levels(const Scene& scene,
                                                  const PictureCodec& codec,
                                                  const RunControl& run) {
  const auto arrays = list_arrays(scene);
  const std::vector<std::pair<ImageId, TexelKind>> list(arrays.begin(), arrays.end());
  std::vector<std::string> problems(list.size());
  if (!for_each_index(list.size(), run, "comparing mip levels", [&](std::size_t i) {
        problems[i] = check_array(scene, list[i].first, list[i].second, codec);
      })) {
    return Failure(make_cancelled());
  }
  std::erase_if(problems, [](const std::string& problem) { return problem.empty(); });
  return problems;
}

}  // namespace wakuzume
