// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "wakuzume/assess.h"
#include "wakuzume/result.h"
#include "wakuzume/routes.h"
#include "wakuzume/scene.h"
#include "wakuzume/survey.h"
#include "wakuzume/wishes.h"

/// Tables over a survey, to filter, sort and write out. Cells are made when they are asked for, so
/// a table over a million draws takes no room.
namespace wakuzume {

/// Lives no longer than what it was made over.
class Table {
 public:
  virtual ~Table() = default;

  [[nodiscard]] virtual std::span<const Column> columns() const = 0;
  [[nodiscard]] virtual std::size_t row_count() const = 0;
  /// \pre row < row_count(), column < columns().size()
  [[nodiscard]] virtual Cell cell(std::size_t row, std::size_t column) const = 0;
  /// Rows are draws, whose extras terms may speak of.
  [[nodiscard]] virtual bool has_extras() const { return false; }
  /// What the extras of a row's node or its ancestors say under a key. \pre has_extras()
  [[nodiscard]] virtual std::string find_extra(std::size_t, const std::string&) const { return {}; }
};

/// One row a draw, in draw order.
std::unique_ptr<Table> make_draw_table(const Scene& scene,
                                       const Survey& survey,
                                       std::span<const Finding> findings);

enum class GroupBy : std::uint8_t { key, material, family, mesh, level, subtree };

/// One row a group of draws, most draws first.
/// \param depth  with subtree: so many steps of the node path are kept
std::unique_ptr<Table> make_group_table(const Scene& scene,
                                        const Survey& survey,
                                        GroupBy by,
                                        std::size_t depth = 2);

/// One row a view and pass, and one for all passes of the view.
std::unique_ptr<Table> make_view_table(const Assessment& assessment);

/// One row a finding.
std::unique_ptr<Table> make_finding_table(const Assessment& assessment);

/// One row a key and neighbour: what would have to be equal for their draws to merge.
std::unique_ptr<Table> make_near_table(const Scene& scene,
                                       const Survey& survey,
                                       const Assessment& assessment);

/// One row a material that is drawn: its route, and its tile where it has one.
/// \param scene  the one that the routes are for
std::unique_ptr<Table> make_route_table(const Scene& scene, const RoutePlan& routes);

/// One row a way to share materials.
std::unique_ptr<Table> make_choice_table(std::span<const MaterialChoice> choices);

struct TableQuery {
  /// Terms as wishes have them, over the table's columns; all must hold.
  std::vector<std::string> where;
  /// A column, with ":up" or ":down"; numbers go down by themselves, texts up. Empty: table order.
  std::string sort;
};

/// The rows that a query leaves, in its order; equals keep the order of the table.
/// \error bad_setting  an unknown column, with the nearest one, or a condition that can't be read
/// \cost a cell a row and condition
Result<std::vector<std::uint32_t>> select_rows(const Table& table, const TableQuery& query);

}  // namespace wakuzume
