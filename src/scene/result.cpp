// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "wakuzume/result.h"

#include <fmt/format.h>

namespace wakuzume {

std::string_view to_string(ErrorCode code) {
  switch (code) {
    case ErrorCode::cannot_open:
      return "cannot_open";
    case ErrorCode::cannot_write:
      return "cannot_write";
    case ErrorCode::not_supported:
      return "not_supported";
    case ErrorCode::bad_container:
      return "bad_container";
    case ErrorCode::bad_json:
      return "bad_json";
    case ErrorCode::bad_type:
      return "bad_type";
    case ErrorCode::bad_value:
      return "bad_value";
    case ErrorCode::missing_member:
      return "missing_member";
    case ErrorCode::index_out_of_range:
      return "index_out_of_range";
    case ErrorCode::out_of_bounds:
      return "out_of_bounds";
    case ErrorCode::node_cycle:
      return "node_cycle";
    case ErrorCode::unsafe_path:
      return "unsafe_path";
    case ErrorCode::bad_image:
      return "bad_image";
    case ErrorCode::too_large:
      return "too_large";
    case ErrorCode::bad_setting:
      return "bad_setting";
    case ErrorCode::plan_mismatch:
      return "plan_mismatch";
    case ErrorCode::plan_invalid:
      return "plan_invalid";
    case ErrorCode::cancelled:
      return "cancelled";
    case ErrorCode::cannot_render:
      return "cannot_render";
  }
  return "unknown";
}

std::string to_string(const Error& error) {
  std::string text;
  if (!error.place.file.empty()) {
    text += error.place.file + ": ";
  }
  if (!error.place.pointer.empty()) {
    text += error.place.pointer + ": ";
  }
  return text + fmt::format("{} [{}]", error.message, to_string(error.code));
}

}  // namespace wakuzume
