// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <iterator>
#include <optional>

#include "job/pages.h"
#include "job/source_steps.h"
#include "job/telling.h"
#include "job/views.h"
#include "survey/textures.h"
#include "wakuzume/job.h"
#include "wakuzume/spread.h"

namespace wakuzume {
namespace {

std::size_t count_images(const PageImages& images) {
  std::size_t count = 0;
  for (const auto& page : images) {
    count += static_cast<std::size_t>(
        std::count_if(page.begin(), page.end(), [](ImageId id) { return id != no_image; }));
  }
  return count;
}

/// Pictures of a result to where a scene with as many pages has them.
void copy_pages(const Scene& result, const PageImages& from, const PageImages& to, Scene& scene) {
  for (std::size_t p = 0; p < std::min(from.size(), to.size()); ++p) {
    for (std::size_t c = 0; c < channel_count; ++c) {
      if (to_index(from[p][c]) < result.images.size() && to_index(to[p][c]) < scene.images.size()) {
        scene.images[to_index(to[p][c])].bytes = find_encoded(result, from[p][c]);
      }
    }
  }
}

/// What can be proved without drawing.
/// \param after  whole; is so again afterwards
/// \param known  looks that are what they were
Result<Verdict> audit(const Source& source,
                      const Ledger& ledger,
                      std::span<const LookCheck> known,
                      Scene& after,
                      const VerifySettings& settings,
                      const JobTools& tools,
                      const RunControl& run) {
  const std::vector<Bytes> pages = take_pages(ledger.page_images, after);
  auto verdict = verify(source.scene, after, ledger, settings, run);
  if (!verdict) {
    return verdict;
  }
  give_pages(ledger.page_images, pages, after);
  verdict->before = count_totals(source.before_all());
  verdict->after = count_totals(after);
  if (source.unjoined) {
    // Materials that were shared since have no part in where lightmaps are looked up.
    const Scene& joined = source.origin ? *source.origin : source.scene;
    if (auto done = verify_lightmaps(*source.unjoined, joined, ledger.lightmaps, *verdict, run);
        !done) {
      return Failure(done.error());
    }
  }
  if (!source.origin) {
    return verdict;
  }
  // Normals that went onto a page have no image of their own any more.
  Scene painted = source.with_relief(source.scene);
  const std::size_t named = count_images(ledger.page_images);
  const std::size_t fewest = count_images(source.images) - source.relief.size();
  if (ledger.page_images.size() != source.images.size() || named < fewest) {
    return Failure(Error{
        ErrorCode::plan_mismatch,
        fmt::format("the ledger names {} pictures of pages, its routes make {}", named, fewest),
        {"", "/page_images"}});
  }
  copy_pages(after, ledger.page_images, source.images, painted);
  std::optional<Scene> room;
  if (auto done = verify_looks(show_relief(source, *source.origin, room), painted, ledger.routes,
                               tools.codec, settings, *verdict, run, known);
      !done) {
    return Failure(done.error());
  }
  return verdict;
}

/// Meshes that were reduced against those that they were.
Result<void> check_reduction(const Source& source,
                             const Ledger& ledger,
                             const Job& job,
                             const RunControl& run,
                             Verdict& verdict) {
  if (!source.unreduced) {
    return {};
  }
  const auto found = survey(*source.unreduced, job.settings.survey, run);
  if (!found) {
    return Failure(found.error());
  }
  const auto outlook = make_outlook(*source.unreduced, *found, job);
  if (!outlook) {
    return Failure(outlook.error());
  }
  return verify_reduction(*source.unreduced, *found, source.before_sharing(), source.reduced,
                          ledger.reduction, outlook->views, verdict, run);
}

/// Holds the result against the budgets of the settings, if there are any.
Result<void> check_budgets(const Scene& after,
                           const Job& job,
                           const JobTools& tools,
                           const RunControl& run,
                           Verdict& verdict) {
  if (job.settings.budgets.empty() && job.settings.tiers.empty()) {
    return {};
  }
  const auto found = survey(after, job.settings.survey, run);
  if (!found) {
    return Failure(found.error());
  }
  auto outlook = make_outlook(after, *found, job);
  if (!outlook) {
    return Failure(outlook.error());
  }
  const auto assessment = assess(after, *found, std::move(*outlook), job, tools, run);
  if (!assessment) {
    return Failure(assessment.error());
  }
  verdict.budgets = assessment->budgets;
  verdict.tiers = assessment->tiers;
  verdict.passed = verdict.passed && assessment->passed();
  return {};
}

}  // namespace

Result<Assessment> assess(const Scene& scene,
                          const Survey& survey,
                          Outlook outlook,
                          const Job& job,
                          const JobTools& tools,
                          const RunControl& run) {
  const auto images = tools.codec.measure(scene, job.depth, run);
  if (!images) {
    return Failure(images.error());
  }
  tell(run, "read {} images", images->size());
  AssessSettings settings;
  settings.views = job.settings.views;
  settings.findings = job.settings.findings;
  settings.findings.lightmap_pictures = job.settings.lightmaps.pictures;
  settings.materials = job.settings.materials;
  settings.budgets = job.settings.budgets;
  settings.tiers = job.settings.tiers;
  settings.profile = std::move(outlook.profile);
  settings.listed_views = std::move(outlook.views);
  auto assessment = assess(scene, survey, *images, settings, run);
  if (assessment) {
    tell(run, "assessed from {} views", assessment->views.size());
  }
  return assessment;
}

Result<Verdict> prove(const Source& source,
                      const Ledger& ledger,
                      Scene after,
                      const Job& job,
                      const JobTools& tools,
                      const RunControl& run,
                      const ProvedBefore* earlier) {
  const Scene& before = source.before_all();
  KnownViews known;
  std::vector<LookCheck> looks;
  if (earlier != nullptr) {
    Changes changes = find_changes(before, earlier->ledger, ledger);
    std::copy_if(earlier->verdict.looks.begin(), earlier->verdict.looks.end(),
                 std::back_inserter(looks), [&](const LookCheck& check) {
                   return !std::binary_search(changes.materials.begin(), changes.materials.end(),
                                              check.material);
                 });
    known = {earlier->verdict.views, std::move(changes.draws)};
  }
  // What the result costs is counted as it is; what it shows goes by its sets.
  const Scene delivered = after;
  after = gather_instances(std::move(after), ledger);
  auto verdict = audit(source, ledger, looks, after, job.settings.verify, tools, run);
  if (!verdict) {
    return verdict;
  }
  if (auto done = check_reduction(source, ledger, job, run, *verdict); !done) {
    return Failure(done.error());
  }
  if (auto done = compare_views({before, after, ledger, known}, job, tools, run, *verdict); !done) {
    return Failure(done.error());
  }
  if (auto done =
          verify_gpu_pictures(after, ledger, tools.result_lightmaps, tools.codec, *verdict, run);
      !done) {
    return Failure(done.error());
  }
  if (auto done = check_budgets(delivered, job, tools, run, *verdict); !done) {
    return Failure(done.error());
  }
  return verdict;
}

}  // namespace wakuzume
