// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/uv_audit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "scene/elements.h"
#include "scene/running.h"
#include "texture/uv_source.h"
#include "verify/repainted.h"
#include "verify/rounding.h"

namespace wakuzume {
namespace {

/// Pixels of the page or layer by which a corner may be off; rounding of floats comes on top.
constexpr double allowed_px = 0.25;

/// One primitive before and after.
struct Moved {
  DrawRef draw;
  const Primitive* before = nullptr;
  const Primitive* after = nullptr;
  const MaterialRoute* route = nullptr;
};

class UvAuditor {
 public:
  UvAuditor(const Scene& before, const Scene& after, const RoutePlan& routes)
      : before_(before), after_(after), routes_(routes) {}

  Result<std::vector<UvMismatch>> run(const RunControl& run) const {
    const std::vector<Moved> list = list_moved();
    std::vector<std::string> found(list.size());
    if (!for_each_index(list.size(), run, "auditing UVs",
                        [&](std::size_t i) { found[i] = audit(list[i]); })) {
      return Failure(make_cancelled());
    }
    std::vector<UvMismatch> out;
    for (std::size_t i = 0; i < list.size(); ++i) {
      if (!found[i].empty()) {
        out.push_back({list[i].draw, std::move(found[i])});
      }
    }
    return out;
  }

 private:
  [[nodiscard]] std::vector<Moved> list_moved() const {
    std::vector<Moved> out;
    for_each_repainted(before_, after_,
                       [&](const DrawRef& draw, const Primitive& a, const Primitive& b) {
                         const MaterialRoute* const route =
                             a.material == no_material ? nullptr : routes_.find(a.material);
                         if (route != nullptr) {
                           out.push_back({draw, &a, &b, route});
                         }
                       });
    return out;
  }

  [[nodiscard]] std::string audit(const Moved& moved) const {
    const MaterialRoute& route = *moved.route;
    if (route.stack != no_index) {
      return audit_layer(moved, routes_.stacks[route.stack], route.member);
    }
    if (route.page == no_index) {
      return {};
    }
    const AtlasPage& page = routes_.pages[route.page];
    const Tile& tile = page.tiles[route.tile];
    return tile.baked() ? std::string() : audit_tile(moved, page, tile);
  }

  /// Calls `judge(was, is)` with the coordinates of each corner, until it says what is wrong.
  template <class Judge>
  [[nodiscard]] std::string for_each_corner(const Moved& moved,
                                            std::uint32_t set,
                                            const UvSource& source,
                                            const Judge& judge) const {
    UvSource as_it_is = source;
    as_it_is.periods = {0, 0};
    std::vector<Vec2d> was;
    if (source.textured) {
      was = make_texture_coordinates(before_, *moved.before, as_it_is);
    }
    const StreamId stream = moved.after->find(fmt::format("TEXCOORD_{}", set));
    if (stream == no_stream) {
      return fmt::format("it has no TEXCOORD_{} to look up what it shares", set);
    }
    const std::vector<double> is = make_doubles(after_, stream);
    const std::vector<std::uint32_t> list = make_list_indices(before_, *moved.before);
    const std::vector<std::uint32_t> list_after = make_list_indices(after_, *moved.after);
    for (std::size_t i = 0; i < std::min(list.size(), list_after.size()); ++i) {
      const std::size_t v = list_after[i];
      const Vec2d to{is[2 * v], is[2 * v + 1]};
      const Vec2d from = was.empty() ? Vec2d{0, 0} : was[list[i]];
      if (!std::isfinite(from[0] + from[1])) {
        continue;
      }
      if (const double off_px = judge(from, to); !(off_px <= allowed_px)) {
        return fmt::format("corner {} looks {:.3g} pixels beside its texel", i, off_px);
      }
    }
    return {};
  }

  /// How far off a coordinate is, less what floats may be; whole periods can't be told.
  static double find_offset(double was, double is, double period, double px) {
    double off = was - is;
    if (period > 0) {
      off -= period * std::round(off / period);
    }
    return std::abs(off) * px - (std::abs(was) + std::abs(is) + 1) * px * float_ulp;
  }

  [[nodiscard]] std::string audit_tile(const Moved& moved,
                                       const AtlasPage& page,
                                       const Tile& tile) const {
    const UvSource source = find_uv_source(before_, before_[moved.before->material]);
    const double width = tile.size.width_px;
    const double height = tile.size.height_px;
    return for_each_corner(moved, page.uv_set, source, [&](const Vec2d& was, const Vec2d& is) {
      const double x = is[0] * page.size.width_px - tile.x;
      const double y = is[1] * page.size.height_px - tile.y;
      if (tile.solid()) {
        return std::max(std::abs(x - width / 2), std::abs(y - height / 2));
      }
      // Back from the page, turned and scaled, to tiles of the texture.
      const double a = tile.turned ? y : x;
      const double b = tile.turned ? height - x : y;
      const auto used_width = static_cast<double>(tile.used.width);
      const auto used_height = static_cast<double>(tile.used.height);
      const double u =
          (a * used_width / width + static_cast<double>(tile.used.x)) / tile.texture.width_px;
      const double v =
          (b * used_height / height + static_cast<double>(tile.used.y)) / tile.texture.height_px;
      return std::max(
          find_offset(was[0], u, source.periods[0], tile.texture.width_px * width / used_width),
          find_offset(was[1], v, source.periods[1], tile.texture.height_px * height / used_height));
    });
  }

  [[nodiscard]] std::string audit_layer(const Moved& moved,
                                        const LayerStack& stack,
                                        std::uint32_t member) const {
    if (const StreamId layers = moved.after->find(layer_semantic); layers != no_stream) {
      const std::vector<double> numbers = make_doubles(after_, layers);
      if (std::any_of(numbers.begin(), numbers.end(), [&](double n) { return n != member; })) {
        return fmt::format("a vertex shows another layer than that of member {}", member);
      }
    }
    const UvSource source = find_uv_source(before_, before_[moved.before->material]);
    if (!source.textured) {
      return {};  // one value, wherever it is looked up
    }
    RectSize size;
    for (const LayerStack::Layers& layers : stack.channels) {
      size = {std::max(size.width_px, layers.size.width_px),
              std::max(size.height_px, layers.size.height_px)};
    }
    const auto& copies = stack.copies[member];
    return for_each_corner(moved, stack.uv_set, source, [&](const Vec2d& was, const Vec2d& is) {
      return std::max(find_offset(was[0] / copies[0], is[0], 0, size.width_px),
                      find_offset(was[1] / copies[1], is[1], 0, size.height_px));
    });
  }

  const Scene& before_;
  const Scene& after_;
  const RoutePlan& routes_;
};

}  // namespace

Result<std::vector<UvMismatch>> audit_uvs(const Scene& before,
                                          const Scene& after,
                                          const RoutePlan& routes,
                                          const RunControl& run) {
  return UvAuditor(before, after, routes).run(run);
}

}  // namespace wakuzume
