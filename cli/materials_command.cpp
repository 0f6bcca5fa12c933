// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <limits>

#include "command.h"
#include "print_survey.h"
#include "text.h"
#include "wakuzume/delivery.h"
#include "wakuzume/table.h"

namespace wakuzume::cli {
namespace {

namespace fs = std::filesystem;

/// Averages of squares of `step` pixels; what is left over at the far ends goes.
Pixels shrink(const Pixels& from, std::uint32_t step) {
  Pixels out{std::max(1U, from.width_px / step), std::max(1U, from.height_px / step), {}};
  for (std::uint32_t y = 0; y < out.height_px; ++y) {
    for (std::uint32_t x = 0; x < out.width_px; ++x) {
      for (std::uint32_t c = 0; c < 4; ++c) {
        std::uint32_t sum = 0;
        std::uint32_t count = 0;
        for (std::uint32_t j = y * step; j < std::min(from.height_px, (y + 1) * step); ++j) {
          for (std::uint32_t i = x * step; i < std::min(from.width_px, (x + 1) * step); ++i) {
            sum += from.rgba[4 * (std::size_t{j} * from.width_px + i) + c];
            ++count;
          }
        }
        out.rgba.push_back(static_cast<std::uint8_t>(sum / count));
      }
    }
  }
  return out;
}

/// The layers of one channel side by side, as if they were tiles of a page.
struct LayerSheet {
  AtlasPage page;
  Pixels picture;
};

LayerSheet make_layer_sheet(const LayerStack& stack, const TextureArray& array, Channel channel) {
  constexpr std::uint32_t most_px = 256;
  constexpr std::uint32_t gap_px = 8;
  const Pixels& first = array.layers.front();
  const std::uint32_t longest = std::max(first.width_px, first.height_px);
  const std::uint32_t step = (longest + most_px - 1) / most_px;
  const Pixels cell = shrink(first, step);
  const auto count = static_cast<std::uint32_t>(array.layers.size());
  const auto columns = static_cast<std::uint32_t>(std::ceil(std::sqrt(static_cast<double>(count))));
  LayerSheet sheet;
  sheet.page.name = stack.name;
  sheet.page.size = {columns * (cell.width_px + gap_px),
                     (count + columns - 1) / columns * (cell.height_px + gap_px)};
  sheet.picture = {sheet.page.size.width_px, sheet.page.size.height_px, {}};
  sheet.picture.rgba.resize(std::size_t{4} * sheet.picture.width_px * sheet.picture.height_px, 0);
  // The picture is small, the sheet speaks of layers as large as they are.
  sheet.page.size = {sheet.page.size.width_px * step, sheet.page.size.height_px * step};
  for (std::uint32_t l = 0; l < count; ++l) {
    const Pixels layer = shrink(array.layers[l], step);
    Tile& tile = sheet.page.tiles.emplace_back();
    const std::size_t member = stack[channel].find_member(l);
    tile.material = stack.members[member];
    const auto& copies = stack.copies[member];
    tile.texture = {std::max(1U, first.width_px / copies[0]),
                    std::max(1U, first.height_px / copies[1])};
    tile.used = {0, 0, first.width_px, first.height_px};
    tile.size = {layer.width_px * step, layer.height_px * step};
    const std::uint32_t left = l % columns * (cell.width_px + gap_px);
    const std::uint32_t top = l / columns * (cell.height_px + gap_px);
    tile.x = left * step;
    tile.y = top * step;
    for (std::uint32_t y = 0; y < layer.height_px; ++y) {
      std::copy_n(&layer.rgba[std::size_t{4} * y * layer.width_px], 4 * layer.width_px,
                  &sheet.picture.rgba[4 * (std::size_t{top + y} * sheet.picture.width_px + left)]);
    }
  }
  return sheet;
}

/// A sheet of the first channel of a stack that has a picture.
Result<void> write_layer_sheet(Command& command,
                               const Scene& scene,
                               const RoutePlan& routes,
                               std::size_t s,
                               const std::string& file) {
  const StandardCodec codec;
  for (std::size_t c = 0; c < channel_count; ++c) {
    const auto channel = static_cast<Channel>(c);
    if (!routes.stacks[s].has(channel)) {
      continue;
    }
    const auto array = paint_layers(scene, routes, s, channel, codec, command.run());
    if (!array) {
      return Failure(array.error());
    }
    const LayerSheet sheet = make_layer_sheet(routes.stacks[s], *array, channel);
    auto bytes = codec.encode(sheet.picture, PictureType::png);
    if (!bytes) {
      return Failure(bytes.error());
    }
    const std::string subtitle =
        fmt::format("{} of {}, {} x {} pixels", plural(array->layers.size(), "layer", "layers"),
                    to_string(channel), array->layers[0].width_px, array->layers[0].height_px);
    return command.write(file, to_svg(scene, sheet.page, make_bytes(std::move(*bytes)), subtitle));
  }
  return {};
}

/// A sheet a page and a stack, their pictures painted anew.
Result<std::vector<std::string>> write_sheets(Command& command,
                                              const Scene& scene,
                                              const RoutePlan& routes,
                                              const std::string& folder) {
  std::error_code problem;
  fs::create_directories(folder, problem);
  if (problem) {
    return Failure(Error{
        ErrorCode::cannot_write, "the folder can't be made: " + problem.message(), {folder, ""}});
  }
  std::vector<std::string> files;
  const StandardCodec codec;
  for (std::size_t p = 0; p < routes.pages.size(); ++p) {
    const AtlasPage& page = routes.pages[p];
    Bytes picture;
    for (std::size_t c = 0; c < channel_count && picture.size() == 0; ++c) {
      if (page.has(static_cast<Channel>(c))) {
        auto pixels = paint_page(scene, routes, p, static_cast<Channel>(c), codec, command.run());
        if (!pixels) {
          return Failure(pixels.error());
        }
        auto bytes = codec.encode(*pixels, PictureType::png);
        if (!bytes) {
          return Failure(bytes.error());
        }
        picture = make_bytes(std::move(*bytes));
      }
    }
    files.push_back((fs::path(folder) / (page.name + ".svg")).string());
    if (auto done = command.write(files.back(), to_svg(scene, page, picture)); !done) {
      return Failure(done.error());
    }
  }
  for (std::size_t s = 0; s < routes.stacks.size(); ++s) {
    files.push_back((fs::path(folder) / (routes.stacks[s].name + ".svg")).string());
    if (auto done = write_layer_sheet(command, scene, routes, s, files.back()); !done) {
      return Failure(done.error());
    }
  }
  return files;
}

}  // namespace

Exit materials_command(const Options& options) {
  Command command(options);
  const auto plan = read_plan(options.input);
  if (!plan) {
    return command.fail(plan.error());
  }
  if (plan->routes.empty()) {
    return command.fail(Error{ErrorCode::bad_setting,
                              "this plan leaves materials as they are; propose with --materials",
                              {options.input, ""}});
  }
  const std::string path =
      options.scene.empty() ? find_scene(plan->scene_path, options.input) : options.scene;
  auto read = command.read(path);
  if (!read) {
    return command.fail(read.error());
  }
  const auto source = make_source(std::move(*read), plan->split, plan->routes, command.run());
  if (!source) {
    return command.fail(source.error());
  }
  const Scene& scene = *source->origin;
  const auto table = make_route_table(scene, plan->routes);
  auto rows = select_rows(*table, {options.where, options.sort});
  if (!rows) {
    return command.fail(rows.error());
  }
  if (options.format == Format::text) {
    command.print(to_text(*table, *rows, options.top.value_or(20)));
  } else {
    rows->resize(std::min<std::size_t>(
        rows->size(), options.top.value_or(std::numeric_limits<std::uint32_t>::max())));
    command.print(options.format == Format::csv ? to_csv(*table, *rows) : to_json(*table, *rows));
  }
  if (options.sheets.empty()) {
    return Exit::done;
  }
  const auto files = write_sheets(command, scene, plan->routes, options.sheets);
  if (!files) {
    return command.fail(files.error());
  }
  for (const std::string& file : *files) {
    command.console().tell("wrote " + file);
  }
  return Exit::done;
}

}  // namespace wakuzume::cli
