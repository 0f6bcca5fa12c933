// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "lightmap/pictures.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <set>

#include "scene/first_error.h"
#include "scene/running.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

/// Bytes of a page's picture; none where it is not there.
Result<Bytes> find_bytes(const Scene& scene, const LightmapPage& page, const LightmapTools& tools) {
  if (page.image != no_image) {
    return to_index(page.image) < scene.images.size() ? find_encoded(scene, page.image) : Bytes();
  }
  if (tools.files == nullptr || page.file.empty()) {
    return Bytes();
  }
  auto file = tools.files->find(page.file);
  return file ? Result<Bytes>(std::move(file->bytes)) : Failure(file.error());
}

/// A place beyond the picture, as its edge mirrors it.
std::size_t mirror(std::int64_t at, std::uint32_t side) {
  const std::int64_t period = 2 * std::int64_t{side};
  const std::int64_t inside = ((at % period) + period) % period;
  return static_cast<std::size_t>(inside < side ? inside : period - 1 - inside);
}

/// One joined page, its pictures side by side.
class PagePainter {
 public:
  PagePainter(const Scene& scene,
              const LightmapPlan& plan,
              std::uint32_t joined,
              const LightmapTools& tools)
      : scene_(scene), plan_(plan), joined_(joined), tools_(tools) {}

  Result<Bytes> paint(const RunControl& run) {
    std::map<std::uint32_t, std::vector<const LightmapMove*>> moves;
    for (const LightmapMove& move : plan_.moves) {
      if (move.to == joined_) {
        moves[move.from].push_back(&move);
      }
    }
    const std::vector<std::pair<std::uint32_t, std::vector<const LightmapMove*>>> list(
        moves.begin(), moves.end());
    FirstError errors;
    std::mutex begun;
    const bool finished =
        for_each_index(list.size(), run, "moving lightmap texels", [&](std::size_t i) {
          const auto grid = read(plan_.pages[list[i].first]);
          if (!grid) {
            return errors.report(i, grid.error());
          }
          {
            const std::scoped_lock lock(begun);
            begin(*grid);
          }
          for (const LightmapMove* move : list[i].second) {
            move_texels(*grid, *move, out_);
          }
        });
    if (errors.get()) {
      return Failure(*errors.get());
    }
    if (!finished) {
      return Failure(make_cancelled());
    }
    auto packed = tools_.codec.pack(out_);
    return packed ? Result<Bytes>(tools_.codec.keep(std::move(*packed))) : Failure(packed.error());
  }

 private:
  [[nodiscard]] Result<TexelGrid> read(const LightmapPage& page) const {
    const auto bytes = find_bytes(scene_, page, tools_);
    if (!bytes) {
      return Failure(bytes.error());
    }
    auto grid = tools_.codec.unpack(*bytes, ImageDepth::pixels);
    if (!grid) {
      Error error = grid.error();
      error.message = fmt::format("lightmap page {}: {}", page.name, error.message);
      return Failure(error);
    }
    if (grid->size != page.size || grid->format != page.format) {
      return Failure(
          Error{ErrorCode::plan_mismatch,
                fmt::format("lightmap page {} is {} x {} texels of {}, and was {} x {} "
                            "of {}; join the pages anew",
                            page.name, grid->size.width_px, grid->size.height_px, grid->format,
                            page.size.width_px, page.size.height_px, page.format),
                {}});
    }
    return grid;
  }

  /// The first picture tells how many bytes a texel has.
  void begin(const TexelGrid& grid) {
    if (out_.texels.empty()) {
      out_.size = plan_.joined[joined_].size;
      out_.format = grid.format;
      out_.texel_bytes = grid.texel_bytes;
      out_.texels.resize(std::size_t{out_.size.width_px} * out_.size.height_px * out_.texel_bytes);
    }
  }

  const Scene& scene_;
  const LightmapPlan& plan_;
  std::uint32_t joined_;
  const LightmapTools& tools_;
  TexelGrid out_;
};

}  // namespace

std::string name_picture(const LightmapSettings& settings, const std::string& page) {
  std::string out = settings.pictures;
  constexpr std::string_view word = "{page}";
  for (std::size_t at = out.find(word); at != std::string::npos;
       at = out.find(word, at + page.size())) {
    out.replace(at, word.size(), page);
  }
  return out;
}

std::string find_ending(const std::string& format) {
  return format.starts_with("image/x-exr")          ? ".exr"
         : format.starts_with("image/vnd.radiance") ? ".hdr"
                                                    : ".png";
}

Result<std::vector<LightmapPicture>> find_lightmap_pictures(const Scene& scene,
                                                            const Survey& survey,
                                                            const LightmapSettings& settings,
                                                            const LightmapTools& tools,
                                                            const RunControl& run) {
  std::map<std::string, ImageId> by_name;
  for (std::size_t i = 0; i < scene.images.size(); ++i) {
    by_name.try_emplace(scene.images[i].name, make_id<ImageId>(i));
  }
  std::set<std::string> pages;
  for (const MergeKey& key : survey.keys) {
    if (!key.lightmap.empty()) {
      pages.insert(key.lightmap);
    }
  }
  std::vector<LightmapPicture> out;
  for (const std::string& page : pages) {
    if (!goes_on(run, "looking for lightmaps")) {
      return Failure(make_cancelled());
    }
    LightmapPicture picture;
    picture.page = page;
    Bytes bytes;
    const std::string name = name_picture(settings, page);
    if (const auto known = by_name.find(name); known != by_name.end()) {
      picture.image = known->second;
      bytes = find_encoded(scene, picture.image);
    } else if (tools.files != nullptr) {
      auto file = tools.files->find(name);
      if (!file) {
        return Failure(file.error());
      }
      picture.file = std::move(file->name);
      bytes = std::move(file->bytes);
    }
    if (bytes.size() == 0) {
      continue;
    }
    const auto grid = tools.codec.unpack(bytes, ImageDepth::sizes);
    if (!grid) {
      Error error = grid.error();
      error.message = fmt::format("lightmap page {}: {}", page, error.message);
      return Failure(error);
    }
    picture.size = grid->size;
    picture.format = grid->format;
    out.push_back(std::move(picture));
  }
  return out;
}

void move_texels(const TexelGrid& from, const LightmapMove& move, TexelGrid& to) {
  const std::size_t bytes = from.texel_bytes;
  const auto width = static_cast<std::size_t>(move.rect.width);
  std::vector<std::size_t> columns(width);
  for (std::size_t x = 0; x < width; ++x) {
    columns[x] = mirror(move.rect.x + static_cast<std::int64_t>(x), from.size.width_px) * bytes;
  }
  for (std::size_t y = 0; y < static_cast<std::size_t>(move.rect.height); ++y) {
    const std::size_t row = mirror(move.rect.y + static_cast<std::int64_t>(y), from.size.height_px);
    const std::byte* const in = &from.texels[row * from.size.width_px * bytes];
    std::byte* const out = &to.texels[((move.y + y) * to.size.width_px + move.x) * bytes];
    for (std::size_t x = 0; x < width; ++x) {
      std::memcpy(out + x * bytes, in + columns[x], bytes);
    }
  }
}

Result<std::vector<Bytes>> paint_lightmaps(const Scene& scene,
                                           const LightmapPlan& plan,
                                           const LightmapTools& tools,
                                           const RunControl& run) {
  std::vector<Bytes> out(plan.joined.size());
  for (std::uint32_t p = 0; p < out.size(); ++p) {
    if (plan.joined[p].format.empty()) {
      continue;
    }
    auto painted = PagePainter(scene, plan, p, tools).paint(run);
    if (!painted) {
      return Failure(painted.error());
    }
    out[p] = std::move(*painted);
  }
  return out;
}

}  // namespace wakuzume
