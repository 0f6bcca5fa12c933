// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/sheets.h"

#include <fmt/format.h>

#include <algorithm>
#include <cassert>
#include <cmath>
#include <optional>
#include <set>
#include <utility>

#include "files/uri.h"
#include "pictures/image_type.h"
#include "texture/bake.h"
#include "texture/layouts.h"
#include "texture/resample.h"
#include "wakuzume/words.h"

namespace wakuzume {
namespace {

constexpr double sheet_width = 1280;
constexpr double sheet_height = 800;
constexpr double sheet_margin = 24;
constexpr double header = 56;
constexpr double list_width = 420;
constexpr double row_height = 19;
constexpr double letter_width = 0.56;  ///< of an average letter, by the size of the font

/// Names come from files: nothing in them may end up as markup.
std::string escape(const std::string& text) {
  std::string out;
  for (const char c : text) {
    switch (c) {
      case '<':
        out += "&lt;";
        break;
      case '>':
        out += "&gt;";
        break;
      case '&':
        out += "&amp;";
        break;
      case '"':
        out += "&quot;";
        break;
      default:
        out += static_cast<unsigned char>(c) < 0x20 ? ' ' : c;
    }
  }
  return out;
}

std::string shorten(const std::string& text, std::size_t most) {
  if (text.size() <= most) {
    return text;
  }
  std::size_t end = most < 2 ? most : most - 2;
  while (end > 0 && (static_cast<unsigned char>(text[end]) & 0xC0U) == 0x80U) {
    --end;  // never within a letter of several bytes
  }
  return text.substr(0, end) + "..";
}

/// The end of a path says most.
std::string shorten_front(const std::string& text, std::size_t most) {
  std::size_t begin = text.size() <= most ? 0 : text.size() - most + 2;
  while (begin > 0 && begin < text.size() &&
         (static_cast<unsigned char>(text[begin]) & 0xC0U) == 0x80U) {
    ++begin;
  }
  return begin == 0 ? text : ".." + text.substr(begin);
}

class PageSheet {
 public:
  PageSheet(const Scene& scene, const AtlasPage& page, const std::string& subtitle)
      : scene_(scene),
        page_(page),
        subtitle_(subtitle),
        scale_(std::min((sheet_width - list_width - 2 * sheet_margin) / page.size.width_px,
                        (sheet_height - header - sheet_margin) / page.size.height_px)) {}

  std::string make(const Bytes& picture) {
    out_ = fmt::format(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {0:g} {1:g}\" width=\"{0:g}\" "
        "height=\"{1:g}\" font-family=\"sans-serif\">\n"
        "<rect width=\"100%\" height=\"100%\" fill=\"#fbfaf7\"/>\n",
        sheet_width, sheet_height);
    add_header();
    if (page_.layout_set != no_index) {
      frame_layout();
    }
    add_page(picture);
    for (std::size_t t = 0; t < page_.tiles.size(); ++t) {
      page_.layout_set != no_index ? add_shape(t) : add_tile(t);
    }
    add_list();
    return out_ + "</svg>\n";
  }

 private:
  [[nodiscard]] std::string name_of(const Tile& tile) const {
    const std::string& name = scene_[tile.material].name;
    return name.empty() ? fmt::format("#{}", to_index(tile.material)) : name;
  }

  static std::string describe(const Tile& tile) {
    if (tile.solid()) {
      return "one colour";
    }
    const auto times = [](std::int64_t used, std::uint32_t texels) {
      return texels > 0 && used % texels == 0 ? used / texels : 1;
    };
    const std::int64_t wide = times(tile.used.width, tile.texture.width_px);
    const std::int64_t high = times(tile.used.height, tile.texture.height_px);
    const std::string turned = tile.turned ? ", turned" : "";
    if (wide * high > 1 && tile.size.width_px == tile.used.width &&
        tile.size.height_px == tile.used.height) {
      return fmt::format("{} x {} texels, {} x {} times{}", tile.texture.width_px,
                         tile.texture.height_px, wide, high, turned);
    }
    return fmt::format("{} x {} of {} x {} texels{}", tile.size.width_px, tile.size.height_px,
                       tile.used.width, tile.used.height, turned);
  }

  [[nodiscard]] std::string describe_shape(const Tile& tile) const {
    return find_shape_path(scene_, tile.shapes.front());
  }

  [[nodiscard]] std::string describe(const LayoutFault& fault) const {
    const auto number = [&](const PrimitiveRef& shape) {
      const auto hit = std::find_if(page_.tiles.begin(), page_.tiles.end(),
                                    [&](const Tile& tile) { return tile.shapes.front() == shape; });
      return hit - page_.tiles.begin() + 1;
    };
    return fault.other.mesh == no_mesh
               ? fmt::format("{} leaves the tile", number(fault.shape))
               : fmt::format("{} and {} show the same {} texels", number(fault.other),
                             number(fault.shape), fault.texels);
  }

  [[nodiscard]] std::string describe_page() const {
    if (page_.layout_set != no_index) {
      return fmt::format("{} x {} pixels, {} parts by UV set {}", page_.size.width_px,
                         page_.size.height_px, page_.tiles.size(), page_.layout_set);
    }
    double used = 0;
    for (const Tile& tile : page_.tiles) {
      const RectSize outer = tile.outer();
      used += static_cast<double>(outer.width_px) * outer.height_px;
    }
    std::string pictures;
    for (std::size_t c = 0; c < channel_count; ++c) {
      if (page_.has(static_cast<Channel>(c))) {
        pictures += fmt::format(
            "{}{}{}", pictures.empty() ? "" : ", ", to_string(static_cast<Channel>(c)),
            page_.halvings[c] > 0 ? fmt::format(" at 1/{}", 1U << page_.halvings[c]) : "");
      }
    }
    return fmt::format("{} x {} pixels, {:.0f} % full, {} tiles; pictures: {}", page_.size.width_px,
                       page_.size.height_px,
                       100 * used / page_.size.width_px / page_.size.height_px, page_.tiles.size(),
                       pictures);
  }

  void add_header() {
    out_ += fmt::format(
        "<text x=\"{:g}\" y=\"32\" font-size=\"20\" font-weight=\"bold\">{}</text>\n"
        "<text x=\"{:g}\" y=\"50\" font-size=\"13\" fill=\"#555\">{}</text>\n",
        sheet_margin, escape(page_.name), sheet_margin,
        escape(subtitle_.empty() ? describe_page() : subtitle_));
  }

  void add_page(const Bytes& picture) {
    const double width = page_.size.width_px * scale_;
    const double height = page_.size.height_px * scale_;
    out_ += fmt::format(
        "<rect x=\"{:g}\" y=\"{:g}\" width=\"{:g}\" height=\"{:g}\" fill=\"#ddd\" "
        "stroke=\"#888\"/>\n",
        left_, top_, width, height);
    if (picture.size() > 0) {
      out_ +=
          fmt::format("<image x=\"{:g}\" y=\"{:g}\" width=\"{:g}\" height=\"{:g}\" href=\"{}\"/>\n",
                      left_, top_, width, height, make_data_uri(find_image_type(picture), picture));
    }
  }

  /// What leaves the page is shown beside it, up to a page away.
  void frame_layout() {
    const auto faults = find_layout_faults(scene_, page_, 0, {});
    faults_ = faults ? *faults : std::vector<LayoutFault>{};
    double low[2] = {0, 0};
    double high[2] = {1, 1};
    for (const LayoutFault& fault : faults_) {
      for (std::size_t c = 0; c < 2 && fault.other.mesh == no_mesh; ++c) {
        low[c] = std::clamp(fault.range.min[c], -1.0, low[c]);
        high[c] = std::clamp(fault.range.max[c], high[c], 2.0);
      }
    }
    const double side = std::max(high[0] - low[0], high[1] - low[1]);
    scale_ /= side;
    left_ = sheet_margin - low[0] * page_.size.width_px * scale_;
    top_ = header - low[1] * page_.size.height_px * scale_;
  }

  [[nodiscard]] bool is_faulty(const Tile& tile) const {
    return std::any_of(faults_.begin(), faults_.end(), [&](const LayoutFault& fault) {
      return fault.shape == tile.shapes.front() || fault.other == tile.shapes.front();
    });
  }

  /// The triangles of one part; where two lie over one another both shine through.
  void add_shape(std::size_t t) {
    constexpr std::size_t most_triangles = 4000;
    const Tile& tile = page_.tiles[t];
    const auto places =
        make_page_places(scene_, primitive_of(scene_, tile.shapes.front()), tile, page_);
    if (!places) {
      return;
    }
    const bool faulty = is_faulty(tile);
    out_ += fmt::format(
        "<path fill=\"{0}\" fill-opacity=\"{1}\" stroke=\"{0}\" stroke-width=\"{2}\" d=\"",
        faulty ? "#d1266b" : "#1f6f8b", faulty ? 0.35 : 0.12, faulty ? 1 : 0.6);
    const double far = 2.0 * std::max(page_.size.width_px, page_.size.height_px);
    for (std::size_t c = 0; c + 6 <= places->size() && c < 6 * most_triangles; c += 6) {
      for (std::size_t k = 0; k < 3; ++k) {
        out_ += fmt::format("{}{:.1f} {:.1f}", k == 0 ? "M" : "L",
                            left_ + std::clamp((*places)[c + 2 * k], -far, far) * scale_,
                            top_ + std::clamp((*places)[c + 2 * k + 1], -far, far) * scale_);
      }
      out_ += "Z";
    }
    out_ += fmt::format("\"><title>{}</title></path>\n", escape(describe_shape(tile)));
    // Where several lie over one another, the numbers stand below one another.
    const double x = left_ + std::clamp((*places)[0], 0.0, far) * scale_ + 4;
    double y = top_ + std::clamp((*places)[1], 0.0, far) * scale_ + 14;
    while (!labelled_.insert({std::lround(x / 8), std::lround(y / 12)}).second) {
      y += 12;
    }
    out_ += fmt::format(
        "<text x=\"{:.1f}\" y=\"{:.1f}\" font-size=\"12\" stroke=\"#fff\" stroke-width=\"3\" "
        "paint-order=\"stroke\">{}</text>\n",
        x, y, t + 1);
  }

  void add_tile(std::size_t t) {
    const Tile& tile = page_.tiles[t];
    const RectSize outer = tile.outer();
    const auto rect = [&](double x, double y, RectSize size, const char* style) {
      if (tile.turned) {
        std::swap(size.width_px, size.height_px);
      }
      out_ +=
          fmt::format("<rect x=\"{:.2f}\" y=\"{:.2f}\" width=\"{:.2f}\" height=\"{:.2f}\" {}/>\n",
                      sheet_margin + x * scale_, header + y * scale_, size.width_px * scale_,
                      size.height_px * scale_, style);
    };
    out_ += fmt::format("<g><title>{}: {}</title>\n", escape(name_of(tile)), describe(tile));
    rect(tile.x - tile.gutter, tile.y - tile.gutter, outer,
         "fill=\"none\" stroke=\"#fff\" stroke-opacity=\"0.7\" stroke-width=\"1\"");
    rect(tile.x, tile.y, tile.size, "fill=\"none\" stroke=\"#d1266b\" stroke-width=\"1.5\"");
    const double width = (tile.turned ? tile.size.height_px : tile.size.width_px) * scale_;
    const double height = (tile.turned ? tile.size.width_px : tile.size.height_px) * scale_;
    // The number that the list has, and the name where there is room for it.
    const double font = std::clamp(std::min(height * 0.6, width * 0.3), 5.0, 15.0);
    const auto room = static_cast<std::size_t>(std::max(0.0, width / font / letter_width - 4));
    const std::string name = room >= 4 ? " " + shorten(name_of(tile), room) : "";
    out_ += fmt::format(
        "<text x=\"{:.2f}\" y=\"{:.2f}\" font-size=\"{:.1f}\" fill=\"#000\" stroke=\"#fff\" "
        "stroke-width=\"3\" paint-order=\"stroke\">{}{}</text></g>\n",
        sheet_margin + tile.x * scale_ + 3, header + tile.y * scale_ + font + 1, font, t + 1,
        escape(name));
  }

  void add_list() {
    const double x = sheet_width - list_width;
    const auto rows =
        static_cast<std::size_t>((sheet_height - header - sheet_margin) / row_height) - 1;
    const bool cut = page_.tiles.size() > rows;
    const std::size_t shown = cut ? rows - 1 : page_.tiles.size();
    double y = header + 12;
    for (std::size_t t = 0; t < shown; ++t, y += row_height) {
      out_ += fmt::format(
          "<text x=\"{:g}\" y=\"{:g}\" font-size=\"12\"><tspan fill=\"#d1266b\">{}</tspan> {}"
          "</text><text x=\"{:g}\" y=\"{:g}\" font-size=\"12\" fill=\"#555\">{}</text>\n",
          x, y, t + 1, escape(shorten(name_of(page_.tiles[t]), 24)), x + 195, y,
          page_.layout_set != no_index ? escape(shorten_front(describe_shape(page_.tiles[t]), 34))
                                       : describe(page_.tiles[t]));
    }
    for (const LayoutFault& fault : faults_) {
      if (y > sheet_height - sheet_margin) {
        break;
      }
      out_ +=
          fmt::format("<text x=\"{:g}\" y=\"{:g}\" font-size=\"12\" fill=\"#d1266b\">{}</text>\n",
                      x, y, escape(shorten(describe(fault), 64)));
      y += row_height;
    }
    if (cut) {
      out_ += fmt::format("<text x=\"{:g}\" y=\"{:g}\" font-size=\"12\">and {} more</text>\n", x, y,
                          page_.tiles.size() - shown);
    }
  }

  const Scene& scene_;
  const AtlasPage& page_;
  const std::string& subtitle_;
  double scale_;
  double left_ = sheet_margin;
  double top_ = header;
  std::vector<LayoutFault> faults_;
  std::set<std::pair<long, long>> labelled_;  ///< places of numbers
  std::string out_;
};

/// The layers of one channel side by side, as if they were tiles of a page.
struct LayerSheet {
  AtlasPage page;
  Pixels picture;
};

LayerSheet make_layer_sheet(const LayerStack& stack, const TextureArray& array, Channel channel) {
  constexpr std::uint32_t most_px = 256;
  constexpr std::uint32_t layer_gap_px = 8;
  const Pixels& first = array.layers.front();
  const std::uint32_t longest = std::max(first.width_px, first.height_px);
  const std::uint32_t step = (longest + most_px - 1) / most_px;
  const std::uint32_t width = std::max(1U, first.width_px / step);
  const std::uint32_t height = std::max(1U, first.height_px / step);
  const auto count = static_cast<std::uint32_t>(array.layers.size());
  const auto columns = static_cast<std::uint32_t>(std::ceil(std::sqrt(static_cast<double>(count))));
  const TexelKind kind = channel == Channel::normal ? TexelKind::normals
                         : channel == Channel::color || channel == Channel::emissive
                             ? TexelKind::colors
                             : TexelKind::values;
  LayerSheet sheet;
  sheet.page.name = stack.name;
  sheet.page.size = {columns * (width + layer_gap_px),
                     (count + columns - 1) / columns * (height + layer_gap_px)};
  sheet.picture = {sheet.page.size.width_px, sheet.page.size.height_px, {}};
  sheet.picture.rgba.resize(std::size_t{4} * sheet.picture.width_px * sheet.picture.height_px, 0);
  // The picture is small, the sheet speaks of layers as large as they are.
  sheet.page.size = {sheet.page.size.width_px * step, sheet.page.size.height_px * step};
  for (std::uint32_t l = 0; l < count; ++l) {
    const Pixels layer = make_smaller(array.layers[l], width, height, kind);
    Tile& tile = sheet.page.tiles.emplace_back();
    const std::size_t member = stack[channel].find_member(l);
    tile.material = stack.members[member];
    const auto& copies = stack.copies[member];
    tile.texture = {std::max(1U, first.width_px / copies[0]),
                    std::max(1U, first.height_px / copies[1])};
    tile.used = {0, 0, first.width_px, first.height_px};
    tile.size = {layer.width_px * step, layer.height_px * step};
    const std::uint32_t left = l % columns * (width + layer_gap_px);
    const std::uint32_t top = l / columns * (height + layer_gap_px);
    tile.x = left * step;
    tile.y = top * step;
    for (std::uint32_t y = 0; y < layer.height_px; ++y) {
      std::copy_n(&layer.rgba[std::size_t{4} * y * layer.width_px], 4 * layer.width_px,
                  &sheet.picture.rgba[4 * (std::size_t{top + y} * sheet.picture.width_px + left)]);
    }
  }
  return sheet;
}

/// The first channel that has a picture.
template <class Page>
std::optional<Channel> find_first_channel(const Page& page) {
  for (std::size_t c = 0; c < channel_count; ++c) {
    if (page.has(static_cast<Channel>(c))) {
      return static_cast<Channel>(c);
    }
  }
  return std::nullopt;
}

Result<Bytes> encode(const Pixels& pixels, const PictureCodec& codec) {
  auto bytes = codec.encode(pixels, PictureType::png, 0);
  return bytes ? Result<Bytes>(make_bytes(std::move(*bytes))) : Failure(bytes.error());
}

}  // namespace

std::string to_svg(const Scene& scene,
                   const AtlasPage& page,
                   const Bytes& picture,
                   const std::string& subtitle) {
  return PageSheet(scene, page, subtitle).make(picture);
}

Result<std::string> paint_page_sheet(const Scene& scene,
                                     const RoutePlan& routes,
                                     std::size_t page,
                                     const PictureCodec& codec,
                                     const RunControl& run) {
  const auto channel = find_first_channel(routes.pages[page]);
  if (!channel) {
    return to_svg(scene, routes.pages[page], {});
  }
  const auto pixels = paint_page(scene, routes, page, *channel, codec, run);
  if (!pixels) {
    return Failure(pixels.error());
  }
  const auto picture = encode(*pixels, codec);
  return picture ? Result<std::string>(to_svg(scene, routes.pages[page], *picture))
                 : Failure(picture.error());
}

Result<std::string> paint_stack_sheet(const Scene& scene,
                                      const RoutePlan& routes,
                                      std::size_t stack,
                                      const PictureCodec& codec,
                                      const RunControl& run) {
  const auto channel = find_first_channel(routes.stacks[stack]);
  assert(channel);
  const auto array = paint_layers(scene, routes, stack, *channel, codec, run);
  if (!array) {
    return Failure(array.error());
  }
  const LayerSheet sheet = make_layer_sheet(routes.stacks[stack], *array, *channel);
  const auto picture = encode(sheet.picture, codec);
  if (!picture) {
    return Failure(picture.error());
  }
  return to_svg(
      scene, sheet.page, *picture,
      fmt::format("{} of {}, {} x {} pixels", plural(array->layers.size(), "layer", "layers"),
                  to_string(*channel), array->layers[0].width_px, array->layers[0].height_px));
}

}  // namespace wakuzume
