// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <cmath>
#include <numbers>
#include <optional>

#include "documents/document.h"
#include "json/out.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

constexpr const char* views_format = "wakuzume-views";
constexpr double degrees = 180 / std::numbers::pi;

/// What one entry may say, before it is known whether it fits together.
struct ViewEntry {
  Viewpoint view;
  std::optional<Vec3d> eye;
  std::optional<Vec3d> target;
  bool has_matrix = false;
  std::optional<double> yfov_deg;
  std::optional<double> half_width_m;
  std::optional<double> half_height_m;
};

class ViewsReader {
 public:
  Result<std::vector<Viewpoint>> read(const std::string& path) {
    return read_document(path, views_format, in_, *this);
  }

  bool member(std::string_view key, JsonValue value, const At& at, std::vector<Viewpoint>& out) {
    if (key != "views") {
      return unknown_member(in_, at);
    }
    return in_.array(value, at, [&](JsonValue item, const At& a) {
      ViewEntry entry;
      entry.view.name = fmt::format("view {}", out.size() + 1);
      if (!read_entry(item, a, entry) || !finish(entry, a)) {
        return false;
      }
      out.push_back(std::move(entry.view));
      return true;
    });
  }

 private:
  bool read_entry(JsonValue value, const At& at, ViewEntry& entry) {
    return in_.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
      Viewpoint& view = entry.view;
      if (key == "name") {
        return in_.read(v, a, view.name);
      }
      if (key == "matrix") {
        entry.has_matrix = true;
        return in_.read(v, a, view.world);
      }
      if (key == "aspect") {
        return in_.read(v, a, view.aspect);
      }
      if (key == "near_m") {
        return in_.read(v, a, view.znear_m);
      }
      if (key == "far_m") {
        return in_.read(v, a, view.zfar_m);
      }
      for (const auto& [name, place] :
           {std::pair("eye", &entry.eye), std::pair("target", &entry.target)}) {
        if (key == name) {
          return in_.read(v, a, place->emplace());
        }
      }
      for (const auto& [name, size] :
           {std::pair("yfov_deg", &entry.yfov_deg), std::pair("half_width_m", &entry.half_width_m),
            std::pair("half_height_m", &entry.half_height_m)}) {
        if (key == name) {
          return in_.read(v, a, size->emplace());
        }
      }
      return unknown_member(in_, a);
    });
  }

  bool finish(ViewEntry& entry, const At& at) {
    Viewpoint& view = entry.view;
    const bool placed = entry.eye && entry.target && *entry.eye != *entry.target;
    if (placed == entry.has_matrix) {
      return in_.fail(ErrorCode::bad_value, at,
                      "a view has either \"eye\" and \"target\", which differ, or \"matrix\"");
    }
    if (placed) {
      view.world = make_viewpoint("", *entry.eye, *entry.target).world;
    }
    const double determinant = linear_determinant(view.world);
    if (!std::isfinite(determinant) || determinant == 0) {
      return in_.fail(ErrorCode::bad_value, at, "the matrix can't be inverted");
    }
    return finish_lens(entry, at);
  }

  bool finish_lens(ViewEntry& entry, const At& at) {
    Viewpoint& view = entry.view;
    view.yfov = entry.yfov_deg.value_or(60) / degrees;
    if (entry.half_width_m || entry.half_height_m) {
      view.perspective = false;
      view.xmag = entry.half_width_m.value_or(0);
      view.ymag = entry.half_height_m.value_or(0);
      if (entry.yfov_deg || !(view.xmag > 0 && view.ymag > 0)) {
        return in_.fail(ErrorCode::bad_value, at,
                        "an orthographic view has \"half_width_m\" and \"half_height_m\" above 0, "
                        "and no \"yfov_deg\"");
      }
    }
    const bool lens = view.yfov > 0 && view.yfov < std::numbers::pi && view.aspect > 0;
    const bool range = view.znear_m >= 0 && (view.zfar_m == 0 || view.zfar_m > view.znear_m);
    return (lens && range) ||
           in_.fail(ErrorCode::bad_value, at,
                    "yfov_deg must be between 0 and 180, aspect above 0, near_m from 0 and far_m "
                    "above it, or 0 for none");
  }

  JsonIn in_;
};

}  // namespace

Result<std::vector<Viewpoint>> read_views(const std::string& path) {
  return ViewsReader().read(path);
}

std::string to_json(std::span<const Viewpoint> views) {
  ReadableJsonOut out;
  begin_document(out, views_format, 1);
  out.begin_array("views");
  for (const Viewpoint& view : views) {
    JsonOut line;
    line.begin_object();
    line.member("name", view.name);
    line.member("matrix", view.world);
    if (view.perspective) {
      line.member("yfov_deg", view.yfov * degrees);
      line.member("aspect", view.aspect);
    } else {
      line.member("half_width_m", view.xmag);
      line.member("half_height_m", view.ymag);
    }
    line.member("near_m", view.znear_m);
    line.member("far_m", view.zfar_m);
    line.end_object();
    out.line(line);
  }
  out.end_array();
  out.end_object();
  return out.take() + "\n";
}

}  // namespace wakuzume
