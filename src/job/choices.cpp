// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <numeric>
#include <utility>

#include "wakuzume/figures_of.h"
#include "wakuzume/job.h"

namespace wakuzume {
namespace {

double count_texels(const RectSize& size, std::uint32_t halvings) {
  return static_cast<double>(size.width_px >> halvings) * (size.height_px >> halvings);
}

/// Of pictures that are painted when a plan is built.
double count_painted(const RoutePlan& routes) {
  double texels = 0;
  for (const AtlasPage& page : routes.pages) {
    for (std::size_t c = 0; c < channel_count; ++c) {
      texels += page.has(static_cast<Channel>(c)) ? count_texels(page.size, page.halvings[c]) : 0;
    }
  }
  for (const LayerStack& stack : routes.stacks) {
    for (const LayerStack::Layers& layers : stack.channels) {
      texels += count_texels(layers.size, 0) * layers.count();
    }
  }
  return texels;
}

double find_figure(const std::vector<Figure>& figures, std::string_view name) {
  const auto hit = std::find_if(figures.begin(), figures.end(),
                                [&](const Figure& figure) { return figure.name == name; });
  return hit == figures.end() ? 0 : hit->value;
}

/// By what materials keep, the middle by draws.
/// \param density  of a route that is to count
void add_densities(const RoutePlan& routes,
                   double MaterialRoute::*density,
                   MaterialChoice& choice) {
  std::vector<std::pair<double, std::uint32_t>> textured;
  std::uint64_t draws = 0;
  for (const MaterialRoute& route : routes.routes) {
    if (route.texels_per_metre > 0) {
      textured.emplace_back(route.*density, route.draws);
      draws += route.draws;
      choice.least_kept = std::min(choice.least_kept, route.*density / route.texels_per_metre);
    }
  }
  std::sort(textured.begin(), textured.end());
  std::uint64_t below = 0;
  for (const auto& [texels, own] : textured) {
    below += own;
    if (2 * below >= draws) {
      choice.usual_texels_per_metre = texels;
      break;
    }
  }
  choice.least_texels_per_metre = textured.empty() ? 0 : textured.front().first;
}

Result<MaterialChoice> try_goal(const Scene& scene,
                                const Job& job,
                                const JobTools& tools,
                                const RunControl& run,
                                MaterialChoice choice,
                                RoutePlan& routes) {
  Job tried = job;
  tried.settings.materials = choice.settings;
  auto source = prepare(scene, tried, tools, run);
  if (!source) {
    return Failure(source.error());
  }
  const auto plan = propose(*source, tried, run);
  if (!plan) {
    return Failure(plan.error());
  }
  std::vector<DrawId> draws(source->survey.draws.size());
  for (std::size_t d = 0; d < draws.size(); ++d) {
    draws[d] = make_id<DrawId>(d);
  }
  const auto figures = make_figures_of(draws, source->source.scene, source->survey,
                                       source->outlook.images, job.profile);
  choice.materials = static_cast<std::uint64_t>(find_figure(figures, "materials"));
  choice.megabytes =
      find_figure(figures, "texture_megabytes") +
      count_painted(source->routes) * job.profile.texture_bytes_per_texel * 4 / 3 / 1e6;
  choice.pages = source->routes.pages.size() + source->routes.stacks.size();
  choice.draws = plan->forecast.after.draws;
  choice.view_draws = plan->forecast.after.view_draws.median;
  add_densities(source->routes, &MaterialRoute::texels_per_metre_after, choice);
  routes = std::move(source->routes);
  return choice;
}

}  // namespace

Result<std::vector<MaterialChoice>> list_material_choices(const Scene& scene,
                                                          const Job& job,
                                                          const JobTools& tools,
                                                          const RunControl& run) {
  std::vector<MaterialChoice> out;
  for (const auto& [name, goal] : {std::pair("keep", MaterialGoal::keep),
                                   std::pair("full_resolution", MaterialGoal::full_resolution),
                                   std::pair("fewest_draws", MaterialGoal::fewest_draws)}) {
    MaterialChoice choice{name, job.settings.materials};
    choice.settings.goal = goal;
    RoutePlan routes;
    auto tried = try_goal(scene, job, tools, run, std::move(choice), routes);
    if (!tried) {
      return Failure(tried.error());
    }
    out.push_back(std::move(*tried));
    if (goal == MaterialGoal::full_resolution) {
      // Where all are kept nobody measures them; they are what the others begin with.
      add_densities(routes, &MaterialRoute::texels_per_metre, out.front());
    }
  }
  return out;
}

}  // namespace wakuzume
