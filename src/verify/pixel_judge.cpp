// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "verify/pixel_judge.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <set>

#include "scene/matrix.h"
#include "scene/running.h"
#include "verify/allowance.h"

namespace wakuzume {
namespace {

/// No edge is looked for farther away, however far a surface may lie off.
constexpr double most_reach = 31;

/// Times what a matt surface does, the light of a glossy one changes where its normal turns.
constexpr double shine = 3;

/// Along a ray that meets a surface at under two degrees, it lies so many times as far off.
constexpr double grazing = 32;

/// Pixels whose edges were decided by rounding; more of them are no rounding any more.
constexpr double most_edges = 0.01;

int find_step(const std::uint8_t* a, const std::uint8_t* b) {
  return std::max({std::abs(a[0] - b[0]), std::abs(a[1] - b[1]), std::abs(a[2] - b[2])});
}

/// Its texels lie among others than before: from afar, other ones are averaged with them.
bool is_refiltered(Route route) {
  return route == Route::atlas || route == Route::layers || route == Route::rebake;
}

/// The route by which texels came where a material's are: what folds into another, or is tinted as
/// another, shows those of that one.
Route find_texels(const RoutePlan& routes, const MaterialRoute& route) {
  if (route.stack != no_index) {
    return Route::layers;
  }
  if (route.page != no_index) {
    return routes.pages[route.page].tiles[route.tile].baked() ? Route::rebake : Route::atlas;
  }
  return route.route;
}

std::array<std::uint8_t, 3> find_heat_color(int step) {
  // From dark red by orange to white, as hot metal; small differences begin well above black.
  const double t = std::sqrt(std::min(1.0, step / 96.0));
  const auto channel = [](double v) {
    return static_cast<std::uint8_t>(std::lround(255 * std::clamp(v, 0.0, 1.0)));
  };
  return {channel(0.55 + 0.9 * t), channel(1.6 * t - 0.35), channel(2.4 * t - 1.4)};
}

}  // namespace

bool PixelJudge::is_wrong(Kind kind) {
  return kind == Kind::color || kind == Kind::other_draw || kind == Kind::moved;
}

/// \pre a kind that is wrong
PixelFault PixelJudge::find_fault(Kind kind) {
  return static_cast<PixelFault>(static_cast<int>(kind) - static_cast<int>(Kind::color));
}

/// Both shots with what is behind each of their pixels.
struct PixelJudge::Pair {
  const Shot& before;
  const Shot& after;
  std::vector<std::uint32_t> ids_before;
  std::vector<std::uint32_t> ids_after;
  double px_per_m = 0;  ///< a metre away
  bool perspective = true;

  /// Pixels by which what lies off by so much may be off in the picture.
  [[nodiscard]] std::size_t find_reach(float off_m, float distance_m) const {
    const double near = perspective ? std::max(static_cast<double>(distance_m), 1e-6) : 1.0;
    const double px = static_cast<double>(off_m) * px_per_m / near;
    return 1 + static_cast<std::size_t>(std::ceil(std::clamp(px - 1e-3, 0.0, most_reach)));
  }

  [[nodiscard]] int step(std::size_t p) const {
    return find_step(&before.picture.rgba[4 * p], &after.picture.rgba[4 * p]);
  }

  /// Calls `visit(q)` for the pixel and those around it, up to so many away in any direction.
  /// \return whether some call was true
  template <class Visit>
  [[nodiscard]] bool any_around(std::size_t p, const Visit& visit, std::size_t reach = 1) const {
    const std::size_t width = before.width_px;
    const std::size_t x = p % width;
    const std::size_t y = p / width;
    const std::size_t last_row = std::min<std::size_t>(y + reach, before.height_px - 1);
    for (std::size_t v = y - std::min(y, reach); v <= last_row; ++v) {
      for (std::size_t u = x - std::min(x, reach); u <= std::min(x + reach, width - 1); ++u) {
        const double across = static_cast<double>(u) - static_cast<double>(x);
        const double down = static_cast<double>(v) - static_cast<double>(y);
        const double radius = static_cast<double>(reach) + 0.5;
        if (across * across + down * down <= radius * radius && visit(v * width + u)) {
          return true;
        }
      }
    }
    return false;
  }

  /// The colour is between those that the source shows around, give or take some steps.
  [[nodiscard]] bool is_among_colors(std::size_t p, double steps, std::size_t reach) const {
    std::array<std::uint8_t, 3> low{255, 255, 255};
    std::array<std::uint8_t, 3> high{0, 0, 0};
    return any_around(
        p,
        [&](std::size_t q) {
          bool among = true;
          for (std::size_t c = 0; c < 3; ++c) {
            low[c] = std::min(low[c], before.picture.rgba[4 * q + c]);
            high[c] = std::max(high[c], before.picture.rgba[4 * q + c]);
            const int is = after.picture.rgba[4 * p + c];
            among = among && is >= low[c] - steps && is <= high[c] + steps;
          }
          return among;
        },
        reach);
  }

  /// What one shows here the other shows within a pixel, both ways.
  [[nodiscard]] bool swaps_colors(std::size_t p, double steps) const {
    const std::uint8_t* const a = &before.picture.rgba[4 * p];
    const std::uint8_t* const b = &after.picture.rgba[4 * p];
    return any_around(
               p,
               [&](std::size_t q) { return find_step(&before.picture.rgba[4 * q], b) <= steps; }) &&
           any_around(
               p, [&](std::size_t q) { return find_step(&after.picture.rgba[4 * q], a) <= steps; });
  }
};

PixelJudge::PixelJudge(const DrawnScene& before,
                       const DrawnScene& after,
                       const Ledger& ledger,
                       std::span<const ReductionCheck> reductions,
                       const VerifySettings& settings)
    : before_(before.survey),
      after_(after.survey),
      ledger_(ledger),
      settings_(settings),
      index_(ledger) {
  find_slacks(before.survey, ledger, reductions);
  route_of_draw_.assign(before_.draws.size(), Route::stay);
  const RoutePlan& routes = ledger.routes;
  for (std::size_t d = 0; d < before_.draws.size(); ++d) {
    const Draw& draw = before_.draws[d];
    const DrawRef ref{draw.node, draw.primitive};
    const MaterialRoute* const route =
        draw.material == no_material ? nullptr : routes.find(draw.material);
    if (route != nullptr &&
        !std::binary_search(routes.untouched.begin(), routes.untouched.end(), ref) &&
        !std::binary_search(routes.left_alone.begin(), routes.left_alone.end(), ref)) {
      route_of_draw_[d] = find_texels(routes, *route);
    }
    const bool instanced = slack_of_draw_[d] > 0;
    bent_.push_back(instanced && draw.material != no_material &&
                    before.scene[draw.material].normal_texture.texture != no_texture &&
                    primitive_of(before.scene, draw).find("TANGENT") == no_stream);
    masked_.push_back(draw.material != no_material &&
                      before.scene[draw.material].alpha_mode == AlphaMode::mask);
    const auto tolerance = [&](Route r) { return settings.pixels[static_cast<std::size_t>(r)]; };
    if (tolerance(route_of_draw_[d]).steps > tolerance(loosest_).steps) {
      loosest_ = route_of_draw_[d];
    }
  }
}

/// How far out of their places draws may be: repeats, and what was reduced or quantised.
void PixelJudge::find_slacks(const Survey& survey,
                             const Ledger& ledger,
                             std::span<const ReductionCheck> reductions) {
  // Draws of a survey are in the order of their nodes and primitives.
  const auto find_draw = [&](const DrawRef& ref) {
    const auto hit = std::lower_bound(survey.draws.begin(), survey.draws.end(), ref,
                                      [](const Draw& d, const DrawRef& r) {
                                        return DrawRef{d.node, d.primitive} < r;
                                      });
    return hit != survey.draws.end() && DrawRef{hit->node, hit->primitive} == ref
               ? static_cast<std::uint32_t>(hit - survey.draws.begin())
               : unknown;
  };
  slack_of_draw_.assign(survey.draws.size(), 0);
  for (const LedgerRow& row : ledger.rows) {
    const std::uint32_t draw = find_draw(row.source);
    draw_of_row_.push_back(draw);
    if (draw != unknown && row.fate == Fate::instanced) {
      slack_of_draw_[draw] =
          static_cast<float>(ledger.families.tolerance * find_diagonal(survey.draws[draw].box));
    }
  }
  quantised_m_ = static_cast<float>(find_allowance(ledger.geometry).position_m);
  turned_steps_ = shine * 255 * find_allowance(ledger.geometry).direction;
  off_of_draw_.assign(survey.draws.size(), quantised_m_);
  most_off_ = quantised_m_;
  reduced_.assign(survey.draws.size(), false);
  std::map<MeshId, float> off;
  for (const ReductionCheck& check : reductions) {
    off[check.mesh] = static_cast<float>(check.farthest_m);
  }
  const std::vector<DrawRef>& untouched = ledger.reduction.untouched;
  for (std::size_t d = 0; d < survey.draws.size(); ++d) {
    const Draw& draw = survey.draws[d];
    const auto hit = off.find(draw.mesh);
    if (hit != off.end() && !std::binary_search(untouched.begin(), untouched.end(),
                                                DrawRef{draw.node, draw.primitive})) {
      // What lies off by nothing that can be measured was reduced still.
      off_of_draw_[d] += std::max(hit->second, std::numeric_limits<float>::min());
      most_off_ = std::max(most_off_, off_of_draw_[d]);
      reduced_[d] = true;
      any_reduced_ = true;
    }
  }
}

bool PixelJudge::is_off(std::uint32_t draw) const {
  return draw < off_of_draw_.size() && off_of_draw_[draw] > 0;
}

/// Itself, or through it.
bool PixelJudge::may_be_off(std::uint32_t draw) const {
  return is_off(draw) ||
         (most_off_ > 0 && draw < before_.draws.size() && before_.draws[draw].blended);
}
bool PixelJudge::may_show_reduced(std::uint32_t draw) const {
  return draw < reduced_.size() &&
         (reduced_[draw] || (any_reduced_ && before_.draws[draw].blended));
}

/// By which route a pixel of a draw is judged. Through blended surfaces other draws show, whose
/// routes are not known.
Route PixelJudge::find_route(std::uint32_t draw) const {
  return draw >= before_.draws.size()  ? Route::stay
         : before_.draws[draw].blended ? loosest_
                                       : route_of_draw_[draw];
}

double PixelJudge::find_steps(std::uint32_t draw) const {
  double steps = settings_.pixels[static_cast<std::size_t>(find_route(draw))].steps;
  if (may_show_reduced(draw)) {
    steps = std::max(steps, settings_.reduced.steps);
  }
  steps += turned_steps_;
  return draw < bent_.size() && bent_[draw] ? std::max(steps, settings_.bent_repeat_steps) : steps;
}

/// The source draw behind each pixel of a result.
std::vector<std::uint32_t> PixelJudge::find_sources(const Shot& after,
                                                    const RunControl& run) const {
  std::vector<std::uint32_t> out(after.hits.size(), no_index);
  for_each_range(after.hits.size(), 16384, {run.threads, nullptr}, "comparing",
                 [&](std::size_t begin, std::size_t end) {
                   Hit last;
                   std::uint32_t known = no_index;
                   for (std::size_t p = begin; p < end; ++p) {
                     const Hit& hit = after.hits[p];
                     if (hit.draw == no_draw) {
                       continue;
                     }
                     if (hit.draw != last.draw || hit.instance != last.instance ||
                         hit.element != last.element) {
                       const Draw& draw = after_[hit.draw];
                       const LedgerRow* const row =
                           index_.find(draw.node, draw.primitive, hit.instance,
                                       hit.element * count_corners(after_[draw.shape].topology));
                       known =
                           row == nullptr
                               ? unknown
                               : draw_of_row_[static_cast<std::size_t>(row - ledger_.rows.data())];
                       last = hit;
                     }
                     out[p] = known;
                   }
                 });
  return out;
}

PixelJudge::Kind PixelJudge::judge_same_draw(const Pair& pair, std::size_t p) const {
  const std::uint32_t draw = pair.ids_before[p];
  if (draw == no_index || draw == unknown) {
    return draw == unknown ? Kind::other_draw : Kind::same;
  }
  const Hit& a = pair.before.hits[p];
  const Hit& b = pair.after.hits[p];
  if (a.distance_m == b.distance_m && pair.step(p) == 0) {
    return Kind::same;
  }
  const double steps = find_steps(draw);
  const double allowed =
      settings_.distance_tolerance * std::abs(static_cast<double>(a.distance_m)) +
      static_cast<double>(slack_of_draw_[draw]) + static_cast<double>(off_of_draw_[draw]) +
      grazing * static_cast<double>(quantised_m_);
  const bool off = may_be_off(draw);
  const std::size_t reach =
      off ? pair.find_reach(is_off(draw) ? off_of_draw_[draw] : most_off_, a.distance_m) : 1;
  if (std::abs(static_cast<double>(a.distance_m) - static_cast<double>(b.distance_m)) > allowed) {
    // Where the surface bends or ends within a pixel, either side may show.
    float nearest = a.distance_m;
    float farthest = a.distance_m;
    (void)pair.any_around(
        p,
        [&](std::size_t q) {
          if (pair.ids_before[q] == draw) {
            nearest = std::min(nearest, pair.before.hits[q].distance_m);
            farthest = std::max(farthest, pair.before.hits[q].distance_m);
          }
          return false;
        },
        reach);
    // Behind an edge that went away shows what was never seen.
    const double room = allowed + (off ? static_cast<double>(farthest - nearest) : 0.0);
    const bool within = static_cast<double>(b.distance_m) > static_cast<double>(nearest) - room &&
                        static_cast<double>(b.distance_m) < static_cast<double>(farthest) + room;
    const double slope = 0.1 * static_cast<double>(farthest - nearest);
    if (off && within) {
      return pair.step(p) <= steps                   ? Kind::same
             : pair.is_among_colors(p, steps, reach) ? Kind::shifted
                                                     : Kind::color;
    }
    if (!within || pair.step(p) > steps) {
      return within && pair.swaps_colors(p, steps) ? Kind::edge : Kind::moved;
    }
    if (std::abs(static_cast<double>(a.distance_m) - static_cast<double>(b.distance_m)) >
        allowed + slope) {
      return Kind::edge;
    }
  }
  if (pair.step(p) <= steps) {
    return Kind::same;
  }
  // No layer is lost, says the audit: one lies on an opaque surface, and shows by chance.
  const auto layers = [&](const Shot& shot) { return shot.layers.empty() ? 0 : shot.layers[p]; };
  if (layers(pair.before) != layers(pair.after)) {
    return Kind::tied;
  }
  const bool at_edge = pair.any_around(p, [&](std::size_t q) {
    const Hit& h = pair.before.hits[q];
    const Hit& i = pair.after.hits[q];
    return h.draw != a.draw || h.element != a.element || h.instance != a.instance ||
           i.draw != b.draw || i.element != b.element || i.instance != b.instance;
  });
  if (at_edge && pair.swaps_colors(p, steps)) {
    return Kind::edge;
  }
  if (off && pair.is_among_colors(p, steps, reach)) {
    return Kind::shifted;
  }
  return is_no_farther(pair, p) ? Kind::righted : Kind::color;
}

/// Where layers of the source are drawn in a wrong order: has the result the same layers, in an
/// order that is no farther from the right one, by its pairs or by what it shows?
bool PixelJudge::is_no_farther(const Pair& pair, std::size_t p) const {
  if (pair.before.misplaced.empty() || pair.before.misplaced[p] == 0) {
    return false;
  }
  const auto exact_of = [&](const Shot& shot) {
    return &(shot.exact.rgba.empty() ? shot.picture : shot.exact).rgba[4 * p];
  };
  const double steps = find_steps(pair.ids_before[p]);
  const std::uint8_t* const exact = exact_of(pair.before);
  if (find_step(exact, exact_of(pair.after)) > steps) {
    return false;
  }
  const std::uint16_t misplaced = pair.after.misplaced.empty() ? 0 : pair.after.misplaced[p];
  const int was = find_step(&pair.before.picture.rgba[4 * p], exact);
  const int is = find_step(&pair.after.picture.rgba[4 * p], exact);
  return misplaced <= pair.before.misplaced[p] || is <= std::max<double>(was, steps);
}

/// One draw shows where the other did, and one of both was reduced or quantised: an edge of it went
/// as far as its mesh lies off. A hole is farther from any edge than that.
bool PixelJudge::is_shifted_edge(const Pair& pair, std::size_t p) const {
  const std::uint32_t a = pair.ids_before[p];
  const std::uint32_t b = pair.ids_after[p];
  const auto ends_near = [&](std::uint32_t draw, const Hit& hit, bool shown) {
    return is_off(draw) &&
           pair.any_around(
               p, [&](std::size_t q) { return (pair.ids_before[q] == draw) == shown; },
               pair.find_reach(off_of_draw_[draw], hit.distance_m));
  };
  return ends_near(a, pair.before.hits[p], false) || ends_near(b, pair.after.hits[p], true);
}

PixelJudge::Kind PixelJudge::judge_pixel(const Pair& pair, std::size_t p) const {
  const std::uint32_t a = pair.ids_before[p];
  const std::uint32_t b = pair.ids_after[p];
  if (a == b) {
    return judge_same_draw(pair, p);
  }
  const bool edge = pair.any_around(p, [&](std::size_t q) { return pair.ids_before[q] == b; }) &&
                    pair.any_around(p, [&](std::size_t q) { return pair.ids_after[q] == a; });
  if (is_shifted_edge(pair, p)) {
    return Kind::shifted;
  }
  if (edge) {
    return Kind::edge;
  }
  if (a != no_index && b != no_index && b != unknown) {
    const double near = static_cast<double>(pair.before.hits[p].distance_m);
    const double far = static_cast<double>(pair.after.hits[p].distance_m);
    const double allowed =
        settings_.distance_tolerance * std::abs(near) + 2 * static_cast<double>(quantised_m_);
    if (std::abs(near - far) <= allowed) {
      return Kind::tied;
    }
  }
  return Kind::other_draw;
}

/// Whose a wrong pixel is: of two draws that of the nearer, which is there or missing.
std::uint32_t PixelJudge::find_owner(const Pair& pair, std::size_t p) const {
  const std::uint32_t a = pair.ids_before[p];
  const std::uint32_t b = pair.ids_after[p];
  const std::size_t draws = before_.draws.size();
  const bool first =
      b >= draws || (a < draws && pair.before.hits[p].distance_m <= pair.after.hits[p].distance_m);
  return first ? a : b;
}

/// Whether the wrong pixels are too many for a draw of its size.
DrawFault PixelJudge::judge_fault(DrawFault fault) const {
  const auto color = fault.pixels[static_cast<std::size_t>(PixelFault::color)];
  const bool refiltered = is_refiltered(route_of_draw_[fault.draw]) ||
                          (may_show_reduced(fault.draw) && color == fault.sum());
  const std::uint32_t least = refiltered ? settings_.refiltered_draw_pixels : settings_.draw_pixels;
  const double share = refiltered ? settings_.refiltered_draw_share : settings_.draw_share;
  fault.too_many = std::max(fault.sum(), fault.seen) >= least &&
                   fault.sum() >= settings_.draw_pixels &&
                   fault.sum() > share * std::max(fault.seen, 1U);
  return fault;
}

void PixelJudge::count(const Pair& pair, const std::vector<Kind>& kinds, JudgedView& out) const {
  std::vector<DrawFault> faults(before_.draws.size());
  for (std::size_t p = 0; p < kinds.size(); ++p) {
    if (pair.ids_before[p] < faults.size()) {
      ++faults[pair.ids_before[p]].seen;
    }
    switch (kinds[p]) {
      case Kind::same:
        continue;
      case Kind::edge:
        ++out.check.edge_pixels;
        continue;
      case Kind::tied:
        ++out.check.tied_pixels;
        continue;
      case Kind::righted:
        ++out.check.righted_pixels;
        continue;
      case Kind::shifted:
        ++out.check.shifted_pixels;
        continue;
      default:
        break;
    }
    const PixelFault fault = find_fault(kinds[p]);
    ++out.check.faults[static_cast<std::size_t>(fault)];
    ++out.check.differing;
    const bool disordered = !pair.after.misplaced.empty() && pair.after.misplaced[p] > 0;
    out.check.disordered_pixels += disordered && kinds[p] == Kind::color ? 1U : 0U;
    const std::uint32_t owner = find_owner(pair, p);
    if (owner < faults.size()) {
      ++faults[owner].pixels[static_cast<std::size_t>(fault)];
      if (before_.draws[owner].blended) {
        out.panes.push_back({static_cast<std::uint32_t>(p), owner, fault});
      }
    }
  }
  for (std::size_t d = 0; d < faults.size(); ++d) {
    if (faults[d].sum() > 0) {
      faults[d].draw = static_cast<std::uint32_t>(d);
      out.draws.push_back(judge_fault(faults[d]));
    }
  }
}

void PixelJudge::look_behind_panes(const Viewpoint& seen_from,
                                   const Shot& before,
                                   const Shot& after,
                                   const RunControl& run,
                                   JudgedView& view) const {
  const Pair pair = make_pair(seen_from, before, after, run);
  std::map<std::uint32_t, DrawFault> faults;
  for (const DrawFault& fault : view.draws) {
    faults.emplace(fault.draw, fault);
  }
  std::set<std::uint32_t> behind;
  for (const PanePixel& pane : view.panes) {
    const Kind kind = judge_pixel(pair, pane.pixel);
    const std::uint32_t owner = find_owner(pair, pane.pixel);
    if (!is_wrong(kind) || owner >= before_.draws.size()) {
      continue;
    }
    --faults.at(pane.draw).pixels[static_cast<std::size_t>(pane.fault)];
    DrawFault& fault = faults[owner];
    ++fault.pixels[static_cast<std::size_t>(find_fault(kind))];
    if (fault.draw == no_index) {
      behind.insert(owner);
      fault.draw = owner;
    }
  }
  for (const std::uint32_t id : pair.ids_before) {
    if (behind.contains(id)) {
      ++faults.at(id).seen;
    }
  }
  view.draws.clear();
  for (const auto& [draw, fault] : faults) {
    if (fault.sum() > 0) {
      view.draws.push_back(judge_fault(fault));
    }
  }
  blame(pair.ids_before.size(), view.draws);
}

bool PixelJudge::passes(const Pair& pair, const std::vector<Kind>& kinds) const {
  std::array<std::uint64_t, route_count> wrong{};
  std::uint64_t edges = 0;
  std::uint64_t reduced = 0;
  for (std::size_t p = 0; p < kinds.size(); ++p) {
    // Where both show the same colour nobody can tell which side of an edge it is.
    edges += kinds[p] == Kind::edge && pair.step(p) > find_steps(pair.ids_before[p]) ? 1U : 0U;
    if (kinds[p] == Kind::color && may_show_reduced(pair.ids_before[p])) {
      ++reduced;
    } else if (is_wrong(kinds[p])) {
      Route route = find_route(pair.ids_before[p]);
      if (kinds[p] != Kind::color) {
        // Where a cutout ends is filtered with its texels; else no route moves anything.
        route = Route::stay;
        for (const std::uint32_t draw : {pair.ids_before[p], pair.ids_after[p]}) {
          route = draw < masked_.size() && masked_[draw] ? find_route(draw) : route;
        }
      }
      ++wrong[static_cast<std::size_t>(route)];
    }
  }
  const auto pixels = static_cast<double>(kinds.size());
  for (std::size_t r = 0; r < route_count; ++r) {
    if (static_cast<double>(wrong[r]) > settings_.pixels[r].share * pixels) {
      return false;
    }
  }
  return static_cast<double>(edges) <= most_edges * pixels &&
         static_cast<double>(reduced) <= settings_.reduced.share * pixels;
}

/// Of a view that fails: draws with too many wrong pixels; if there are none, those with the most,
/// until what is left is what a route may have.
void PixelJudge::blame(std::size_t pixels, std::vector<DrawFault>& draws) const {
  bool any = false;
  for (DrawFault& fault : draws) {
    fault.to_blame = fault.too_many;
    any = any || fault.too_many;
  }
  if (any) {
    return;
  }
  std::vector<DrawFault*> order;
  constexpr std::size_t by_reduction = route_count;  // behind the routes
  std::array<double, route_count + 1> left{};
  const auto color = static_cast<std::size_t>(PixelFault::color);
  const auto route = [&](const DrawFault& fault) {
    const bool color_alone = fault.pixels[color] == fault.sum();
    return color_alone && may_show_reduced(fault.draw)
               ? by_reduction
               : static_cast<std::size_t>(color_alone ? find_route(fault.draw) : Route::stay);
  };
  const auto share = [&](std::size_t r) {
    return r == by_reduction ? settings_.reduced.share : settings_.pixels[r].share;
  };
  for (DrawFault& fault : draws) {
    order.push_back(&fault);
    left[route(fault)] += fault.sum();
  }
  std::stable_sort(order.begin(), order.end(),
                   [](const DrawFault* a, const DrawFault* b) { return a->sum() > b->sum(); });
  for (DrawFault* fault : order) {
    const std::size_t r = route(*fault);
    if (left[r] > share(r) * static_cast<double>(pixels)) {
      left[r] -= fault->sum();
      fault->to_blame = true;
    }
  }
}

PixelJudge::Pair PixelJudge::make_pair(const Viewpoint& view,
                                       const Shot& before,
                                       const Shot& after,
                                       const RunControl& run) const {
  const double half = view.perspective ? std::tan(view.yfov / 2) : view.ymag;
  Pair pair{before,
            after,
            std::vector<std::uint32_t>(before.hits.size()),
            find_sources(after, run),
            before.height_px / (2 * half),
            view.perspective};
  std::transform(before.hits.begin(), before.hits.end(), pair.ids_before.begin(),
                 [](const Hit& hit) { return static_cast<std::uint32_t>(hit.draw); });
  return pair;
}

JudgedView PixelJudge::judge(const Viewpoint& view,
                             const Shot& before,
                             const Shot& after,
                             const RunControl& run) const {
  const std::size_t pixels = before.hits.size();
  const Pair pair = make_pair(view, before, after, run);
  JudgedView out;
  ViewCheck& check = out.check;
  check.width_px = before.width_px;
  check.height_px = before.height_px;
  check.before = before.submitted;
  check.after = after.submitted;
  out.heat = {before.width_px, before.height_px, std::vector<std::uint8_t>(4 * pixels)};
  std::vector<Kind> kinds(pixels);
  const std::size_t width = before.width_px;
  std::vector<std::array<std::uint64_t, 2>> sums(before.height_px);  // of steps and their squares
  for_each_index(before.height_px, {run.threads, nullptr}, "comparing", [&](std::size_t y) {
    for (std::size_t p = y * width; p < (y + 1) * width; ++p) {
      kinds[p] = judge_pixel(pair, p);
      const std::uint8_t* const a = &before.picture.rgba[4 * p];
      const std::uint8_t* const b = &after.picture.rgba[4 * p];
      for (std::size_t c = 0; c < 3; ++c) {
        const auto step = static_cast<std::uint64_t>(std::abs(a[c] - b[c]));
        sums[y][0] += step;
        sums[y][1] += step * step;
      }
      const int grey = (a[0] + 2 * a[1] + a[2]) / 12 + 16;
      std::array<std::uint8_t, 3> color{};
      color.fill(static_cast<std::uint8_t>(grey));
      if (kinds[p] == Kind::edge || kinds[p] == Kind::tied) {
        color = {40, 70, 120};
      } else if (kinds[p] == Kind::righted) {
        color = {40, 120, 70};
      } else if (kinds[p] == Kind::shifted) {
        color = {100, 60, 130};
      } else if (kinds[p] != Kind::same) {
        color = find_heat_color(std::max(pair.step(p), 8));
      }
      std::uint8_t* const heat = &out.heat.rgba[4 * p];
      heat[0] = color[0];
      heat[1] = color[1];
      heat[2] = color[2];
      heat[3] = 255;
    }
  });
  std::uint64_t sum = 0;
  std::uint64_t squares = 0;
  for (const auto& row : sums) {
    sum += row[0];
    squares += row[1];
  }
  const double values = 3.0 * static_cast<double>(std::max<std::size_t>(1, pixels));
  check.mean_error = static_cast<double>(sum) / values;
  const double mean_square = static_cast<double>(squares) / values;
  check.psnr_db =
      squares == 0 ? 100 : std::min(100.0, 10 * std::log10(255.0 * 255.0 / mean_square));
  check.likeness = find_likeness(before.picture, after.picture, run);
  count(pair, kinds, out);
  check.passed = passes(pair, kinds) && std::none_of(out.draws.begin(), out.draws.end(),
                                                     [](const DrawFault& f) { return f.too_many; });
  if (check.passed) {
    out.panes.clear();
  } else {
    blame(kinds.size(), out.draws);
  }
  return out;
}

}  // namespace wakuzume
