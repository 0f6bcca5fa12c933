// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "report/palette.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <nanoflann.hpp>
#include <numbers>

#include "scene/matrix.h"

namespace wakuzume {
namespace {

constexpr std::size_t nearest = 24;
constexpr std::size_t most_large = 96;
/// Of more boxes most are smaller than a pixel, and no one can follow their neighbours.
constexpr std::size_t most_neighbours = 50'000;

double to_linear(std::uint8_t value) {
  static const std::array<double, 256> table = [] {
    std::array<double, 256> out{};
    for (std::size_t i = 0; i < 256; ++i) {
      const double v = static_cast<double>(i) / 255;
      out[i] = v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
    }
    return out;
  }();
  return table[value];
}

/// From linear light to steps of 255 by a table: within a fifth of a step where the curve is
/// steepest.
class Encoder {
 public:
  Encoder() {
    for (std::size_t i = 0; i < entries; ++i) {
      const double x = static_cast<double>(i) / (entries - 1);
      const double e = x <= 0.0031308 ? 12.92 * x : 1.055 * std::pow(x, 1 / 2.4) - 0.055;
      table_[i] = static_cast<std::uint8_t>(std::lround(255 * e));
    }
  }
  static const Encoder& get() {
    static const Encoder encoder;
    return encoder;
  }
  /// \pre v is in [0, 1], but for roundings
  static std::int32_t find_entry(float v) {
    return static_cast<std::int32_t>(v * (entries - 1) + 0.5F);
  }
  [[nodiscard]] std::uint8_t entry(std::int32_t i) const {
    return table_[static_cast<std::size_t>(i)];
  }

 private:
  static constexpr std::size_t entries = 16384;
  std::array<std::uint8_t, entries> table_{};
};

std::uint8_t to_encoded(double v) {
  return Encoder::get().entry(Encoder::find_entry(static_cast<float>(std::clamp(v, 0.0, 1.0))));
}

/// Oklab: a just noticeable step is about 0.02.
/// \source B. Ottosson, "A perceptual color space for image processing", 2020
using Lab = std::array<double, 3>;

Lab to_lab(const Color& color) {
  const double r = to_linear(color[0]);
  const double g = to_linear(color[1]);
  const double b = to_linear(color[2]);
  const double l = std::cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b);
  const double m = std::cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b);
  const double s = std::cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
  return {0.2104542553 * l + 0.7936177850 * m - 0.0040720468 * s,
          1.9779984951 * l - 2.4285922050 * m + 0.4505937099 * s,
          0.0259040371 * l + 0.7827717662 * m - 0.8086757660 * s};
}

/// By lightness, colourfulness and the angle of its hue.
Color make_color(double lightness, double chroma, double degrees) {
  const double angle = degrees * std::numbers::pi / 180;
  const double a = chroma * std::cos(angle);
  const double b = chroma * std::sin(angle);
  const double l = std::pow(lightness + 0.3963377774 * a + 0.2158037573 * b, 3);
  const double m = std::pow(lightness - 0.1055613458 * a - 0.0638541728 * b, 3);
  const double s = std::pow(lightness - 0.0894841775 * a - 1.2914855480 * b, 3);
  return {to_encoded(4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s),
          to_encoded(-1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s),
          to_encoded(-0.0041960863 * l - 0.7034186147 * m + 1.7076147010 * s)};
}

double find_distance(const Lab& a, const Lab& b) {
  return std::hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
}

struct Palette {
  std::vector<Color> colors;
  std::vector<Lab> labs;
};

/// Ordered so that each is as far as can be from all before it.
const Palette& find_palette() {
  static const Palette palette = [] {
    std::vector<Color> all;
    for (const double lightness : {0.74, 0.58, 0.87, 0.45}) {
      for (int hue = 0; hue < 12; ++hue) {
        all.push_back(
            make_color(lightness, lightness > 0.8 ? 0.09 : 0.14, 20 + 30.0 * hue + 60 * lightness));
      }
    }
    Palette out;
    std::vector<double> apart(all.size(), 10);
    std::size_t next = 7;  // a calm blue to begin with
    while (out.colors.size() < all.size()) {
      out.colors.push_back(all[next]);
      out.labs.push_back(to_lab(all[next]));
      apart[next] = -1;
      for (std::size_t i = 0; i < all.size(); ++i) {
        if (apart[i] >= 0) {
          apart[i] = std::min(apart[i], find_distance(to_lab(all[i]), out.labs.back()));
        }
      }
      next = static_cast<std::size_t>(std::max_element(apart.begin(), apart.end()) - apart.begin());
    }
    return out;
  }();
  return palette;
}

/// The centres of boxes for the tree.
struct Centres {
  std::vector<Vec3d> points;
  [[nodiscard]] std::size_t kdtree_get_point_count() const { return points.size(); }
  [[nodiscard]] double kdtree_get_pt(std::size_t i, std::size_t axis) const {
    return points[i][axis];
  }
  template <class Box>
  bool kdtree_get_bbox(Box&) const {
    return false;
  }
};
using Tree = nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, Centres>,
                                                 Centres,
                                                 3,
                                                 std::size_t>;

bool overlap(const Box3d& a, const Box3d& b) {
  for (std::size_t i = 0; i < 3; ++i) {
    const double slack = 1e-3 * (a.max[i] - a.min[i] + b.max[i] - b.min[i]);
    if (a.min[i] > b.max[i] + slack || b.min[i] > a.max[i] + slack) {
      return false;
    }
  }
  return true;
}

/// A number that looks random and is always the same.
std::size_t mix(std::size_t n) {
  std::uint64_t x = n * 0x9E37'79B9'7F4A'7C15ULL + 0x1234'5678'9ABC'DEF1ULL;
  x = (x ^ (x >> 29U)) * 0xBF58'476D'1CE4'E5B9ULL;
  return static_cast<std::size_t>(x ^ (x >> 32U));
}

/// Of the colours that stand out from all of the neighbours' one by chance: were it always the
/// farthest, few would be used.
std::size_t choose_color(const std::vector<std::size_t>& taken, std::size_t chance) {
  const Palette& palette = find_palette();
  constexpr double enough = 0.17;
  std::size_t best = chance % palette.colors.size();
  double best_distance = -1;
  for (std::size_t i = 0; i < palette.colors.size(); ++i) {
    const std::size_t candidate = (chance + i) % palette.colors.size();
    double distance = 10;
    for (const std::size_t other : taken) {
      distance = std::min(distance, find_distance(palette.labs[candidate], palette.labs[other]));
    }
    if (distance > best_distance) {
      best_distance = distance;
      best = candidate;
    }
    if (distance >= enough) {
      break;
    }
  }
  return best;
}

}  // namespace

Color make_class_color(std::size_t n) {
  const Palette& palette = find_palette();
  return palette.colors[n % palette.colors.size()];
}

std::vector<Color> make_neighbour_colors(std::span<const Box3d> boxes) {
  if (boxes.size() > most_neighbours) {
    std::vector<Color> out;
    out.reserve(boxes.size());
    for (std::size_t i = 0; i < boxes.size(); ++i) {
      out.push_back(make_class_color(mix(i)));
    }
    return out;
  }
  std::vector<std::size_t> order;
  Centres centres;
  for (std::size_t i = 0; i < boxes.size(); ++i) {
    const Vec3d centre = boxes[i].empty() ? Vec3d{0, 0, 0} : boxes[i].centre();
    const bool finite =
        std::all_of(centre.begin(), centre.end(), [](double v) { return std::isfinite(v); });
    centres.points.push_back(finite ? centre : Vec3d{0, 0, 0});
    order.push_back(i);
  }
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return find_diagonal(boxes[a]) > find_diagonal(boxes[b]);
  });
  std::vector<std::size_t> chosen(boxes.size(), no_index);
  const Tree tree(3, centres, nanoflann::KDTreeSingleIndexAdaptorParams(16));
  std::array<std::size_t, nearest> found{};
  std::array<double, nearest> distances{};
  for (std::size_t rank = 0; rank < order.size(); ++rank) {
    const std::size_t i = order[rank];
    std::vector<std::size_t> taken;
    const std::size_t count =
        tree.knnSearch(centres.points[i].data(), nearest, found.data(), distances.data());
    // Ties are broken by where the tree keeps them; as a set they are the same.
    for (std::size_t n = 0; n < count; ++n) {
      if (chosen[found[n]] != no_index) {
        taken.push_back(chosen[found[n]]);
      }
    }
    for (std::size_t large = 0; large < std::min(rank, most_large); ++large) {
      if (overlap(boxes[i], boxes[order[large]])) {
        taken.push_back(chosen[order[large]]);
      }
    }
    // Far more neighbours than colours: the nearest are asked alone.
    std::size_t most = taken.size();
    do {
      chosen[i] =
          choose_color({taken.begin(), taken.begin() + static_cast<std::ptrdiff_t>(most)}, mix(i));
      most = most * 2 / 3;
    } while (most > 4 &&
             std::any_of(taken.begin(), taken.begin() + static_cast<std::ptrdiff_t>(most),
                         [&](std::size_t t) { return t == chosen[i]; }));
  }
  std::vector<Color> out;
  for (const std::size_t c : chosen) {
    out.push_back(find_palette().colors[c]);
  }
  return out;
}

Color make_heat_color(double share) {
  constexpr std::array<Color, 6> stops{{{44, 58, 122},
                                        {34, 126, 150},
                                        {104, 178, 96},
                                        {240, 208, 76},
                                        {228, 110, 52},
                                        {170, 24, 44}}};
  const double at = std::clamp(share, 0.0, 1.0) * (stops.size() - 1);
  const auto first = std::min(static_cast<std::size_t>(at), stops.size() - 2);
  const double t = at - static_cast<double>(first);
  Color out{};
  for (std::size_t c = 0; c < 3; ++c) {
    out[c] = to_encoded((1 - t) * to_linear(stops[first][c]) + t * to_linear(stops[first + 1][c]));
  }
  return out;
}

Color make_dimmed(const Color& color, double factor) {
  return {to_encoded(factor * to_linear(color[0])), to_encoded(factor * to_linear(color[1])),
          to_encoded(factor * to_linear(color[2]))};
}

namespace {

/// What of the old columns or rows lies below a new one: a run of them, each with its share.
struct Below {
  std::uint32_t first = 0;
  std::vector<float> shares;  ///< sum 1
};

std::vector<Below> weigh(std::uint32_t from, std::uint32_t to) {
  const double scale = static_cast<double>(from) / to;
  std::vector<Below> out(to);
  for (std::uint32_t n = 0; n < to; ++n) {
    const double begin = scale > 1 ? n * scale : (n + 0.5) * scale - 0.5;
    const double end = begin + std::max(1.0, scale);
    const auto clip = [&](std::int64_t i) {
      return static_cast<std::uint32_t>(std::clamp<std::int64_t>(i, 0, std::int64_t{from} - 1));
    };
    Below& below = out[n];
    below.first = clip(static_cast<std::int64_t>(std::floor(begin)));
    for (auto i = static_cast<std::int64_t>(std::floor(begin)); static_cast<double>(i) < end; ++i) {
      const double share =
          std::min(end, static_cast<double>(i) + 1) - std::max(begin, static_cast<double>(i));
      if (share > 1e-9) {
        const std::size_t at = clip(i) - below.first;
        below.shares.resize(std::max(below.shares.size(), at + 1));
        below.shares[at] += static_cast<float>(share / (end - begin));
      }
    }
  }
  return out;
}

/// Old pixels below a new one.
struct PixelBlock {
  const std::uint8_t* first;  ///< its upper left one
  std::size_t row_bytes;
  const std::vector<float>& columns;  ///< the share of each
  const std::vector<float>& rows;

  [[nodiscard]] bool is_plain() const {
    std::uint32_t wanted = 0;
    std::memcpy(&wanted, first, 4);
    for (std::size_t r = 0; r < rows.size(); ++r) {
      for (std::size_t c = 0; c < columns.size(); ++c) {
        std::uint32_t pixel = 0;
        std::memcpy(&pixel, first + r * row_bytes + 4 * c, 4);
        if (pixel != wanted) {
          return false;
        }
      }
    }
    return true;
  }

  /// Averaged in linear light.
  [[nodiscard]] std::array<float, 3> find_mean() const {
    static const std::array<float, 256> table = [] {
      std::array<float, 256> made{};
      for (std::size_t i = 0; i < made.size(); ++i) {
        made[i] = static_cast<float>(to_linear(static_cast<std::uint8_t>(i)));
      }
      return made;
    }();
    std::array<float, 3> sum{};
    for (std::size_t r = 0; r < rows.size(); ++r) {
      const std::uint8_t* pixel = first + r * row_bytes;
      std::array<float, 3> of_row{};
      for (const float share : columns) {
        of_row[0] += share * table[pixel[0]];
        of_row[1] += share * table[pixel[1]];
        of_row[2] += share * table[pixel[2]];
        pixel += 4;
      }
      sum[0] += rows[r] * of_row[0];
      sum[1] += rows[r] * of_row[1];
      sum[2] += rows[r] * of_row[2];
    }
    return sum;
  }
};

}  // namespace

Pixels make_resized(const Pixels& pixels, std::uint32_t width_px, std::uint32_t height_px) {
  Pixels out{width_px, height_px, std::vector<std::uint8_t>(std::size_t{4} * width_px * height_px)};
  const std::vector<Below> columns = weigh(pixels.width_px, width_px);
  const std::vector<Below> rows = weigh(pixels.height_px, height_px);
  const std::size_t row_bytes = std::size_t{4} * pixels.width_px;
  const Encoder& encoder = Encoder::get();
  std::uint8_t* to = out.rgba.data();
  for (const Below& row : rows) {
    for (const Below& column : columns) {
      const PixelBlock block{&pixels.rgba[row_bytes * row.first + std::size_t{4} * column.first],
                             row_bytes, column.shares, row.shares};
      // Much of a picture of draws is plain.
      if (block.is_plain()) {
        to[0] = block.first[0];
        to[1] = block.first[1];
        to[2] = block.first[2];
      } else {
        const std::array<float, 3> mean = block.find_mean();
        for (std::size_t c = 0; c < 3; ++c) {
          to[c] = encoder.entry(Encoder::find_entry(mean[c]));
        }
      }
      to[3] = 255;
      to += 4;
    }
  }
  return out;
}

}  // namespace wakuzume
