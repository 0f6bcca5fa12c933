// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <iterator>

#include "job/pages.h"
#include "job/prepare.h"
#include "wakuzume/job.h"

namespace wakuzume {
namespace {

/// Bytes of those pages that are shown still, in their order.
std::vector<Bytes> list_shown(const std::vector<Bytes>& pages,
                              const PageImages& before,
                              const PageImages& after) {
  std::vector<Bytes> shown;
  std::size_t next = 0;
  for (std::size_t p = 0; p < before.size(); ++p) {
    for (std::size_t c = 0; c < channel_count; ++c) {
      if (before[p][c] == no_image || next >= pages.size()) {
        continue;
      }
      if (after[p][c] != no_image) {
        shown.push_back(pages[next]);
      }
      ++next;
    }
  }
  return shown;
}

/// Where meshes were reduced, materials shared or lightmap pages joined: what comes back shows its
/// own again.
Result<Built> put_back_look(const Source& source,
                            const Ledger& ledger,
                            Scene built,
                            const RestoreChoice& choice,
                            const RunControl& run) {
  const std::vector<Bytes> pages = take_pages(ledger.page_images, built);
  const auto draws = list_restored(built, ledger, source.scene, choice, run);
  if (!draws) {
    return Failure(draws.error());
  }
  SourceSteps steps = ledger;
  for (std::vector<DrawRef>* const untouched :
       {&steps.reduction.untouched, &steps.lightmaps.untouched, &steps.routes.untouched}) {
    *untouched = unite(*untouched, *draws);
  }
  SourceSteps after_split = steps;
  after_split.split = {};
  const auto back = make_source(source.before_all(), after_split, run);
  if (!back) {
    return Failure(back.error());
  }
  auto restored = restore(built, ledger, source.scene, choice, run,
                          {&back->scene, source.origin ? &*source.origin : nullptr,
                           source.unreduced ? &*source.unreduced : nullptr, back->images});
  if (!restored) {
    return restored;
  }
  if (!ledger.routes.shares()) {
    steps.routes = ledger.routes;
  }
  static_cast<SourceSteps&>(restored->ledger) = std::move(steps);
  if (auto stored = store_geometry(*restored, run); !stored) {
    return Failure(stored.error());
  }
  const PageImages& images = restored->ledger.page_images;
  give_pages(images, list_shown(pages, ledger.page_images, images), restored->scene);
  return restored;
}

}  // namespace

Result<Built> put_back(std::optional<Scene> source,
                       const Ledger& ledger,
                       Scene built,
                       const RestoreChoice& choice,
                       const RunControl& run) {
  if (!source) {
    const auto carried = find_carried_source(built, ledger);
    if (!carried) {
      return Failure(Error{ErrorCode::plan_mismatch,
                           "the built scene does not hold the source that the ledger tells of; "
                           "name the source with --scene",
                           {"", "/source_copy"}});
    }
    return restore(built, ledger, *carried, choice, run);
  }
  // Pieces are whole again when all of them are back, and materials their own.
  const bool whole =
      choice.everything && !(ledger.routes.empty() && ledger.split.nodes.empty() &&
                             !ledger.lightmaps.joins() && !ledger.reduction.reduces());
  std::optional<Scene> as_read = whole ? source : std::nullopt;
  const auto made = make_source(std::move(*source), ledger, run);
  if (!made) {
    return Failure(made.error());
  }
  const bool looks = made->origin || made->unjoined || made->unreduced;
  auto restored = looks ? put_back_look(*made, ledger, std::move(built), choice, run)
                        : restore(built, ledger, made->scene, choice, run);
  if (restored && !looks) {
    if (auto stored = store_geometry(*restored, run); !stored) {
      return Failure(stored.error());
    }
  }
  if (restored && restored->ledger.results.empty()) {
    restored->ledger.gpu_pictures.texels = GpuTexels::none;  // the source has what it had
  }
  return restored && whole ? make_untouched(*as_read, run) : std::move(restored);
}

}  // namespace wakuzume
