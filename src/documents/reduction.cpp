// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "documents/reduction.h"

#include <fmt/format.h>

#include "documents/document.h"
#include "documents/read_setting.h"
#include "documents/texels.h"
#include "documents/wishes.h"
#include "settings/fields.h"

namespace wakuzume {
namespace {

bool read_target(JsonIn& in, JsonValue value, const At& at, MeshTarget& out) {
  return in.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    return key == "mesh"        ? in.read(v, a, out.mesh)
           : key == "triangles" ? in.read(v, a, out.triangles)
           : key == "error_m"   ? in.read(v, a, out.error_m)
           : key == "edge_m"    ? in.read(v, a, out.edge_m)
           : key == "like"      ? in.read(v, a, out.like)
           : key == "fit"       ? in.read(v, a, out.fit)
                                : unknown_member(in, a);
  });
}

/// Cells as hexadecimal digits, four in each, the first in the highest bit.
std::string to_digits(const std::vector<bool>& cells) {
  std::string out;
  for (std::size_t c = 0; c < cells.size(); c += 4) {
    std::size_t digit = 0;
    for (std::size_t k = 0; k < 4; ++k) {
      digit = 2 * digit + (c + k < cells.size() && cells[c + k] ? 1 : 0);
    }
    out += "0123456789abcdef"[digit];
  }
  return out;
}

bool read_digits(JsonIn& in, JsonValue value, const At& at, std::vector<bool>& cells) {
  std::string digits;
  if (!in.read(value, at, digits)) {
    return false;
  }
  for (const char c : digits) {
    const std::size_t digit = std::string_view("0123456789abcdef").find(c);
    for (std::size_t k = 0; k < 4; ++k) {
      cells.push_back((digit >> (3 - k) & 1U) != 0);
    }
    if (digit == std::string_view::npos) {
      cells.clear();
      break;
    }
  }
  constexpr std::size_t all = std::size_t{DetailMask::cells} * DetailMask::cells;
  return cells.size() == all ||
         in.fail(ErrorCode::bad_value, at, fmt::format("expected {} hexadecimal digits", all / 4));
}

bool read_mask(JsonIn& in, JsonValue value, const At& at, DetailMask& out) {
  return in.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    return key == "image"  ? in.read(v, a, out.image)
           : key == "fine" ? read_digits(in, v, a, out.fine)
                           : unknown_member(in, a);
  });
}

}  // namespace

void write_reduction(ReadableJsonOut& out, const ReducePlan& plan) {
  out.begin_object("reduction");
  write_settings(out, plan.settings, [](const auto& settings, const auto& visit) {
    for_each_reduce_setting(settings, visit);
  });
  write_answers(out, "answers", plan.settings.answers);
  write_rows(out, "meshes", plan.meshes, [](JsonOut& line, const MeshTarget& target) {
    line.member("mesh", target.mesh);
    line.member("triangles", target.triangles);
    line.member("error_m", target.error_m);
    line.member("edge_m", target.edge_m);
    if (target.like != no_mesh) {
      line.member("like", target.like);
      line.member("fit", target.fit);
    }
  });
  if (!plan.detail.empty()) {
    write_rows(out, "detail", plan.detail, [](JsonOut& line, const DetailMask& mask) {
      line.member("image", mask.image);
      line.member("fine", to_digits(mask.fine));
    });
  }
  out.member("left_as", plan.left_as);
  write_draws(out, "untouched", plan.untouched);
  out.end_object();
}

bool read_reduction(JsonIn& in, JsonValue value, const At& at, ReducePlan& plan) {
  return in.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    if (key == "settings") {
      return read_settings(in, v, a, plan.settings, [](auto& settings, const auto& visit) {
        for_each_reduce_setting(settings, visit);
      });
    }
    if (key == "answers") {
      return read_answers(in, v, a, plan.settings.answers);
    }
    if (key == "meshes") {
      return in.array(v, a, [&](JsonValue item, const At& b) {
        return read_target(in, item, b, plan.meshes.emplace_back());
      });
    }
    if (key == "detail") {
      return in.array(v, a, [&](JsonValue item, const At& b) {
        return read_mask(in, item, b, plan.detail.emplace_back());
      });
    }
    return key == "left_as"     ? in.read(v, a, plan.left_as)
           : key == "untouched" ? read_draws(in, v, a, plan.untouched)
                                : unknown_member(in, a);
  });
}

}  // namespace wakuzume
