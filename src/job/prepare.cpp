// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "job/prepare.h"

#include <algorithm>
#include <iterator>
#include <optional>

#include "job/ask_wishes.h"
#include "job/source_steps.h"
#include "job/telling.h"

namespace wakuzume {
namespace {

/// Rules for a scene whose lightmap pages are joined.
SurveySettings make_joined_rules(SurveySettings rules, const LightmapPlan& lightmaps) {
  if (lightmaps.joins()) {
    rules.lightmap_transform_key = lightmaps.joined_transform_key();
  }
  return rules;
}

Result<void> survey_source(Prepared& prepared, const SurveySettings& rules, const RunControl& run) {
  auto found = survey(prepared.source.scene, rules, run);
  if (!found) {
    return Failure(found.error());
  }
  prepared.survey = std::move(*found);
  return {};
}

/// Joins the pages of a source that is surveyed, and surveys what came of it.
Result<void> join_pages(Prepared& prepared,
                        const LightmapSettings& settings,
                        const JobTools& tools,
                        const RunControl& run) {
  if (settings.goal == LightmapGoal::keep) {
    return {};
  }
  const auto pictures = find_lightmap_pictures(prepared.source.scene, prepared.survey, settings,
                                               {tools.codec, tools.lightmaps}, run);
  if (!pictures) {
    return Failure(pictures.error());
  }
  auto plan = propose_lightmaps(prepared.source.scene, prepared.survey, *pictures, settings, run);
  if (!plan) {
    return Failure(plan.error());
  }
  warn(run, plan->left_as);
  if (!plan->joins()) {
    return {};
  }
  tell(run, "joined {} lightmap pages", plan->pages.size());
  prepared.lightmaps = std::move(*plan);
  if (auto joined = join_source(prepared.source, prepared.lightmaps, run); !joined) {
    return joined;
  }
  return survey_source(prepared, make_joined_rules(prepared.survey.settings, prepared.lightmaps),
                       run);
}

Result<std::vector<Viewpoint>> list_views(const Scene& scene,
                                          const Survey& survey,
                                          const Job& job) {
  return job.views.empty() ? make_views(scene, survey, job.settings.views)
                           : Result<std::vector<Viewpoint>>(job.views);
}

/// Reduces a source that is surveyed, and surveys what came of it.
Result<void> reduce_meshes(Prepared& prepared,
                           const ReduceSettings& settings,
                           const Job& job,
                           const JobTools& tools,
                           const RunControl& run) {
  if (!settings.asks()) {
    return {};
  }
  const auto views = list_views(prepared.source.scene, prepared.survey, job);
  if (!views) {
    return Failure(views.error());
  }
  std::vector<DetailMask> detail;
  if (settings.protect_detail > 0) {
    auto found = find_fine_detail(prepared.source.scene, tools.codec, settings.protect_detail, run);
    if (!found) {
      return Failure(found.error());
    }
    detail = std::move(*found);
  }
  auto plan = propose_reduction(prepared.source.scene, prepared.survey, settings, *views, run,
                                std::move(detail));
  if (!plan) {
    return Failure(plan.error());
  }
  warn(run, plan->left_as);
  prepared.reduction = std::move(*plan);
  if (!prepared.reduction.reduces()) {
    return {};
  }
  if (auto reduced = reduce_source(prepared.source, prepared.reduction, &tools.codec, run);
      !reduced) {
    return reduced;
  }
  const auto gave = std::count_if(prepared.source.reduced.begin(), prepared.source.reduced.end(),
                                  [](const ReducedMesh& mesh) { return mesh.gave(); });
  tell(run, "reduced {} meshes", gave);
  return survey_source(prepared, prepared.survey.settings, run);
}

/// Blended materials become masks before anything is shared.
Result<void> cut_materials(Prepared& prepared,
                           const MaterialSettings& settings,
                           const RunControl& run) {
  Scene& scene = prepared.source.scene;
  prepared.routes.settings = settings;
  prepared.routes.cutouts = find_cutouts(scene, prepared.survey, prepared.images, settings);
  if (auto done = cut_out(prepared.routes.cutouts, scene); !done) {
    return done;
  }
  return survey_source(prepared, prepared.survey.settings, run);
}

/// Materials of several groups are copied before anything is shared, or cut out.
Result<void> group(Prepared& prepared, const MaterialSettings& settings, const RunControl& run) {
  if (settings.together.empty() && settings.layouts.empty() && settings.place_key.empty() &&
      settings.ungrouped == Ungrouped::allowed) {
    return {};
  }
  Scene& scene = prepared.source.scene;
  auto groups = find_material_groups(scene, prepared.survey, settings, run);
  if (!groups) {
    return Failure(groups.error());
  }
  if (groups->groups.empty()) {
    return {};
  }
  if (auto done = group_materials(*groups, scene); !done) {
    return done;
  }
  tell(run, "grouped materials: {} groups, {} copies", groups->groups.size(),
       groups->copies.size());
  prepared.routes.grouped = std::move(*groups);
  return survey_source(prepared, prepared.survey.settings, run);
}

/// More places like those of the views: to look at orders from them takes no pictures.
Result<std::vector<OrderEye>> list_eyes(const Scene& scene,
                                        const Survey& survey,
                                        const ViewSettings& settings) {
  constexpr std::uint32_t times_as_many = 8;
  constexpr std::uint32_t most = 512;
  const bool blended = std::any_of(survey.draws.begin(), survey.draws.end(),
                                   [](const Draw& draw) { return draw.blended; });
  if (settings.count >= most || !blended) {
    return std::vector<OrderEye>{};
  }
  ViewSettings more = settings;
  more.count = std::min(settings.count * times_as_many, most);
  auto made = make_views(scene, survey, more);
  return made ? Result<std::vector<OrderEye>>(make_eyes(*made)) : Failure(made.error());
}

Result<void> add_outlook(Prepared& prepared,
                         const Job& job,
                         const JobTools& tools,
                         const RunControl& run) {
  auto outlook = make_outlook(prepared.source.scene, prepared.survey, job);
  if (!outlook) {
    return Failure(outlook.error());
  }
  prepared.outlook = std::move(*outlook);
  return measure_outlook(prepared, tools, run);
}

}  // namespace

Result<void> share_materials(Prepared& prepared,
                             const MaterialSettings& settings,
                             const Job& job,
                             const JobTools& tools,
                             const RunControl& run,
                             std::span<const MaterialTakenBack> taken_back) {
  const bool cuts = asks_for_cutouts(settings) && prepared.routes.cutouts.empty();
  if (!settings.asks() && !cuts) {
    return {};
  }
  if (prepared.routes.grouped.groups.empty()) {
    if (auto grouped = group(prepared, settings, run); !grouped) {
      return grouped;
    }
  }
  Source& source = prepared.source;
  if (prepared.images.empty()) {
    std::optional<Scene> room;
    auto measured =
        tools.codec.measure(show_relief(source, source.scene, room), ImageDepth::detail, run);
    if (!measured) {
      return Failure(measured.error());
    }
    prepared.images = std::move(*measured);
    tell(run, "measured {} images", prepared.images.size());
  }
  if (cuts) {
    if (auto cut = cut_materials(prepared, settings, run); !cut) {
      return cut;
    }
    if (!settings.asks()) {
      return {};
    }
  }
  const auto views = list_views(source.scene, prepared.survey, job);
  if (!views) {
    return Failure(views.error());
  }
  auto routes = propose_routes(source.scene, prepared.survey, prepared.images, settings, run,
                               {*views, taken_back});
  if (!routes) {
    return Failure(routes.error());
  }
  if (auto repainted = repaint_source(source, *routes, run); !repainted) {
    return repainted;
  }
  tell(run, "routed {} materials", routes->routes.size());
  std::vector<std::string> faults;
  std::transform(
      routes->faults.begin(), routes->faults.end(), std::back_inserter(faults),
      [&](const LayoutFault& fault) { return to_string(*source.origin, *routes, fault); });
  warn(run, faults);
  routes->cutouts = std::move(prepared.routes.cutouts);
  routes->grouped.copies = std::move(prepared.routes.grouped.copies);
  prepared.routes = std::move(*routes);
  return survey_source(prepared, prepared.survey.settings, run);
}

Result<void> share_again(Prepared& prepared,
                         std::span<const MaterialTakenBack> taken_back,
                         const Job& job,
                         const JobTools& tools,
                         const RunControl& run) {
  prepared.source.scene = std::move(*prepared.source.origin);
  prepared.source.origin.reset();
  PageImages& images = prepared.source.images;
  images.erase(images.begin(),
               images.begin() + static_cast<std::ptrdiff_t>(prepared.routes.pages.size() +
                                                            prepared.routes.stacks.size()));
  if (auto surveyed = survey_source(prepared, prepared.survey.settings, run); !surveyed) {
    return surveyed;
  }
  const MaterialSettings settings = prepared.routes.settings;
  if (auto shared = share_materials(prepared, settings, job, tools, run, taken_back); !shared) {
    return shared;
  }
  return measure_outlook(prepared, tools, run);
}

std::vector<DrawRef> unite(std::span<const DrawRef> a, std::span<const DrawRef> b) {
  std::vector<DrawRef> out;
  std::set_union(a.begin(), a.end(), b.begin(), b.end(), std::back_inserter(out));
  return out;
}

Result<void> reduce_again(Prepared& prepared,
                          std::span<const DrawRef> whole,
                          std::span<const MaterialTakenBack> taken_back,
                          const Job& job,
                          const JobTools& tools,
                          const RunControl& run) {
  Source as_split{std::move(*prepared.source.unreduced)};
  as_split.split = std::move(prepared.source.split);
  prepared.source = std::move(as_split);
  prepared.reduction.untouched = unite(prepared.reduction.untouched, whole);
  prepared.lightmaps = {};
  prepared.routes = {};
  if (auto reduced = reduce_source(prepared.source, prepared.reduction, &tools.codec, run);
      !reduced) {
    return reduced;
  }
  if (auto surveyed = survey_source(prepared, job.settings.survey, run); !surveyed) {
    return surveyed;
  }
  if (auto joined = join_pages(prepared, job.settings.lightmaps, tools, run); !joined) {
    return joined;
  }
  if (auto shared = share_materials(prepared, job.settings.materials, job, tools, run, taken_back);
      !shared) {
    return shared;
  }
  return measure_outlook(prepared, tools, run);
}

Result<void> measure_outlook(Prepared& prepared, const JobTools& tools, const RunControl& run) {
  std::optional<Scene> room;
  auto images = tools.codec.measure(show_relief(prepared.source, prepared.source.scene, room),
                                    ImageDepth::sizes, run);
  if (!images) {
    return Failure(images.error());
  }
  Outlook& outlook = prepared.outlook;
  outlook.images = std::move(*images);
  if (!prepared.source.unreduced) {
    return {};
  }
  const Scene& before = *prepared.source.unreduced;
  const auto found = survey(before, prepared.survey.settings, run);
  if (!found) {
    return Failure(found.error());
  }
  auto shown = tools.codec.measure(before, ImageDepth::sizes, run);
  if (!shown) {
    return Failure(shown.error());
  }
  auto outcome =
      measure_outcome(before, *found, {outlook.views, outlook.profile, std::move(*shown)}, run);
  if (!outcome) {
    return Failure(outcome.error());
  }
  outlook.before = std::move(*outcome);
  return {};
}

Result<Prepared> prepare(Scene scene,
                         const Job& job,
                         const JobTools& tools,
                         const RunControl& run) {
  const Settings& settings = job.settings;
  if (auto valid = validate(settings); !valid) {
    return Failure(valid.error());
  }
  auto split = answer_split(scene, settings, run);
  if (!split) {
    return Failure(split.error());
  }
  std::vector<WishUse> uses;
  auto source = split_source(std::move(scene), *split, run, uses);
  if (!source) {
    return Failure(source.error());
  }
  Prepared out{{std::move(*split), {}, {}, {}}, std::move(*source), {}, {}, {}, std::move(uses)};
  if (auto surveyed = survey_source(out, settings.survey, run); !surveyed) {
    return Failure(surveyed.error());
  }
  tell(run, "surveyed: {} draws", out.survey.totals.draws);
  if (auto noted =
          note_wishes(out, settings.materials, settings.reduce, settings.propose.assets, run);
      !noted) {
    return Failure(noted.error());
  }
  if (auto reduced = reduce_meshes(out, settings.reduce, job, tools, run); !reduced) {
    return Failure(reduced.error());
  }
  if (auto joined = join_pages(out, settings.lightmaps, tools, run); !joined) {
    return Failure(joined.error());
  }
  if (auto shared = share_materials(out, settings.materials, job, tools, run, {}); !shared) {
    return Failure(shared.error());
  }
  if (auto added = add_outlook(out, job, tools, run); !added) {
    return Failure(added.error());
  }
  return out;
}

Result<Prepared> prepare_for(const Plan& plan,
                             Scene scene,
                             const Job& job,
                             const JobTools& tools,
                             const RunControl& run,
                             const MaterialSettings* route_anew) {
  const bool anew = route_anew != nullptr && !plan.routes.empty();
  const bool join_anew = route_anew != nullptr && plan.lightmaps.joins();
  const bool reduce_anew = route_anew != nullptr && plan.reduction.reduces();
  SourceSteps steps = plan;
  if (reduce_anew) {
    steps.reduction = {};
  }
  if (anew) {
    steps.routes = {};
  }
  if (join_anew) {
    steps.lightmaps = {};
  }
  SurveySettings rules = plan.survey_settings;
  ReduceSettings again = plan.reduction.settings;
  if (route_anew != nullptr) {
    // Of another scene they may be others.
    steps.split.answers = {};
    again.answers = {};
    rules.answers = {};
  }
  std::vector<WishUse> uses;
  auto source = make_source_with(std::move(scene), steps, &tools.codec, run, uses);
  if (!source) {
    return Failure(source.error());
  }
  Prepared out{std::move(steps), std::move(*source), {}, {}, {}, std::move(uses)};
  if (join_anew) {
    const std::string& key = plan.lightmaps.transform_key;
    rules.lightmap_transform_key = key.empty() ? default_lightmap_transform_key : key;
  }
  if (auto surveyed = survey_source(out, rules, run); !surveyed) {
    return Failure(surveyed.error());
  }
  if (route_anew == nullptr) {
    out.wishes = plan.wishes;  // its draws are those it had, under other names perhaps
  } else if (auto noted = note_wishes(out, anew ? *route_anew : plan.routes.settings, again,
                                      plan.settings.assets, run);
             !noted) {
    return Failure(noted.error());
  }
  if (reduce_anew) {
    if (!plan.reduction.settings.asks()) {
      warn(run, std::vector<std::string>{"meshes have all of their triangles again: the plan had "
                                         "counts for single groups alone, whose meshes may be "
                                         "others now"});
    }
    if (auto reduced = reduce_meshes(out, again, job, tools, run); !reduced) {
      return Failure(reduced.error());
    }
  }
  if (join_anew) {
    if (auto joined = join_pages(out, plan.lightmaps.settings, tools, run); !joined) {
      return Failure(joined.error());
    }
  }
  if (anew) {
    if (auto shared = share_materials(out, *route_anew, job, tools, run, {}); !shared) {
      return Failure(shared.error());
    }
  }
  if (auto added = add_outlook(out, job, tools, run); !added) {
    return Failure(added.error());
  }
  return out;
}

Result<Outlook> make_outlook(const Scene& scene, const Survey& survey, const Job& job) {
  auto views = list_views(scene, survey, job);
  if (!views) {
    return Failure(views.error());
  }
  if (!job.views.empty()) {
    return Outlook{std::move(*views), job.profile};
  }
  auto eyes = list_eyes(scene, survey, job.settings.views);
  if (!eyes) {
    return Failure(eyes.error());
  }
  return Outlook{std::move(*views), job.profile, {}, std::move(*eyes)};
}

Result<Plan> propose_without(std::span<const TakenBack> taken,
                             const Prepared& source,
                             const Job& job,
                             const RunControl& run) {
  auto plan = propose_without(taken, source.source.scene, source.survey, job.settings.propose,
                              source.outlook, run);
  if (plan) {
    static_cast<SourceSteps&>(*plan) = source;
    plan->wishes = source.wishes;
  }
  return plan;
}

Result<Plan> propose(const Prepared& source, const Job& job, const RunControl& run) {
  auto plan = propose_without({}, source, job, run);
  if (plan) {
    tell(run, "proposed: {} groups", plan->groups.size());
  }
  return plan;
}

}  // namespace wakuzume
