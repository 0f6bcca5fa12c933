// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "print_looks.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "print_reduction.h"
#include "text.h"
#include "wakuzume/words.h"

namespace wakuzume::cli {
namespace {

constexpr std::size_t most_materials = 24;
constexpr std::size_t name_columns = 26;

std::string print_density(const MaterialRoute& route) {
  if (route.texels_per_metre <= 0) {
    return "";
  }
  const double before = route.texels_per_metre;
  const double after = route.texels_per_metre_after;
  return before == after ? fmt::format("{:.0f}", before)
                         : fmt::format("{:.0f} -> {:.0f}", before, after);
}

std::string print_pages(const RoutePlan& routes) {
  std::string out;
  for (const AtlasPage& page : routes.pages) {
    std::string pictures;
    for (std::size_t c = 0; c < channel_count; ++c) {
      if (page.has(static_cast<Channel>(c))) {
        pictures +=
            fmt::format("{}{}", pictures.empty() ? "" : ", ", to_string(static_cast<Channel>(c)));
        if (page.halvings[c] > 0) {
          pictures += fmt::format(" at 1/{}", 1U << page.halvings[c]);
        }
      }
    }
    double used = 0;
    std::size_t solid = 0;
    for (const Tile& tile : page.tiles) {
      const RectSize outer = tile.outer();
      used += static_cast<double>(outer.width_px) * outer.height_px;
      solid += tile.solid() ? 1U : 0U;
    }
    if (page.layout_set != no_index) {
      out += fmt::format("  {}  {} x {}: {} by UV set {}; {}\n", pad(page.name, name_columns),
                         page.size.width_px, page.size.height_px,
                         plural(page.tiles.size(), "part", "parts"), page.layout_set, pictures);
      continue;
    }
    const double share = used / page.size.width_px / page.size.height_px;
    out += fmt::format("  {}  {} x {}, {:.0f} % full: {}{}; {}\n", pad(page.name, name_columns),
                       page.size.width_px, page.size.height_px, 100 * share,
                       plural(page.tiles.size(), "tile", "tiles"),
                       solid > 0 ? fmt::format(", {} of one colour", solid) : "", pictures);
  }
  return out;
}

/// Layers of each channel, and what all take in memory.
std::string print_stacks(const RoutePlan& routes) {
  std::string out;
  for (const LayerStack& stack : routes.stacks) {
    std::string pictures;
    double bytes = 0;
    for (std::size_t c = 0; c < channel_count; ++c) {
      const auto channel = static_cast<Channel>(c);
      if (!stack.has(channel)) {
        continue;
      }
      const LayerStack::Layers& layers = stack[channel];
      pictures += fmt::format("{}{} {} x {} x {}", pictures.empty() ? "" : ", ", to_string(channel),
                              layers.count(), layers.size.width_px, layers.size.height_px);
      bytes += 4.0 * layers.count() * layers.size.width_px * layers.size.height_px * 4 / 3;
    }
    out += fmt::format("  {}  {}: {}; {} as rgba8\n", pad(stack.name, name_columns),
                       plural(stack.members.size(), "material", "materials"), pictures,
                       to_size(static_cast<std::uint64_t>(bytes)));
  }
  return out;
}

std::string name_of(const Scene& scene, MaterialId id) {
  const std::string& name = scene[id].name;
  return name.empty() ? fmt::format("#{}", to_index(id)) : name;
}

std::string print_split(const Prepared& prepared) {
  if (prepared.split.nodes.empty()) {
    return "";
  }
  const std::vector<SplitRow>& rows = prepared.source.split;
  std::size_t pieces = 0;
  for (const SplitRow& row : rows) {
    pieces += row.pieces.size();
  }
  return rows.empty() ? "Nothing to split: what matches hangs together\n\n"
                      : fmt::format("Split first: {} became {}\n\n",
                                    plural(rows.size(), "draw", "draws"), group_digits(pieces));
}

std::string print_reduced(const Prepared& prepared) {
  if (!prepared.source.unreduced) {
    return prepared.reduction.settings.asks()
               ? "Nothing to reduce: all that is chosen is as coarse as asked\n\n"
               : "";
  }
  return tell_triangles(count_totals(*prepared.source.unreduced),
                        count_totals(prepared.source.before_sharing()), prepared.source,
                        prepared.reduction.settings) +
         "\n";
}

std::string print_cutouts(const Scene& scene, const RoutePlan& routes) {
  if (routes.cutouts.empty()) {
    return asks_for_cutouts(routes.settings) ? "Nothing to cut out: no blended material matches\n\n"
                                             : "";
  }
  std::string out = "Cut out instead of blended\n";
  for (const Cutout& cutout : routes.cutouts) {
    const std::string what =
        !cutout.obstacle.empty()
            ? "no: " + cutout.obstacle
            : fmt::format("{}; {:.2g} % of texels between, {:.2g} of 255 steps lost",
                          cutout.opaque ? "opaque" : "a mask", 100 * cutout.between,
                          cutout.lost_steps);
    out += fmt::format(
        "  {} {:>9}  {}\n", pad(cut(name_of(scene, cutout.material), name_columns), name_columns),
        plural(cutout.draws, "draw", "draws"), cut(what, page_columns - name_columns - 14));
  }
  return out + "\n";
}

/// "1 of 1,024 x 2,048 texels and 2 of 64 x 64", the most first.
template <class Pages>
std::string count_sizes(const Pages& pages) {
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t> sizes;
  for (const auto& page : pages) {
    ++sizes[{page.size.width_px, page.size.height_px}];
  }
  std::vector<std::pair<std::size_t, std::string>> list;
  for (const auto& [size, count] : sizes) {
    list.emplace_back(count,
                      fmt::format("{} x {}", group_digits(size.first), group_digits(size.second)));
  }
  std::stable_sort(list.begin(), list.end(),
                   [](const auto& a, const auto& b) { return a.first > b.first; });
  constexpr std::size_t most = 3;
  std::string out;
  for (std::size_t s = 0; s < std::min(most, list.size()); ++s) {
    out += fmt::format("{}{} of {}{}", s == 0 ? "" : ", ", group_digits(list[s].first),
                       list[s].second, s == 0 ? " texels" : "");
  }
  return out + (list.size() > most ? " and others" : "");
}

const char* tell_sizes(const LightmapPlan& plan) {
  const auto has = [&](PageSizeFrom from) {
    return std::any_of(plan.pages.begin(), plan.pages.end(),
                       [&](const LightmapPage& page) { return page.size_from == from; });
  };
  if (has(PageSizeFrom::guess)) {
    return "  their pictures are not there, and their size is a guess: set "
           "lightmaps.source_page_px\n";
  }
  return has(PageSizeFrom::uvs)
             ? "  their pictures are not there; their size is read off the UVs that lie on texels\n"
             : "";
}

std::string print_lightmaps(const LightmapPlan& plan) {
  if (!plan.joins()) {
    return "";
  }
  std::string out = fmt::format("Lightmap pages joined\n  {} became {}\n", count_sizes(plan.pages),
                                count_sizes(plan.joined)) +
                    tell_sizes(plan);
  for (const std::string& left : plan.left_as) {
    out += "  " + cut(left, page_columns - 2) + "\n";
  }
  return out + "\n";
}

bool is_grouped(const RoutePlan& routes, MaterialId id) {
  return std::any_of(
      routes.grouped.groups.begin(), routes.grouped.groups.end(), [&](const MaterialGroup& group) {
        return std::binary_search(group.materials.begin(), group.materials.end(), id);
      });
}

std::string print_routes(const Source& source, const RoutePlan& routes) {
  if (!routes.shares() || !source.origin) {
    return "";
  }
  std::array<std::size_t, route_count> counts{};
  std::set<std::pair<int, std::uint32_t>> left;  // pages, stacks, and what stays alone
  for (const MaterialRoute& route : routes.routes) {
    ++counts[static_cast<std::size_t>(route.route)];
    if (route.page != no_index) {
      left.insert({0, route.page});
    } else if (route.stack != no_index) {
      left.insert({1, route.stack});
    } else if (route.onto == no_material) {
      left.insert({2, static_cast<std::uint32_t>(route.material)});
    }
  }
  std::string out = fmt::format("Materials: {} -> {}\n", routes.routes.size(), left.size());
  for (std::size_t r = 0; r < counts.size(); ++r) {
    if (counts[r] > 0) {
      out += fmt::format("  {:>9}  {}  {}\n", group_digits(counts[r]),
                         pad(std::string(to_string(static_cast<Route>(r))), 6),
                         explain(static_cast<Route>(r)));
    }
  }
  if (!routes.pages.empty()) {
    out += "\nPages\n" + print_pages(routes);
  }
  if (!routes.stacks.empty()) {
    out += "\nLayers\n" + print_stacks(routes);
  }
  // What stays is what people ask about; then what lost most.
  std::vector<const MaterialRoute*> order;
  for (const MaterialRoute& route : routes.routes) {
    if (routes.settings.goal != MaterialGoal::keep || is_grouped(routes, route.material)) {
      order.push_back(&route);
    }
  }
  const auto rank = [](const MaterialRoute* r) {
    const double kept =
        r->texels_per_metre > 0 ? r->texels_per_metre_after / r->texels_per_metre : 1;
    return std::pair(r->route == Route::stay ? 0 : 1, kept);
  };
  std::stable_sort(order.begin(), order.end(),
                   [&](const auto* a, const auto* b) { return rank(a) < rank(b); });
  out += fmt::format("\n{} {} {} {}\n", pad("Material", name_columns + 2), pad("route", 6),
                     pad("texels/m", 12), "why");
  for (std::size_t r = 0; r < std::min(order.size(), most_materials); ++r) {
    const MaterialRoute& route = *order[r];
    out +=
        fmt::format("  {} {} {} {}\n",
                    pad(cut(name_of(*source.origin, route.material), name_columns), name_columns),
                    pad(std::string(to_string(route.route)), 6), pad(print_density(route), 12),
                    cut(route.reason, page_columns - name_columns - 23));
  }
  if (order.size() > most_materials) {
    out += fmt::format("  and {} more; the plan has all of them\n", order.size() - most_materials);
  }
  if (order.size() < routes.routes.size()) {
    out += fmt::format("  {} in no group are kept\n",
                       plural(routes.routes.size() - order.size(), "material", "materials"));
  }
  return out + "\n";
}

}  // namespace

std::string print_materials(const Prepared& prepared) {
  return print_cutouts(prepared.source.before_sharing(), prepared.routes) +
         print_routes(prepared.source, prepared.routes);
}

std::string to_text(const Prepared& prepared) {
  return print_split(prepared) + print_reduced(prepared) + print_lightmaps(prepared.lightmaps) +
         print_materials(prepared);
}

std::string tell_lightmaps(const LightmapPlan& plan, std::size_t files) {
  const auto shown = static_cast<std::size_t>(
      std::count_if(plan.pages.begin(), plan.pages.end(),
                    [](const LightmapPage& page) { return !page.format.empty(); }));
  return fmt::format("{} of {} have pictures now; {} written beside the result\n",
                     group_digits(shown),
                     plural(plan.pages.size(), "lightmap page", "lightmap pages"),
                     plural(files, "joined one", "joined ones"));
}

}  // namespace wakuzume::cli
