// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "job/source_steps.h"

#include <algorithm>

#include "job/telling.h"
#include "wakuzume/relief.h"

namespace wakuzume {

Result<Source> split_source(Scene scene,
                            const SplitSettings& settings,
                            const RunControl& run,
                            std::vector<WishUse>& uses) {
  if (settings.nodes.empty()) {
    return Source{std::move(scene)};
  }
  auto made = split(scene, settings, run);
  if (!made) {
    return Failure(made.error());
  }
  if (!is_whole(scene, *made)) {
    return Failure(Error{ErrorCode::plan_mismatch, "a split lost triangles; please report it", {}});
  }
  warn(run, made->left_as);
  uses.insert(uses.end(), made->wishes.begin(), made->wishes.end());
  Source out{std::move(made->scene)};
  out.split = std::move(made->rows);
  return out;
}

Result<void> repaint_source(Source& source, const RoutePlan& routes, const RunControl& run) {
  auto repainted = repaint(source.scene, routes, run);
  if (!repainted) {
    return Failure(repainted.error());
  }
  source.origin = std::move(source.scene);
  source.scene = std::move(repainted->scene);
  source.images.insert(source.images.begin(), repainted->images.begin(), repainted->images.end());
  return {};
}

Result<void> reduce_source(Source& source,
                           const ReducePlan& reduction,
                           const PictureCodec* codec,
                           const RunControl& run) {
  auto made = reduce_with_relief(source.scene, reduction, run);
  if (!made) {
    return Failure(made.error());
  }
  auto& [reduced, relief] = *made;
  for (const ReliefPage& page : relief.pages) {
    source.images.push_back({no_image, no_image, page.image, no_image});
    source.relief.push_back({page.image, page.size, {}});
  }
  if (codec != nullptr) {
    warn(run, relief.left_as);
    auto painted = paint_relief(source.scene, reduced.scene, relief, *codec, run);
    if (!painted) {
      return Failure(painted.error());
    }
    for (std::size_t p = 0; p < painted->size(); ++p) {
      source.relief[p].bytes = std::move((*painted)[p]);
    }
  }
  source.unreduced = std::move(source.scene);
  source.scene = std::move(reduced.scene);
  source.reduced = std::move(reduced.meshes);
  return {};
}

Result<void> join_source(Source& source, const LightmapPlan& lightmaps, const RunControl& run) {
  auto joined = join_lightmaps(source.scene, lightmaps, run);
  if (!joined) {
    return Failure(joined.error());
  }
  source.unjoined = std::move(source.scene);
  source.scene = std::move(joined->scene);
  // Like pages of tiles: a picture each, in the first channel.
  for (const ImageId image : joined->images) {
    source.images.push_back({image, no_image, no_image, no_image});
  }
  return {};
}

Result<Source> make_source_with(Scene scene,
                                const SourceSteps& steps,
                                const PictureCodec* codec,
                                const RunControl& run,
                                std::vector<WishUse>& uses) {
  auto source = split_source(std::move(scene), steps.split, run, uses);
  if (!source) {
    return source;
  }
  if (steps.reduction.reduces()) {
    if (auto reduced = reduce_source(*source, steps.reduction, codec, run); !reduced) {
      return Failure(reduced.error());
    }
  }
  if (steps.lightmaps.joins()) {
    if (auto joined = join_source(*source, steps.lightmaps, run); !joined) {
      return Failure(joined.error());
    }
  }
  if (auto done = group_materials(steps.routes.grouped, source->scene); !done) {
    return Failure(done.error());
  }
  if (auto done = cut_out(steps.routes.cutouts, source->scene); !done) {
    return Failure(done.error());
  }
  if (!steps.routes.shares()) {
    return source;
  }
  auto repainted = repaint_source(*source, steps.routes, run);
  return repainted ? std::move(source) : Failure(repainted.error());
}

Result<Source> make_source(Scene scene, const SourceSteps& steps, const RunControl& run) {
  std::vector<WishUse> uses;
  return make_source_with(std::move(scene), steps, nullptr, run, uses);
}

Result<Source> make_source(Scene scene,
                           const SourceSteps& steps,
                           const PictureCodec& codec,
                           const RunControl& run) {
  std::vector<WishUse> uses;
  return make_source_with(std::move(scene), steps, &codec, run, uses);
}

const Scene& show_relief(const Source& source, const Scene& scene, std::optional<Scene>& room) {
  return source.relief.empty() ? scene : room.emplace(source.with_relief(scene));
}

}  // namespace wakuzume
