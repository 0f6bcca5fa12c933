// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "documents/document.h"
#include "json/out.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

/// A field of RFC 4180. A text that a spreadsheet would run as a formula gets an apostrophe before.
void add_field(std::string& out, const Cell& cell) {
  if (const double* number = std::get_if<double>(&cell)) {
    out += to_number(*number);
    return;
  }
  std::string text = std::get<std::string>(cell);
  if (!text.empty() && std::string_view("=+-@\t\r").find(text[0]) != std::string_view::npos) {
    text.insert(0, "'");
  }
  if (text.find_first_of(",\"\r\n") == std::string::npos) {
    out += text;
    return;
  }
  out += '"';
  for (const char c : text) {
    out += c;
    if (c == '"') {
      out += c;
    }
  }
  out += '"';
}

}  // namespace

std::string to_csv(const Table& table, std::span<const std::uint32_t> rows) {
  std::string out = "\xEF\xBB\xBF";  // spreadsheets take the text for UTF-8 by this mark
  for (std::size_t c = 0; c < table.columns().size(); ++c) {
    out += c == 0 ? "" : ",";
    out += table.columns()[c].name;
  }
  out += "\r\n";
  for (const std::uint32_t row : rows) {
    for (std::size_t c = 0; c < table.columns().size(); ++c) {
      out += c == 0 ? "" : ",";
      add_field(out, table.cell(row, c));
    }
    out += "\r\n";
  }
  return out;
}

std::string to_json(const Table& table, std::span<const std::uint32_t> rows) {
  ReadableJsonOut out;
  begin_document(out, "wakuzume-table", 1);
  out.begin_array("rows");
  for (const std::uint32_t row : rows) {
    JsonOut line;
    line.begin_object();
    for (std::size_t c = 0; c < table.columns().size(); ++c) {
      line.key(table.columns()[c].name);
      const Cell cell = table.cell(row, c);
      if (const double* number = std::get_if<double>(&cell)) {
        line.value(*number);
      } else {
        line.value(std::get<std::string>(cell));
      }
    }
    line.end_object();
    out.line(line);
  }
  out.end_array();
  out.end_object();
  return out.take() + "\n";
}

}  // namespace wakuzume
