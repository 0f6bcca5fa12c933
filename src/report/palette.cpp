// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "report/palette.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <nanoflann.hpp>
#include <numbers>

#include "scene/matrix.h"
#include "scene/srgb.h"

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
      out[i] = wakuzume::to_linear(static_cast<double>(i) / 255);
    }
    return out;
  }();
  return table[value];
}

std::uint8_t to_encoded(double v) { return linear_to_srgb(static_cast<float>(v)); }

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

}  // namespace wakuzume
