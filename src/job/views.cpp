// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "job/views.h"

#include <algorithm>
#include <memory>

#include "job/telling.h"
#include "wakuzume/culling.h"

namespace wakuzume {
namespace {

/// Draws of each pass, and what a frame costs, into the views that were drawn.
Result<void> count_passes(const DrawnScene& scene,
                          std::span<const Viewpoint> views,
                          const CostProfile& profile,
                          bool before,
                          Verdict& verdict,
                          const RunControl& run) {
  const auto visibility = make_visibility(scene.survey, views, run);
  if (!visibility) {
    return Failure(visibility.error());
  }
  const auto frames =
      measure_frames(scene.scene, scene.survey, views, *visibility, {}, profile, run);
  if (!frames) {
    return Failure(frames.error());
  }
  for (ViewCheck& check : verdict.views) {
    const FrameCost& frame = frames->views[check.number];
    check.passes.clear();
    for (std::size_t p = 0; p < frame.passes.size(); ++p) {
      check.passes.push_back(profile.passes[p].name);
      (before ? check.pass_draws_before : check.pass_draws_after).push_back(frame.passes[p].draws);
    }
    (before ? check.frame_ms_before : check.frame_ms_after) = frame.total.ms();
  }
  return {};
}

/// Views that show what they did.
std::vector<ViewCheck> list_same(const KnownViews& known,
                                 const Survey& survey,
                                 std::span<const Viewpoint> views) {
  std::vector<ViewCheck> out;
  for (const ViewCheck& check : known.views) {
    if (!check.passed || check.number >= views.size()) {
      continue;
    }
    const Frustum frustum = make_frustum(views[check.number]);
    const bool changed =
        std::any_of(survey.draws.begin(), survey.draws.end(), [&](const Draw& draw) {
          return std::binary_search(known.changed.begin(), known.changed.end(),
                                    DrawRef{draw.node, draw.primitive}) &&
                 sees_box(frustum, draw.box);
        });
    if (!changed) {
      // Its passes are counted anew.
      ViewCheck& same = out.emplace_back(check);
      same.pass_draws_before.clear();
      same.pass_draws_after.clear();
    }
  }
  return out;
}

/// A scene that is ready to be drawn. The survey stays where it is: the maker refers to it.
struct Drawable {
  std::unique_ptr<Survey> survey;
  std::vector<LitPage> lightmaps;
  std::unique_ptr<ShotMaker> shots;
};

/// With its survey and its lightmaps, as far as there are pictures of them.
Result<Drawable> read_drawable(const Scene& scene,
                               const SurveySettings& settings,
                               const LightmapSettings& lightmaps,
                               const LightmapTools& tools,
                               const RunControl& run) {
  Drawable out;
  auto found = survey(scene, settings, run);
  if (!found) {
    return Failure(found.error());
  }
  out.survey = std::make_unique<Survey>(std::move(*found));
  auto pages = read_lit_pages(scene, *out.survey, lightmaps, tools, run);
  if (!pages) {
    return Failure(pages.error());
  }
  out.lightmaps = std::move(*pages);
  return out;
}

Result<void> open_drawable(const Scene& scene,
                           const VerifySettings& settings,
                           ShotMakers& makers,
                           const RunControl& run,
                           Drawable& out) {
  auto made = makers.make({scene, *out.survey, out.lightmaps},
                          {settings.picture_width_px, settings.picture_height_px}, run);
  if (!made) {
    return Failure(made.error());
  }
  out.shots = std::move(*made);
  return {};
}

double count_megabytes(std::span<const LitPage> pages) {
  double texels = 0;
  for (const LitPage& page : pages) {
    texels += static_cast<double>(page.width_px) * page.height_px;
  }
  return texels * 8e-6 * 4 / 3;  // halves, with mip levels
}

/// Either both are lit by lightmaps or none is: else the light would be told for a difference. Of
/// joined pages the clean mip levels: in coarser ones what lies side by side runs together, before
/// as after, and other things lie there.
void limit_lightmaps(const LightmapPlan& joined,
                     Drawable& before,
                     Drawable& after,
                     Verdict& verdict) {
  constexpr double most_megabytes = 1024;
  const double megabytes =
      std::max(count_megabytes(before.lightmaps), count_megabytes(after.lightmaps));
  if (megabytes > most_megabytes) {
    before.lightmaps.clear();
    after.lightmaps.clear();
    verdict.not_checked.push_back(
        fmt::format("pictures lit by lightmaps: their pages take {:.0f} MB to draw, and no more "
                    "than {:.0f} are used",
                    megabytes, most_megabytes));
  }
  if (joined.joins()) {
    std::uint32_t clean = joined.settings.clean_mips;
    for (const LightmapPage& page : joined.pages) {
      clean = std::min(clean, page.clean_mips);
    }
    for (std::vector<LitPage>* const pages : {&before.lightmaps, &after.lightmaps}) {
      for (LitPage& page : *pages) {
        page.mips = clean;
      }
    }
  }
  verdict.lit_pages = {before.lightmaps.size(), after.lightmaps.size()};
}

/// What was drawn otherwise than it is.
void tell_losses(const ShotLosses& before, const ShotLosses& after, Verdict& verdict) {
  if (after.unread_pictures > 0) {
    verdict.not_checked.push_back(
        fmt::format("{} {} of the result could not be read and were drawn white",
                    after.unread_pictures, after.unread_pictures == 1 ? "picture" : "pictures"));
  }
  if (before.halvings + after.halvings > 0) {
    verdict.not_checked.push_back(
        fmt::format("textures were halved to fit into memory: {} times before, {} times after",
                    before.halvings, after.halvings));
  }
}

Result<void> draw_and_compare(const Compared& scenes,
                              const Job& job,
                              const JobTools& tools,
                              const RunControl& run,
                              Verdict& verdict) {
  const LightmapSettings& lightmaps =
      scenes.ledger.lightmaps.joins() ? scenes.ledger.lightmaps.settings : job.settings.lightmaps;
  auto drawable_before = read_drawable(scenes.before, job.settings.survey, lightmaps,
                                       {tools.codec, tools.lightmaps}, run);
  if (!drawable_before) {
    return Failure(drawable_before.error());
  }
  const LightmapFiles* const files =
      tools.result_lightmaps == nullptr ? tools.lightmaps : tools.result_lightmaps;
  auto drawable_after =
      read_drawable(scenes.after, job.settings.survey, lightmaps, {tools.codec, files}, run);
  if (!drawable_after) {
    return Failure(drawable_after.error());
  }
  limit_lightmaps(scenes.ledger.lightmaps, *drawable_before, *drawable_after, verdict);
  for (const auto& [scene, drawable] :
       {std::pair(&scenes.before, &*drawable_before), std::pair(&scenes.after, &*drawable_after)}) {
    if (auto opened = open_drawable(*scene, job.settings.verify, *tools.shots, run, *drawable);
        !opened) {
      return opened;
    }
  }
  const Survey& survey = *drawable_before->survey;
  const auto outlook = make_outlook(scenes.before, survey, job);
  if (!outlook) {
    return Failure(outlook.error());
  }
  VerifySettings settings = job.settings.verify;
  settings.sorting = job.profile.sorts_blended;
  // Who lists views wants to see all of them.
  const std::vector<Viewpoint> views =
      job.views.empty() ? choose_views(outlook->views, settings.picture_views, survey) : job.views;
  tell(run, "ready to draw by {}", tools.shots->name());
  const DrawnScene a{scenes.before, survey, *drawable_before->shots};
  const DrawnScene b{scenes.after, *drawable_after->survey, *drawable_after->shots};
  const std::vector<ViewCheck> same = list_same(scenes.known, survey, views);
  if (!same.empty()) {
    tell(run, "{} of {} views see nothing that has changed", same.size(), views.size());
  }
  if (auto done =
          verify_views(a, b, scenes.ledger, views, settings, verdict, tools.audience, run, same);
      !done) {
    return done;
  }
  verdict.drawn_by = tools.shots->name();
  tell_losses(a.shots.losses(), b.shots.losses(), verdict);
  for (const auto& [scene, is_before] : {std::pair(&a, true), std::pair(&b, false)}) {
    if (auto done = count_passes(*scene, views, outlook->profile, is_before, verdict, run); !done) {
      return done;
    }
  }
  return {};
}

}  // namespace

Result<void> compare_views(const Compared& scenes,
                           const Job& job,
                           const JobTools& tools,
                           const RunControl& run,
                           Verdict& verdict) {
  if (job.settings.verify.picture_views == 0) {
    verdict.not_checked.emplace_back("pictures: verify.picture_views is 0");
    return {};
  }
  if (tools.shots == nullptr) {
    verdict.not_checked.emplace_back("pictures: there is nothing to draw with");
    return {};
  }
  Verdict with_views = verdict;
  auto done = draw_and_compare(scenes, job, tools, run, with_views);
  if (done) {
    done = compare_poses(scenes, job, tools, run, with_views);
  }
  if (done) {
    verdict = std::move(with_views);
    return {};
  }
  // What can't be drawn can still be proved otherwise.
  const ErrorCode code = done.error().code;
  if (code != ErrorCode::cannot_render && code != ErrorCode::too_large) {
    return done;
  }
  verdict.not_checked.push_back("pictures: " + done.error().message);
  return {};
}

}  // namespace wakuzume
