// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "documents/lightmaps.h"

#include "documents/document.h"
#include "documents/read_setting.h"
#include "documents/texels.h"
#include "settings/fields.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

class LightmapsReader {
 public:
  explicit LightmapsReader(JsonIn& in) : in_(in) {}

  bool read(JsonValue value, const At& at, LightmapPlan& plan) {
    const bool good = in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "settings") {
        return read_settings(in_, v, a, plan.settings, [](auto& settings, const auto& visit) {
          for_each_lightmap_setting(settings, visit);
        });
      }
      if (key == "pages") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_page(item, b, plan.pages.emplace_back());
        });
      }
      if (key == "joined") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_joined(item, b, plan.joined.emplace_back());
        });
      }
      if (key == "moves") {
        return in_.array(v, a, [&](JsonValue item, const At& b) {
          return read_move(item, b, plan.moves.emplace_back());
        });
      }
      return key == "page_key"        ? in_.read(v, a, plan.page_key)
             : key == "transform_key" ? in_.read(v, a, plan.transform_key)
             : key == "uv_set"        ? in_.read(v, a, plan.uv_set)
             : key == "left_as"       ? in_.read(v, a, plan.left_as)
             : key == "untouched"     ? read_draws(in_, v, a, plan.untouched)
                                      : unknown_member(in_, a);
    });
    return good && check_places(at, plan);
  }

 private:
  bool read_page(JsonValue value, const At& at, LightmapPage& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "name"         ? in_.read(v, a, out.name)
             : key == "size"       ? read_size(in_, v, a, out.size)
             : key == "size_from"  ? read_word(in_, v, a, out.size_from, page_size_from_count)
             : key == "clean_mips" ? in_.read(v, a, out.clean_mips)
             : key == "image"      ? in_.read(v, a, out.image)
             : key == "file"       ? in_.read(v, a, out.file)
             : key == "format"     ? in_.read(v, a, out.format)
                                   : unknown_member(in_, a);
    });
  }

  bool read_joined(JsonValue value, const At& at, JoinedPage& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      return key == "name"       ? in_.read(v, a, out.name)
             : key == "size"     ? read_size(in_, v, a, out.size)
             : key == "picture"  ? in_.read(v, a, out.picture)
             : key == "format"   ? in_.read(v, a, out.format)
             : key == "embedded" ? in_.read(v, a, out.embedded)
                                 : unknown_member(in_, a);
    });
  }

  bool read_move(JsonValue value, const At& at, LightmapMove& out) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      if (key == "at") {
        RectSize corner;
        const bool good = read_size(in_, v, a, corner);
        out.x = corner.width_px;
        out.y = corner.height_px;
        return good;
      }
      return key == "from"    ? in_.read(v, a, out.from)
             : key == "rect"  ? read_rect(in_, v, a, out.rect)
             : key == "to"    ? in_.read(v, a, out.to)
             : key == "draws" ? read_draws(in_, v, a, out.draws)
                              : unknown_member(in_, a);
    });
  }

  /// Every rectangle is of a page that is listed, and on one.
  bool check_places(const At& at, const LightmapPlan& plan) {
    for (const LightmapMove& move : plan.moves) {
      if (move.from >= plan.pages.size() || move.to >= plan.joined.size()) {
        return in_.fail(ErrorCode::index_out_of_range, at,
                        "a move names a page that is not listed");
      }
      const RectSize& to = plan.joined[move.to].size;
      const RectSize& from = plan.pages[move.from].size;
      const bool inside =
          move.rect.width > 0 && move.rect.height > 0 && move.x + move.rect.width <= to.width_px &&
          move.y + move.rect.height <= to.height_px && from.width_px > 0 && from.height_px > 0;
      if (!inside) {
        return in_.fail(ErrorCode::bad_value, at, "a move leaves its page");
      }
    }
    return true;
  }

  JsonIn& in_;
};

void write_pages(ReadableJsonOut& out, const LightmapPlan& plan) {
  out.member("page_key", plan.page_key);
  out.member("transform_key", plan.transform_key);
  out.member("uv_set", plan.uv_set);
  write_rows(out, "pages", plan.pages, [](JsonOut& line, const LightmapPage& page) {
    line.member("name", page.name);
    line.member("size", as_pair(page.size));
    line.member("size_from", to_string(page.size_from));
    line.member("clean_mips", page.clean_mips);
    if (page.image != no_image) {
      line.member("image", page.image);
    }
    if (!page.file.empty()) {
      line.member("file", page.file);
    }
    if (!page.format.empty()) {
      line.member("format", page.format);
    }
  });
  write_rows(out, "joined", plan.joined, [](JsonOut& line, const JoinedPage& page) {
    line.member("name", page.name);
    line.member("size", as_pair(page.size));
    if (!page.format.empty()) {
      line.member("picture", page.picture);
      line.member("format", page.format);
      line.member("embedded", page.embedded);
    }
  });
}

}  // namespace

std::string to_json(const LightmapPlan& plan) {
  ReadableJsonOut out;
  begin_document(out, "wakuzume-lightmaps", 1);
  write_pages(out, plan);
  write_rows(out, "moves", plan.moves, [](JsonOut& line, const LightmapMove& move) {
    line.member("from", move.from);
    line.member("rect", as_numbers(move.rect));
    line.member("to", move.to);
    line.member("at", std::array{static_cast<double>(move.x), static_cast<double>(move.y)});
  });
  out.end_object();
  return out.take() + "\n";
}

void write_lightmaps(ReadableJsonOut& out, const LightmapPlan& plan) {
  out.begin_object("lightmaps");
  write_settings(out, plan.settings, [](const auto& settings, const auto& visit) {
    for_each_lightmap_setting(settings, visit);
  });
  write_pages(out, plan);
  out.begin_array("moves");
  for (const LightmapMove& move : plan.moves) {
    out.begin_object();
    out.member("from", move.from);
    out.member_line("rect", as_numbers(move.rect));
    out.member("to", move.to);
    out.member_line("at", std::array{static_cast<double>(move.x), static_cast<double>(move.y)});
    write_draws(out, "draws", move.draws);
    out.end_object();
  }
  out.end_array();
  out.member("left_as", plan.left_as);
  write_draws(out, "untouched", plan.untouched);
  out.end_object();
}

bool read_lightmaps(JsonIn& in, JsonValue value, const At& at, LightmapPlan& plan) {
  return LightmapsReader(in).read(value, at, plan);
}

}  // namespace wakuzume
