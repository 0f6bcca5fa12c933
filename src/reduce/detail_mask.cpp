// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "reduce/detail_mask.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "scene/running.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t quarter = 4;

/// Of a row of texels: where each is in the mask's row of cells.
std::uint32_t find_cell(std::size_t texel, std::size_t count) {
  return static_cast<std::uint32_t>(texel * DetailMask::cells / count);
}

/// What each cell loses by the mean, over all channels, when four by four texels become one.
std::vector<bool> find_fine_cells(const Pixels& pixels, double steps) {
  constexpr std::size_t cells = DetailMask::cells;
  std::vector<double> squares(cells * cells, 0);
  std::vector<double> counts(cells * cells, 0);
  for (std::size_t y = 0; y < pixels.height_px; y += quarter) {
    for (std::size_t x = 0; x < pixels.width_px; x += quarter) {
      const std::size_t x_end = std::min<std::size_t>(x + quarter, pixels.width_px);
      const std::size_t y_end = std::min<std::size_t>(y + quarter, pixels.height_px);
      const double texels = static_cast<double>((x_end - x) * (y_end - y));
      double off = 0;
      for (std::size_t c = 0; c < 3; ++c) {
        double sum = 0;
        double sum2 = 0;
        for (std::size_t v = y; v < y_end; ++v) {
          for (std::size_t u = x; u < x_end; ++u) {
            const double value = pixels.rgba[4 * (v * pixels.width_px + u) + c];
            sum += value;
            sum2 += value * value;
          }
        }
        off += sum2 - sum * sum / texels;
      }
      const std::size_t cell =
          find_cell(y, pixels.height_px) * cells + find_cell(x, pixels.width_px);
      squares[cell] += off;
      counts[cell] += 3 * texels;
    }
  }
  std::vector<bool> fine(cells * cells, false);
  for (std::size_t c = 0; c < fine.size(); ++c) {
    fine[c] = counts[c] > 0 && squares[c] > steps * steps * counts[c];
  }
  return fine;
}

/// The area of a box that a triangle covers is not empty: no side of either parts them.
bool meets_box(const std::array<Vec2d, 3>& corners, const Vec2d& low, const Vec2d& high) {
  for (std::size_t c = 0; c < 3; ++c) {
    const Vec2d& a = corners[c];
    const Vec2d& b = corners[(c + 1) % 3];
    const Vec2d& inner = corners[(c + 2) % 3];
    const Vec2d across{b[1] - a[1], a[0] - b[0]};
    const auto side = [&](double x, double y) {
      return across[0] * (x - a[0]) + across[1] * (y - a[1]);
    };
    const double sign = side(inner[0], inner[1]) < 0 ? -1 : 1;
    const bool apart = sign * side(low[0], low[1]) < 0 && sign * side(high[0], low[1]) < 0 &&
                       sign * side(low[0], high[1]) < 0 && sign * side(high[0], high[1]) < 0;
    if (apart) {
      return false;
    }
  }
  return true;
}

}  // namespace

bool covers_detail(const DetailMask& mask, const std::array<Vec2d, 3>& corners) {
  constexpr auto cells = static_cast<double>(DetailMask::cells);
  Vec2d low = corners[0];
  Vec2d high = corners[0];
  for (const Vec2d& corner : corners) {
    for (std::size_t k = 0; k < 2; ++k) {
      if (!std::isfinite(corner[k])) {
        return false;
      }
      low[k] = std::min(low[k], corner[k]);
      high[k] = std::max(high[k], corner[k]);
    }
  }
  if (high[0] - low[0] > 1 || high[1] - low[1] > 1) {
    return std::find(mask.fine.begin(), mask.fine.end(), true) != mask.fine.end();
  }
  const auto wrap = [&](double cell) {
    return static_cast<std::size_t>(cell - cells * std::floor(cell / cells));
  };
  for (double y = std::floor(low[1] * cells); y <= std::floor(high[1] * cells); ++y) {
    for (double x = std::floor(low[0] * cells); x <= std::floor(high[0] * cells); ++x) {
      if (mask.fine[wrap(y) * DetailMask::cells + wrap(x)] &&
          meets_box(corners, {x / cells, y / cells}, {(x + 1) / cells, (y + 1) / cells})) {
        return true;
      }
    }
  }
  return false;
}

Result<std::vector<DetailMask>> find_fine_detail(const Scene& scene,
                                                 const PictureCodec& codec,
                                                 double steps,
                                                 const RunControl& run) {
  std::set<ImageId> images;
  for (const Material& material : scene.materials) {
    for (const TextureSlot* slot : {&material.base_color_texture, &material.emissive_texture}) {
      if (slot->texture != no_texture) {
        images.insert(find_image(scene, slot->texture));
      }
    }
  }
  images.erase(no_image);
  std::vector<DetailMask> all;
  for (const ImageId image : images) {
    all.push_back({image, {}});
  }
  const bool went_on = for_each_index(all.size(), run, "looking for detail", [&](std::size_t i) {
    const auto pixels = codec.decode(find_encoded(scene, all[i].image));
    if (pixels && pixels->width_px > 0 && pixels->height_px > 0) {
      all[i].fine = find_fine_cells(*pixels, steps);
    }
  });
  if (!went_on) {
    return Failure(make_cancelled());
  }
  std::erase_if(all, [](const DetailMask& mask) {
    return std::find(mask.fine.begin(), mask.fine.end(), true) == mask.fine.end();
  });
  return all;
}

}  // namespace wakuzume
