// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <charconv>
#include <string>

#include "files/file.h"
#include "json/in.h"
#include "json/out.h"
#include "wakuzume/scene.h"

/// Documents of our own: plans, ledgers, surveys, verdicts, views, tables. In: values of the core;
/// out: text by docs/formats, and the way back for those that are read. Reading is strict, with a
/// place for whatever is wrong.
namespace wakuzume {

/// How every document begins. \param format  "wakuzume-plan"
inline void begin_document(ReadableJsonOut& out, const char* format, std::uint32_t version) {
  out.begin_object();
  out.member("format", format);
  out.member("version", version);
}

/// An array of objects, a line each. \param fill  called with (line, item)
template <class List, class Fill>
void write_rows(ReadableJsonOut& out, const char* name, const List& list, const Fill& fill) {
  out.begin_array(name);
  for (const auto& item : list) {
    JsonOut line;
    line.begin_object();
    fill(line, item);
    line.end_object();
    out.line(line);
  }
  out.end_array();
}

inline bool unknown_member(JsonIn& in, const At& at) {
  return in.fail(ErrorCode::bad_value, at, "there is no such member in this format");
}

/// 32 hexadecimal digits.
inline bool read_hash(JsonIn& in, JsonValue value, const At& at, ContentHash& out) {
  std::string text;
  if (!in.read(value, at, text)) {
    return false;
  }
  const char* middle = text.data() + 16;
  const bool good = text.size() == 32 &&
                    std::from_chars(text.data(), middle, out.high, 16).ptr == middle &&
                    std::from_chars(middle, middle + 16, out.low, 16).ptr == middle + 16;
  return good || in.fail(ErrorCode::bad_value, at, "expected 32 hexadecimal digits");
}

/// An enumerator by the word that to_string gives it. \param count  enumerators, from 0 on
template <class Enum>
bool read_word(JsonIn& in, JsonValue value, const At& at, Enum& out, std::size_t count) {
  std::string text;
  if (!in.read(value, at, text)) {
    return false;
  }
  for (std::size_t i = 0; i < count; ++i) {
    if (text == to_string(static_cast<Enum>(i))) {
      out = static_cast<Enum>(i);
      return true;
    }
  }
  return in.fail(ErrorCode::bad_value, at, "'" + text + "' is none of the words allowed here");
}

/// An array of `least` to `most` values: calls `read(column, value, at)` for each.
template <class Read>
bool read_row(JsonIn& in,
              JsonValue value,
              const At& at,
              std::size_t least,
              std::size_t most,
              const Read& read) {
  const auto wrong = [&] {
    return in.fail(ErrorCode::bad_value, at,
                   "a row has " + (least == most ? "" : std::to_string(least) + " to ") +
                       std::to_string(most) + " values");
  };
  std::size_t columns = 0;
  const bool good = in.array(value, at, [&](JsonValue v, const At& a) {
    return columns < most ? read(columns++, v, a) : wrong();
  });
  return good && (columns >= least || wrong());
}

/// A row that has a value for each of `fields`, in their order.
template <class... Fields>
bool read_columns(JsonIn& in, JsonValue value, const At& at, Fields&... fields) {
  return read_row(in, value, at, sizeof...(fields), sizeof...(fields),
                  [&](std::size_t wanted, JsonValue v, const At& a) {
                    std::size_t column = 0;
                    return ((column++ == wanted && in.read(v, a, fields)) || ...);
                  });
}

/// Reads the root object: checks "format" and "version", hands every other member to
/// `reader.member(key, value, at, out)`.
template <class Reader>
auto read_document(const std::string& path,
                   const char* format,
                   JsonIn& in,
                   Reader& reader,
                   std::uint32_t wanted_version = 1) -> decltype(reader.read(path)) {
  using Out = typename decltype(reader.read(path))::value_type;
  const auto file = map_file(path);
  if (!file) {
    return Failure(file.error());
  }
  const PaddedText text(*file, *file);
  simdjson::ondemand::parser parser;
  simdjson::ondemand::document document;
  simdjson::ondemand::object root;
  Out out;
  std::string found;
  std::uint32_t version = 0;
  const At at{};
  auto code = parser.iterate(text.view()).get(document);
  code = code == simdjson::SUCCESS ? document.get_object().get(root) : code;
  if (code != simdjson::SUCCESS) {
    in.wrong(code, at, "a JSON object");
  } else {
    const bool good = in.members(root, at, [&](std::string_view key, JsonValue value, const At& a) {
      if (key == "format") {
        return in.read(value, a, found);
      }
      if (key == "version") {
        return in.read(value, a, version);
      }
      return reader.member(key, value, a, out);
    });
    if (good && !at_end(document)) {
      in.fail(ErrorCode::bad_json, at, "text follows after the end of the document");
    } else if (good && (found != format || version != wanted_version)) {
      in.fail(ErrorCode::bad_value, at,
              std::string("expected format '") + format + "' in version " +
                  std::to_string(wanted_version) + ", found '" + found + "' in version " +
                  std::to_string(version));
    }
  }
  if (in.error()) {
    Error error = *in.error();
    error.place.file = path;
    return Failure(std::move(error));
  }
  return out;
}

}  // namespace wakuzume
