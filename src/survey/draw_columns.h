// SPDX-FileCopyrightText: 2026 The Wakuzume authors
// SPDX-License-Identifier: MIT
#pragma once

#include <cstddef>
#include <span>
#include <string>

#include "wakuzume/survey.h"
#include "wakuzume/wishes.h"

/// What a survey says of each draw, in columns: for tables, and for wishes.
namespace wakuzume {

/// All are borrowed.
struct DrawRow {
  const Scene& scene;
  const Survey& survey;
  std::size_t index = 0;
};

/// \param column  position in list_wish_columns()
Cell make_draw_cell(const DrawRow& row, std::size_t column);
/// A key in the extras of the draw's node, or of its nearest ancestor that has it; empty: none has.
std::string find_extra_above(const Scene& scene, NodeId node, const std::string& key);

/// The same as it is written in JSON.
std::string find_json_above(const Scene& scene, NodeId node, const std::string& key);

/// Names as columns have them: "#12" for what has none.
std::string column_name(const Scene& scene, MaterialId id);
std::string column_name(const Scene& scene, MeshId id);
std::string describe_levels(const Scene& scene, const MergeKey& key);

}  // namespace wakuzume
