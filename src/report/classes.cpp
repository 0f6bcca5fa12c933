// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <map>
#include <set>

#include "report/palette.h"
#include "report/text.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

/// \param name_of  of a draw; empty: in no class
DrawClasses sort_into_classes(const Survey& survey,
                              const std::function<std::string(std::size_t)>& name_of) {
  DrawClasses out;
  std::map<std::string, std::uint32_t> counts;
  std::vector<std::string> names(survey.draws.size());
  for (std::size_t d = 0; d < names.size(); ++d) {
    names[d] = name_of(d);
    if (!names[d].empty()) {
      ++counts[names[d]];
    }
  }
  for (const auto& [name, count] : counts) {
    out.classes.push_back({name, {}, count});
  }
  std::stable_sort(out.classes.begin(), out.classes.end(),
                   [](const auto& a, const auto& b) { return a.draws > b.draws; });
  std::map<std::string, std::uint32_t> places;
  for (std::size_t c = 0; c < out.classes.size(); ++c) {
    out.classes[c].color = make_class_color(c);
    places[out.classes[c].name] = static_cast<std::uint32_t>(c);
  }
  for (const std::string& name : names) {
    out.of_draw.push_back(name.empty() ? no_index : places[name]);
  }
  return out;
}

DrawClasses make_draw_classes(const Survey& survey) {
  DrawClasses out;
  out.each_alone = true;
  std::vector<Box3d> boxes;
  for (const Draw& draw : survey.draws) {
    boxes.push_back(draw.box);
  }
  const std::vector<Color> colors = make_neighbour_colors(boxes);
  for (std::size_t d = 0; d < colors.size(); ++d) {
    out.classes.push_back({"", colors[d], 1});
    out.of_draw.push_back(static_cast<std::uint32_t>(d));
  }
  return out;
}

/// Names of the groups that draws are in, by what is asked.
std::map<DrawRef, std::string> find_groups(const ClassSource& from) {
  std::map<DrawRef, std::string> out;
  if (from.plan != nullptr) {
    for (const Group& group : from.plan->groups) {
      for (const DrawRef& member : group.members) {
        out[member] = group.name;
      }
    }
    return out;
  }
  std::map<DrawRef, std::string> results;
  for (const LedgerResult& result : from.ledger->results) {
    results[{result.node, result.primitive}] = result.group;
  }
  if (!from.of_source) {
    return results;
  }
  for (const LedgerRow& row : from.ledger->rows) {
    const auto hit = results.find({row.node, row.primitive});
    if (hit != results.end()) {
      out[row.source] = hit->second;
    }
  }
  return out;
}

std::map<DrawRef, std::string> find_routes(const Scene& scene,
                                           const Survey& survey,
                                           const ClassSource& from) {
  std::map<DrawRef, std::string> out;
  const RoutePlan& routes = from.plan != nullptr ? from.plan->routes : from.ledger->routes;
  const bool of_source = from.plan != nullptr || from.of_source;
  std::set<std::string> pages;
  std::set<std::string> stacks;
  for (const AtlasPage& page : routes.pages) {
    pages.insert(page.name);
  }
  for (const LayerStack& stack : routes.stacks) {
    stacks.insert(stack.name);
  }
  for (const Draw& draw : survey.draws) {
    std::string route = "stay";
    if (of_source && draw.material != no_material) {
      const MaterialRoute* const found = routes.find(draw.material);
      route = found == nullptr ? "stay" : to_string(found->route);
    } else if (!of_source) {
      // A shared material tells by its name what it is made of.
      const std::string name = name_of(scene, draw.material);
      route = pages.contains(name) ? "atlas" : stacks.contains(name) ? "layers" : "stay";
    }
    out[{draw.node, draw.primitive}] = route;
  }
  return out;
}

/// Times that the texture of each draw is repeated, as a word.
std::string find_tiling(const Scene& scene, const Survey& survey, const Draw& draw) {
  if (draw.material == no_material ||
      scene[draw.material].base_color_texture.texture == no_texture) {
    return "no texture";
  }
  const TextureSlot& slot = scene[draw.material].base_color_texture;
  const UvRange* const range = survey[draw.shape].find_uvs(find_uv_set(slot));
  if (range == nullptr) {
    return "no UVs";
  }
  const double tiles = range->count_tiles();
  return range->inside_tile()   ? "inside one tile"
         : range->shift_fixes() ? "inside, once shifted by whole tiles"
         : tiles <= 4           ? "repeated up to 4 times"
         : tiles <= 64          ? "repeated up to 64 times"
                                : "repeated more often";
}

/// A group has the same colour in the source and in the result, which count its draws otherwise.
void set_colors_by_name(DrawClasses& classes) {
  std::map<std::string, std::size_t> places;
  for (const DrawClasses::Class& one : classes.classes) {
    places.emplace(one.name, 0);
  }
  std::size_t next = 0;
  for (auto& [name, place] : places) {
    place = next++;
  }
  for (DrawClasses::Class& one : classes.classes) {
    one.color = make_class_color(places[one.name]);
  }
}

/// The same word has the same colour in every scene.
void set_fixed_colors(DrawClasses& classes) {
  static const std::map<std::string, Color> fixed{
      {"inside one tile", {92, 168, 110}},
      {"inside, once shifted by whole tiles", {84, 150, 190}},
      {"repeated up to 4 times", {232, 206, 92}},
      {"repeated up to 64 times", {230, 134, 60}},
      {"repeated more often", {196, 52, 60}},
      {"no texture", {128, 130, 134}},
      {"no UVs", {168, 90, 176}},
      {"stay", {128, 130, 134}},
      {"fold", {84, 150, 190}},
      {"tint", {214, 110, 160}},
      {"atlas", {92, 168, 110}},
      {"layers", {232, 178, 72}},
      {"rebake", {140, 112, 200}}};
  for (DrawClasses::Class& one : classes.classes) {
    const auto hit = fixed.find(one.name);
    one.color = hit == fixed.end() ? one.color : hit->second;
  }
}

}  // namespace

std::string_view to_string(Showing showing) {
  constexpr std::array<std::string_view, showing_count> words{
      "shaded", "draws",     "keys",     "families", "clusters", "routes", "tiling",
      "texels", "triangles", "surfaces", "wire",     "lightmap", "layers", "order"};
  return words[static_cast<std::size_t>(showing)];
}

Result<DrawClasses> make_classes(const Scene& scene,
                                 const Survey& survey,
                                 Showing showing,
                                 const ClassSource& from) {
  const bool needs_plan = showing == Showing::clusters || showing == Showing::routes;
  if (needs_plan && from.plan == nullptr && from.ledger == nullptr) {
    return Failure(
        Error{ErrorCode::bad_setting,
              fmt::format("{} are those of a plan or a ledger; name one", to_string(showing)),
              {}});
  }
  const auto by_map = [&](const std::map<DrawRef, std::string>& names) {
    return sort_into_classes(survey, [&](std::size_t d) {
      const auto hit = names.find({survey.draws[d].node, survey.draws[d].primitive});
      return hit == names.end() ? std::string() : hit->second;
    });
  };
  DrawClasses out;
  switch (showing) {
    case Showing::draws:
      return make_draw_classes(survey);
    case Showing::keys:
      return sort_into_classes(
          survey, [&](std::size_t d) { return to_string(scene, survey[survey.draws[d].key]); });
    case Showing::lightmap:
      out = sort_into_classes(survey, [&](std::size_t d) {
        const std::string& page = survey[survey.draws[d].key].lightmap;
        return page.empty() ? page : "page " + page;
      });
      set_colors_by_name(out);
      break;
    case Showing::families: {
      std::vector<std::uint32_t> counts(survey.families.size());
      for (const Draw& draw : survey.draws) {
        ++counts[to_index(survey[draw.shape].family)];
      }
      return sort_into_classes(survey, [&](std::size_t d) {
        const Draw& draw = survey.draws[d];
        const std::size_t family = to_index(survey[draw.shape].family);
        const std::string& name = scene[draw.mesh].name;
        return counts[family] < 2 ? std::string()
                                  : fmt::format("{} #{}", name.empty() ? "family" : name, family);
      });
    }
    case Showing::clusters:
      out = by_map(find_groups(from));
      set_colors_by_name(out);
      break;
    case Showing::routes:
      out = by_map(find_routes(scene, survey, from));
      break;
    case Showing::tiling:
      out = sort_into_classes(
          survey, [&](std::size_t d) { return find_tiling(scene, survey, survey.draws[d]); });
      break;
    default:
      out.of_draw.assign(survey.draws.size(), no_index);
      break;
  }
  set_fixed_colors(out);
  return out;
}

}  // namespace wakuzume
