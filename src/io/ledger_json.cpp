// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include "io/document.h"
#include "io/json_out.h"
#include "wakuzume/io.h"

namespace wakuzume {
namespace {

constexpr const char* ledger_format = "wakuzume-ledger";

class LedgerReader {
 public:
  Result<Ledger> read(const std::string& path) {
    return read_document(path, ledger_format, in_, *this);
  }

  bool member(std::string_view key, JsonValue value, const At& at, Ledger& ledger) {
    if (key == "source_content") {
      return read_hash(in_, value, at, ledger.source_hash);
    }
    if (key == "result_content") {
      return read_hash(in_, value, at, ledger.result_hash);
    }
    if (key == "left_out") {
      return in_.read(value, at, ledger.left_out);
    }
    if (key == "columns") {
      std::vector<std::string> names;
      return in_.read(value, at, names);
    }
    if (key == "rows") {
      return in_.array(value, at, [&](JsonValue item, const At& a) {
        return read_row(item, a, ledger.rows.emplace_back());
      });
    }
    return unknown_member(in_, at);
  }

 private:
  /// Rows are arrays: a million of them have to be read in well under a second.
  bool read_row(JsonValue value, const At& at, LedgerRow& row) {
    std::size_t column = 0;
    const bool good = in_.array(value, at, [&](JsonValue item, const At& a) {
      switch (column++) {
        case 0:
          return in_.read(item, a, row.source.node);
        case 1:
          return in_.read(item, a, row.source.primitive);
        case 2:
          return read_word(in_, item, a, row.fate, fate_count);
        case 3:
          return in_.read(item, a, row.node);
        case 4:
          return in_.read(item, a, row.primitive);
        case 5:
          return in_.read(item, a, row.instance);
        case 6:
          return in_.read(item, a, row.first_index);
        case 7:
          return in_.read(item, a, row.index_count);
        case 8:
          return in_.read(item, a, row.first_vertex);
        case 9:
          return in_.read(item, a, row.vertex_count);
        default:
          return in_.fail(ErrorCode::bad_value, at, "a row has 10 values");
      }
    });
    return good && (column == 10 || in_.fail(ErrorCode::bad_value, at, "a row has 10 values"));
  }

  JsonIn in_;
};

}  // namespace

std::string to_json(const Ledger& ledger) {
  ReadableJsonOut out;
  out.begin_object();
  out.member("format", ledger_format);
  out.member("version", 1U);
  out.member("source_content", to_string(ledger.source_hash));
  out.member("result_content", to_string(ledger.result_hash));
  out.member("left_out", ledger.left_out);
  out.member_line("columns",
                  std::vector<std::string>{"source_node", "source_primitive", "fate", "node",
                                           "primitive", "instance", "first_index", "index_count",
                                           "first_vertex", "vertex_count"});
  out.begin_array("rows");
  for (const LedgerRow& row : ledger.rows) {
    JsonOut line;
    line.begin_array();
    line.value(row.source.node);
    line.value(row.source.primitive);
    line.value(to_string(row.fate));
    line.value(row.node);
    line.value(row.primitive);
    line.value(row.instance);
    line.value(row.first_index);
    line.value(row.index_count);
    line.value(row.first_vertex);
    line.value(row.vertex_count);
    line.end_array();
    out.line(line);
  }
  out.end_array();
  out.end_object();
  return out.take() + "\n";
}

Result<Ledger> read_ledger(const std::string& path) { return LedgerReader().read(path); }

}  // namespace wakuzume
