// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "report/shot_colors.h"

#include <map>
#include <tuple>

namespace wakuzume {

std::optional<Heat> find_heat(Showing showing) {
  switch (showing) {
    case Showing::texels:
      return Heat{4, 12, "texels per metre", {16, 64, 256, 1024, 4096}};
    case Showing::triangles:
      return Heat{0, 10, "pixels a triangle", {1, 4, 16, 64, 256, 1024}};
    case Showing::surfaces:
      return Heat{0, 5, "surfaces behind each other", {1, 2, 4, 8, 16, 32}};
    case Showing::layers:
      return Heat{0, 5, "blended layers", {1, 2, 4, 8, 16, 32}};
    default:
      return std::nullopt;
  }
}

Color find_heat_color(Showing showing, const Heat& heat, double value) {
  const double share = heat.share(value);
  return make_heat_color(showing == Showing::triangles ? 1 - share : share);
}

void put(Pixels& on, std::size_t p, const Color& color) {
  std::uint8_t* const to = &on.rgba[4 * p];
  to[0] = color[0];
  to[1] = color[1];
  to[2] = color[2];
  to[3] = 255;
}

Pixels make_pixels(std::uint32_t width_px, std::uint32_t height_px, const Color& color) {
  Pixels out{width_px, height_px, std::vector<std::uint8_t>(std::size_t{4} * width_px * height_px)};
  for (std::size_t p = 0; p < out.rgba.size() / 4; ++p) {
    put(out, p, color);
  }
  return out;
}

namespace {

/// Calls `visit(p, differs)` for each pixel; whether `key` changes to the right or below.
template <class Key, class Visit>
void for_each_border(const Shot& shot, const Key& key, const Visit& visit) {
  const std::size_t width = shot.width_px;
  using Keys = std::vector<std::decay_t<decltype(key(shot.hits[0]))>>;
  Keys here(width);
  Keys below(width);
  const auto find_keys = [&](std::size_t y, Keys& keys) {
    std::transform(&shot.hits[y * width], &shot.hits[y * width] + width, keys.begin(), key);
  };
  if (shot.height_px > 0) {
    find_keys(0, below);
  }
  for (std::size_t y = 0; y < shot.height_px; ++y) {
    here.swap(below);
    const bool last = y + 1 == shot.height_px;
    if (!last) {
      find_keys(y + 1, below);
    }
    for (std::size_t x = 0; x < width; ++x) {
      const bool changes =
          (x + 1 < width && here[x] != here[x + 1]) || (!last && here[x] != below[x]);
      visit(y * width + x, changes);
    }
  }
}

/// Colour of a draw's class; by how straight the surface is seen it is lighter or darker. Many
/// classes share few colours.
class Shades {
 public:
  explicit Shades(const DrawClasses& classes) {
    std::map<Color, std::uint32_t> known;
    const auto add = [&](const Color& color) {
      const auto [slot, added] = known.try_emplace(color, static_cast<std::uint32_t>(known.size()));
      for (std::size_t s = 0; added && s < steps; ++s) {
        table_.push_back(make_dimmed(color, 0.28 + 0.72 * static_cast<double>(s) / (steps - 1)));
      }
      return slot->second;
    };
    for (const DrawClasses::Class& one : classes.classes) {
      first_.push_back(add(one.color) * steps);
    }
    first_of_unclassed_ = add(unclassed_color) * steps;
  }
  [[nodiscard]] const Color& find(std::uint32_t of, double share) const {
    const std::size_t first = of == no_index ? first_of_unclassed_ : first_[of];
    return table_[first +
                  static_cast<std::size_t>(std::clamp(share, 0.0, 1.0) * (steps - 1) + 0.5)];
  }

 private:
  static constexpr std::size_t steps = 32;
  std::vector<Color> table_;
  std::vector<std::size_t> first_;  ///< by class
  std::size_t first_of_unclassed_ = 0;
};

std::uint32_t find_class(const DrawClasses& classes, const Hit& hit) {
  return to_index(hit.draw) < classes.of_draw.size() ? classes.of_draw[to_index(hit.draw)]
                                                     : no_index;
}

}  // namespace

Pixels paint_measured(const Shot& shot, Showing showing, const DrawClasses& classes) {
  Pixels out = make_pixels(shot.width_px, shot.height_px, nothing_color);
  const Shades shades(classes);
  const std::optional<Heat> heat = find_heat(showing);
  for (std::size_t p = 0; p < shot.values.size(); ++p) {
    const double value = static_cast<double>(shot.values[p]);
    if (showing == Showing::surfaces) {
      put(out, p, value >= 1 ? find_heat_color(showing, *heat, value) : nothing_color);
    } else if (shot.hits[p].draw != no_draw) {
      put(out, p,
          showing == Showing::tiling ? shades.find(find_class(classes, shot.hits[p]),
                                                   value < 0 ? 0.7 : 0.55 + 0.45 * value)
          : value < 0                ? unclassed_color
                                     : find_heat_color(showing, *heat, value));
    }
  }
  return out;
}

Pixels paint_triangles(const Shot& shot) {
  Pixels out = make_pixels(shot.width_px, shot.height_px, nothing_color);
  std::vector<std::uint32_t> order;
  for (std::size_t p = 0; p < shot.hits.size(); ++p) {
    if (shot.hits[p].draw != no_draw) {
      order.push_back(static_cast<std::uint32_t>(p));
    }
  }
  const auto key = [&](std::uint32_t p) {
    const Hit& h = shot.hits[p];
    return std::tuple(h.draw, h.instance, h.element);
  };
  std::sort(order.begin(), order.end(),
            [&](std::uint32_t a, std::uint32_t b) { return key(a) < key(b); });
  const Heat heat = *find_heat(Showing::triangles);
  for (std::size_t begin = 0; begin < order.size();) {
    std::size_t end = begin + 1;
    while (end < order.size() && key(order[end]) == key(order[begin])) {
      ++end;
    }
    const double pixels = static_cast<double>(end - begin) / (fineness * fineness);
    const Color color = find_heat_color(Showing::triangles, heat, pixels);
    for (; begin < end; ++begin) {
      put(out, order[begin], color);
    }
  }
  return out;
}

Pixels paint_layers(const Shot& shot, Showing showing) {
  Pixels out = shot.picture;
  const std::optional<Heat> heat = find_heat(showing);
  for (std::size_t p = 0; p < shot.hits.size(); ++p) {
    const std::uint8_t* const from = &shot.picture.rgba[4 * p];
    const std::uint16_t count = shot.layers.empty() ? std::uint16_t{0} : shot.layers[p];
    const bool wrong = !shot.misplaced.empty() && shot.misplaced[p] > 0;
    Color color = make_dimmed({from[0], from[1], from[2]}, 0.3);
    if (showing == Showing::layers && count > 0) {
      color = find_heat_color(showing, *heat, count);
    } else if (showing == Showing::order && count > 1) {
      color = wrong ? wrong_order_color : right_order_color;
    }
    put(out, p, color);
  }
  return out;
}

Pixels paint_wire(const Shot& shot) {
  Pixels out = shot.picture;
  const auto key = [](const Hit& h) { return std::tuple(h.draw, h.instance, h.element); };
  for_each_border(shot, key, [&](std::size_t p, bool differs) {
    const std::uint8_t* const from = &shot.picture.rgba[4 * p];
    put(out, p, differs ? Color{236, 226, 190} : make_dimmed({from[0], from[1], from[2]}, 0.3));
  });
  return out;
}

Pixels paint_classes(const Shot& shot, const DrawClasses& classes) {
  Pixels out = make_pixels(shot.width_px, shot.height_px, nothing_color);
  const Shades shades(classes);
  const auto key = [&](const Hit& hit) {
    return hit.draw == no_draw ? no_index - 1 : find_class(classes, hit);
  };
  for_each_border(shot, key, [&](std::size_t p, bool differs) {
    if (shot.hits[p].draw != no_draw) {
      const double facing = 0.25 + 0.75 * static_cast<double>(shot.values[p]);
      put(out, p, shades.find(find_class(classes, shot.hits[p]), differs ? 0.1 : facing));
    }
  });
  return out;
}

}  // namespace wakuzume
