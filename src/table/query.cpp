// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "survey/glob.h"
#include "wakuzume/budget.h"
#include "wakuzume/table.h"

namespace wakuzume {
namespace {

Failure bad_query(std::string message) {
  return Failure(Error{ErrorCode::bad_setting, std::move(message), {}});
}

Result<std::size_t> find_column(const Table& table, std::string_view name) {
  std::vector<std::string_view> names;
  for (const Column& column : table.columns()) {
    if (column.name == name) {
      return names.size();
    }
    names.push_back(column.name);
  }
  return bad_query(fmt::format("there is no column {}; did you mean {}? There are {}", name,
                               find_nearest_word(name, names), fmt::join(names, ", ")));
}

std::string trim(std::string_view text) {
  const auto first = text.find_first_not_of(' ');
  const auto last = text.find_last_not_of(' ');
  return first == std::string_view::npos ? std::string()
                                         : std::string(text.substr(first, last - first + 1));
}

struct Condition {
  std::size_t column = 0;
  std::string op;
  std::string text;
  double number = 0;
};

/// Takes "triangles >= 500" to pieces. The first operator counts, longer ones before shorter.
Result<Condition> parse_condition(const Table& table, const std::string& text) {
  const std::size_t at = text.find_first_of("=!<>");
  if (at == std::string::npos || at == 0) {
    return bad_query(
        fmt::format("\"{}\" is no condition; write column=value, with one of "
                    "= != < <= > >= between",
                    text));
  }
  Condition condition;
  condition.op = text.substr(at, at + 1 < text.size() && text[at + 1] == '=' ? 2 : 1);
  condition.op = condition.op == "==" ? "=" : condition.op;
  const auto column = find_column(table, trim(std::string_view(text).substr(0, at)));
  if (!column) {
    return Failure(column.error());
  }
  condition.column = *column;
  const std::size_t value_at = text.find_first_not_of("=!<>", at);
  condition.text =
      value_at == std::string::npos ? "" : trim(std::string_view(text).substr(value_at));
  if (condition.op == "!") {
    return bad_query(fmt::format("\"{}\": the operator is !=", text));
  }
  if (table.columns()[*column].numeric) {
    const char* end = condition.text.data() + condition.text.size();
    const auto read = std::from_chars(condition.text.data(), end, condition.number);
    if (read.ec != std::errc() || read.ptr != end) {
      return bad_query(
          fmt::format("\"{}\": {} is compared with a number", text, table.columns()[*column].name));
    }
  }
  return condition;
}

template <class T>
bool compare(const T& a, const std::string& op, const T& b) {
  return op == "="    ? a == b
         : op == "!=" ? a != b
         : op == "<"  ? a < b
         : op == "<=" ? a <= b
         : op == ">"  ? a > b
                      : a >= b;
}

bool holds(const Cell& cell, const Condition& condition, const GlobSet& glob) {
  if (const double* number = std::get_if<double>(&cell)) {
    return compare(*number, condition.op, condition.number);
  }
  const std::string& text = std::get<std::string>(cell);
  if (condition.op == "=" || condition.op == "!=") {
    const bool hit = condition.text.empty() ? text.empty() : glob.find(text) == 0;
    return hit == (condition.op == "=");
  }
  return compare(text, condition.op, condition.text);
}

Result<void> filter(const Table& table, const std::string& text, std::vector<std::uint32_t>& rows) {
  const auto condition = parse_condition(table, text);
  if (!condition) {
    return Failure(condition.error());
  }
  const GlobSet glob({condition->text});
  std::erase_if(rows, [&](std::uint32_t row) {
    return !holds(table.cell(row, condition->column), *condition, glob);
  });
  return {};
}

Result<void> sort(const Table& table, std::string by, std::vector<std::uint32_t>& rows) {
  bool forced_up = false;
  bool forced_down = false;
  if (by.ends_with(":up") || by.ends_with(":down")) {
    forced_up = by.ends_with(":up");
    forced_down = !forced_up;
    by = by.substr(0, by.rfind(':'));
  }
  const auto column = find_column(table, by);
  if (!column) {
    return Failure(column.error());
  }
  const bool down = forced_down || (table.columns()[*column].numeric && !forced_up);
  std::vector<std::pair<Cell, std::uint32_t>> cells;
  cells.reserve(rows.size());
  for (const std::uint32_t row : rows) {
    cells.emplace_back(table.cell(row, *column), row);
  }
  std::stable_sort(cells.begin(), cells.end(), [&](const auto& a, const auto& b) {
    return down ? b.first < a.first : a.first < b.first;
  });
  std::transform(cells.begin(), cells.end(), rows.begin(), [](const auto& c) { return c.second; });
  return {};
}

}  // namespace

Result<std::vector<std::uint32_t>> select_rows(const Table& table, const TableQuery& query) {
  std::vector<std::uint32_t> rows(table.row_count());
  for (std::size_t i = 0; i < rows.size(); ++i) {
    rows[i] = static_cast<std::uint32_t>(i);
  }
  for (const std::string& condition : query.where) {
    if (auto done = filter(table, condition, rows); !done) {
      return Failure(done.error());
    }
  }
  if (!query.sort.empty()) {
    if (auto done = sort(table, query.sort, rows); !done) {
      return Failure(done.error());
    }
  }
  return rows;
}

}  // namespace wakuzume
