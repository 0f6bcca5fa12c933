// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#include <fmt/format.h>

#include <algorithm>

#include "survey/terms.h"
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

Result<void> filter(const Table& table, const std::string& text, std::vector<std::uint32_t>& rows) {
  const auto terms = Terms::parse(text, table.columns(),
                                  table.has_extras() ? ExtraTerms::allowed : ExtraTerms::none);
  if (!terms) {
    return Failure(terms.error());
  }
  std::erase_if(rows, [&](std::uint32_t row) {
    return !terms->hold([&](const TermTest& test) {
      return test.extra.empty() ? table.cell(row, test.column)
                                : Cell(table.find_extra(row, test.extra));
    });
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
