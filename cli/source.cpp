// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "source.h"

#include <algorithm>
#include <iterator>

#include "compare_views.h"
#include "wakuzume/verify.h"

namespace wakuzume::cli {
namespace {

/// \pre one entry a picture of the pages, in their order
void give_pages(const PageImages& images, const std::vector<Bytes>& bytes, Scene& scene) {
  std::size_t next = 0;
  for (const auto& page : images) {
    for (const ImageId id : page) {
      if (to_index(id) < scene.images.size()) {
        scene.images[to_index(id)].bytes = bytes[next++];
      }
    }
  }
}

/// Assets show pictures that were not painted yet when they were made: they go by their names.
void give_assets(const Scene& painted, const PageImages& images, std::vector<AssetScene>& assets) {
  for (AssetScene& asset : assets) {
    for (const auto& page : images) {
      for (const ImageId id : page) {
        for (Image& image : asset.scene.images) {
          if (id != no_image && image.bytes.size() == 0 && image.view == no_view &&
              image.name == painted.images[to_index(id)].name) {
            image.bytes = painted.images[to_index(id)].bytes;
          }
        }
      }
    }
  }
}

}  // namespace

Result<Source> read_source(Command& command,
                           const std::string& path,
                           const SplitSettings& split,
                           const RoutePlan& routes) {
  auto scene = command.read_split(path, split);
  if (!scene) {
    return Failure(scene.error());
  }
  if (routes.empty()) {
    return Source{std::move(*scene), std::nullopt, {}};
  }
  auto repainted = repaint(*scene, routes, command.run());
  if (!repainted) {
    return Failure(repainted.error());
  }
  return Source{std::move(repainted->scene), std::move(*scene), std::move(repainted->images)};
}

Result<void> paint_into(Command& command,
                        const Source& source,
                        const RoutePlan& routes,
                        Built& built) {
  built.ledger.routes = routes;
  if (!source.origin || (routes.pages.empty() && routes.stacks.empty())) {
    return {};
  }
  const PageImages& images = built.ledger.page_images;
  const StandardCodec codec({}, 92, command.spill_folder());
  if (auto done = paint_pages(*source.origin, routes, images, codec, built.scene, command.run());
      !done) {
    return done;
  }
  give_assets(built.scene, images, built.assets);
  command.console().tell(
      fmt::format("painted {} pages and {} stacks", routes.pages.size(), routes.stacks.size()));
  return {};
}

namespace {

/// What can be proved without drawing.
/// \param after  whole; is so again afterwards
/// \param known  looks that are what they were
Result<Verdict> audit(Command& command,
                      const Source& source,
                      const Ledger& ledger,
                      std::span<const LookCheck> known,
                      Scene& after) {
  const std::vector<Bytes> pages = take_pages(ledger.page_images, after);
  const VerifySettings& settings = command.settings().verify;
  auto verdict = verify(source.scene, after, ledger, settings, command.run());
  if (!verdict || !source.origin) {
    return verdict;
  }
  Scene painted = source.scene;
  const std::size_t wanted = take_pages(source.images, painted).size();
  if (pages.size() != wanted) {
    return Failure(Error{ErrorCode::plan_mismatch,
                         fmt::format("the ledger names {} pictures of pages, its routes make {}",
                                     pages.size(), wanted),
                         {"", "/page_images"}});
  }
  give_pages(source.images, pages, painted);
  give_pages(ledger.page_images, pages, after);
  verdict->before = count_totals(*source.origin);
  verdict->after = count_totals(after);
  if (auto done = verify_looks(*source.origin, painted, ledger.routes, StandardCodec(), settings,
                               *verdict, command.run(), known);
      !done) {
    return Failure(done.error());
  }
  return verdict;
}

}  // namespace

Result<Verdict> prove(Command& command,
                      const Source& source,
                      const Ledger& ledger,
                      Scene after,
                      ViewAudience* audience,
                      const ProvedBefore* earlier) {
  const Scene& before = source.origin ? *source.origin : source.scene;
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
  auto verdict = audit(command, source, ledger, looks, after);
  if (!verdict) {
    return verdict;
  }
  if (auto done = compare_views(command, before, after, ledger, known, *verdict, audience); !done) {
    return Failure(done.error());
  }
  if (auto done = check_budgets(command, after, *verdict); !done) {
    return Failure(done.error());
  }
  return verdict;
}

Result<Built> put_back(Command& command,
                       const Source& source,
                       const Ledger& ledger,
                       Scene built,
                       const RestoreChoice& choice) {
  if (!source.origin) {
    return restore(built, ledger, source.scene, choice, command.run());
  }
  const std::vector<Bytes> pages = take_pages(ledger.page_images, built);
  const auto draws = list_restored(built, ledger, source.scene, choice, command.run());
  if (!draws) {
    return Failure(draws.error());
  }
  RoutePlan routes = ledger.routes;
  std::vector<DrawRef> untouched;
  std::set_union(routes.untouched.begin(), routes.untouched.end(), draws->begin(), draws->end(),
                 std::back_inserter(untouched));
  routes.untouched = std::move(untouched);
  const auto back = repaint(*source.origin, routes, command.run());
  if (!back) {
    return Failure(back.error());
  }
  auto restored = restore(built, ledger, source.scene, choice, command.run(),
                          {&back->scene, &*source.origin, back->images});
  if (!restored) {
    return restored;
  }
  restored->ledger.routes = std::move(routes);
  // In the order of the pages, of which some may be shown no more.
  std::vector<Bytes> shown;
  std::size_t next = 0;
  for (std::size_t p = 0; p < ledger.page_images.size(); ++p) {
    for (std::size_t c = 0; c < channel_count; ++c) {
      if (ledger.page_images[p][c] == no_image || next >= pages.size()) {
        continue;
      }
      if (restored->ledger.page_images[p][c] != no_image) {
        shown.push_back(pages[next]);
      }
      ++next;
    }
  }
  give_pages(restored->ledger.page_images, shown, restored->scene);
  return restored;
}

}  // namespace wakuzume::cli
