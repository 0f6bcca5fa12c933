// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <fmt/format.h>

#include <string>
#include <string_view>

#include "documents/document.h"
#include "settings/fields.h"

/// Settings as the documents hold them: those of a plan, and those of its routes.
namespace wakuzume {

template <class T>
void write_setting(ReadableJsonOut& out, const char* key, const T& member) {
  if constexpr (std::is_enum_v<T>) {
    out.member(key, to_text(member));
  } else if constexpr (std::is_same_v<T, std::vector<Box3d>>) {
    std::vector<std::array<double, 6>> boxes;
    for (const Box3d& box : member) {
      boxes.push_back({box.min[0], box.min[1], box.min[2], box.max[0], box.max[1], box.max[2]});
    }
    out.member_line(key, boxes);
  } else {
    out.member_line(key, member);
  }
}

template <class T>
bool read_setting_value(JsonIn& in, JsonValue value, const At& at, T& out) {
  if constexpr (std::is_enum_v<T>) {
    std::string text;
    return in.read(value, at, text) &&
           (from_text(text, out) ||
            in.fail(ErrorCode::bad_value, at,
                    fmt::format("\"{}\" is not one of the words it takes", text)));
  } else if constexpr (std::is_same_v<T, std::vector<Box3d>>) {
    return in.array(value, at, [&](JsonValue item, const At& a) {
      std::array<double, 6> box{};
      const bool good = in.read(item, a, box);
      out.push_back({{box[0], box[1], box[2]}, {box[3], box[4], box[5]}});
      return good;
    });
  } else {
    return in.read(value, at, out);
  }
}

/// Reads the setting of this key. \param list  calls what it is given for each (key, member)
template <class List>
bool read_setting(
    JsonIn& in, std::string_view wanted, JsonValue value, const At& at, const List& list) {
  bool known = false;
  bool good = true;
  list([&](std::string_view key, auto& member) {
    if (key == wanted) {
      known = true;
      good = read_setting_value(in, value, at, member);
    }
  });
  return known ? good : unknown_member(in, at);
}

/// The member "settings": those that `list(settings, visit)` lists, as fields.h has them.
template <class Settings, class List>
void write_settings(ReadableJsonOut& out, const Settings& settings, const List& list) {
  out.begin_object("settings");
  list(settings, [&](const char*, const char* key, const auto& member, const Meaning&) {
    write_setting(out, key, member);
  });
  out.end_object();
}

template <class Settings, class List>
bool read_settings(
    JsonIn& in, JsonValue value, const At& at, Settings& settings, const List& list) {
  const bool good = in.object(value, at, [&](std::string_view key, JsonValue v, const At& a) {
    return read_setting(in, key, v, a, [&](const auto& visit) {
      list(settings, [&](const char*, std::string_view k, auto& member, const Meaning&) {
        visit(k, member);
      });
    });
  });
  const auto valid = validate(settings);
  return good && (valid || in.fail(ErrorCode::bad_setting, at, valid.error().message));
}

}  // namespace wakuzume
