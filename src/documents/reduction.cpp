// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "documents/reduction.h"

#include "documents/document.h"
#include "documents/read_setting.h"
#include "documents/texels.h"
#include "settings/fields.h"

namespace wakuzume {
namespace {

bool read_target(JsonIn& in, JsonValue value, const At& at, MeshTarget& out) {
  return in.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    return key == "mesh"        ? in.read(v, a, out.mesh)
           : key == "triangles" ? in.read(v, a, out.triangles)
           : key == "error_m"   ? in.read(v, a, out.error_m)
           : key == "edge_m"    ? in.read(v, a, out.edge_m)
                                : unknown_member(in, a);
  });
}

}  // namespace

void write_reduction(ReadableJsonOut& out, const ReducePlan& plan) {
  out.begin_object("reduction");
  write_settings(out, plan.settings, [](const auto& settings, const auto& visit) {
    for_each_reduce_setting(settings, visit);
  });
  write_rows(out, "meshes", plan.meshes, [](JsonOut& line, const MeshTarget& target) {
    line.member("mesh", target.mesh);
    line.member("triangles", target.triangles);
    line.member("error_m", target.error_m);
    line.member("edge_m", target.edge_m);
  });
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
    if (key == "meshes") {
      return in.array(v, a, [&](JsonValue item, const At& b) {
        return read_target(in, item, b, plan.meshes.emplace_back());
      });
    }
    return key == "left_as"     ? in.read(v, a, plan.left_as)
           : key == "untouched" ? read_draws(in, v, a, plan.untouched)
                                : unknown_member(in, a);
  });
}

}  // namespace wakuzume
