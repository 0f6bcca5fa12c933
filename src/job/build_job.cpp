// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <algorithm>
#include <optional>

#include "job/ask_wishes.h"
#include "job/pages.h"
#include "job/source_steps.h"
#include "job/telling.h"
#include "wakuzume/job.h"
#include "wakuzume/spread.h"

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

/// The pictures of all pages, into the scene, its assets, or files of their own.
Result<void> paint(const Source& source,
                   const Plan& plan,
                   const JobTools& tools,
                   const RunControl& run,
                   Built& built) {
  const RoutePlan& routes = plan.routes;
  const PageImages& images = built.ledger.page_images;
  if (source.origin && !(routes.pages.empty() && routes.stacks.empty())) {
    std::optional<Scene> room;
    const Scene& origin = show_relief(source, *source.origin, room);
    if (auto painted = paint_pages(origin, routes, images, tools.codec, built.scene, run);
        !painted) {
      return painted;
    }
    tell(run, "painted {} pages and {} stacks", routes.pages.size(), routes.stacks.size());
  }
  give_relief(source, images, built.scene);
  if (plan.lightmaps.joins()) {
    auto pictures =
        paint_lightmaps(*source.unjoined, plan.lightmaps, {tools.codec, tools.lightmaps}, run);
    if (!pictures) {
      return Failure(pictures.error());
    }
    built.lightmaps =
        give_lightmaps(plan.lightmaps, built.ledger, std::move(*pictures), built.scene);
  }
  give_assets(built.scene, images, built.assets);
  return {};
}

}  // namespace

void give_relief(const Source& source, const PageImages& images, Scene& built) {
  for (const ReliefPicture& picture : source.relief) {
    for (std::size_t p = 0; p < std::min(images.size(), source.images.size()); ++p) {
      constexpr auto normal = static_cast<std::size_t>(Channel::normal);
      const ImageId to = images[p][normal];
      if (source.images[p][normal] == picture.image && to_index(to) < built.images.size()) {
        built.images[to_index(to)].bytes = picture.bytes;
      }
    }
  }
}

std::vector<LightmapFile> give_lightmaps(const LightmapPlan& plan,
                                         const Ledger& ledger,
                                         std::vector<Bytes> pictures,
                                         Scene& built) {
  std::vector<LightmapFile> files;
  for (std::size_t p = 0; p < pictures.size(); ++p) {
    const ImageId image = ledger.find_joined_image(p);
    if (image != no_image) {
      built.images[to_index(image)].bytes = std::move(pictures[p]);
    } else if (pictures[p].size() > 0) {
      files.push_back({plan.joined[p].picture, std::move(pictures[p])});
    }
  }
  return files;
}

Result<void> store_geometry(Built& built, const RunControl& run) {
  Ledger& ledger = built.ledger;
  if (ledger.results.empty()) {
    // What is left is the source, as it was stored.
    ledger.geometry.form = GeometryForm::plain;
    return {};
  }
  spread_instances(built.scene, ledger);
  const auto finish = [&] {
    ledger.result_hash = make_content_hash(gather_instances(built.scene, ledger), run);
  };
  if (ledger.geometry.form == GeometryForm::plain) {
    built.scene.storage = StreamStorage::plain;
    finish();
    return {};
  }
  std::vector<NodeId> fixed;
  for (const LedgerRow& row : ledger.rows) {
    if (row.fate == Fate::kept && row.node != no_node && built.scene[row.node].instancing) {
      fixed.push_back(row.node);
    }
  }
  auto stored = quantise(std::move(built.scene), ledger.geometry, fixed, run);
  if (!stored) {
    return Failure(stored.error());
  }
  built.scene = std::move(stored->scene);
  ledger.left_out.insert(ledger.left_out.end(), stored->left_out.begin(), stored->left_out.end());
  for (AssetScene& asset : built.assets) {
    auto small = quantise(std::move(asset.scene), ledger.geometry, {}, run);
    if (!small) {
      return Failure(small.error());
    }
    asset.scene = std::move(small->scene);
  }
  finish();
  return {};
}

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
  if (job.build.carry_source != CarrySource::no &&
      (source.origin || source.unjoined || source.unreduced)) {
    return Failure(Error{ErrorCode::bad_setting,
                         "--carry-source can't carry triangles, materials and lightmap pages as "
                         "they were before they were reduced or shared; keep the source file "
                         "instead, restore finds it",
                         {}});
  }
  const GeometrySettings& geometry = plan.settings.geometry;
  if (job.build.carry_source != CarrySource::no && geometry.form != GeometryForm::plain) {
    return Failure(
        Error{ErrorCode::bad_setting,
              "--carry-source can't carry vertex data as it was before it was quantised; "
              "keep the source file instead, restore finds it",
              {}});
  }
  if (job.build.carry_source != CarrySource::no &&
      plan.settings.gpu_pictures.texels != GpuTexels::none) {
    return Failure(
        Error{ErrorCode::bad_setting,
              "--carry-source can't carry textures that name no files for GPUs beside those that "
              "do; keep the source file instead, restore finds it",
              {}});
  }
  BuildSettings settings = job.build;
  settings.origin = source.origin ? &*source.origin : nullptr;
  settings.unreduced = source.unreduced ? &*source.unreduced : nullptr;
  settings.page_images = source.images;
  std::vector<std::string> assets = plan.settings.assets;
  assets.insert(assets.end(), settings.assets.begin(), settings.assets.end());
  auto rules = settle_answers(source.before_all(), plan.survey_settings, assets, run);
  if (!rules) {
    return Failure(rules.error());
  }
  const bool asks = rules->answers.size() > plan.survey_settings.answers.size();
  std::optional<Plan> answered = asks ? std::optional(plan) : std::nullopt;
  if (asks) {
    answered->survey_settings = std::move(*rules);
  }
  auto built = build(source.scene, asks ? *answered : plan, settings, run);
  if (!built) {
    return built;
  }
  static_cast<SourceSteps&>(built->ledger) = plan;
  built->ledger.geometry = geometry;
  built->ledger.gpu_pictures = plan.settings.gpu_pictures;
  built->ledger.instances = plan.settings.instances;
  if (auto stored = store_geometry(*built, run); !stored) {
    return Failure(stored.error());
  }
  if (auto painted = paint(source, plan, tools, run, *built); !painted) {
    return Failure(painted.error());
  }
  return built;
}

}  // namespace wakuzume
