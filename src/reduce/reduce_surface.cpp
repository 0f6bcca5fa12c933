// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <cmath>
#include <numeric>
#include <utility>

#include "reduce/collapse.h"
#include "reduce/specks.h"
#include "scene/morton.h"
#include "scene/places.h"
#include "scene/running.h"

namespace wakuzume {
namespace {

/// What a turn of one radian, or a colour that is off by one, counts beside a distance: as a share
/// of the edges that the result will have.
constexpr double direction_share = 0.03;
constexpr double color_share = 0.05;
/// A texture that moved along the surface is seen less than a surface that moved off.
constexpr double uv_share = 0.1;

/// A surface as it is reduced: what is equal is one, what has no area is gone.
struct Welded {
  std::vector<std::uint32_t> wedge_of;   ///< by vertex
  std::vector<std::uint32_t> vertex_of;  ///< by wedge: the first that it is
  std::vector<std::uint32_t> point_of;   ///< by wedge
  std::uint32_t points = 0;
  std::vector<std::uint32_t> corners;        ///< wedges, 3 a triangle
  std::vector<std::uint32_t> triangle_from;  ///< by triangle: its number in the input
  std::vector<std::uint32_t> aside;          ///< triangles of the input that stay as they are
};

bool is_held(const Surface& surface, std::uint32_t triangle) {
  return !surface.held.empty() &&
         std::all_of(&surface.indices[3 * std::size_t{triangle}],
                     &surface.indices[3 * std::size_t{triangle}] + 3,
                     [&](std::uint32_t v) { return surface.held[v] >= 1; });
}

bool is_finite(const Surface& surface, std::uint32_t triangle) {
  const auto finite = [](const float* values, std::size_t count) {
    return std::all_of(values, values + count, [](float value) { return std::isfinite(value); });
  };
  return std::all_of(&surface.indices[3 * std::size_t{triangle}],
                     &surface.indices[3 * std::size_t{triangle}] + 3, [&](std::size_t v) {
                       return finite(&surface.positions[3 * v], 3) &&
                              std::all_of(surface.traits.begin(), surface.traits.end(),
                                          [&](const SurfaceTrait& trait) {
                                            return finite(&trait.values[trait.components * v],
                                                          trait.components);
                                          });
                     });
}

void number_wedges(const Surface& surface, Welded& out) {
  const std::vector<std::uint32_t> places = weld_places(surface.positions);
  std::vector<VertexValues> values;
  for (const SurfaceTrait& trait : surface.traits) {
    values.push_back({trait.values, trait.components});
  }
  if (!surface.held.empty()) {
    values.push_back({surface.held, 1});
  }
  out.wedge_of = weld_alike(places, values);
  for (std::size_t v = 0; v < out.wedge_of.size(); ++v) {
    if (out.wedge_of[v] == out.vertex_of.size()) {
      out.vertex_of.push_back(static_cast<std::uint32_t>(v));
      out.point_of.push_back(places[v]);
      out.points = std::max(out.points, places[v] + 1);
    }
  }
}

/// Points in an order in which neighbours are near each other: of how far from the middle they are
/// along the axes, so that a mirrored surface has the same.
std::vector<std::uint32_t> sort_points(const Surface& surface, const Welded& welded) {
  std::vector<Vec3d> places(welded.points);
  Box3d box;
  for (std::size_t w = 0; w < welded.vertex_of.size(); ++w) {
    const float* at = &surface.positions[3 * std::size_t{welded.vertex_of[w]}];
    if (std::all_of(at, at + 3, [](float value) { return std::isfinite(value); })) {
      places[welded.point_of[w]] = {at[0], at[1], at[2]};
      box.include(places[welded.point_of[w]]);
    }
  }
  Box3d folded;
  for (Vec3d& place : places) {
    for (std::size_t k = 0; k < 3; ++k) {
      place[k] = std::abs(place[k] - box.centre()[k]);
    }
    folded.include(place);
  }
  const PlaceNumbers numbers(folded);
  std::vector<std::pair<std::uint64_t, std::uint32_t>> order(welded.points);
  for (std::uint32_t p = 0; p < welded.points; ++p) {
    order[p] = {numbers.find(places[p]), p};
  }
  std::sort(order.begin(), order.end());
  std::vector<std::uint32_t> number(welded.points);
  for (std::uint32_t p = 0; p < welded.points; ++p) {
    number[order[p].second] = p;
  }
  return number;
}

/// Where each goes when they are sorted by what is below `count`, in their order where it is equal.
template <class Key>
std::vector<std::uint32_t> sort_into(std::size_t size, std::uint32_t count, const Key& key) {
  std::vector<std::uint32_t> begins(std::size_t{count} + 1, 0);
  for (std::size_t i = 0; i < size; ++i) {
    ++begins[key(i) + 1];
  }
  std::partial_sum(begins.begin(), begins.end(), begins.begin());
  std::vector<std::uint32_t> to(size);
  for (std::size_t i = 0; i < size; ++i) {
    to[i] = begins[key(i)]++;
  }
  return to;
}

/// Numbers points, wedges and triangles so that what is near in number is near in space.
void renumber(const Surface& surface, Welded& welded) {
  const std::vector<std::uint32_t> number = sort_points(surface, welded);
  for (std::uint32_t& point : welded.point_of) {
    point = number[point];
  }
  const std::vector<std::uint32_t> wedge = sort_into(
      welded.point_of.size(), welded.points, [&](std::size_t w) { return welded.point_of[w]; });
  const auto permute = [](std::vector<std::uint32_t>& values,
                          const std::vector<std::uint32_t>& to) {
    std::vector<std::uint32_t> out(values.size());
    for (std::size_t i = 0; i < out.size(); ++i) {
      out[to[i]] = values[i];
    }
    values = std::move(out);
  };
  permute(welded.point_of, wedge);
  permute(welded.vertex_of, wedge);
  for (std::uint32_t& of : welded.wedge_of) {
    of = wedge[of];
  }
  for (std::uint32_t& of : welded.corners) {
    of = wedge[of];
  }
  const std::vector<std::uint32_t> triangle =
      sort_into(welded.triangle_from.size(), welded.points, [&](std::size_t t) {
        return welded
            .point_of[*std::min_element(&welded.corners[3 * t], &welded.corners[3 * t] + 3)];
      });
  permute(welded.triangle_from, triangle);
  std::vector<std::uint32_t> corners(welded.corners.size());
  for (std::size_t c = 0; c < corners.size(); ++c) {
    corners[3 * std::size_t{triangle[c / 3]} + c % 3] = welded.corners[c];
  }
  welded.corners = std::move(corners);
}

Welded weld(const Surface& surface) {
  Welded out;
  number_wedges(surface, out);
  const std::size_t triangles = surface.indices.size() / 3;
  out.corners.reserve(surface.indices.size());
  for (std::uint32_t t = 0; t < triangles; ++t) {
    std::array<std::uint32_t, 3> wedges{};
    for (std::size_t c = 0; c < 3; ++c) {
      wedges[c] = out.wedge_of[surface.indices[3 * std::size_t{t} + c]];
    }
    const std::uint32_t a = out.point_of[wedges[0]];
    const std::uint32_t b = out.point_of[wedges[1]];
    const std::uint32_t c = out.point_of[wedges[2]];
    if (!is_finite(surface, t)) {
      out.aside.push_back(t);
    } else if (a != b && b != c && c != a) {
      out.corners.insert(out.corners.end(), wedges.begin(), wedges.end());
      out.triangle_from.push_back(t);
    } else if (is_held(surface, t)) {
      out.aside.push_back(t);
    }
  }
  renumber(surface, out);
  return out;
}

/// Sums over the triangles of what a surface measures.
struct Extent {
  double area = 0;
  std::vector<double> uv_area;  ///< by trait
};

Extent measure(const Surface& surface, const Welded& welded) {
  Extent out;
  out.uv_area.resize(surface.traits.size());
  for (const std::uint32_t t : welded.triangle_from) {
    const std::uint32_t* v = &surface.indices[3 * std::size_t{t}];
    out.area += find_area(surface.positions, surface.indices, t);
    for (std::size_t i = 0; i < surface.traits.size(); ++i) {
      const SurfaceTrait& trait = surface.traits[i];
      if (trait.kind == TraitKind::uv && trait.components == 2) {
        const auto uv = [&](std::size_t c, std::size_t k) {
          return double{trait.values[2 * std::size_t{v[c]} + k]};
        };
        out.uv_area[i] += std::abs((uv(1, 0) - uv(0, 0)) * (uv(2, 1) - uv(0, 1)) -
                                   (uv(2, 0) - uv(0, 0)) * (uv(1, 1) - uv(0, 1))) /
                          2;
      }
    }
  }
  return out;
}

/// Metres that a unit of each trait counts for; zero: it only goes along.
std::vector<double> make_scales(const Surface& surface,
                                const Extent& extent,
                                std::uint64_t triangles,
                                const SurfaceTarget& target,
                                double wanted_edge_m) {
  // Where an error is wanted and no count, edges whose turn of a quarter radian is as bad as the
  // error.
  const double by_count = find_edge_length(
      extent.area,
      static_cast<double>(std::max<std::uint64_t>({target.triangles, triangles / 1000, 1})));
  const double edge_m = wanted_edge_m > 0      ? wanted_edge_m
                        : target.triangles > 0 ? by_count
                                               : std::min(by_count, 16 * target.error_m);
  std::vector<double> scales(surface.traits.size(), 0.0);
  for (std::size_t i = 0; i < scales.size(); ++i) {
    const SurfaceTrait& trait = surface.traits[i];
    switch (trait.kind) {
      case TraitKind::direction:
        scales[i] = direction_share * edge_m;
        break;
      case TraitKind::color:
        scales[i] = color_share * edge_m;
        break;
      case TraitKind::uv:
        scales[i] =
            extent.uv_area[i] > 0 ? uv_share * std::sqrt(extent.area / extent.uv_area[i]) : 0;
        break;
      case TraitKind::shape:
        scales[i] = 1;
        break;
      case TraitKind::carried:
      case TraitKind::label:
        break;
    }
    scales[i] *= trait.weight;
  }
  return scales;
}

/// Where a trait is among what a wedge has.
struct TraitSlot {
  double scale = 0;         ///< metres that a unit counts for; zero: it only goes along
  std::uint32_t first = 0;  ///< of its components, among those that count or those that go along
};

/// Labels come last.
std::vector<TraitSlot> make_slots(const Surface& surface,
                                  const std::vector<double>& scales,
                                  CollapseField& field) {
  std::vector<TraitSlot> out(scales.size());
  for (const bool labels : {false, true}) {
    for (std::size_t i = 0; i < scales.size(); ++i) {
      const SurfaceTrait& trait = surface.traits[i];
      if ((trait.kind == TraitKind::label) == labels) {
        std::uint32_t& size = scales[i] > 0 ? field.counted : field.carried;
        out[i] = {scales[i], size};
        size += trait.components;
        field.labels += labels ? trait.components : 0;
      }
    }
  }
  return out;
}

CollapseField make_field(const Surface& surface,
                         Welded& welded,
                         const std::vector<double>& scales,
                         const SurfaceSettings& settings,
                         const RunControl& run,
                         std::vector<TraitSlot>& slots) {
  CollapseField out;
  out.vertex_places = settings.places;
  out.net = make_surface_net(std::move(welded.corners), welded.point_of, welded.points, run);
  out.places.resize(3 * std::size_t{welded.points});
  slots = make_slots(surface, scales, out);
  const std::size_t wedges = welded.vertex_of.size();
  out.values.resize(wedges * out.counted);
  out.along.resize(wedges * out.carried);
  if (!surface.held.empty()) {
    out.held.resize(welded.points);
  }
  for (std::size_t w = 0; w < wedges; ++w) {
    const std::size_t v = welded.vertex_of[w];
    const std::size_t point = welded.point_of[w];
    std::copy_n(&surface.positions[3 * v], 3, &out.places[3 * point]);
    for (std::size_t i = 0; i < slots.size(); ++i) {
      const SurfaceTrait& trait = surface.traits[i];
      const float* given = &trait.values[trait.components * v];
      float* const to = slots[i].scale > 0 ? out.values.data() + w * out.counted + slots[i].first
                                           : out.along.data() + w * out.carried + slots[i].first;
      for (std::size_t k = 0; k < trait.components; ++k) {
        to[k] = slots[i].scale > 0 ? static_cast<float>(slots[i].scale * given[k]) : given[k];
      }
    }
    if (!surface.held.empty()) {
      out.held[point] = std::max(out.held[point], surface.held[v]);
    }
  }
  return out;
}

/// Takes a surface out of what was reduced.
class Output {
 public:
  Output(const Surface& surface,
         const Welded& welded,
         const std::vector<TraitSlot>& slots,
         const CollapseField& field)
      : surface_(surface),
        welded_(welded),
        slots_(slots),
        field_(field),
        vertex_(welded.vertex_of.size(), no_index) {
    out_.traits.resize(surface.traits.size());
  }

  ReducedSurface make() {
    // By triangle of the input: which of the field it is, if it is still there.
    std::vector<std::uint32_t> found(surface_.indices.size() / 3, no_index);
    for (std::uint32_t t = 0; t < welded_.triangle_from.size(); ++t) {
      if (field_.net.lives(3 * t)) {
        found[welded_.triangle_from[t]] = t;
      }
    }
    std::size_t next_aside = 0;
    for (std::uint32_t t = 0; t < found.size(); ++t) {
      if (next_aside < welded_.aside.size() && welded_.aside[next_aside] == t) {
        add_old(t);
        ++next_aside;
      } else if (found[t] != no_index) {
        add(found[t]);
      }
    }
    return std::move(out_);
  }

 private:
  void add(std::size_t t) {
    const SurfaceNet& net = field_.net;
    bool moved = false;
    for (std::size_t c = 3 * t; c < 3 * t + 3; ++c) {
      const std::uint32_t wedge = net.wedge_of[c];
      if (vertex_[wedge] == no_index) {
        vertex_[wedge] =
            field_.moved[wedge] != 0 ? add_moved(wedge) : add_vertex(welded_.vertex_of[wedge]);
      }
      out_.indices.push_back(vertex_[wedge]);
      moved = moved || out_.vertex_from[vertex_[wedge]] == no_index;
    }
    out_.triangle_from.push_back(welded_.triangle_from[t]);
    out_.held += !moved && is_held(surface_, welded_.triangle_from[t]) ? 1U : 0U;
  }

  /// A triangle of the input that took no part.
  void add_old(std::uint32_t triangle) {
    for (std::size_t c = 0; c < 3; ++c) {
      const std::uint32_t v = surface_.indices[3 * std::size_t{triangle} + c];
      std::uint32_t& vertex = vertex_[welded_.wedge_of[v]];
      if (vertex == no_index) {
        vertex = add_vertex(v);
      }
      out_.indices.push_back(vertex);
    }
    out_.triangle_from.push_back(triangle);
    ++out_.held;
  }

  std::uint32_t add_vertex(std::uint32_t from) {
    const float* at = &surface_.positions[3 * std::size_t{from}];
    out_.positions.insert(out_.positions.end(), at, at + 3);
    for (std::size_t i = 0; i < out_.traits.size(); ++i) {
      const SurfaceTrait& trait = surface_.traits[i];
      const float* values = &trait.values[trait.components * std::size_t{from}];
      out_.traits[i].insert(out_.traits[i].end(), values, values + trait.components);
    }
    out_.vertex_from.push_back(from);
    return static_cast<std::uint32_t>(out_.vertex_from.size() - 1);
  }

  std::uint32_t add_moved(std::uint32_t wedge) {
    const CollapseField& in = field_;
    const float* at = &in.places[3 * std::size_t{in.net.point_of[wedge]}];
    out_.positions.insert(out_.positions.end(), at, at + 3);
    for (std::size_t i = 0; i < out_.traits.size(); ++i) {
      const SurfaceTrait& trait = surface_.traits[i];
      const TraitSlot& slot = slots_[i];
      const float* from = slot.scale > 0 ? &in.values[std::size_t{wedge} * in.counted + slot.first]
                                         : &in.along[std::size_t{wedge} * in.carried + slot.first];
      std::array<double, 16> values{};
      for (std::size_t k = 0; k < trait.components; ++k) {
        values[k] = slot.scale > 0 ? from[k] / slot.scale : double{from[k]};
      }
      settle(trait, values);
      for (std::size_t k = 0; k < trait.components; ++k) {
        out_.traits[i].push_back(static_cast<float>(values[k]));
      }
    }
    out_.vertex_from.push_back(no_index);
    return static_cast<std::uint32_t>(out_.vertex_from.size() - 1);
  }

  /// What fits best may be no value of its kind: a direction has length one, a colour a range.
  static void settle(const SurfaceTrait& trait, std::array<double, 16>& values) {
    if (trait.kind == TraitKind::direction) {
      const double size =
          std::sqrt(dot({values[0], values[1], values[2]}, {values[0], values[1], values[2]}));
      for (std::size_t k = 0; k < 3 && size > 0; ++k) {
        values[k] /= size;
      }
    } else if (trait.kind == TraitKind::color) {
      for (double& value : values) {
        value = std::max(value, 0.0);
      }
    }
  }

  const Surface& surface_;
  const Welded& welded_;
  const std::vector<TraitSlot>& slots_;
  const CollapseField& field_;
  std::vector<std::uint32_t> vertex_;  // by wedge
  ReducedSurface out_;
};

}  // namespace

std::string_view to_string(ReducedTo why) {
  constexpr std::array<std::string_view, reduced_to_count> names{"count", "error", "held", "shape"};
  return names[static_cast<std::size_t>(why)];
}

Result<ReducedSurface> reduce_surface(const Surface& surface,
                                      const SurfaceTarget& target,
                                      const SurfaceSettings& settings,
                                      const RunControl& run) {
  Welded welded = weld(surface);
  const std::vector<double> scales = make_scales(
      surface, measure(surface, welded), welded.triangle_from.size(), target, settings.edge_m);
  std::vector<TraitSlot> slots;
  CollapseField field = make_field(surface, welded, scales, settings, run, slots);
  field.weigh(run);
  SurfaceTarget left = target;
  left.triangles -= std::min<std::uint64_t>(left.triangles, welded.aside.size());
  Collapse done;
  if (!goes_on(run, "reducing") || !collapse(field, left, run, done)) {
    return Failure(make_cancelled());
  }
  ReducedSurface out = Output(surface, welded, slots, field).make();
  out.steps = std::move(done.steps);
  for (SurfaceStep& step : out.steps) {
    step.triangles += welded.aside.size();
  }
  out.error_m = done.error_m;
  out.why = done.why;
  if (out.why == ReducedTo::shape && out.held > target.triangles) {
    out.why = ReducedTo::held;
  }
  drop_specks(surface, target, out);
  return out;
}

}  // namespace wakuzume
