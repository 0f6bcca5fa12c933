// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <mutex>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "scene/first_error.h"
#include "scene/running.h"
#include "scene/srgb.h"
#include "survey/textures.h"
#include "texture/bake.h"
#include "texture/coverage.h"
#include "texture/material_rules.h"
#include "texture/resample.h"
#include "texture/texel_writer.h"
#include "texture/uv_source.h"
#include "wakuzume/repaint.h"

namespace wakuzume {
namespace {

/// Around parts of a layout that was there: what they are next to keeps them sharp at their rims.
constexpr double layout_margin_px = 3;

PixelRect find_rect(const Tile& tile, const RectSize& page, std::uint32_t halvings) {
  const RectSize outer = tile.outer();
  const auto end = [&](std::uint32_t at, std::uint32_t length, std::uint32_t most) {
    return std::min(most, at - tile.gutter + (length + 3) / 4 * 4) >> halvings;
  };
  return {(tile.x - tile.gutter) >> halvings, (tile.y - tile.gutter) >> halvings,
          end(tile.x, tile.turned ? outer.height_px : outer.width_px, page.width_px),
          end(tile.y, tile.turned ? outer.width_px : outer.height_px, page.height_px)};
}

/// Paints one tile into one picture of its page.
class TilePainter {
 public:
  /// \param halvings  how much smaller the picture is than the page
  /// \param rect      of the picture; nothing: where the tile is
  TilePainter(const Scene& scene,
              const RoutePlan& routes,
              const AtlasPage& page,
              const Tile& tile,
              Channel channel,
              std::uint32_t halvings,
              const PictureCodec& codec,
              Pixels& out,
              const std::optional<PixelRect>& rect = {})
      : scene_(scene),
        page_(page),
        tile_(tile),
        material_(make_painted(scene, routes, tile.material)),
        writer_(material_, channel),
        channel_(channel),
        codec_(codec),
        halvings_(halvings),
        rect_(rect ? *rect : find_rect(tile, page.size, halvings_)),
        out_(out) {}

  Result<void> run() {
    fill(find_plain_value(material_, channel_));
    if (tile_.baked()) {
      return paint_charts(scene_, page_, tile_, writer_, channel_, codec_, halvings_, rect_, out_);
    }
    for (const TextureSlot* slot : list_slots_of(material_, channel_)) {
      auto pixels = decode_slot(scene_, *slot, codec_);
      if (!pixels) {
        return Failure(pixels.error());
      }
      if (tile_.solid()) {
        fill_solid(*pixels, *slot);
      } else {
        paint(*pixels, *slot);
      }
    }
    return {};
  }

 private:
  [[nodiscard]] std::uint8_t* at(std::size_t x, std::size_t y) {
    return &out_.rgba[4 * (y * out_.width_px + x)];
  }

  void fill(const std::array<double, 4>& plain) {
    std::uint8_t bytes[4] = {128, 128, 255, 255};
    if (channel_ != Channel::normal) {
      float value[4];
      std::copy(plain.begin(), plain.end(), value);
      writer_.write(value, nullptr, bytes);
    }
    for (std::size_t y = rect_.top; y < rect_.bottom; ++y) {
      for (std::size_t x = rect_.left; x < rect_.right; ++x) {
        std::copy_n(bytes, 4, at(x, y));
      }
    }
  }

  void fill_solid(const Pixels& pixels, const TextureSlot& slot) {
    AxisShares one;
    one.add(0, 1, 1, wrap_clamp);
    resample(pixels, writer_.averaging(), one, one,
             [&](std::size_t, const std::vector<float>& value) {
               for (std::size_t y = rect_.top; y < rect_.bottom; ++y) {
                 for (std::size_t x = rect_.left; x < rect_.right; ++x) {
                   write(value.data(), &slot, at(x, y));
                 }
               }
             });
  }

  /// Directions of the texture become those of the page.
  void write(const float* value, const TextureSlot* slot, std::uint8_t* to) const {
    if (channel_ != Channel::normal) {
      writer_.write(value, slot, to);
      return;
    }
    float n[4] = {value[0], value[1], value[2], 1};
    writer_.scale_normal(n);
    if (tile_.turned) {
      // The page's u runs along the texture's up, and the page's up against its u.
      n[0] = std::exchange(n[1], -n[0]);
    }
    writer_.write(n, slot, to);
  }

  /// Shares of the pixels [begin, end) of the page's axis `page_axis` in the texture's axis.
  [[nodiscard]] AxisShares make_shares(std::uint32_t begin,
                                       std::uint32_t end,
                                       bool along_u,
                                       std::uint32_t texels,
                                       std::uint32_t wrap) const {
    const bool along_x = along_u != tile_.turned;
    const double corner = along_x ? tile_.x : tile_.y;
    const double size = along_u ? tile_.size.width_px : tile_.size.height_px;
    const double used = static_cast<double>(along_u ? tile_.used.width : tile_.used.height);
    const double first = static_cast<double>(along_u ? tile_.used.x : tile_.used.y);
    const double whole = along_u ? tile_.texture.width_px : tile_.texture.height_px;
    const double pixel = std::exp2(halvings_);
    const double scale = texels / whole;
    AxisShares shares;
    for (std::uint32_t p = begin; p < end; ++p) {
      double low = p * pixel - corner;
      if (tile_.turned && along_x) {
        low = size - low - pixel;  // the texture's v runs against the page's x
      }
      const double from = (first + low * used / size) * scale;
      shares.add(from, from + pixel * used / size * scale, texels, wrap);
    }
    return shares;
  }

  void paint(const Pixels& pixels, const TextureSlot& slot) {
    const Sampler& sampler = find_sampler(scene_, slot.texture);
    const auto x_begin = tile_.turned ? rect_.top : rect_.left;
    const auto x_end = tile_.turned ? rect_.bottom : rect_.right;
    const auto y_begin = tile_.turned ? rect_.left : rect_.top;
    const auto y_end = tile_.turned ? rect_.right : rect_.bottom;
    const AxisShares columns = make_shares(x_begin, x_end, true, pixels.width_px, sampler.wrap_s);
    const AxisShares rows = make_shares(y_begin, y_end, false, pixels.height_px, sampler.wrap_t);
    const bool copies = columns.copies() && rows.copies();
    const bool masked = channel_ == Channel::color && material_.alpha_mode == AlphaMode::mask;
    if (copies) {
      copy(pixels, slot, columns, rows);
      return;
    }
    resample(pixels, writer_.averaging(), columns, rows,
             [&](std::size_t row, const std::vector<float>& values) {
               for (std::size_t i = 0; i < columns.size(); ++i) {
                 write(&values[4 * i], &slot, place(i, row));
               }
             });
    if (masked) {
      keep_coverage(pixels, sampler);
    }
  }

  /// Where column `i` and row `j` of the texture's own directions are on the page.
  std::uint8_t* place(std::size_t i, std::size_t j) {
    return tile_.turned ? at(rect_.left + j, rect_.top + i) : at(rect_.left + i, rect_.top + j);
  }

  /// Texels as they are but for their factors: a table of each channel's 256 values.
  void copy(const Pixels& pixels,
            const TextureSlot& slot,
            const AxisShares& columns,
            const AxisShares& rows) {
    const bool directions = channel_ == Channel::normal;
    const bool as_they_are = directions && slot.factor == 1 && !tile_.turned;
    std::array<std::array<std::uint8_t, 4>, 256> table{};
    const std::array<float, 256>& linear = srgb_to_linear();
    for (std::size_t v = 0; v < table.size() && !directions; ++v) {
      const float plain = static_cast<float>(v) / 255.0F;
      const float light = channel_ == Channel::surface ? plain : linear[v];
      const float value[4] = {light, light, light, plain};
      write(value, &slot, table[v].data());
    }
    for (std::size_t j = 0; j < rows.size(); ++j) {
      const std::uint8_t* row =
          &pixels.rgba[std::size_t{4} * rows.shares[j].texel * pixels.width_px];
      for (std::size_t i = 0; i < columns.size(); ++i) {
        const std::uint8_t* texel = row + std::size_t{4} * columns.shares[i].texel;
        std::uint8_t* to = place(i, j);
        if (directions && !as_they_are) {
          const float value[4] = {texel[0] / 127.5F - 1.0F, texel[1] / 127.5F - 1.0F,
                                  texel[2] / 127.5F - 1.0F, 1};
          write(value, &slot, to);
          continue;
        }
        const bool from_occlusion = &slot == &material_.occlusion_texture;
        for (std::size_t c = 0; c < 4; ++c) {
          const bool other = channel_ == Channel::surface && c < 3 && (c == 0) != from_occlusion;
          if (!other) {
            to[c] = as_they_are ? texel[c] : table[texel[c]][c];
          }
        }
        to[3] = directions || channel_ == Channel::surface ? 255 : to[3];
      }
    }
  }

  /// As large a share of the tile as of what it shows of the texture passes the mask: alpha is
  /// raised or lowered by one factor, found by halving.
  void keep_coverage(const Pixels& pixels, const Sampler& sampler) {
    const double wanted = find_coverage(pixels, sampler);
    const auto cutoff = static_cast<float>(material_.alpha_cutoff * 255);
    std::vector<std::uint8_t> alphas;
    const std::uint32_t gutter = tile_.gutter >> halvings_;
    for (std::uint32_t y = rect_.top + gutter; y + gutter < rect_.bottom; ++y) {
      for (std::uint32_t x = rect_.left + gutter; x + gutter < rect_.right; ++x) {
        alphas.push_back(at(x, y)[3]);
      }
    }
    float low = 0.25F;
    float high = 4;
    for (int step = 0; step < 20; ++step) {
      const float middle = (low + high) / 2;
      const auto passing = std::count_if(alphas.begin(), alphas.end(), [&](std::uint8_t a) {
        return static_cast<float>(a) * middle >= cutoff;
      });
      const double share = static_cast<double>(passing) / static_cast<double>(alphas.size());
      (share < wanted ? low : high) = middle;
    }
    for (std::size_t y = rect_.top; y < rect_.bottom; ++y) {
      for (std::size_t x = rect_.left; x < rect_.right; ++x) {
        std::uint8_t& alpha = at(x, y)[3];
        alpha = to_byte(static_cast<float>(alpha) * high / 255.0F);
      }
    }
  }

  [[nodiscard]] double find_coverage(const Pixels& pixels, const Sampler& sampler) const {
    const auto list = [](std::int64_t first, std::int64_t count, std::uint32_t whole,
                         std::uint32_t texels, std::uint32_t wrap) {
      std::vector<std::uint32_t> out;
      const std::int64_t end = (first + count) * texels / whole;
      for (std::int64_t t = first * texels / whole; t < std::max(end, first * texels / whole + 1);
           ++t) {
        out.push_back(wrap_texel(t, texels, wrap));
      }
      return out;
    };
    const auto columns = list(tile_.used.x, tile_.used.width, tile_.texture.width_px,
                              pixels.width_px, sampler.wrap_s);
    const auto rows = list(tile_.used.y, tile_.used.height, tile_.texture.height_px,
                           pixels.height_px, sampler.wrap_t);
    const double least = material_.alpha_cutoff * 255;
    std::uint64_t passing = 0;
    for (const std::uint32_t y : rows) {
      for (const std::uint32_t x : columns) {
        const std::size_t texel = std::size_t{y} * pixels.width_px + x;
        passing += pixels.rgba[4 * texel + 3] * material_.base_color[3] >= least ? 1U : 0U;
      }
    }
    return static_cast<double>(passing) / static_cast<double>(rows.size() * columns.size());
  }

  const Scene& scene_;
  const AtlasPage& page_;
  const Tile& tile_;
  Material material_;
  TexelWriter writer_;
  Channel channel_;
  const PictureCodec& codec_;
  std::uint32_t halvings_;
  PixelRect rect_;
  Pixels& out_;
};

/// Whose each texel of a picture is, of a layout that was there.
struct LayoutOwners {
  /// By texel: the tile that covers it, or the nearest within a margin; no_index: none is near.
  std::vector<std::uint32_t> tiles;
  std::vector<PixelRect> rects;  ///< by tile: around its texels; empty where it has none
};

PixelRect find_layout_rect(std::span<const double> places, const Pixels& picture) {
  PixelRect out{picture.width_px, picture.height_px, 0, 0};
  const auto limit = [](double at, std::uint32_t most) {
    return static_cast<std::uint32_t>(std::clamp(at, 0.0, static_cast<double>(most)));
  };
  for (std::size_t i = 0; i + 1 < places.size(); i += 2) {
    const double x = places[i];
    const double y = places[i + 1];
    out.left = std::min(out.left, limit(std::floor(x - layout_margin_px), picture.width_px));
    out.top = std::min(out.top, limit(std::floor(y - layout_margin_px), picture.height_px));
    out.right = std::max(out.right, limit(std::ceil(x + layout_margin_px), picture.width_px));
    out.bottom = std::max(out.bottom, limit(std::ceil(y + layout_margin_px), picture.height_px));
  }
  return out;
}

/// \param picture  of the page, `halvings` smaller
Result<LayoutOwners> find_owners(const Scene& scene,
                                 const AtlasPage& page,
                                 std::uint32_t halvings,
                                 const Pixels& picture) {
  LayoutOwners out;
  out.tiles.assign(std::size_t{picture.width_px} * picture.height_px, no_index);
  std::vector<float> nearest(out.tiles.size(), TexelHit{}.distance);
  for (std::uint32_t t = 0; t < page.tiles.size(); ++t) {
    const Tile& tile = page.tiles[t];
    auto places = make_page_places(scene, primitive_of(scene, tile.shapes.front()), tile, page);
    if (!places) {
      return Failure(places.error());
    }
    for (double& at : *places) {
      at *= std::exp2(-static_cast<double>(halvings));
    }
    const PixelRect rect = find_layout_rect(*places, picture);
    out.rects.push_back(rect);
    if (rect.left >= rect.right || rect.top >= rect.bottom) {
      continue;
    }
    const TexelCoverage coverage(*places, rect, layout_margin_px);
    std::size_t i = 0;
    for (std::uint32_t y = rect.top; y < rect.bottom; ++y) {
      for (std::uint32_t x = rect.left; x < rect.right; ++x, ++i) {
        const TexelHit& hit = coverage.hits()[i];
        const std::size_t texel = std::size_t{y} * picture.width_px + x;
        if (hit.triangle != no_index && hit.distance < nearest[texel]) {
          nearest[texel] = hit.distance;
          out.tiles[texel] = t;
        }
      }
    }
  }
  // What others lie over as a whole needs no painting.
  std::vector<bool> owns(page.tiles.size(), false);
  for (const std::uint32_t t : out.tiles) {
    if (t != no_index) {
      owns[t] = true;
    }
  }
  for (std::size_t t = 0; t < owns.size(); ++t) {
    out.rects[t] = owns[t] ? out.rects[t] : PixelRect{};
  }
  return out;
}

/// Tiles that lie over one another: each is painted by itself, and gives the texels that are its
/// own. What is left takes on what is nearest.
Result<void> paint_layout(const Scene& scene,
                          const RoutePlan& routes,
                          const AtlasPage& page,
                          Channel channel,
                          const PictureCodec& codec,
                          const RunControl& run,
                          Pixels& out) {
  const std::uint32_t halvings = page.halvings[static_cast<std::size_t>(channel)];
  const auto owners = find_owners(scene, page, halvings, out);
  if (!owners) {
    return Failure(owners.error());
  }
  std::vector<std::uint32_t> from(owners->tiles.size(), no_index);
  Pixels own = out;
  for (std::uint32_t t = 0; t < page.tiles.size(); ++t) {
    if (!goes_on(run, "painting",
                 static_cast<double>(t) / static_cast<double>(page.tiles.size()))) {
      return Failure(make_cancelled());
    }
    const PixelRect& rect = owners->rects[t];
    if (rect.left >= rect.right || rect.top >= rect.bottom) {
      continue;
    }
    auto done =
        TilePainter(scene, routes, page, page.tiles[t], channel, halvings, codec, own, rect).run();
    if (!done) {
      return done;
    }
    for (std::uint32_t y = rect.top; y < rect.bottom; ++y) {
      for (std::uint32_t i = y * out.width_px + rect.left; i < y * out.width_px + rect.right; ++i) {
        if (owners->tiles[i] == t) {
          from[i] = i;
          std::copy_n(&own.rgba[4 * std::size_t{i}], 4, &out.rgba[4 * std::size_t{i}]);
        }
      }
    }
  }
  spread_texels(from, out.width_px);
  for (std::uint32_t i = 0; i < from.size(); ++i) {
    if (from[i] != no_index && from[i] != i) {
      std::copy_n(&out.rgba[4 * std::size_t{from[i]}], 4, &out.rgba[4 * std::size_t{i}]);
    }
  }
  return {};
}

}  // namespace

Result<Pixels> paint_page(const Scene& scene,
                          const RoutePlan& routes,
                          std::size_t page,
                          Channel channel,
                          const PictureCodec& codec,
                          const RunControl& run) {
  const AtlasPage& wanted = routes.pages[page];
  const std::uint32_t halvings = wanted.halvings[static_cast<std::size_t>(channel)];
  Pixels out;
  out.width_px = wanted.size.width_px >> halvings;
  out.height_px = wanted.size.height_px >> halvings;
  // What shows through is empty where there is nothing, too.
  const bool through = channel == Channel::color &&
                       scene[wanted.tiles.front().material].alpha_mode != AlphaMode::opaque;
  const std::uint8_t empty[4] = {128, 128,
                                 static_cast<std::uint8_t>(channel == Channel::normal ? 255 : 128),
                                 static_cast<std::uint8_t>(through ? 0 : 255)};
  out.rgba.resize(std::size_t{4} * out.width_px * out.height_px);
  for (std::size_t i = 0; i < out.rgba.size(); i += 4) {
    std::copy_n(empty, 4, &out.rgba[i]);
  }
  if (wanted.layout_set != no_index) {
    auto done = paint_layout(scene, routes, wanted, channel, codec, run, out);
    return done ? Result<Pixels>(std::move(out)) : Failure(done.error());
  }
  FirstError errors;
  const bool finished = for_each_index(wanted.tiles.size(), run, "painting", [&](std::size_t t) {
    auto done =
        TilePainter(scene, routes, wanted, wanted.tiles[t], channel, halvings, codec, out).run();
    if (!done) {
      errors.report(t, done.error());
    }
  });
  if (errors.get()) {
    return Failure(*errors.get());
  }
  return finished ? Result<Pixels>(std::move(out)) : Failure(make_cancelled());
}

Result<TextureArray> paint_layers(const Scene& scene,
                                  const RoutePlan& routes,
                                  std::size_t stack,
                                  Channel channel,
                                  const PictureCodec& codec,
                                  const RunControl& run) {
  const LayerStack& from = routes.stacks[stack];
  const LayerStack::Layers& layers = from[channel];
  TextureArray out;
  out.kind = channel == Channel::normal    ? TexelKind::normals
             : channel == Channel::surface ? TexelKind::values
                                           : TexelKind::colors;
  out.layers.resize(layers.count());
  FirstError errors;
  const bool finished =
      for_each_index(out.layers.size(), run, "painting layers", [&](std::size_t l) {
        // A layer is a page with one tile, which is the whole texture.
        AtlasPage page;
        page.size = layers.size;
        Tile tile;
        const std::size_t member = layers.find_member(static_cast<std::uint32_t>(l));
        tile.material = from.members[member];
        tile.size = layers.size;
        if (find_first_texture(scene[tile.material]) != no_texture) {
          // Where it stands several times, the layer is so many tiles of its texture.
          tile.texture = {std::max(1U, layers.size.width_px / from.copies[member][0]),
                          std::max(1U, layers.size.height_px / from.copies[member][1])};
          tile.used = {0, 0, layers.size.width_px, layers.size.height_px};
        }
        Pixels& pixels = out.layers[l];
        pixels = {layers.size.width_px, layers.size.height_px, {}};
        pixels.rgba.resize(std::size_t{4} * pixels.width_px * pixels.height_px);
        auto done = TilePainter(scene, routes, page, tile, channel, 0, codec, pixels).run();
        if (!done) {
          errors.report(l, done.error());
        }
      });
  if (errors.get()) {
    return Failure(*errors.get());
  }
  return finished ? Result<TextureArray>(std::move(out)) : Failure(make_cancelled());
}

namespace {

/// One picture of a page or a stack, and where it goes.
struct PaintJob {
  std::size_t owner = 0;  ///< position among the pages, then among the stacks
  Channel channel = Channel::color;
};

std::vector<PaintJob> list_jobs(const RoutePlan& routes) {
  std::vector<PaintJob> jobs;
  const std::size_t pages = routes.pages.size();
  for (std::size_t o = 0; o < pages + routes.stacks.size(); ++o) {
    for (std::size_t c = 0; c < channel_count; ++c) {
      const auto channel = static_cast<Channel>(c);
      if (o < pages ? routes.pages[o].has(channel) : routes.stacks[o - pages].has(channel)) {
        jobs.push_back({o, channel});
      }
    }
  }
  return jobs;
}

Result<std::vector<std::byte>> paint_job(const Scene& scene,
                                         const RoutePlan& routes,
                                         const PaintJob& job,
                                         const PictureCodec& codec,
                                         const RunControl& run) {
  const bool page = job.owner < routes.pages.size();
  const std::size_t stack = page ? 0 : job.owner - routes.pages.size();
  const MaterialId like =
      page ? routes.pages[job.owner].tiles.front().material : routes.stacks[stack].members.front();
  const PictureType type = find_picture_type(scene[like], routes, job.channel);
  const MaterialSettings& settings = routes.settings;
  const std::uint32_t webp = settings.webp_quality % 100;  // 100 is without loss
  const auto quality = static_cast<int>(type == PictureType::webp ? webp : settings.jpeg_quality);
  if (page) {
    auto pixels = paint_page(scene, routes, job.owner, job.channel, codec, run);
    return pixels ? codec.encode(*pixels, type, quality) : Failure(pixels.error());
  }
  auto array = paint_layers(scene, routes, stack, job.channel, codec, run);
  if (!array) {
    return Failure(array.error());
  }
  if (array->layers.size() == 1) {
    return codec.encode(array->layers.front(), type, quality);
  }
  return codec.encode_array(std::move(*array),
                            {.format = settings.layer_format,
                             .supercompression = settings.layer_packing,
                             .astc_quality = static_cast<float>(settings.layer_quality)},
                            run);
}

}  // namespace

Result<void> paint_pages(const Scene& scene,
                         const RoutePlan& routes,
                         const PageImages& images,
                         const PictureCodec& codec,
                         Scene& out,
                         const RunControl& run) {
  const std::vector<PaintJob> jobs = list_jobs(routes);
  FirstError errors;
  RunControl inner = run;
  inner.observer = nullptr;
  const bool finished = for_each_index(jobs.size(), run, "painting pages", [&](std::size_t j) {
    const PaintJob& job = jobs[j];
    auto bytes = paint_job(scene, routes, job, codec, inner);
    if (!bytes) {
      errors.report(j, bytes.error());
      return;
    }
    const ImageId id = images[job.owner][static_cast<std::size_t>(job.channel)];
    out.images[to_index(id)].bytes = codec.keep(std::move(*bytes));
  });
  if (errors.get()) {
    return Failure(*errors.get());
  }
  return finished ? Result<void>() : Failure(make_cancelled());
}

}  // namespace wakuzume
