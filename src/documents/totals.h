// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <string_view>

#include "json/out.h"
#include "wakuzume/survey.h"

namespace wakuzume {

/// Totals as one object of the documents that hold them.
inline void write_totals(ReadableJsonOut& out, std::string_view name, const Totals& totals) {
  out.begin_object(name);
  out.member("nodes", totals.nodes);
  out.member("meshes", totals.meshes);
  out.member("primitives", totals.primitives);
  out.member("draws", totals.draws);
  out.member("materials", totals.materials);
  out.member("textures", totals.textures);
  out.member("images", totals.images);
  out.member("triangles", totals.triangles);
  out.member("vertices", totals.vertices);
  out.member("bytes", totals.bytes);
  out.end_object();
}

}  // namespace wakuzume
