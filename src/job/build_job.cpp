// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "job/pages.h"
#include "job/telling.h"
#include "wakuzume/job.h"

namespace wakuzume {
namespace {

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

Result<Built> build(const Source& source,
                    const Plan& plan,
                    const Job& job,
                    const JobTools& tools,
                    const RunControl& run) {
  if (job.build.carry_source != CarrySource::no && (source.origin || source.unjoined)) {
    return Failure(Error{ErrorCode::bad_setting,
                         "--carry-source can't carry materials and lightmap pages as they were "
                         "before they were shared; keep the source file instead, restore finds it",
                         {}});
  }
  BuildSettings settings = job.build;
  settings.origin = source.origin ? &*source.origin : nullptr;
  settings.page_images = source.images;
  auto built = build(source.scene, plan, settings, run);
  if (!built) {
    return built;
  }
  const RoutePlan& routes = plan.routes;
  built->ledger.split = plan.split;
  built->ledger.lightmaps = plan.lightmaps;
  built->ledger.routes = routes;
  if (!source.origin || (routes.pages.empty() && routes.stacks.empty())) {
    return built;
  }
  const PageImages& images = built->ledger.page_images;
  if (auto painted = paint_pages(*source.origin, routes, images, tools.codec, built->scene, run);
      !painted) {
    return Failure(painted.error());
  }
  give_assets(built->scene, images, built->assets);
  tell(run, "painted {} pages and {} stacks", routes.pages.size(), routes.stacks.size());
  return built;
}

}  // namespace wakuzume
