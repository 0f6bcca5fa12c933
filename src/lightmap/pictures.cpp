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
#include "scene/srgb.h"
#include "survey/lightmaps.h"
#include "survey/textures.h"

namespace wakuzume {
namespace {

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
    fill_gaps(plan_.moves, joined_, out_);
    auto packed = tools_.codec.pack(out_);
    return packed ? Result<Bytes>(tools_.codec.keep(std::move(*packed))) : Failure(packed.error());
  }

 private:
  [[nodiscard]] Result<TexelGrid> read(const LightmapPage& page) const {
    const auto bytes = read_page_picture(scene_, page, tools_);
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

/// Pictures by the names that pages have.
class PictureFinder {
 public:
  PictureFinder(const Scene& scene, const LightmapSettings& settings, const LightmapTools& tools)
      : scene_(scene), settings_(settings), tools_(tools) {
    for (std::size_t i = 0; i < scene.images.size(); ++i) {
      by_name_.try_emplace(scene.images[i].name, make_id<ImageId>(i));
    }
    for (std::size_t m = 0; m < scene.materials.size(); ++m) {
      const ImageId image = find_lightmap_image(scene, make_id<MaterialId>(m));
      if (image != no_image) {
        by_material_.try_emplace(name_lightmap_page(image), image);
      }
    }
  }

  /// \param encoded  becomes the picture itself; null: nobody asks for it
  /// \return without a format: there is none
  [[nodiscard]] Result<LightmapPicture> find(const std::string& page,
                                             Bytes* encoded = nullptr) const {
    LightmapPicture picture;
    picture.page = page;
    Bytes bytes;
    const std::string name = name_lightmap_picture(settings_.pictures, page);
    const auto own = by_material_.find(page);
    if (own != by_material_.end()) {
      picture.image = own->second;
      bytes = find_encoded(scene_, picture.image);
    } else if (const auto known = by_name_.find(name); known != by_name_.end()) {
      picture.image = known->second;
      bytes = find_encoded(scene_, picture.image);
    } else if (tools_.files != nullptr) {
      auto file = tools_.files->find(name);
      if (!file) {
        return Failure(file.error());
      }
      picture.file = std::move(file->name);
      bytes = std::move(file->bytes);
    }
    if (bytes.size() == 0) {
      return LightmapPicture{page, no_image, {}, {}, {}};
    }
    auto grid = tools_.codec.unpack(bytes, ImageDepth::sizes);
    if (!grid && own != by_material_.end()) {
      return LightmapPicture{page, no_image, {}, {}, {}};  // such pages stay, which is told
    }
    if (!grid) {
      Error error = grid.error();
      error.message = fmt::format("lightmap page {}: {}", page, error.message);
      return Failure(error);
    }
    picture.size = grid->size;
    picture.format = std::move(grid->format);
    if (encoded != nullptr) {
      *encoded = std::move(bytes);
    }
    return picture;
  }

 private:
  const Scene& scene_;
  const LightmapSettings& settings_;
  const LightmapTools& tools_;
  std::map<std::string, ImageId> by_name_;
  std::map<std::string, ImageId> by_material_;  ///< by page
};

/// Joined pages have pictures where all that comes to them has, of one format.
Result<void> name_joined(LightmapPlan& plan) {
  for (std::size_t p = 0; p < plan.joined.size(); ++p) {
    JoinedPage& page = plan.joined[p];
    std::set<std::string> formats;
    for (const LightmapMove& move : plan.moves) {
      if (move.to == p) {
        formats.insert(plan.pages[move.from].format);
      }
    }
    if (formats.size() > 1) {
      return Failure(Error{ErrorCode::plan_mismatch,
                           fmt::format("lightmap page {} is made of pages of {}; give them all "
                                       "one format, and each its picture",
                                       page.name, fmt::join(formats, " and ")),
                           {}});
    }
    page.format = formats.empty() ? "" : *formats.begin();
    if (!page.embedded) {
      page.picture =
          page.format.empty()
              ? ""
              : name_lightmap_picture(plan.settings.pictures, page.name) + find_ending(page.format);
    }
  }
  return {};
}

void enlarge(std::uint32_t times, LightmapPlan& plan) {
  const auto grow = [&](RectSize& size) { size = {size.width_px * times, size.height_px * times}; };
  for (LightmapPage& page : plan.pages) {
    grow(page.size);
  }
  for (JoinedPage& page : plan.joined) {
    grow(page.size);
  }
  for (LightmapMove& move : plan.moves) {
    for (std::int64_t* const value :
         {&move.rect.x, &move.rect.y, &move.rect.width, &move.rect.height}) {
      *value *= times;
    }
    move.x *= times;
    move.y *= times;
  }
}

std::set<std::string> list_page_names(const Survey& survey) {
  std::set<std::string> pages;
  for (const MergeKey& key : survey.keys) {
    if (!key.lightmap.empty()) {
      pages.insert(key.lightmap);
    }
  }
  return pages;
}

}  // namespace

Result<LightPixels> PictureCodec::decode_light(const Bytes& encoded) const {
  const auto pixels = decode(encoded);
  if (!pixels) {
    return Failure(pixels.error());
  }
  LightPixels out{pixels->width_px, pixels->height_px, {}};
  out.rgb.reserve(pixels->rgba.size() / 4 * 3);
  for (std::size_t at = 0; at < pixels->rgba.size(); at += 4) {
    for (std::size_t c = 0; c < 3; ++c) {
      out.rgb.push_back(srgb_to_linear()[pixels->rgba[at + c]]);
    }
  }
  return out;
}

Result<Bytes> read_page_picture(const Scene& source,
                                const LightmapPage& page,
                                const LightmapTools& tools) {
  if (page.image != no_image) {
    return to_index(page.image) < source.images.size() ? find_encoded(source, page.image) : Bytes();
  }
  if (tools.files == nullptr || page.file.empty()) {
    return Bytes();
  }
  auto file = tools.files->find(page.file);
  return file ? Result<Bytes>(std::move(file->bytes)) : Failure(file.error());
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
  const std::set<std::string> pages = list_page_names(survey);
  const PictureFinder finder(scene, settings, tools);
  std::vector<LightmapPicture> out;
  for (const std::string& page : pages) {
    if (!goes_on(run, "looking for lightmaps")) {
      return Failure(make_cancelled());
    }
    auto picture = finder.find(page);
    if (!picture) {
      return Failure(picture.error());
    }
    if (!picture->format.empty()) {
      out.push_back(std::move(*picture));
    }
  }
  return out;
}

Result<std::vector<LitPage>> read_lit_pages(const Scene& scene,
                                            const Survey& survey,
                                            const LightmapSettings& settings,
                                            const LightmapTools& tools,
                                            const RunControl& run) {
  const PictureFinder finder(scene, settings, tools);
  std::vector<LitPage> out;
  for (const std::string& page : list_page_names(survey)) {
    if (!goes_on(run, "looking for lightmaps")) {
      return Failure(make_cancelled());
    }
    LitPage lit{page, {}, 0, 0};
    const auto picture = finder.find(page, &lit.picture);
    if (picture && !picture->format.empty()) {
      lit.width_px = picture->size.width_px;
      lit.height_px = picture->size.height_px;
      out.push_back(std::move(lit));
    }
  }
  return out;
}

Result<LightmapPlan> find_pictures_again(const Scene& scene,
                                         const LightmapPlan& plan,
                                         const LightmapTools& tools) {
  const PictureFinder finder(scene, plan.settings, tools);
  LightmapPlan out = plan;
  std::uint32_t times = 0;
  for (LightmapPage& page : out.pages) {
    auto picture = finder.find(page.name);
    if (!picture) {
      return Failure(picture.error());
    }
    page.image = picture->image;
    page.file = std::move(picture->file);
    page.format = std::move(picture->format);
    if (page.format.empty()) {
      continue;
    }
    const std::uint32_t mine = picture->size.width_px / page.size.width_px;
    times = times == 0 ? mine : times;
    if (mine == 0 || mine != times ||
        picture->size != RectSize{times * page.size.width_px, times * page.size.height_px}) {
      return Failure(Error{ErrorCode::plan_mismatch,
                           fmt::format("lightmap page {} is {} x {} texels; the pages were joined "
                                       "as {} x {}, and all may be whole multiples of that; join "
                                       "them anew",
                                       page.name, picture->size.width_px, picture->size.height_px,
                                       page.size.width_px, page.size.height_px),
                           {}});
    }
  }
  if (auto named = name_joined(out); !named) {
    return Failure(named.error());
  }
  enlarge(std::max(times, 1U), out);
  return out;
}

void move_texels(const TexelGrid& from, const LightmapMove& move, TexelGrid& to) {
  const std::size_t bytes = from.texel_bytes;
  const std::int64_t width = move.rect.width;
  // What lies within the page goes as it stands, the rest texel by texel.
  const std::int64_t first = std::clamp<std::int64_t>(-move.rect.x, 0, width);
  const std::int64_t last =
      std::clamp<std::int64_t>(std::int64_t{from.size.width_px} - move.rect.x, first, width);
  for (std::int64_t y = 0; y < move.rect.height; ++y) {
    const std::size_t row = mirror(move.rect.y + y, from.size.height_px);
    const std::byte* const in = &from.texels[row * from.size.width_px * bytes];
    const std::size_t out_row = static_cast<std::size_t>(y) + move.y;
    std::byte* const out = &to.texels[(out_row * to.size.width_px + move.x) * bytes];
    const auto copy_one = [&](std::int64_t x) {
      std::memcpy(out + static_cast<std::size_t>(x) * bytes,
                  in + mirror(move.rect.x + x, from.size.width_px) * bytes, bytes);
    };
    for (std::int64_t x = 0; x < first; ++x) {
      copy_one(x);
    }
    if (first < last) {
      std::memcpy(out + static_cast<std::size_t>(first) * bytes,
                  in + static_cast<std::size_t>(move.rect.x + first) * bytes,
                  static_cast<std::size_t>(last - first) * bytes);
    }
    for (std::int64_t x = last; x < width; ++x) {
      copy_one(x);
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
