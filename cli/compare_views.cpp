// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "compare_views.h"

#include <algorithm>

#include "text.h"
#include "wakuzume/render.h"
#include "wakuzume/words.h"

namespace wakuzume::cli {
namespace {

constexpr std::size_t most_rows = 12;
constexpr std::size_t name_columns = 24;

/// Draws of each pass, and what a frame costs, into the views that were drawn.
Result<void> count_passes(Command& command,
                          const DrawnScene& scene,
                          std::span<const Viewpoint> views,
                          const CostProfile& profile,
                          bool before,
                          Verdict& verdict) {
  const auto visibility = make_visibility(scene.survey, views, command.run());
  if (!visibility) {
    return Failure(visibility.error());
  }
  const auto frames =
      measure_frames(scene.scene, scene.survey, views, *visibility, {}, profile, command.run());
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

/// A scene that is ready to be drawn. The survey stays where it is: the renderer refers to it.
struct Drawable {
  std::unique_ptr<Survey> survey;
  std::unique_ptr<Renderer> renderer;
};

Result<Drawable> make_drawable(Command& command,
                               const Scene& scene,
                               const std::shared_ptr<RenderDevice>& device) {
  Drawable out;
  auto found = survey(scene, command.settings().survey, command.run());
  if (!found) {
    return Failure(found.error());
  }
  out.survey = std::make_unique<Survey>(std::move(*found));
  const VerifySettings& settings = command.settings().verify;
  auto made = Renderer::make(
      scene, *out.survey, device, StandardCodec(),
      {.width_px = settings.picture_width_px, .height_px = settings.picture_height_px},
      command.run());
  if (!made) {
    return Failure(made.error());
  }
  out.renderer = std::move(*made);
  return out;
}

/// What was drawn otherwise than it is.
void tell_losses(const Renderer& before, const Renderer& after, Verdict& verdict) {
  if (after.unread_pictures() > 0) {
    verdict.not_checked.push_back(
        fmt::format("{} of the result could not be read and were drawn white",
                    plural(after.unread_pictures(), "picture", "pictures")));
  }
  if (before.halvings() + after.halvings() > 0) {
    verdict.not_checked.push_back(
        fmt::format("textures were halved to fit into memory: {} times before, {} times after",
                    before.halvings(), after.halvings()));
  }
}

Result<void> draw_and_compare(Command& command,
                              const Scene& before,
                              const Scene& after,
                              const Ledger& ledger,
                              const KnownViews& known,
                              Verdict& verdict,
                              ViewAudience* audience) {
  const auto device = open_render_device();
  if (!device) {
    return Failure(device.error());
  }
  const auto drawable_before = make_drawable(command, before, *device);
  if (!drawable_before) {
    return Failure(drawable_before.error());
  }
  const auto drawable_after = make_drawable(command, after, *device);
  if (!drawable_after) {
    return Failure(drawable_after.error());
  }
  const auto outlook = command.make_outlook(before, *drawable_before->survey);
  if (!outlook) {
    return Failure(outlook.error());
  }
  const VerifySettings& settings = command.settings().verify;
  // Who lists views wants to see all of them.
  const std::size_t count =
      command.options().views_file.empty() ? settings.picture_views : outlook->views.size();
  const std::vector<Viewpoint> views =
      command.options().views_file.empty()
          ? choose_views(outlook->views, count, *drawable_before->survey)
          : choose_views(outlook->views, count);
  command.console().tell("ready to draw by " + to_string(**device));
  const DrawnScene a{before, *drawable_before->survey, *drawable_before->renderer};
  const DrawnScene b{after, *drawable_after->survey, *drawable_after->renderer};
  const std::vector<ViewCheck> same = list_same(known, *drawable_before->survey, views);
  if (!same.empty()) {
    command.console().tell(
        fmt::format("{} of {} views see nothing that has changed", same.size(), views.size()));
  }
  if (auto done =
          verify_views(a, b, ledger, views, settings, verdict, audience, command.run(), same);
      !done) {
    return done;
  }
  verdict.drawn_by = to_string(**device);
  tell_losses(*drawable_before->renderer, *drawable_after->renderer, verdict);
  for (const auto& [scene, is_before] : {std::pair(&a, true), std::pair(&b, false)}) {
    if (auto done = count_passes(command, *scene, views, outlook->profile, is_before, verdict);
        !done) {
      return done;
    }
  }
  return {};
}

}  // namespace

Result<void> compare_views(Command& command,
                           const Scene& before,
                           const Scene& after,
                           const Ledger& ledger,
                           const KnownViews& known,
                           Verdict& verdict,
                           ViewAudience* audience) {
  if (command.settings().verify.picture_views == 0) {
    verdict.not_checked.emplace_back("pictures: verify.picture_views is 0");
    return {};
  }
  Verdict with_views = verdict;
  auto done = draw_and_compare(command, before, after, ledger, known, with_views, audience);
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

Result<void> check_budgets(Command& command, const Scene& after, Verdict& verdict) {
  const Settings& settings = command.settings();
  if (settings.budgets.empty() && settings.tiers.empty()) {
    return {};
  }
  const auto found = survey(after, settings.survey, command.run());
  if (!found) {
    return Failure(found.error());
  }
  auto outlook = command.make_outlook(after, *found);
  if (!outlook) {
    return Failure(outlook.error());
  }
  const auto assessment = command.assess(after, *found, std::move(*outlook));
  if (!assessment) {
    return Failure(assessment.error());
  }
  verdict.budgets = assessment->budgets;
  verdict.tiers = assessment->tiers;
  verdict.passed = verdict.passed && assessment->passed();
  return {};
}

std::string print_mends(const Verdict& verdict) {
  if (verdict.mends.empty()) {
    return "";
  }
  std::string out = fmt::format("\nTaken back, because the proof had rejected it, in {}\n",
                                plural(verdict.mends.back().round, "round", "rounds"));
  for (std::size_t m = 0; m < std::min(most_rows, verdict.mends.size()); ++m) {
    const Mend& mend = verdict.mends[m];
    out +=
        fmt::format("  {}\n", cut(fmt::format("{}: {}", mend.what, mend.became), page_columns - 2));
    out += fmt::format("      {}\n", cut(mend.why, page_columns - 6));
  }
  if (verdict.mends.size() > most_rows) {
    out += fmt::format("  and {} more; the verdict as JSON has all of them\n",
                       verdict.mends.size() - most_rows);
  }
  return out;
}

std::string print_views(const Verdict& verdict) {
  std::string out;
  if (!verdict.views.empty()) {
    const auto failed = std::count_if(verdict.views.begin(), verdict.views.end(),
                                      [](const ViewCheck& v) { return !v.passed; });
    out += fmt::format("\n{} drawn before and after by {}{}\n",
                       plural(verdict.views.size(), "view", "views"), verdict.drawn_by,
                       failed > 0 ? fmt::format("; {} differ", failed) : "; all look the same");
    out += fmt::format("  {} {:>9} {:>6} {:>8} {:>16} {:>17}\n",
                       pad("view, the worst first", name_columns), "wrong px", "dB", "likeness",
                       "draws", "ms to submit");
  }
  for (std::size_t v = 0; v < std::min(most_rows, verdict.views.size()); ++v) {
    const ViewCheck& check = verdict.views[v];
    out += fmt::format(
        "  {} {:>9} {:>6.1f} {:>8.4f} {:>16} {:>17}{}\n",
        pad(cut(check.view, name_columns), name_columns), group_digits(check.differing),
        check.psnr_db, check.likeness,
        fmt::format("{} -> {}", group_digits(check.before.draws), group_digits(check.after.draws)),
        fmt::format("{:.2f} -> {:.2f}", check.before.submit_ms, check.after.submit_ms),
        check.passed ? "" : "  FAILED");
  }
  if (verdict.views.size() > most_rows) {
    out += fmt::format("  and {} more views; the verdict as JSON has all of them\n",
                       verdict.views.size() - most_rows);
  }
  for (std::size_t g = 0; g < std::min(most_rows, verdict.group_faults.size()); ++g) {
    const GroupFault& fault = verdict.group_faults[g];
    const std::string name = fault.group.empty() ? "kept " : "group " + fault.group + ", ";
    out += fmt::format("  {}\n", cut(name + fault.node, page_columns - 2));
    out += fmt::format("      {}\n", cut(fmt::format("{} {}, most of them from {}",
                                                     plural(fault.pixels, "pixel", "pixels"),
                                                     explain(fault.fault), fault.view),
                                         page_columns - 6));
  }
  if (verdict.group_faults.size() > most_rows) {
    out += fmt::format("  and {} more groups\n", verdict.group_faults.size() - most_rows);
  }
  for (const std::string& line : verdict.not_checked) {
    out += fmt::format("  Not checked: {}\n", line);
  }
  return out;
}

}  // namespace wakuzume::cli
