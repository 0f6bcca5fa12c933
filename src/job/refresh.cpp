// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <optional>
#include <set>

#include "job/pages.h"
#include "job/source_steps.h"
#include "survey/textures.h"
#include "wakuzume/job.h"
#include "wakuzume/spread.h"

namespace wakuzume {
namespace {

/// Of the slots that have one, in their order.
std::vector<TextureId> list_shown(const Material& material) {
  std::vector<TextureId> out;
  for (const TextureSlot* slot : list_slots(material)) {
    if (slot->texture != no_texture) {
      out.push_back(slot->texture);
    }
  }
  return out;
}

/// Takes over a picture that a result shows as it is. \return whether it changed
bool take_picture(const Scene& source, ImageId from, Scene& built, ImageId to) {
  const Bytes fresh = find_encoded(source, from);
  if (fresh.size() == 0 || fresh == find_encoded(built, to)) {
    return false;
  }
  Image& image = built.images[to_index(to)];
  image.bytes = fresh;
  image.view = no_view;
  return true;
}

/// Pictures of materials that went into the result as they are.
std::set<ImageId> take_plain_pictures(const Scene& source, const Ledger& ledger, Scene& built) {
  std::set<ImageId> changed;
  for (std::size_t m = 0; m < built.materials.size(); ++m) {
    const MaterialId from =
        m < ledger.material_from.size() ? ledger.material_from[m] : make_id<MaterialId>(m);
    if (to_index(from) >= source.materials.size()) {
      continue;
    }
    const std::vector<TextureId> here = list_shown(built.materials[m]);
    const std::vector<TextureId> there = list_shown(source[from]);
    for (std::size_t t = 0; t < std::min(here.size(), there.size()); ++t) {
      const ImageId to = built.textures[to_index(here[t])].image;
      const ImageId image = source.textures[to_index(there[t])].image;
      if (to != no_image && image != no_image && take_picture(source, image, built, to)) {
        changed.insert(to);
      }
    }
  }
  return changed;
}

/// With a ledger of what is there now the audit tells whether only pictures changed.
/// \pre the pages have no bytes
Result<void> check_that_meshes_stayed(const Source& source,
                                      Ledger& ledger,
                                      const Scene& built,
                                      const RunControl& run) {
  ledger.source_hash = make_content_hash(source.scene, run);
  ledger.result_hash = make_content_hash(gather_instances(built, ledger), run);
  const auto verdict = verify(source.scene, built, ledger, {}, run);
  if (!verdict) {
    return Failure(verdict.error());
  }
  if (!verdict->passed) {
    return Failure(Error{ErrorCode::plan_mismatch,
                         fmt::format("more than pictures changed: {}; build it again",
                                     verdict->mismatches.empty() ? "it does not match"
                                                                 : verdict->mismatches[0].what),
                         {}});
  }
  return {};
}

/// The pictures of joined lightmap pages as they are now.
/// \param ledger  learns where the pages' pictures are; their sizes stay those of its moves
Result<std::vector<LightmapFile>> repaint_lightmaps(const Source& source,
                                                    Ledger& ledger,
                                                    Scene& built,
                                                    const JobTools& tools,
                                                    const RunControl& run) {
  const LightmapTools with{tools.codec, tools.lightmaps};
  const auto now = find_pictures_again(*source.unjoined, ledger.lightmaps, with);
  if (!now) {
    return Failure(now.error());
  }
  auto pictures = paint_lightmaps(*source.unjoined, *now, with, run);
  if (!pictures) {
    return Failure(pictures.error());
  }
  LightmapPlan& plan = ledger.lightmaps;
  for (std::size_t p = 0; p < plan.pages.size(); ++p) {
    const RectSize size = plan.pages[p].size;
    plan.pages[p] = now->pages[p];
    plan.pages[p].size = size;
  }
  for (std::size_t p = 0; p < plan.joined.size(); ++p) {
    const RectSize size = plan.joined[p].size;
    plan.joined[p] = now->joined[p];
    plan.joined[p].size = size;
  }
  return give_lightmaps(*now, ledger, std::move(*pictures), built);
}

}  // namespace

Result<Refreshed> refresh_pictures(const Source& source,
                                   Ledger& ledger,
                                   Scene& built,
                                   const JobTools& tools,
                                   const RunControl& run) {
  if (!source.origin && !source.unjoined && source.relief.empty()) {
    return Failure(Error{ErrorCode::bad_setting,
                         "this result has no shared materials, no joined lightmap pages and no "
                         "painted normals; build it again instead",
                         {}});
  }
  std::set<ImageId> changed =
      take_plain_pictures(source.origin ? *source.origin : source.scene, ledger, built);
  const std::vector<Bytes> before = take_pages(ledger.page_images, built);
  if (auto checked = check_that_meshes_stayed(source, ledger, built, run); !checked) {
    return Failure(checked.error());
  }
  if (source.origin) {
    std::optional<Scene> room;
    const Scene& origin = show_relief(source, *source.origin, room);
    if (auto painted =
            paint_pages(origin, ledger.routes, ledger.page_images, tools.codec, built, run);
        !painted) {
      return Failure(painted.error());
    }
  }
  give_relief(source, ledger.page_images, built);
  Refreshed out;
  if (source.unjoined) {
    auto files = repaint_lightmaps(source, ledger, built, tools, run);
    if (!files) {
      return Failure(files.error());
    }
    out.files = std::move(*files);
  }
  std::size_t next = 0;
  for (const auto& page : ledger.page_images) {
    for (const ImageId id : page) {
      if (to_index(id) < built.images.size() && find_encoded(built, id) != before[next++]) {
        changed.insert(id);
      }
    }
  }
  out.images.assign(changed.begin(), changed.end());
  return out;
}

}  // namespace wakuzume
