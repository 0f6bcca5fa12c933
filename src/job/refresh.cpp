// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "survey/textures.h"
#include "wakuzume/job.h"

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
  ledger.result_hash = make_content_hash(built, run);
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

}  // namespace

Result<std::vector<ImageId>> refresh_pictures(const Source& source,
                                              Ledger& ledger,
                                              Scene& built,
                                              const JobTools& tools,
                                              const RunControl& run) {
  if (!source.origin) {
    return Failure(Error{
        ErrorCode::bad_setting, "this result has no shared materials; build it again instead", {}});
  }
  std::set<ImageId> changed = take_plain_pictures(*source.origin, ledger, built);
  const std::vector<Bytes> before = take_pages(ledger.page_images, built);
  if (auto checked = check_that_meshes_stayed(source, ledger, built, run); !checked) {
    return Failure(checked.error());
  }
  if (auto painted =
          paint_pages(*source.origin, ledger.routes, ledger.page_images, tools.codec, built, run);
      !painted) {
    return Failure(painted.error());
  }
  std::size_t next = 0;
  for (const auto& page : ledger.page_images) {
    for (const ImageId id : page) {
      if (to_index(id) < built.images.size() && find_encoded(built, id) != before[next++]) {
        changed.insert(id);
      }
    }
  }
  return std::vector<ImageId>(changed.begin(), changed.end());
}

}  // namespace wakuzume
