// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <future>

#include "report/shot_colors.h"
#include "scene/srgb.h"
#include "wakuzume/image.h"
#include "wakuzume/report.h"
#include "wakuzume/words.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t view_px = 960;
constexpr std::uint32_t pose_px = 600;
constexpr std::uint32_t sheet_px = 480;
constexpr std::uint32_t layers_a_side = 4;
/// Of more pages than these no pictures are shown.
constexpr std::size_t most_lightmaps = 256;
constexpr std::uint32_t lightmap_px = 256;
constexpr int quality = 84;

Bytes encode_small(const Pixels& pixels, std::uint32_t width_px) {
  const std::uint32_t width = std::min(width_px, pixels.width_px);
  const std::uint32_t height = std::max(
      1U, static_cast<std::uint32_t>(std::uint64_t{pixels.height_px} * width / pixels.width_px));
  auto encoded = encode_image(make_resized(pixels, width, height), PictureType::jpeg, quality);
  return encoded ? make_bytes(std::move(*encoded)) : Bytes();
}

DrawClasses make_draw_colors(const DrawnScene& drawn) {
  auto classes = make_classes(drawn.scene, drawn.survey, Showing::draws);
  return classes ? std::move(*classes) : DrawClasses();
}

/// As a display shows it: what is brighter than that is white.
Pixels make_shown(const LightPixels& light) {
  Pixels out{light.width_px, light.height_px, {}};
  out.rgba.reserve(light.rgb.size() / 3 * 4);
  for (std::size_t at = 0; at < light.rgb.size(); at += 3) {
    for (std::size_t c = 0; c < 3; ++c) {
      out.rgba.push_back(linear_to_srgb(light.rgb[at + c]));
    }
    out.rgba.push_back(255);
  }
  return out;
}

/// The first layers side by side.
Pixels make_layer_grid(const TextureArray& array) {
  constexpr std::uint32_t cell = sheet_px / layers_a_side;
  const auto shown = static_cast<std::uint32_t>(
      std::min<std::size_t>(array.layers.size(), layers_a_side * layers_a_side));
  const std::uint32_t rows = (shown + layers_a_side - 1) / layers_a_side;
  Pixels out{sheet_px, rows * cell,
             std::vector<std::uint8_t>(std::size_t{4} * sheet_px * rows * cell, 255)};
  for (std::uint32_t l = 0; l < shown; ++l) {
    const Pixels small = make_resized(array.layers[l], cell, cell);
    for (std::uint32_t y = 0; y < cell; ++y) {
      const std::size_t to =
          std::size_t{l / layers_a_side * cell + y} * sheet_px + l % layers_a_side * cell;
      std::copy_n(&small.rgba[4 * std::size_t{y} * cell], 4 * cell, &out.rgba[4 * to]);
    }
  }
  return out;
}

}  // namespace

void ReportAudience::begin(const DrawnScene& before, const DrawnScene& after) {
  before_ = make_draw_colors(before);
  after_ = make_draw_colors(after);
  reduced_ = after.survey.totals.triangles < before.survey.totals.triangles;
}

void ReportAudience::show(std::size_t number,
                          const Viewpoint&,
                          const Shot& before,
                          const Shot& after,
                          const Pixels& heat) {
  // Of one that is drawn again the last counts.
  std::erase_if(views_, [&](const ReportView& shown) {
    return shown.number == number && shown.pose.empty();
  });
  // Side by side: while they are made, the next view is drawn.
  const auto start = [&](const auto& make) {
    return std::async(threads_ == 1 ? std::launch::deferred : std::launch::async, make);
  };
  const bool same = before.picture.rgba == after.picture.rgba;
  auto shaded_after =
      same ? std::future<Bytes>() : start([&] { return encode_small(after.picture, view_px); });
  auto draws_before = start([&] { return encode_small(paint_classes(before, before_), view_px); });
  auto draws_after = start([&] { return encode_small(paint_classes(after, after_), view_px); });
  auto differences = start([&] { return encode_small(heat, view_px); });
  std::future<Bytes> wires_before;
  std::future<Bytes> wires_after;
  if (reduced_) {
    wires_before = start([&] { return encode_small(paint_wire(before), view_px); });
    wires_after = start([&] { return encode_small(paint_wire(after), view_px); });
  }
  const Bytes shaded_before = encode_small(before.picture, view_px);
  views_.push_back({number, shaded_before, same ? shaded_before : shaded_after.get(),
                    draws_before.get(), draws_after.get(), differences.get(),
                    reduced_ ? wires_before.get() : Bytes(),
                    reduced_ ? wires_after.get() : Bytes()});
}

void ReportAudience::show_pose(std::size_t number,
                               const std::string& name,
                               const Shot& before,
                               const Shot& after) {
  std::erase_if(views_, [&](const ReportView& shown) {
    return shown.number == number && !shown.pose.empty();
  });
  ReportView& made = views_.emplace_back();
  made.number = number;
  made.pose = name;
  made.shaded_before = encode_small(before.picture, pose_px);
  made.shaded_after = encode_small(after.picture, pose_px);
}

std::vector<ReportSheet> make_sheets(const Scene& result,
                                     const Ledger& ledger,
                                     const PictureCodec& codec) {
  const RoutePlan& routes = ledger.routes;
  std::vector<ReportSheet> out;
  constexpr auto color = static_cast<std::size_t>(Channel::color);
  for (std::size_t p = 0; p < ledger.page_images.size(); ++p) {
    const ImageId image = ledger.page_images[p][color];
    if (image == no_image || to_index(image) >= result.images.size()) {
      continue;
    }
    const Bytes encoded = encoded_bytes(result, image);
    if (p < routes.pages.size()) {
      const AtlasPage& page = routes.pages[p];
      if (const auto pixels = codec.decode(encoded)) {
        out.push_back({page.name,
                       fmt::format("{}, {} x {} pixels", plural(page.tiles.size(), "tile", "tiles"),
                                   page.size.width_px, page.size.height_px),
                       encode_small(*pixels, sheet_px)});
      }
    } else if (p - routes.pages.size() < routes.stacks.size()) {
      const LayerStack& stack = routes.stacks[p - routes.pages.size()];
      if (const auto array = codec.decode_array(encoded, 0)) {
        out.push_back({stack.name,
                       fmt::format("{} of {} x {} pixels for {}{}",
                                   plural(array->layers.size(), "layer", "layers"),
                                   array->layers.front().width_px, array->layers.front().height_px,
                                   plural(stack.members.size(), "material", "materials"),
                                   array->layers.size() > 16 ? "; the first 16 are shown" : ""),
                       encode_small(make_layer_grid(*array), sheet_px)});
      }
    }
  }
  return out;
}

ReportLightmaps make_lightmap_pictures(const JobResult& job, const LightmapTools& tools) {
  const Ledger& ledger = job.built.ledger;
  const LightmapPlan& plan = ledger.lightmaps;
  ReportLightmaps out;
  if (!plan.joins() || plan.pages.size() > most_lightmaps) {
    return out;
  }
  const auto encode = [&](const Bytes& encoded, std::uint32_t width_px) {
    const auto light =
        encoded.size() > 0 ? tools.codec.decode_light(encoded) : Result<LightPixels>(LightPixels{});
    return light && !light->rgb.empty() ? encode_small(make_shown(*light), width_px) : Bytes();
  };
  for (const LightmapPage& page : plan.pages) {
    const auto bytes = read_page_picture(job.source.source.before_sharing(), page, tools);
    out.pages.push_back(bytes ? encode(*bytes, lightmap_px) : Bytes());
  }
  for (std::size_t p = 0; p < plan.joined.size(); ++p) {
    const ImageId image = ledger.find_joined_image(p);
    Bytes bytes = image == no_image ? Bytes() : encoded_bytes(job.after, image);
    for (const LightmapFile& file : job.built.lightmaps) {
      bytes = file.name == plan.joined[p].picture ? file.bytes : bytes;
    }
    out.joined.push_back(encode(bytes, 2 * view_px));
  }
  return out;
}

}  // namespace wakuzume
