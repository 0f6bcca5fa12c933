// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/picture.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>
#include <optional>

#include "report/font.h"
#include "report/palette.h"
#include "report/shot_colors.h"
#include "report/text.h"
#include "wakuzume/words.h"

namespace wakuzume {
namespace {

constexpr std::uint32_t head_px = 34;
constexpr std::uint32_t row_px = 22;
constexpr std::uint32_t class_rows = 3;
constexpr std::uint32_t label_px = 22;
constexpr std::uint32_t gap_px = 4;
constexpr double margin = 12;
constexpr double text_px = 14;
constexpr double small_px = 13;
constexpr Color panel{16, 18, 21};
constexpr Color bright{240, 241, 243};
constexpr Color dim{176, 181, 188};

ShotRequest make_request(const PictureSettings& settings) {
  const Showing showing = settings.showing;
  ShotRequest request{.shading = Shading::none,
                      .measure = Measure::facing,
                      .sorting = settings.sorting,
                      .fineness = fineness};
  switch (showing) {
    case Showing::shaded:
    case Showing::wire:
      request.shading = Shading::lit;
      request.measure = Measure::none;
      break;
    case Showing::tiling:
      request.measure = Measure::tile_checks;
      break;
    case Showing::texels:
      request.measure = Measure::texels_per_metre;
      break;
    case Showing::lightmap:
      request.measure = Measure::baked_light;
      break;
    case Showing::triangles:
      request.measure = Measure::none;
      break;
    case Showing::surfaces:
      request.measure = Measure::surfaces;
      break;
    case Showing::layers:
    case Showing::order:
      request.shading = Shading::lit;
      request.measure = Measure::none;
      request.layers = Layers::sorted;
      break;
    default:
      break;
  }
  return request;
}

/// A bar with its numbers, from `x` on.
void draw_ramp(Pixels& on, const Font& font, Showing showing, double x, double y) {
  const Heat heat = *find_heat(showing);
  constexpr double width = 420;
  for (double dx = 0; dx < width; ++dx) {
    const double value = std::exp2(heat.low + (heat.high - heat.low) * dx / width);
    const Color color = find_heat_color(showing, heat, value);
    for (double dy = 0; dy < 12; ++dy) {
      const auto px = static_cast<std::size_t>(x + dx);
      if (px < on.width_px) {
        put(on, static_cast<std::size_t>(y + dy) * on.width_px + px, color);
      }
    }
  }
  for (const double tick : heat.ticks) {
    font.draw(on, fmt::format("{:g}", tick),
              x + width * heat.share(tick) - (tick == heat.ticks.front() ? 0 : 8), y + 26, small_px,
              Weight::regular, dim);
  }
  font.draw(on, heat.unit, x + width + 16, y + 11, small_px, Weight::regular, bright);
  if (showing == Showing::texels) {
    font.draw(on, "grey: no texture", x + width + 160, y + 11, small_px, Weight::regular, dim);
  }
}

void draw_class_list(Pixels& on, const Font& font, const DrawClasses& classes, double top) {
  double x = margin;
  std::uint32_t row = 0;
  for (std::size_t c = 0; c < classes.classes.size(); ++c) {
    const DrawClasses::Class& one = classes.classes[c];
    const std::string count = group_digits(one.draws);
    const std::string name = shorten(font, one.name, small_px, Weight::regular, 230);
    const std::string left = fmt::format("and {} more", group_digits(classes.classes.size() - c));
    const double width = 20 + font.measure(name, small_px, Weight::regular) + 6 +
                         font.measure(count, small_px, Weight::regular) + 18;
    const double reserve =
        row + 1 == class_rows ? font.measure(left, small_px, Weight::regular) + margin : 0;
    if (x + width > on.width_px - margin - reserve) {
      if (row + 1 == class_rows) {
        font.draw(on, left, x, top + row * row_px + 14, small_px, Weight::regular, dim);
        return;
      }
      ++row;
      x = margin;
    }
    const double y = top + row * row_px;
    for (double dy = 3; dy < 15; ++dy) {
      for (double dx = 0; dx < 12; ++dx) {
        put(on, static_cast<std::size_t>(y + dy) * on.width_px + static_cast<std::size_t>(x + dx),
            one.color);
      }
    }
    font.draw(on, name, x + 18, y + 14, small_px, Weight::regular, bright);
    font.draw(on, count, x + 18 + font.measure(name, small_px, Weight::regular) + 6, y + 14,
              small_px, Weight::regular, dim);
    x += width;
  }
}

const char* explain(Showing showing) {
  switch (showing) {
    case Showing::shaded:
      return "shaded";
    case Showing::draws:
      return "one colour per draw";
    case Showing::keys:
      return "one colour per merge key, with its draws";
    case Showing::families:
      return "one colour per family of equal shapes, with its draws; grey: no other is like it";
    case Showing::clusters:
      return "one colour per group, with its draws; grey: kept as it is";
    case Showing::routes:
      return "routes of the materials, with their draws";
    case Showing::tiling:
      return "UV tiles, eight checks a side, with the draws";
    case Showing::texels:
      return "texel density";
    case Showing::triangles:
      return "triangle density";
    case Showing::surfaces:
      return "overdraw";
    case Showing::wire:
      return "triangles";
    case Showing::lightmap:
      return "one colour per lightmap page, as bright as its light, with its draws; grey: no page";
    case Showing::layers:
      return "blended layers a pixel";
    case Showing::order:
      return "several blended layers: green in their true order, red in another";
  }
  return "";
}

std::uint32_t find_footer(const PictureSettings& settings) {
  switch (settings.showing) {
    case Showing::shaded:
    case Showing::draws:
    case Showing::wire:
    case Showing::order:
      return head_px;
    case Showing::texels:
    case Showing::triangles:
    case Showing::surfaces:
    case Showing::layers:
      return head_px + 36;
    case Showing::tiling:
    case Showing::routes:
      return head_px + 2 * row_px + 4;
    default:
      return head_px + class_rows * row_px + 6;
  }
}

void paste(Pixels& on, const Pixels& from, std::uint32_t left, std::uint32_t top) {
  for (std::uint32_t y = 0; y < std::min(from.height_px, on.height_px - top); ++y) {
    std::memcpy(&on.rgba[4 * ((std::size_t{top} + y) * on.width_px + left)],
                &from.rgba[4 * std::size_t{y} * from.width_px],
                std::size_t{4} * std::min(from.width_px, on.width_px - left));
  }
}

/// The view alone, in its own size.
struct Painted {
  Pixels pixels;
  Submitted submitted;
};

/// Through a pane one sees what is behind it, and the pane's own colour.
void mix_in(const Pixels& behind,
            double share,
            const Shot& shot,
            const std::vector<Draw>& draws,
            Pixels& on) {
  for (std::size_t p = 0; p < shot.hits.size(); ++p) {
    if (shot.hits[p].draw == no_draw || !draws[to_index(shot.hits[p].draw)].blended) {
      continue;
    }
    for (std::size_t c = 0; c < 3; ++c) {
      const double mixed = share * behind.rgba[4 * p + c] + (1 - share) * on.rgba[4 * p + c];
      on.rgba[4 * p + c] = static_cast<std::uint8_t>(std::lround(mixed));
    }
  }
}

Result<Painted> paint(const Survey& survey,
                      ShotMaker& shots,
                      const Viewpoint& view,
                      const DrawClasses& classes,
                      const PictureSettings& settings) {
  const Showing showing = settings.showing;
  auto shot = shots.make_shot(view, make_request(settings));
  if (!shot) {
    return Failure(shot.error());
  }
  Pixels fine;
  switch (showing) {
    case Showing::shaded:
      fine = std::move(shot->picture);
      break;
    case Showing::wire:
      fine = paint_wire(*shot);
      break;
    case Showing::layers:
    case Showing::order:
      fine = paint_layers(*shot, showing);
      break;
    case Showing::triangles:
      fine = paint_triangles(*shot);
      break;
    case Showing::tiling:
    case Showing::texels:
    case Showing::surfaces:
      fine = paint_measured(*shot, showing, classes);
      break;
    default: {
      fine = paint_classes(*shot, classes);
      ShotRequest request = make_request(settings);
      request.blends = Blends::left_out;
      const auto behind = shots.make_shot(view, request);
      if (!behind) {
        return Failure(behind.error());
      }
      mix_in(paint_classes(*behind, classes), 0.6, *shot, survey.draws, fine);
      break;
    }
  }
  return Painted{make_resized(fine, fine.width_px / fineness, fine.height_px / fineness),
                 shot->submitted};
}

std::string count_text(const Submitted& submitted, const Survey& survey) {
  const std::string sets = submitted.instances > submitted.draws
                               ? fmt::format(", {} instances", group_digits(submitted.instances))
                               : "";
  return fmt::format("{} of {} draws in view{}, {} triangles", group_digits(submitted.draws),
                     group_digits(survey.draws.size()), sets, group_digits(submitted.triangles));
}

/// The strip below: a title on the left, counts on the right, and the legend.
void draw_footer(Pixels& on,
                 const Font& font,
                 const DrawClasses& classes,
                 const PictureSettings& settings,
                 const std::string& title,
                 const std::string& counts) {
  const double top = on.height_px - find_footer(settings);
  const double counts_width = font.measure(counts, text_px, Weight::regular);
  font.draw(on, counts, on.width_px - margin - counts_width, top + 22, text_px, Weight::regular,
            bright);
  const double room = on.width_px - 3 * margin - counts_width;
  const std::string name = shorten(font, title, text_px, Weight::bold, room);
  font.draw(on, name, margin, top + 22, text_px, Weight::bold, bright);
  const double used = font.measure(name, text_px, Weight::bold) + 14;
  font.draw(on,
            shorten(font, explain(settings.showing), small_px, Weight::regular,
                    std::max(0.0, room - used)),
            margin + used, top + 22, small_px, Weight::regular, dim);
  if (find_heat(settings.showing)) {
    draw_ramp(on, font, settings.showing, margin, top + head_px);
  } else if (!classes.each_alone && !classes.classes.empty()) {
    draw_class_list(on, font, classes, top + head_px);
  }
}

struct Grid {
  std::uint32_t columns = 1;
  std::uint32_t rows = 1;
};

Grid find_grid(std::size_t entries) {
  Grid grid;
  while (std::size_t{grid.columns} * grid.rows < entries) {
    (grid.columns <= grid.rows ? grid.columns : grid.rows) += 1;
  }
  return grid;
}

}  // namespace

ShotRoom find_room(const PictureSettings& settings) {
  return {settings.width_px, settings.height_px - find_footer(settings)};
}

ShotRoom find_room(const PictureSettings& settings, std::size_t entries) {
  const Grid grid = find_grid(entries);
  const ShotRoom all = find_room(settings);
  return {(all.width_px - (grid.columns - 1) * gap_px) / grid.columns,
          (all.height_px - (grid.rows - 1) * gap_px) / grid.rows - label_px};
}

Result<Pixels> make_picture(const Survey& survey,
                            ShotMaker& shots,
                            const Viewpoint& view,
                            const DrawClasses& classes,
                            const PictureSettings& settings) {
  const auto painted = paint(survey, shots, view, classes, settings);
  if (!painted) {
    return Failure(painted.error());
  }
  const ShotRoom room = find_room(settings);
  Pixels out = make_pixels(settings.width_px, settings.height_px, panel);
  paste(out, painted->pixels,
        (room.width_px - std::min(room.width_px, painted->pixels.width_px)) / 2,
        (room.height_px - std::min(room.height_px, painted->pixels.height_px)) / 2);
  const Font font;
  draw_footer(out, font, classes, settings,
              settings.title.empty() ? view.name : settings.title + ", " + view.name,
              count_text(painted->submitted, survey));
  return out;
}

Result<Pixels> make_sheet(std::span<const SheetEntry> entries, const PictureSettings& settings) {
  const Grid grid = find_grid(entries.size());
  ShotRoom room = find_room(settings, entries.size());
  // No room is left empty below views that are wider than their cells.
  double tallest = 0;
  for (const SheetEntry& entry : entries) {
    tallest = std::max(tallest, room.width_px / std::max(0.01, find_aspect(entry.view)));
  }
  room.height_px = std::min(room.height_px, static_cast<std::uint32_t>(std::ceil(tallest)));
  const std::uint32_t height_px =
      grid.rows * (room.height_px + label_px + gap_px) - gap_px + find_footer(settings);
  Pixels out = make_pixels(settings.width_px, height_px, panel);
  const Font font;
  for (std::size_t e = 0; e < entries.size(); ++e) {
    const SheetEntry& entry = entries[e];
    const auto painted = paint(*entry.survey, *entry.shots, entry.view, *entry.classes, settings);
    if (!painted) {
      return Failure(painted.error());
    }
    const auto column = static_cast<std::uint32_t>(e % grid.columns);
    const auto row = static_cast<std::uint32_t>(e / grid.columns);
    const std::uint32_t left = column * (room.width_px + gap_px);
    const std::uint32_t top = row * (room.height_px + label_px + gap_px);
    paste(out, painted->pixels,
          left + (room.width_px - std::min(room.width_px, painted->pixels.width_px)) / 2,
          top + (room.height_px - std::min(room.height_px, painted->pixels.height_px)) / 2);
    const std::string draws = fmt::format("{} draws", group_digits(painted->submitted.draws));
    const double width = font.measure(draws, small_px, Weight::bold);
    const double base = top + room.height_px + 16;
    font.draw(out, draws, left + room.width_px - width - 6, base, small_px, Weight::bold, bright);
    font.draw(out,
              shorten(font, entry.label, small_px, Weight::regular, room.width_px - width - 20),
              left + 6, base, small_px, Weight::regular, bright);
  }
  const DrawClasses none;
  draw_footer(out, font, entries.empty() ? none : *entries.front().classes, settings,
              settings.title, fmt::format("{} views", entries.size()));
  return out;
}

}  // namespace wakuzume
