// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "order/overlaps.h"

#include <algorithm>
#include <map>
#include <numeric>
#include <tuple>
#include <utility>

#include "order/draw_triangles.h"
#include "order/raster.h"
#include "scene/running.h"
#include "survey/draws.h"

namespace wakuzume {
namespace {

/// As proofs are drawn.
constexpr std::uint32_t height_px = 720;
constexpr std::uint32_t largest_width_px = 2560;
/// Layers of one view; where there are more, fewer pixels are looked at.
constexpr std::size_t most_fragments = std::size_t{1} << 25U;
/// Of more layers in a pixel, the nearest.
constexpr std::size_t most_layers = 24;
/// Layers that are nearer to each other than this share of their distance lie in one place.
constexpr double same_place = 1e-5;
/// Side of the squares in which it is known whether anything is worth drawing.
constexpr std::uint32_t tile_px = 16;

/// A shape's triangles, decoded once for all views.
struct Soup {
  std::vector<float> positions;
  std::vector<std::uint32_t> corners;
};

Soup make_soup(const Scene& scene, const Shape& shape) {
  Soup out;
  const Primitive& primitive = primitive_of(scene, shape);
  const StreamId positions = primitive.find("POSITION");
  if (positions == no_stream || shape.topology != Topology::triangles) {
    return out;
  }
  out.positions = make_floats(scene, positions);
  out.corners = make_list_indices(scene, primitive);
  return out;
}

struct Fragment {
  std::uint32_t pixel = 0;
  std::uint32_t draw = 0;
  double nearness = 0;
};

/// Squares of a picture in which something is to be found.
class TileMarks {
 public:
  explicit TileMarks(const Raster& raster)
      : width_px_(raster.width_px()),
        columns_((raster.width_px() + tile_px - 1) / tile_px),
        marks_(std::size_t{columns_} * ((raster.height_px() + tile_px - 1) / tile_px), false) {}

  void mark(std::uint32_t pixel) {
    marks_[pixel / width_px_ / tile_px * columns_ + pixel % width_px_ / tile_px] = true;
  }
  [[nodiscard]] bool any(const ScreenRect& rect) const {
    for (std::uint32_t y = rect.top / tile_px;
         rect.top <= rect.bottom && y <= rect.bottom / tile_px; ++y) {
      for (std::uint32_t x = rect.left / tile_px;
           rect.left <= rect.right && x <= rect.right / tile_px; ++x) {
        if (marks_[y * columns_ + x]) {
          return true;
        }
      }
    }
    return false;
  }

 private:
  std::uint32_t width_px_;
  std::uint32_t columns_;
  std::vector<bool> marks_;
};

/// Of pixels with several draws, by pixel.
using Seen = std::vector<Fragment>;

class OverlapFinder {
 public:
  OverlapFinder(const Scene& scene,
                const Survey& survey,
                std::span<const Mat4d> world,
                std::span<const Viewpoint> views)
      : scene_(scene), survey_(survey), world_(world), views_(views), soups_(survey.shapes.size()) {
    for (std::uint32_t d = 0; d < survey.draws.size(); ++d) {
      const Draw& draw = survey.draws[d];
      const AlphaMode mode =
          draw.material == no_material ? AlphaMode::opaque : scene[draw.material].alpha_mode;
      // What is cut out hides little that is sure.
      if (mode != AlphaMode::mask) {
        (mode == AlphaMode::blend ? blended_ : opaque_).push_back(d);
      }
    }
    number_colors();
    place_all();
  }

  Result<std::vector<std::vector<Overlap>>> find(const RunControl& run) {
    std::vector<std::vector<Overlap>> out(views_.size());
    if (blended_.size() < 2) {
      return out;
    }
    decode(blended_, run);
    decode(opaque_, run);
    if (!for_each_index(views_.size(), run, "looking at what is blended", [&](std::size_t v) {
          for (std::uint32_t height = height_px; height > 0; height /= 2) {
            const Raster raster = make_raster(views_[v], height);
            Seen seen;
            if (!look(views_[v], raster, seen)) {
              continue;
            }
            if (!seen.empty()) {
              hide(views_[v], raster, seen);
              out[v] = list_pairs(seen);
            }
            break;
          }
        })) {
      return Failure(make_cancelled());
    }
    return out;
  }

 private:
  void decode(const std::vector<std::uint32_t>& draws, const RunControl& run) {
    std::vector<std::uint32_t> shapes;
    for (const std::uint32_t d : draws) {
      shapes.push_back(static_cast<std::uint32_t>(survey_.draws[d].shape));
    }
    std::sort(shapes.begin(), shapes.end());
    shapes.erase(std::unique(shapes.begin(), shapes.end()), shapes.end());
    for_each_index(shapes.size(), {run.threads, nullptr}, "", [&](std::size_t s) {
      soups_[shapes[s]] = make_soup(scene_, survey_.shapes[shapes[s]]);
    });
  }

  /// Where each draw is drawn: its node's place, or those of its instances.
  void place_all() {
    places_.resize(survey_.draws.size());
    for (const auto* list : {&blended_, &opaque_}) {
      for (const std::uint32_t d : *list) {
        const Node& node = scene_[survey_.draws[d].node];
        const Mat4d& own = world_[to_index(survey_.draws[d].node)];
        if (!node.instancing) {
          places_[d].push_back(own);
          continue;
        }
        for (const Trs& trs : make_instance_transforms(scene_, node)) {
          places_[d].push_back(make_product(own, make_matrix(trs)));
        }
      }
    }
  }

  /// Draws of one plain colour get one number, others none.
  void number_colors() {
    std::map<std::vector<double>, std::uint32_t> known;
    color_of_.assign(survey_.draws.size(), no_index);
    for (const std::uint32_t d : blended_) {
      const Draw& draw = survey_.draws[d];
      const DrawRef ref{draw.node, draw.primitive};
      if (is_one_color(scene_, {&ref, 1})) {
        const Vec4d& color = scene_[draw.material].base_color;
        color_of_[d] =
            known
                .try_emplace({color.begin(), color.end()}, static_cast<std::uint32_t>(known.size()))
                .first->second;
      }
    }
  }

  static Raster make_raster(const Viewpoint& view, std::uint32_t height) {
    const auto width = static_cast<std::uint32_t>(std::clamp(
        std::lround(height * find_aspect(view)), 1L, static_cast<long>(largest_width_px)));
    return {view, width, height};
  }

  /// Calls `visit(pixel, nearness)` for what a draw covers.
  template <class Visit>
  void cover(const Raster& raster, std::uint32_t d, const Visit& visit) const {
    for (const Mat4d& world : places_[d]) {
      cover(raster, survey_.draws[d], world, visit);
    }
  }
  template <class Visit>
  void cover(const Raster& raster, const Draw& draw, const Mat4d& world, const Visit& visit) const {
    const Soup& soup = soups_[to_index(draw.shape)];
    const Eigen::Matrix4d matrix = raster.to_view() * as_eigen(world);
    std::vector<Eigen::Vector3d> points(soup.positions.size() / 3);
    for (std::size_t v = 0; v < points.size(); ++v) {
      const Eigen::Map<const Eigen::Vector3f> point(&soup.positions[3 * v]);
      points[v] = (matrix * point.cast<double>().homogeneous()).head<3>();
    }
    const bool both = draw.material != no_material && scene_[draw.material].double_sided;
    const auto culling = both ? Raster::Culling::none : Raster::Culling::behind;
    const bool mirrored = linear_determinant(world) < 0;
    for (std::size_t c = 0; c + 2 < soup.corners.size(); c += 3) {
      raster.draw({points[soup.corners[c]], points[soup.corners[c + (mirrored ? 2 : 1)]],
                   points[soup.corners[c + (mirrored ? 1 : 2)]]},
                  culling, visit);
    }
  }

  /// \return false where there are too many layers
  [[nodiscard]] bool look(const Viewpoint& view, const Raster& raster, Seen& out) const {
    const Frustum frustum = make_frustum(view);
    std::vector<Fragment> all;
    for (const std::uint32_t d : blended_) {
      const Draw& draw = survey_.draws[d];
      if (sees_box(frustum, draw.box)) {
        cover(raster, d, [&](std::uint32_t pixel, double nearness) {
          all.push_back({pixel, d, nearness});
        });
      }
      if (all.size() > most_fragments) {
        return false;
      }
    }
    out = sort_layers(all, std::size_t{raster.width_px()} * raster.height_px());
    return true;
  }

  /// Those of pixels with several draws: by pixel, the nearest first.
  static Seen sort_layers(const std::vector<Fragment>& all, std::size_t pixels) {
    std::vector<std::uint32_t> ends(pixels, 0);
    for (const Fragment& fragment : all) {
      ++ends[fragment.pixel];
    }
    // Where each pixel begins; placing its fragments moves that to its end.
    std::exclusive_scan(ends.begin(), ends.end(), ends.begin(), 0U);
    std::vector<std::uint32_t> placed(all.size());
    for (std::uint32_t f = 0; f < all.size(); ++f) {
      placed[ends[all[f].pixel]++] = f;
    }
    Seen out;
    std::size_t begin = 0;
    for (const std::uint32_t end : ends) {
      const std::size_t first = out.size();
      bool several = false;
      for (std::size_t i = begin; i < end; ++i) {
        several = several || all[placed[i]].draw != all[placed[begin]].draw;
      }
      for (std::size_t i = begin; several && i < end; ++i) {
        out.push_back(all[placed[i]]);
      }
      std::sort(out.begin() + static_cast<std::ptrdiff_t>(first), out.end(),
                [](const Fragment& a, const Fragment& b) {
                  return std::tuple(-a.nearness, a.draw) < std::tuple(-b.nearness, b.draw);
                });
      begin = end;
    }
    return out;
  }

  /// Leaves out what lies behind opaque surfaces.
  void hide(const Viewpoint& view, const Raster& raster, Seen& seen) const {
    const Frustum frustum = make_frustum(view);
    std::vector<double> nearest(std::size_t{raster.width_px()} * raster.height_px(), -1e300);
    TileMarks tiles(raster);
    for (const Fragment& fragment : seen) {
      tiles.mark(fragment.pixel);
    }
    for (const std::uint32_t d : opaque_) {
      const Draw& draw = survey_.draws[d];
      if (sees_box(frustum, draw.box) && tiles.any(raster.find_rect(draw.box))) {
        cover(raster, d, [&](std::uint32_t pixel, double nearness) {
          nearest[pixel] = std::max(nearest[pixel], nearness);
        });
      }
    }
    std::erase_if(seen, [&](const Fragment& fragment) {
      // What lies on an opaque surface shows or not, as chance has it.
      const double opaque = nearest[fragment.pixel];
      return opaque - fragment.nearness > same_place * std::abs(opaque);
    });
  }

  [[nodiscard]] std::vector<Overlap> list_pairs(const Seen& all) const {
    std::vector<std::tuple<std::uint32_t, std::uint32_t, bool>> pairs;
    for (std::size_t begin = 0; begin < all.size();) {
      std::size_t end = begin + 1;
      while (end < all.size() && all[end].pixel == all[begin].pixel) {
        ++end;
      }
      const std::size_t last = std::min(end, begin + most_layers);
      for (std::size_t near = begin; near < last; ++near) {
        for (std::size_t far = near + 1; far < last; ++far) {
          if (differ(all[far], all[near])) {
            const bool tied = is_tied(all[far], all[near]);
            const bool turned = tied && all[far].draw > all[near].draw;
            pairs.emplace_back(all[turned ? near : far].draw, all[turned ? far : near].draw, tied);
          }
        }
      }
      begin = end;
    }
    std::sort(pairs.begin(), pairs.end());
    std::vector<Overlap> out;
    for (const auto& [behind, before, tied] : pairs) {
      if (out.empty() || out.back().behind != behind || out.back().before != before ||
          out.back().tied != tied) {
        out.push_back({behind, before, 0, tied});
      }
      ++out.back().pixels;
    }
    return out;
  }

  /// Does it show which of the two is drawn first?
  [[nodiscard]] bool differ(const Fragment& far, const Fragment& near) const {
    const bool alike =
        color_of_[far.draw] != no_index && color_of_[far.draw] == color_of_[near.draw];
    return far.draw != near.draw && !alike;
  }

  static bool is_tied(const Fragment& far, const Fragment& near) {
    return near.nearness - far.nearness <= same_place * std::abs(near.nearness);
  }

  const Scene& scene_;
  const Survey& survey_;
  std::span<const Mat4d> world_;
  std::span<const Viewpoint> views_;
  std::vector<Soup> soups_;                 ///< by shape
  std::vector<std::vector<Mat4d>> places_;  ///< by draw
  std::vector<std::uint32_t> blended_;
  std::vector<std::uint32_t> opaque_;
  std::vector<std::uint32_t> color_of_;  ///< by draw
};

}  // namespace

Result<std::vector<std::vector<Overlap>>> find_overlaps(const Scene& scene,
                                                        const Survey& survey,
                                                        std::span<const Mat4d> world,
                                                        std::span<const Viewpoint> views,
                                                        const RunControl& run) {
  return OverlapFinder(scene, survey, world, views).find(run);
}

}  // namespace wakuzume
